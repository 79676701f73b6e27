"""Drafts made from a log: a course, levels that were renamed, and a playtest folder."""
