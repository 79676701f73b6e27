"""The interface of a report before it has a form: a document for JSON, and views for people."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any, Generic, TypeVar

R = TypeVar("R", bound=Mapping[str, object])
R_contra = TypeVar("R_contra", contravariant=True, bound=Mapping[str, object])


@dataclass(frozen=True, eq=False, repr=False)
class Column(Generic[R_contra]):
    """A column of a view.

    Attributes:
        title: its heading.
        text: the cell of a row, as text.
        left: whether it is set flush left, as words are; figures are set flush right.
        rank: how early it goes when space is short: the highest first; 0 stays.
        drawn: whether it is a picture of another column, which has no use outside a terminal.
        full_title: how a sentence names it, where that is not its heading.
    """

    title: str
    text: Callable[[R_contra], str]
    left: bool = False
    rank: int = 0
    drawn: bool = False
    full_title: str = ""


@dataclass(frozen=True, eq=False, repr=False)
class View(Generic[R]):
    """A table for people: columns over rows (there may be none), a heading, lines below, and one line below all else."""

    heading: str
    columns: tuple[Column[R], ...]
    rows: Sequence[R]
    notes: list[str] = field(default_factory=list)
    last: str = ""


AnyView = View[Any]  # of whatever rows
AnyColumn = Column[Any]


@dataclass(frozen=True, eq=False, repr=False)
class Report:
    """One command's result: the document, its views one under the other, and the rows of a plain table of it."""

    document: Mapping[str, Any]
    views: Sequence[AnyView]
    rows: Sequence[Mapping[str, object]]

    @property
    def before_all(self) -> list[str]:
        """The sentences that stand before everything else."""
        return [caution["sentence"] for caution in self.document.get("cautions", ()) if caution["first"]]

    @property
    def shown(self) -> list[AnyView]:
        """The views, after what stands before everything else."""
        first: list[AnyView] = [View(sentence, (), []) for sentence in self.before_all]
        return [*first, *self.views]
