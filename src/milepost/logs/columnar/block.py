"""A file's records as whole columns, checked, before names become numbers."""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

from milepost.arrays import Bools, Floats, Ints
from milepost.logs.interface import ABSENT, Refused, refused_in_all
from milepost.logs.mapping.map_usage import MapUse
from milepost.vocabulary import FIELDS, NEED_LEVEL, TEXT_FIELDS


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


@dataclass
class TextColumn:
    """Texts as codes into a list; ABSENT where not given."""

    codes: NDArray[np.int32]
    values: list[str]


@dataclass
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
        return self.rows if self.lines is None else self.rows + refused_in_all(self.refused)

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
        nothing = np.full(self.rows, ABSENT)
        codes = {name: self.text[name].codes if name in self.text else nothing for name in ("session", "event", "level")}
        words = self.text["event"].values if "event" in self.text else []
        needing = np.array([*(word in NEED_LEVEL for word in words), False])[codes["event"]]
        refused = np.isnan(self.time) | (codes["session"] == ABSENT) | (codes["event"] == ABSENT)
        refused |= needing & (codes["level"] == ABSENT)
        if refused.any():
            raise NotStrictError(refused)
        return self
