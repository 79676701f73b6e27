"""A log without the names of people: players and sessions get pseudonyms that stay the same from log to log."""

from __future__ import annotations

import re
from collections.abc import Mapping
from dataclasses import dataclass, replace
from hashlib import blake2b
from pathlib import Path

from milepost.logs.interface import Log

_DIGITS = 8
_PSEUDONYM = re.compile(rf"session-[0-9a-f]{{{_DIGITS}}}")


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
    met = log.players
    if met is not None:
        there, here = ([pseudonym("player", name) for name in names] for names in (met.only_there, met.only_here))
        differ = frozenset(pseudonym("session", name) for name in met.differ)
        met = replace(met, differ=differ, only_there=tuple(there), only_here=tuple(here))
    return replace(log, sessions=sessions, players=met, files=[anonymous_file(name, n) for n, name in enumerate(log.files)])


@dataclass(frozen=True)
class Pseudonyms:
    """Pseudonyms for whoever a log names, also in what people wrote about them.

    Attributes:
        names: all names of players and sessions, each with what it is.
    """

    names: Mapping[str, str]

    @classmethod
    def of(cls, log: Log) -> Pseudonyms:
        """Of all names in a log."""
        players = {name: "player" for name in log.sessions.player if name}
        return cls(dict.fromkeys(log.sessions.name, "session") | players)

    def session(self, name: str) -> str:
        """A session's."""
        return pseudonym("session", name)

    def player(self, name: str) -> str:
        """A player's; who has no name in the log is called as the session is."""
        return pseudonym(self.names.get(name, "player"), name)

    def in_text(self, text: str) -> str:
        """A text in which names of two letters and more are replaced, in whatever capitals they are written."""
        by_fold = {name.casefold(): name for name in self.names if len(name) > 1}
        return re.sub(r"[\w-]+", lambda word: self._hidden(word[0], by_fold), text)

    def _hidden(self, word: str, by_fold: Mapping[str, str]) -> str:
        name = by_fold.get(word.casefold())
        return word if name is None else pseudonym(self.names[name], name)


def pseudonym(kind: str, name: str) -> str:
    """A short stand-in for a name."""
    return f"{kind}-{blake2b(name.encode('utf-8', 'surrogatepass'), digest_size=_DIGITS // 2).hexdigest()}"


def session_mark(name: str) -> str:
    """A short mark of a session's name, the same whether it is the name or its pseudonym."""
    hidden = name if _PSEUDONYM.fullmatch(name) else pseudonym("session", name)
    return hidden.removeprefix("session-")


def anonymous_file(name: str, number: int) -> str:
    """A file's number in place of its name, with the endings that say what it is."""
    return f"file-{number + 1}{''.join(suffix for suffix in Path(name).suffixes[-2:] if suffix[1:].isalpha())}"
