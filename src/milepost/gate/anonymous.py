"""A log without the names of people: players and sessions get pseudonyms that stay the same from log to log."""

from __future__ import annotations

from dataclasses import replace
from hashlib import blake2b
from pathlib import Path

from milepost.logs.interface import Log

_DIGITS = 8


def anonymous(log: Log) -> Log:
    """The log with a pseudonym for each player and session, and with numbers for its files' names.

    A name gets the same pseudonym wherever it occurs. Whoever has a list of names can tell which of them fits a
    pseudonym: it keeps names out of sight, and is no secret.
    """
    sessions = replace(
        log.sessions,
        name=[pseudonym("session", name) for name in log.sessions.name],
        player=[None if name is None else pseudonym("player", name) for name in log.sessions.player],
    )
    return replace(log, sessions=sessions, files=[anonymous_file(name, n) for n, name in enumerate(log.files)])


def pseudonym(kind: str, name: str) -> str:
    """A short stand-in for a name."""
    return f"{kind}-{blake2b(name.encode('utf-8', 'surrogatepass'), digest_size=_DIGITS // 2).hexdigest()}"


def anonymous_file(name: str, number: int) -> str:
    """A file's number in place of its name, with the endings that say what it is."""
    return f"file-{number + 1}{''.join(suffix for suffix in Path(name).suffixes[-2:] if suffix[1:].isalpha())}"
