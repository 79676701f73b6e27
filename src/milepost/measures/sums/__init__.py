"""What measures need to know of attempts, as counts that add up over players, and so over the parts of a log."""
