"""The playtest folder: its settings file, and the tables of players, answers, notes and recordings that lie in it."""
