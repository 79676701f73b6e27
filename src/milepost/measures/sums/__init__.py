"""Counts of attempts that measures need; they add up over players, and so over the parts of a log."""
