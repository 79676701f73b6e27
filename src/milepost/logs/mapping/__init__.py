"""Log maps: what foreign logs mean, drafts of one, and whether what it names is there."""
