"""A log without the names of people: players and sessions get pseudonyms that stay the same from log to log."""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Mapping
from dataclasses import dataclass, replace
from functools import cached_property
from hashlib import blake2b
from pathlib import Path

from milepost.gate.players import spellings
from milepost.logs.interface import BareLog, L, Refused, Sessions

_DIGITS = 8
_WORD = re.compile(r"[\w-]+")
_PSEUDONYM = re.compile(rf"session-[0-9a-f]{{{_DIGITS}}}")


def anonymous(log: L) -> L:
    """The log with a pseudonym for each player and session, and with numbers for its files' names.

    A name gets the same pseudonym wherever it occurs. Whoever has a list of names can tell which of them fits a
    pseudonym: it keeps names out of sight, and is no secret.
    """
    known = _pseudonyms_of_players(log.sessions)
    sessions = replace(
        log.sessions,
        name=[pseudonym("session", name) for name in log.sessions.name],
        player=[None if name is None else known[name] for name in log.sessions.player],
    )
    met = log.players
    if met is not None:
        there, here = ([pseudonym("player", name) for name in names] for names in (met.only_there, met.only_here))
        differ = frozenset(pseudonym("session", name) for name in met.differ)
        met = replace(met, differ=differ, only_there=tuple(there), only_here=tuple(here))
    files = [anonymous_file(name, n) for n, name in enumerate(log.files)]
    return replace(log, sessions=sessions, players=met, files=files, refused=[_hidden(one) for one in log.refused])


def _pseudonyms_of_players(sessions: Sessions) -> dict[str, str]:
    """The players' pseudonyms; one that is spelled in several ways stays one, and so does its pseudonym."""
    called, times = spellings(sessions), Counter[str]()
    known = {}
    for name in sorted({name for name in sessions.player if name is not None}):
        common = called.get(name, name)
        times[common] += name != common
        hidden = pseudonym("player", common)
        known[name] = hidden if name == common else hidden.replace("-", "_" * times[common])
    return known


def _hidden(refused: Refused) -> Refused:
    """A record that could not be read, with the pseudonym of the session that it names."""
    return refused if refused.session is None else refused._replace(session=pseudonym("session", refused.session))


@dataclass(frozen=True)
class Pseudonyms:
    """Pseudonyms for whoever a log names, also in what people wrote about them.

    Attributes:
        names: all names of players and sessions, each with what it is.
    """

    names: Mapping[str, str]

    @classmethod
    def of(cls, log: BareLog) -> Pseudonyms:
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
        """A text in which names are replaced, in whatever capitals they are written, and parts of names that have a capital."""
        words = list(_WORD.finditer(text))
        out, done, place = [], 0, 0
        while place < len(words):
            name, length = self._name_at(words, place)
            if name is not None:
                out += [text[done : words[place].start()], pseudonym(self.names[name], name)]
                done = words[place + length - 1].end()
            place += length
        return "".join([*out, text[done:]])

    def _name_at(self, words: list[re.Match[str]], place: int) -> tuple[str | None, int]:
        """The name that begins at a word, and how many words it has."""
        whole, parts, longest = self._known
        for length in range(min(longest, len(words) - place), 0, -1):
            said = " ".join(word[0] for word in words[place : place + length]).casefold()
            if said in whole:
                return whole[said], length
        word = words[place][0]
        return (parts.get(word.casefold()) if word[:1].isupper() else None), 1

    @cached_property
    def _known(self) -> tuple[dict[str, str], dict[str, str], int]:
        """Names and parts of names by how they are said, and how many words the longest has."""
        said = {name: _WORD.findall(name.casefold()) for name in self.names if len(name) > 1}
        whole = {" ".join(words): name for name, words in said.items() if words}
        parts = {word: name for name, words in said.items() if len(words) > 1 for word in words if len(word) > 1}
        return whole, parts, max((len(words) for words in said.values()), default=1)


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
