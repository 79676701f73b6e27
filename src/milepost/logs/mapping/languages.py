"""Words that logs and sheets of playtests use, in headings and cells, and the encoding by which most of them are there."""

from __future__ import annotations

import re
import tomllib
import unicodedata
from functools import cache
from importlib.resources import files
from typing import Final

# Parts of headings, best first.
_HINTS: Final = {
    "session": ("session", "sessions", "sitting", "sid", "visit", "run", "id"),
    "time": ("time", "timestamp", "ts", "utc", "tick", "frame", "clock", "elapsed", "when", "sec", "secs", "ms", "at", "t"),
    "event": ("event", "ev", "action", "verb", "kind", "type", "what", "code", "name", "message", "msg"),
    "level": ("level", "lvl", "stage", "map", "room", "world", "scene", "wave", "round", "route", "chapter", "screen", "zone"),
    "player": ("player", "user", "uid", "account", "tester", "who", "profile", "participant"),
    "build": ("build", "version", "ver", "release", "patch"),
    "cause": ("cause", "reason", "why", "killer"),
    "result": ("result", "outcome", "status", "ending", "end", "state"),
    "lasted": ("duration", "lasted", "seconds", "took", "length", "dur", "elapsed", "ms", "secs", "sec"),
    "started": ("start", "started", "begin", "began", "from"),
    "ended": ("end", "ended", "finish", "until"),
    "tries": ("tries", "attempts", "attempt", "count"),
}
_LANGUAGE_NAMES: Final = {"started": "time"}


@cache
def score_heading(ours: str, name: str) -> float:
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


_ENCODINGS: Final = ("cp1252", "shift_jis", "gb18030", "euc_kr", "cp1251", "cp1250")
_LINES: Final = 200


@cache
def _load_words() -> dict[str, dict[str, list[str]]]:
    """The words, by what they are for."""
    return tomllib.loads(files("milepost.logs.mapping").joinpath("languages.toml").read_text(encoding="utf-8"))


def plain_text(text: str) -> str:
    """A text in small letters without what stands in brackets, width variants and doubled spaces."""
    folded = unicodedata.normalize("NFKC", text).casefold()
    return " ".join(re.sub(r"\(.*?\)|\[.*?\]", " ", folded).replace("_", " ").split())


def heading_of(name: str) -> str | None:
    """Return the field that a column's heading names; None if no word of it is known."""
    heading = plain_text(name)
    words = re.split(r"[\W\d]+", heading)
    best = None
    for meaning, known in _load_words()["headings"].items():
        ranks = [
            rank
            for rank, word in enumerate(known)
            if word == heading or word in words or (not word.isascii() and word in heading)
        ]
        if ranks and (best is None or (heading in known, -ranks[0]) > best[1:]):
            best = (meaning, heading in known, -ranks[0])
    return best[0] if best else None


def result_of(word: str) -> str | None:
    """Return the outcome that a word names; None if it is not known."""
    text = plain_text(word)
    return next((meaning for meaning, known in _load_words()["results"].items() if text in known), None)


def is_total(name: object) -> bool:
    """Return whether a name says that its row or column sums up the others."""
    return isinstance(name, str) and plain_text(name).strip(" :") in _load_words()["rows"]["totals"]


def event_of(word: str) -> str | None:
    """Return the event that a word names in any of these languages; None if it is not known."""
    if plain_text(word) in _load_words()["rows"]["begins"]:
        return "start"
    ours = result_of(word)
    return "session_end" if ours in ("quit", "time_up", "crash") else ours


def likeliest_encoding(data: bytes, guess: str | None) -> str | None:
    """The encoding by which some bytes hold most words that are known here; what the bytes alone seem to be, where none does."""
    candidates = [*([guess] if guess else []), *(name for name in _ENCODINGS if name != guess)]
    best = max(candidates, key=lambda name: _count_known_words(data, name), default=None)
    return best if best is not None and _count_known_words(data, best) else guess


def _count_known_words(data: bytes, encoding: str) -> int:
    """How many cells of the first lines are words that are known."""
    try:
        text = data[: data.rfind(b"\n") + 1].decode(encoding)
    except (UnicodeDecodeError, LookupError):
        return 0
    cells = [cell.strip(' "') for line in text.splitlines()[:_LINES] for cell in re.split(r"[;,\t]", line)]
    return sum(not cell.isascii() and (heading_of(cell) is not None or result_of(cell) is not None) for cell in cells)


@cache
def event_word(word: str) -> str | None:
    """Return our event that a word seems to name; None if no part of it is known."""
    parts = re.sub(r"([a-z0-9])([A-Z])", r"\1_\2", word).lower()
    parts = re.sub(r"[^a-z0-9]+", "_", parts)
    for ours, hints in _load_words()["events"].items():
        for hint in hints:
            if re.search(rf"(^|_){hint}(e?d|s|ing)?(_|$)", parts):
                return ours
    return event_of(word)
