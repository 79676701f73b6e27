"""The record of a measure, and the mapping of records that are made when they are first asked for."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass
from typing import TYPE_CHECKING, Any

if TYPE_CHECKING:
    from milepost.measures.interface import AnyMeasure
    from milepost.reports.interface import AnyView


@dataclass(frozen=True)
class InGroups:
    """A measure's columns in a table of groups side by side.

    Attributes:
        count: the key of the count behind its figures.
        figures: heading, key and wording of each.
    """

    count: str
    figures: tuple[tuple[str, str, Callable[[float | None], str]], ...]


@dataclass(frozen=True)
class Entry:
    """A measure.

    Attributes:
        name: the command's, the call's and the figure's name, and the document's key in the report.
        measure: the class of its settings, or a call on a play.
        views: what people see of its document.
        document: gives its document's type, from which its schema is made.
        rows: the key of the rows that a plain table has.
        finer: the key of those that it has instead, where the document has them.
        in_groups: what is shown of it side by side; None where it is not for groups.
        picture: the heading of its figure in the report; None where it has none there.
        drawn: whether it has a figure.
        reported: with the least number of players, the measure as the report has it; None where it is no part of the report.
        beside: whether the report has it only where there is something to compare with beside the log.
    """

    name: str
    measure: Callable[..., Any]
    views: Callable[[Any], list[AnyView]]
    document: Callable[[], type]
    rows: str = "levels"
    in_groups: InGroups | None = None
    picture: str | None = None
    drawn: bool = False
    reported: Callable[[int], AnyMeasure] | None = None
    beside: bool = False
    finer: str | None = None

    def rows_in(self, report: object) -> str:
        """Return the key of the rows that a plain table of a document has."""
        return self.finer if self.finer is not None and isinstance(report, dict) and self.finer in report else self.rows


class Registry(Mapping[str, Entry]):
    """The measures by name, in the order in which they are told."""

    def __init__(self) -> None:
        self._makers: dict[str, Callable[[], Entry]] = {}
        self._made: dict[str, Entry] = {}

    def __getitem__(self, name: str) -> Entry:
        """A measure's record."""
        if name not in self._made:
            self._made[name] = self._makers[name]()
        return self._made[name]

    def __iter__(self) -> Iterator[str]:
        """The names."""
        return iter(self._makers)

    def __len__(self) -> int:
        """How many there are."""
        return len(self._makers)

    def add(self, maker: Callable[[], Entry]) -> Callable[[], Entry]:
        """Add a measure by what makes its record, a function of its name."""
        self._makers[maker.__name__] = maker
        return maker
