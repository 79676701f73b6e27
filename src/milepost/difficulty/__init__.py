"""Difficulty adjusted for who got there, what stands out of a course, how sure that is, and what it costs."""
