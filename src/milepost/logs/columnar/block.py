"""A file's records as whole columns, checked; and as columns of records: codes for names, times since the session's first one."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, field
from math import nan
from typing import Final

import numpy as np
from numpy.typing import DTypeLike, NDArray

from milepost.arrays import Bools, Column, Floats, Ints
from milepost.logs.interface import ABSENT, Refused, count_refused
from milepost.logs.mapping.map_usage import MapUse
from milepost.logs.records.fields import NANO
from milepost.logs.records.name_tables import FAR, KnownNames, KnownSessions, Names, TextColumn
from milepost.logs.records.record_hash import text_number, to_signed
from milepost.numerics.whole_numbers import first_places
from milepost.vocabulary import ACTED, BIT, FIELDS, NEED_LEVEL, NUMBER_FIELDS, TEXT_FIELDS


class NotStrictError(Exception):
    """Something in the file needs the tolerant reader.

    Attributes:
        rows: of which rows it is known that the tolerant reader would refuse them; None where it is something else.
    """

    def __init__(self, rows: Bools | None = None) -> None:
        super().__init__()
        self.rows = rows


def require(holds: bool) -> None:
    """Give up where something does not hold.

    Raises:
        NotStrictError: it does not.
    """
    if not holds:
        raise NotStrictError


@dataclass(eq=False, repr=False)
class Block:
    """The columns of one file, every record of it readable.

    ``time`` is in seconds, or in whole microseconds since 1970 where ``stamped``. ``numbers`` holds NaN where a field
    is not given; ``tags`` holds texts. ``lines`` are the numbers of the rows' lines, from 1, where not all lines are rows; why
    the others are none is in ``refused``, as of a first file, with the sessions that only these say are debug. ``use`` is what a
    log map met in them, where there is one. ``bad`` are the rows with a field that cannot be used.
    """

    text: dict[str, TextColumn]
    numbers: dict[str, Floats]
    time: Floats | Ints
    seq: Floats | None
    tags: dict[str, TextColumn]
    likeness: Ints
    lines: Ints | None = None
    refused: list[Refused] = field(default_factory=list)
    debug_only: set[str] = field(default_factory=set)
    use: MapUse | None = None
    bad: Bools | None = None

    @property
    def rows(self) -> int:
        """How many records there are."""
        return len(self.time)

    @property
    def stamped(self) -> bool:
        """Return whether times are moments, not seconds."""
        return self.time.dtype.kind == "i"

    @property
    def n_lines(self) -> int:
        """How many lines it is made of."""
        return self.rows if self.lines is None else self.rows + count_refused(self.refused)

    @classmethod
    def of(
        cls,
        texts: dict[str, TextColumn],
        numbers: dict[str, Floats],
        time: Floats | Ints,
        likeness: NDArray[np.uint64],
        lines: Ints | None,
        bad: Bools | None = None,
    ) -> Block:
        """A block of columns by our names for them; times of whole numbers are stamps.

        Raises:
            NotStrictError: a record of it cannot be read, or a field of one cannot be used.
        """
        text = {name: column for name, column in texts.items() if name in TEXT_FIELDS}
        tags = {name: column for name, column in texts.items() if name not in FIELDS and column.values}
        seq = numbers.pop("seq", None)
        return cls(text, numbers, time, seq, tags, likeness.view(np.int64), lines, bad=bad)._checked()

    def _checked(self) -> Block:
        """The block, if each row can be read as a record, with all of its fields but those that are said to be bad.

        Raises:
            NotStrictError: one cannot.
        """
        absent = np.full(self.rows, ABSENT)
        codes = {name: self.text[name].codes if name in self.text else absent for name in ("session", "event", "level")}
        words = self.text["event"].values if "event" in self.text else []
        needing = np.array([*(word in NEED_LEVEL for word in words), False])[codes["event"]]
        refused = np.isnan(self.time) | (codes["session"] == ABSENT) | (codes["event"] == ABSENT)
        refused |= needing & (codes["level"] == ABSENT)
        if refused.any():
            raise NotStrictError(refused)
        return self


_BAD_FIELD: Final = BIT["bad_field"]
_FAR_OFF: Final = 1 << 62  # nanoseconds from 1970
_ZERO: Final = {"marks": np.int64, "identity": np.int64, "foreign": np.bool_, "named": np.bool_}  # mostly nothing


def identity_of(text: str) -> int:
    """A number for an `id`; never 0, which stands for none."""
    return to_signed(text_number(text)) or 1


def sessions_of(block: Block, known: KnownSessions) -> Ints | None:
    """Per row of a block, its session's number; None, with nothing noted, where a session's times are of another kind."""
    names = block.text["session"]
    first = _find_first_rows(names.codes, len(names.values))
    stamps = [None if not block.stamped else 1000 * int(block.time[row]) for row in first]
    if any(known.is_of_another_kind(name, stamp) for name, stamp in zip(names.values, stamps, strict=True)):
        return None
    by_name = np.empty(len(first), np.int64)
    for number in np.argsort(first):
        clock = 0.0 if block.stamped else float(block.time[first[number]])
        by_name[number] = known.code(names.values[number], clock, stamps[number])
    session: Ints = by_name[names.codes]
    for name in ("player", "build"):
        for code, value in _list_first_values(session, block.text.get(name)):
            known.note_first(code, name, value)
    for name, column in block.tags.items():
        for code, value in _list_first_values(session, column):
            known.note_tag(code, name, value)
    return session


def rows_of(block: Block, session: Ints, known: KnownSessions, names: KnownNames) -> dict[str, Column]:
    """The columns of a block's records, but for the file and the line."""
    rows: dict[str, Column] = {name: np.zeros(block.rows, kind) for name, kind in _ZERO.items()}
    rows |= {"session": session, "likeness": block.likeness}
    if block.bad is not None:
        rows["marks"][block.bad] = _BAD_FIELD
    if (players := block.text.get("player")) is not None:
        rows["named"] = players.codes != ABSENT
        _mark_other_players(rows["marks"], players, session, known)
    rows |= _name_columns(block, names)
    seq = np.full(block.rows, nan) if block.seq is None else block.seq
    rows["has_seq"] = ~np.isnan(seq)
    rows["seq"] = np.where(rows["has_seq"], seq, 0).astype(np.int64)
    if (ids := block.text.get("id")) is not None:
        rows["identity"] = np.array([identity_of(value) for value in ids.values] + [0], dtype=np.int64)[ids.codes]
    if (actors := block.text.get("actor")) is not None:
        rows["foreign"] = np.array([value != "player" for value in actors.values] + [False])[actors.codes]
        rows["marks"][actors.codes != ABSENT] |= ACTED
    for name in NUMBER_FIELDS:
        rows[name] = block.numbers[name] if name in block.numbers else np.full(block.rows, nan)
    return rows | _times(block, session, known)


