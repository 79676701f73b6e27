"""What event words say they mean, in English and in other languages."""

from __future__ import annotations

import re
from functools import cache
from typing import Final

from milepost.logs.mapping.languages import event_of

_WORDS: Final = {
    "session_start": ("session_start", "login", "boot", "launch", "app_open"),
    "session_end": ("session_end", "logout", "exit", "quit", "app_close", "shutdown"),
    "first_input": ("first_input", "first_move", "input"),
    "checkpoint": ("checkpoint", "waypoint", "midpoint"),
    "complete": ("complete", "clear", "finish", "win", "won", "solved", "success", "goal", "victory"),
    "death": ("death", "die", "dead", "fail", "kill", "lose", "lost", "drown", "fell", "game_over"),
    "reset": ("reset", "restart"),
    "retry": ("retry", "respawn", "again", "continue"),
    "transition": ("transition", "travel", "goto", "next", "change", "advance", "leave"),
    "pause": ("pause",),
    "resume": ("resume", "unpause"),
    "hit": ("hit", "hurt", "damage"),
    "start": ("start", "begin", "enter", "load", "play", "spawn"),
}


@cache
def event_word(word: str) -> str | None:
    """Return our event that a word seems to name; None if no part of it is known."""
    parts = re.sub(r"([a-z0-9])([A-Z])", r"\1_\2", word).lower()
    parts = re.sub(r"[^a-z0-9]+", "_", parts)
    for ours, hints in _WORDS.items():
        for hint in hints:
            if re.search(rf"(^|_){hint}(e?d|s|ing)?(_|$)", parts):
                return ours
    return event_of(word)
