"""Tables of names while a log is read: names by number, sessions with their tags, and refused records."""

from __future__ import annotations

from array import array
from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from typing import Final

import numpy as np
from numpy.typing import NDArray

from milepost.arrays import Column, Ints
from milepost.level_names import fold_name
from milepost.logs.interface import ABSENT, TAG, Refused, Sessions, count_refused
from milepost.logs.records.fields import NANO, TOGETHER, Fields, UnreadableError, is_true
from milepost.vocabulary import BIT, EVENT_CODES

FAR: Final = 1e300  # seconds; times are kept so far from the session's first at most that differences stay finite
_OF_SESSIONS: Final = ("player", "build")
_SINGLY: Final = 1000  # refused records that are kept one by one


@dataclass(eq=False, repr=False)
class TextColumn:
    """Texts as codes into a list; ABSENT where not given."""

    codes: NDArray[np.int32]
    values: list[str]


class Names:
    """Numbers for names, in order of first appearance."""

    def __init__(self) -> None:
        self.codes: dict[str, int] = {}

    def code(self, name: str | None) -> int:
        """The name's number, a new one for a new name; ABSENT for none."""
        if name is None:
            return ABSENT
        return self.codes.setdefault(name, len(self.codes))

    def __iter__(self) -> Iterator[str]:
        return iter(self.codes)


class KnownNames:
    """The names of a log, by what they name."""

    def __init__(self) -> None:
        self.stop, self.cause, self.layout, self.rating, self.word = Names(), Names(), Names(), Names(), Names()

    def event(self, word: str) -> int:
        """The number of an event word; below 0 for one outside the list."""
        code = EVENT_CODES.get(word)
        return -1 - self.word.code(word) if code is None else code

    def restore(self, names: Mapping[str, list[str]]) -> None:
        """Know what another log knew."""
        for kind, table in vars(self).items():
            table.codes = {name: code for code, name in enumerate(names.get(kind, []))}


class KnownSessions:
    """The sessions of a log, with the first value that each gives of everything.

    Attributes:
        sessions: their columns.
        first_clock: per session, the time of its first record as logged, where times are numbers.
        lies_in: per session, the part of a store in which its records lie; ABSENT where in none.
        debug_only: sessions that only a refused record says are debug.
    """

    def __init__(self) -> None:
        self.sessions = Sessions()
        self.first_clock: list[float] = []
        self.lies_in: list[int] = []
        self.debug_only: set[str] = set()
        self._codes: dict[str, int] = {}

    def code(self, name: str, clock: float, stamp: int | None) -> int:
        """A session's number, a new one for a new session, whose first record has this time."""
        code = self._codes.get(name)
        if code is None:
            code = self._codes[name] = len(self._codes)
            self.first_clock.append(clock)
            sessions = self.sessions
            sessions.name.append(name)
            sessions.player.append(None)
            sessions.build.append(None)
            sessions.epoch.append(stamp)
            sessions.debug.append(False)
            sessions.tags.append({})
        return code

    def is_of_another_kind(self, name: str, stamp: int | None) -> bool:
        """Return whether a session is known, and its times are of another kind than this."""
        code = self._codes.get(name)
        return code is not None and (self.sessions.epoch[code] is None) != (stamp is None)

    def relative(self, session: int, fields: Fields) -> float:
        """A record's time in seconds since its session's first one.

        Raises:
            UnreadableError: it is of another kind.
        """
        epoch = self.sessions.epoch[session]
        if (epoch is None) != (fields.stamp is None):
            raise UnreadableError("time is of another kind than the session's first")
        if epoch is not None and fields.stamp is not None:
            return (fields.stamp - epoch) / NANO
        return min(max(fields.clock - self.first_clock[session], -FAR), FAR)

    def note(self, session: int, fields: Fields) -> None:
        """Note what a record says of its session."""
        for name in _OF_SESSIONS:
            if name in fields.text:
                self.note_first(session, name, fields.text[name])
        for name, value in fields.tags.items():
            self.note_tag(session, name, value)

    def other_player(self, session: int, name: str | None) -> int:
        """The findings on a record whose player is not the one that its session named first."""
        first = self.sessions.player[session]
        if name is None or first is None or name == first or name in first.split(TOGETHER):
            return 0
        return BIT["player_spelling" if fold_name(name) == fold_name(first) else "several_players"]

    def note_first(self, session: int, field: str, value: str) -> None:
        """Note a session's player or build, if none was said before."""
        column = getattr(self.sessions, field)
        if column[session] is None:
            column[session] = value

    def note_tag(self, session: int, name: str, value: str) -> None:
        """Note a session's tag, if it was not said before."""
        self.sessions.tags[session].setdefault(name, value)
        if name == "debug" and is_true(value):
            self.sessions.debug[session] = True

    def mark_debug(self) -> None:
        """Mark the sessions as debug that only a refused record says are."""
        for name in self.debug_only & self._codes.keys():
            self.sessions.debug[self._codes[name]] = True

    def restore(self, sessions: Sessions, first_clock: list[float], lies_in: list[int], debug_only: list[str]) -> None:
        """Know what another log knew."""
        self.sessions, self.first_clock, self.lies_in, self.debug_only = sessions, first_clock, lies_in, set(debug_only)
        self._codes = {name: code for code, name in enumerate(sessions.name)}


