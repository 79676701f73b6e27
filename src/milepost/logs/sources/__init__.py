"""Where logs lie: files, folders, globs, pipes and addresses, and how their bytes are text."""
