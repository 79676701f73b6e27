"""The plan against the play: targets, and whether they are met."""
