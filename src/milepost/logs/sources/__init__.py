"""Sources of logs: files, folders, globs, pipes, addresses and servers, and the encoding of their text."""
