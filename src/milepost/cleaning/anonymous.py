"""A log without the names of people: players and sessions get pseudonyms that stay the same from log to log."""

from __future__ import annotations

import re
import unicodedata
from collections import Counter
from collections.abc import Mapping
from dataclasses import dataclass, replace
from functools import cache, cached_property
from hashlib import blake2b
from pathlib import Path
from types import MappingProxyType
from typing import Final

from milepost.cleaning.names import find_common_spellings
from milepost.logs.interface import BareLog, L, Refused, Sessions
from milepost.vocabulary import END_CAUSES, EVENTS, FINDINGS, MOVE_KINDS, OUTCOMES, SUSPECTS

_DIGITS = 8
_SCRIPTS: Final = "\u0e00-\u0eff\u1000-\u109f\u1780-\u17ff\u3040-\u30ff\u3400-\u9fff\uac00-\ud7a3"  # Thai to Korean
_OWN_WORDS: Final = frozenset(
    (*EVENTS, *OUTCOMES, *END_CAUSES, *MOVE_KINDS, *SUSPECTS, *(finding.code for finding in FINDINGS))
) | frozenset(
    [
        "none",
        "spike",
        "dip",
        "step",
        "weak",
        "fair",
        "strong",
        "too_few",
        "low",
        "medium",
        "high",
        "same",
        "harder",
        "easier",
        "met",
        "missed",
        "tries",
        "time",
    ]
)
_FREE_KEYS: Final = ("causes", "words", "said", "knobs")  # of objects whose keys are the log's own texts
_DIFFERENT: Final = 0.8  # share of different values from which a column tells players apart
_PSEUDONYM = re.compile(rf"session-[0-9a-f]{{{_DIGITS}}}")


@cache
def _spaceless() -> re.Pattern[str]:
    """A letter of a script that puts no blanks between words; made when it is needed, since that takes a while."""
    return re.compile(f"[{_SCRIPTS}]")


@cache
def _word() -> re.Pattern[str]:
    return re.compile(rf"(?:(?![{_SCRIPTS}])[\w-])+|[{_SCRIPTS}]+")


def replace_names(log: L) -> L:
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
        only_there, only_here = ([pseudonym("player", name) for name in names] for names in (met.only_there, met.only_here))
        differ = frozenset(pseudonym("session", name) for name in met.differ)
        met = replace(met, differ=differ, only_there=tuple(only_there), only_here=tuple(only_here))
    files = [number_file(name, n) for n, name in enumerate(log.files)]
    return replace(log, sessions=sessions, players=met, files=files, refused=[_hidden(refusal) for refusal in log.refused])


def _pseudonyms_of_players(sessions: Sessions) -> dict[str, str]:
    """The players' pseudonyms; one that is spelled in several ways stays one, and so does its pseudonym."""
    called, times = find_common_spellings(sessions), Counter[str]()
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


LEFT_OUT: Final = "(left out)"  # in place of a text that may name anybody


