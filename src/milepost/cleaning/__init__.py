"""Cleaning of a log: selection, names, duplicates, clocks; every record that is set aside is marked."""