def _mark_other_players(marks: Ints, players: TextColumn, session: Ints, known: KnownSessions) -> None:
    """Mark the records whose player is not the one that their session named first."""
    given = np.flatnonzero(players.codes != ABSENT)
    pairs, index = first_places(session[given] * max(1, len(players.values)) + players.codes[given])
    rows = given[index]
    of_rows = zip(session[rows].tolist(), players.codes[rows].tolist(), strict=True)
    codes = np.array([known.other_player(number, players.values[code]) for number, code in of_rows], dtype=np.int64)
    for pair, mark in zip(pairs[codes != 0].tolist(), codes[codes != 0].tolist(), strict=True):
        number, code = divmod(pair, max(1, len(players.values)))
        marks[(session == number) & (players.codes == code)] |= mark


def _name_columns(block: Block, names: KnownNames) -> dict[str, Column]:
    """The columns of codes."""
    words = block.text["event"]
    rows: dict[str, Column] = {"event": np.array([names.event(word) for word in words.values], dtype=np.int64)[words.codes]}
    for name, table in (("level", names.stop), ("to", names.stop), ("cause", names.cause)):
        rows[name] = _coded(block.text.get(name), table, block.rows)
    rows["rating"] = _coded(block.tags.get("rating"), names.rating, block.rows)
    rows["layout"] = _coded(block.tags.get("seed"), names.layout, block.rows)
    if (layouts := block.tags.get("layout")) is not None:
        rows["layout"] = np.where(layouts.codes == ABSENT, rows["layout"], _coded(layouts, names.layout, block.rows))
    return rows


def _times(block: Block, session: Ints, known: KnownSessions) -> dict[str, Column]:
    """Seconds since the session's first record, the whole second as logged, and whether that is all."""
    sessions = block.text["session"]
    at = _find_first_rows(
        sessions.codes, len(sessions.values)
    )  # of the sessions in the block alone: others may be too far off for 64 bits
    if block.stamped:
        begun_at = [known.sessions.epoch[code] or 0 for code in session[at].tolist()]
        exact: DTypeLike = np.int64 if all(abs(begin) < _FAR_OFF for begin in begun_at) else object  # which is any whole number
        since = block.time.astype(exact) * 1000 - np.array(begun_at, exact)[sessions.codes]
        return {
            "time": (since / NANO).astype(np.float64),
            "second": (block.time // 1_000_000).astype(np.float64),
            "whole": block.time % 1_000_000 == 0,
        }
    begun = np.array([known.first_clock[code] for code in session[at].tolist()])[sessions.codes]
    second = np.floor(block.time)
    return {"time": np.clip(block.time - begun, -FAR, FAR), "second": second, "whole": second == block.time}


def _find_first_rows(codes: Column, count: int) -> Ints:
    """Per code, the first row that has it."""
    first = np.zeros(count, np.int64)
    first[codes[::-1]] = np.arange(len(codes) - 1, -1, -1)
    return first


def _coded(column: TextColumn | None, names: Names, rows: int) -> Ints:
    if column is None:
        return np.full(rows, ABSENT)
    return np.array([names.code(value) for value in column.values] + [ABSENT], dtype=np.int64)[column.codes]


def _list_first_values(session: Ints, column: TextColumn | None) -> Iterator[tuple[int, str]]:
    """Each distinct value of each session, in the order in which they first appear."""
    if column is None:
        return
    given = np.flatnonzero(column.codes != ABSENT)
    _, index = first_places(session[given] * max(1, len(column.values)) + column.codes[given])
    for row in given[np.sort(index)].tolist():
        yield int(session[row]), column.values[column.codes[row]]