@dataclass(frozen=True)
class Pseudonyms:
    """Pseudonyms for whoever a log, or the table of players, names, also in what people wrote about them.

    Attributes:
        names: all names of players and sessions, and what else tells of one player, each with what it is.
        public: levels, builds and the like, which are shown as they are.
    """

    names: Mapping[str, str]
    public: frozenset[str] = frozenset()

    @classmethod
    def of(cls, log: BareLog, table: Mapping[str, Mapping[str, str]] = MappingProxyType({})) -> Pseudonyms:
        """Return pseudonyms for all names in a log, and in a table of players' tags."""
        players = {name: "player" for name in (*log.sessions.player, *table) if name}
        builds = {build for build in log.sessions.build if build}
        by_value = {value: "player" for value in _list_single_values(table)}
        return cls(by_value | dict.fromkeys(log.sessions.name, "session") | players, frozenset({*log.stops, *builds}))

    def session(self, name: str) -> str:
        """A session's."""
        return pseudonym("session", name)

    def player(self, name: str) -> str:
        """A player's; who has no name in the log is called as the session is."""
        return pseudonym(self.names.get(name, "player"), name)

    def in_text(self, text: str, parts: bool = True) -> str:
        """A text in which names are replaced, however they are written: in other letters, in small ones, or within a word.

        Args:
            text: the text.
            parts: whether words that a longer name is made of are taken for it.
        """
        text = unicodedata.normalize("NFC", text)
        plain = _plain(text)
        if not parts and plain in self._spoken_names[0]:
            return self._instead(self._spoken_names[0][plain])
        for spelled, original in self._within_words:
            if spelled in plain:
                plain = text = plain.replace(spelled, self._instead(original))
        words = list(_word().finditer(text))
        out, done, place = [], 0, 0
        while place < len(words):
            name, length = self._name_at(words, place, parts)
            if name is not None:
                out += [text[done : words[place].start()], self._instead(name)]
                done = words[place + length - 1].end()
            place += length
        return "".join([*out, text[done:]])

    def in_document(self, value: object) -> object:
        """A document, of texts, lists and objects, in which whole names are replaced wherever they stand."""
        if isinstance(value, str):
            return value if value in self.public or value in _OWN_WORDS or not value else self.in_text(value, parts=False)
        if isinstance(value, Mapping):
            return {
                key: {str(self.in_document(name)): self.in_document(inner) for name, inner in item.items()}
                if str(key).endswith(_FREE_KEYS) and isinstance(item, Mapping)
                else self.in_document(item)
                for key, item in value.items()
            }
        return [self.in_document(item) for item in value] if isinstance(value, list) else value

    def _instead(self, name: str) -> str:
        return pseudonym(self.names[name], name)

    def _name_at(self, words: list[re.Match[str]], place: int, part: bool) -> tuple[str | None, int]:
        """The name that begins at a word, and how many words it has."""
        whole, parts, longest = self._spoken_names
        for length in range(min(longest, len(words) - place), 0, -1):
            phrase = " ".join(_plain(word[0]) for word in words[place : place + length])
            if phrase in whole and (part or len(phrase) > 1):
                return whole[phrase], length
        return (parts.get(_plain(words[place][0])) if part else None), 1

    @cached_property
    def _spoken_names(self) -> tuple[dict[str, str], dict[str, str], int]:
        """Names and parts of names by how they are said, and how many words the longest has."""
        shown = {_plain(name) for name in self.public}
        words_of = {name: _word().findall(_plain(name)) for name in self.names if _plain(name) not in shown}
        whole = {" ".join(words): name for name, words in words_of.items() if words}
        parts = {word: name for name, words in words_of.items() if len(words) > 1 for word in words if len(word) > 1}
        return whole, parts, max((len(words) for words in words_of.values()), default=1)

    @cached_property
    def _within_words(self) -> list[tuple[str, str]]:
        """Names in scripts that put no space between words, the longest first."""
        pairs = [(plain, name) for name in self.names if len(plain := _plain(name)) > 1 and _spaceless().search(plain)]
        return sorted(pairs, key=lambda pair: -len(pair[0]))


def _list_single_values(table: Mapping[str, Mapping[str, str]]) -> set[str]:
    """Values of a table of players that tell of one player alone: of columns in which nearly all values differ."""
    columns: dict[str, list[str]] = {}
    for tags in table.values():
        for column, value in tags.items():
            columns.setdefault(column, []).append(value)
    several = [set(values) for values in columns.values() if len(set(values)) > max(2, _DIFFERENT * len(values))]
    return {value for values in several for value in values if not value.replace(".", "").isdigit()}


def _plain(text: str) -> str:
    """A text as it is compared: composed, without width variants, in small letters."""
    return unicodedata.normalize("NFKC", text).casefold()


def pseudonym(kind: str, name: str) -> str:
    """A short stand-in for a name."""
    return f"{kind}-{blake2b(name.encode('utf-8', 'surrogatepass'), digest_size=_DIGITS // 2).hexdigest()}"


def session_mark(name: str) -> str:
    """A short mark of a session's name, the same whether it is the name or its pseudonym."""
    hidden = name if _PSEUDONYM.fullmatch(name) else pseudonym("session", name)
    return hidden.removeprefix("session-")


def number_file(name: str, number: int) -> str:
    """A file's number in place of its name, with the endings that say what it is."""
    return f"file-{number + 1}{''.join(suffix for suffix in Path(name).suffixes[-2:] if suffix[1:].isalpha())}"