class Refusals:
    """Records that could not be read: the first ones, and of the others how many each session has.

    So what little bytes unpack to, be it millions of records of nothing, takes little memory.
    """

    def __init__(self) -> None:
        self.kept: list[Refused] = []
        self.count = 0
        self._together: dict[str | None, int] = {}  # per session, where those stand that are counted

    def add(self, refused: Refused) -> None:
        """Note one, or some that stand together."""
        self.count += refused.times
        if len(self.kept) < _SINGLY:
            self.kept.append(refused)
            return
        at = self._together.setdefault(refused.session, len(self.kept))
        if at == len(self.kept):
            self.kept.append(refused)
        else:
            self.kept[at] = self.kept[at]._replace(times=self.kept[at].times + refused.times)

    def restore(self, kept: list[Refused]) -> None:
        """Know what another log knew."""
        self.kept, self.count = kept, count_refused(kept)
        self._together = {refusal.session: place for place, refusal in enumerate(kept) if place >= _SINGLY}


def session_named(record: Mapping[str, object]) -> str | None:
    """The session that a record names which cannot be read."""
    session = record.get("session")
    return str(session) if type(session) in (str, int) and session != "" else None


_MOST_TEXTS: Final = 1 << 16  # that a tag may have: more than that tell records apart, and group none of them
_MOST: Final = 1 << 20  # where they are numbers


class KnownTags:
    """The tags that were met, with their values.

    Attributes:
        not_kept: tags of so many values that records go without them.
    """

    def __init__(self) -> None:
        self.not_kept: set[str] = set()
        self._values: dict[str, Names] = {}
        self._given: dict[str, tuple[array[int], array[int]]] = {}  # rows that have it, and their codes

    def values(self) -> dict[str, list[str]]:
        """Per tag, its values in order of first appearance."""
        return {name: list(values) for name, values in self._values.items() if name not in self.not_kept}

    def note(self, row: int, tags: Mapping[str, str]) -> None:
        """Note the tags of a record, by its number among those that were not flushed yet."""
        for name, value in tags.items():
            if name in self.not_kept:
                continue
            code = self._code(name, value)
            rows, codes = self._given.setdefault(name, (array("q"), array("i")))
            rows.append(row)
            codes.append(code)

    def flushed(self, count: int) -> dict[str, Column]:
        """The columns of the records noted since the last time, and how many these are."""
        columns: dict[str, Column] = {}
        for name, (rows, codes) in self._given.items():
            if name not in self.not_kept:
                column = np.full(count, ABSENT, self._kind(name))
                column[np.frombuffer(rows, np.int64)] = np.frombuffer(codes, np.intc)
                columns[TAG + name] = column
        self.forget()
        return columns

    def of_block(self, tags: Mapping[str, TextColumn]) -> dict[str, Column]:
        """The columns of a whole file."""
        columns: dict[str, Column] = {}
        for name, column in tags.items():
            codes: Ints = np.array([*(self._code(name, value) for value in column.values), ABSENT])
            if name not in self.not_kept:
                columns[TAG + name] = codes.astype(self._kind(name))[column.codes]
        return columns

    def forget(self) -> None:
        """Forget which records had which; the values stay known."""
        self._given = {}

    def restore(self, values: Mapping[str, list[str]], not_kept: list[str]) -> None:
        """Know what another log knew."""
        self.not_kept = set(not_kept)
        for name, known in values.items():
            self._values[name] = Names()
            self._values[name].codes = {value: code for code, value in enumerate(known)}

    def _code(self, name: str, value: str) -> int:
        values = self._values.setdefault(name, Names())
        known = values.codes.get(value)
        if known is not None:
            return known
        count = len(values.codes)
        if count >= _MOST or (count >= _MOST_TEXTS and not is_number(value)):
            self.not_kept.add(name)
            return ABSENT
        return values.code(value)

    def _kind(self, name: str) -> np.dtype[np.signedinteger]:
        """The least type that holds the codes of a tag by now; a later part of the log may have a wider one."""
        count = len(self._values[name].codes)
        return np.dtype(np.int8 if count < 1 << 7 else np.int16 if count < 1 << 15 else np.int32)


def is_number(text: str) -> bool:
    """Return whether a text is a number."""
    try:
        float(text)
    except ValueError:
        return False
    return True
