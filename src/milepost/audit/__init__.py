"""What is in a log, what was found, what looks odd, and how far cleaning moves the answer."""
