"""Runs the command line with ``python -m milepost``."""

from milepost.cli.main import entry

if __name__ == "__main__":
    entry()
