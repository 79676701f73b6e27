"""The command line: one parser, a module a command, and what commands share."""
