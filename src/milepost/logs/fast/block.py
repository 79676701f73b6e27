"""A file's records as whole columns, checked, before names become numbers."""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

from milepost.arrays import Floats, Ints
from milepost.logs.interface import ABSENT, Refused, refused_in_all
from milepost.logs.mapping.use import MapUse
from milepost.vocabulary import NEED_LEVEL


class NotStrictError(Exception):
    """Something in the file needs the tolerant reader."""


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
    log map met in them, where there is one.
    """

    rows: int
    text: dict[str, TextColumn]
    numbers: dict[str, Floats]
    time: Floats | Ints
    stamped: bool
    seq: Floats | None
    tags: dict[str, TextColumn]
    likeness: Ints
    lines: Ints | None = None
    refused: list[Refused] = field(default_factory=list)
    debug_only: set[str] = field(default_factory=set)
    use: MapUse | None = None

    @property
    def n_lines(self) -> int:
        """How many lines it is made of."""
        return self.rows if self.lines is None else self.rows + refused_in_all(self.refused)

    def checked(self) -> Block:
        """The block, if each row can be read as a record, with all of its fields.

        Raises:
            NotStrictError: one cannot.
        """
        require(not np.isnan(self.time).any())
        require(all(name in self.text and bool((self.text[name].codes != ABSENT).all()) for name in ("session", "event")))
        words, level = self.text["event"], self.text.get("level")
        needing = np.array([word in NEED_LEVEL for word in words.values], dtype=np.bool_)
        without = np.ones(self.rows, np.bool_) if level is None else level.codes == ABSENT
        require(not needing[words.codes[without]].any())
        if (progress := self.numbers.get("progress")) is not None:
            require(not ((progress < 0) | (progress > 1)).any())
        return self
