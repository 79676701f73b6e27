"""Wickwater, the made-up game: its course and logs, and how they are unpacked."""
