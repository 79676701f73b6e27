"""Where logs lie: files, folders, globs, pipes, addresses and servers, and how their bytes are text."""
