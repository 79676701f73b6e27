"""What a column's heading says: words that people give to columns, as evidence beside what the column does."""

from __future__ import annotations

import re
from functools import cache
from typing import Final

from milepost.logs.mapping.languages import heading_of

# Parts of headings, best first.
_HINTS: Final = {
    "session": ("session", "sessions", "sitting", "sid", "visit", "run", "id"),
    "time": ("time", "timestamp", "ts", "utc", "tick", "frame", "clock", "elapsed", "when", "sec", "ms", "at", "t"),
    "event": ("event", "ev", "action", "verb", "kind", "type", "what", "code", "name", "message", "msg"),
    "level": ("level", "lvl", "stage", "map", "room", "world", "scene", "wave", "round", "route", "chapter", "screen", "zone"),
    "player": ("player", "user", "uid", "account", "tester", "who", "profile", "participant"),
    "build": ("build", "version", "ver", "release", "patch"),
    "cause": ("cause", "reason", "why", "killer"),
    "result": ("result", "outcome", "status", "ending", "end", "state"),
    "lasted": ("duration", "lasted", "seconds", "took", "length", "dur", "elapsed", "ms", "sec"),
    "started": ("start", "started", "begin", "began", "from"),
    "ended": ("end", "ended", "finish", "until"),
    "tries": ("tries", "attempts", "attempt", "count"),
}
_LANGUAGE_NAMES: Final = {"started": "time"}


@cache
def heading_says(ours: str, name: str) -> float:
    """Return how much a heading speaks for one of our fields, from 0 to 1."""
    words = re.split(r"[^a-z0-9]+", re.sub(r"([a-z0-9])([A-Z])", r"\1_\2", name).lower())
    if ours == name.lower():
        return 1.0
    hints = _HINTS[ours]
    ranks = [rank for rank, hint in enumerate(hints) if hint in words or hint == "".join(words)]
    if ranks:
        return 0.9 - 0.5 * ranks[0] / len(hints)
    meaning = heading_of(name)
    if meaning is not None and ours in (meaning, _LANGUAGE_NAMES.get(meaning)):
        return 0.7
    return 0.0
