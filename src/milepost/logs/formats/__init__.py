"""The formats of logs: one table of them, a reader for each, and writers."""
