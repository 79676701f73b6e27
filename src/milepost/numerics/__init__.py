"""Estimates and their intervals; nothing here knows of logs or levels."""
