"""The record of a measure, of which all that is heavy is loaded when it is first asked for."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, fields
from importlib import import_module
from typing import TYPE_CHECKING, Any, cast

if TYPE_CHECKING:
    from milepost.measures.interface import AnyMeasure
    from milepost.reports.interface import AnyView


@dataclass(frozen=True, eq=False, repr=False)
class InGroups:
    """A measure's columns in a table of groups side by side.

    Attributes:
        count: the key of the count behind its figures.
        figures: heading, key and wording of each.
    """

    count: str
    figures: tuple[tuple[str, str, Callable[[float | None], str]], ...]


@dataclass(frozen=True, eq=False, repr=False)
class Option:
    """An option of the command line that is a setting of the measure, under the same name.

    Attributes:
        name: with its dashes; without any, a word that stands before the log.
        help: what it does.
        kind: what is to be given, a name of ``cli.options.KINDS``.
        default: the value where it is not given.
        metavar: how the help shows what is to be given.
        choices: the words that may be given, where these are few.
        needed: whether a word before the log has to be there.
    """

    name: str
    help: str
    kind: str = "text"
    default: object = None
    metavar: str | None = None
    choices: tuple[str, ...] | None = None
    needed: bool = True


@dataclass(frozen=True, eq=False, repr=False)
class PlainCommand:
    """The command of a measure of which nothing is asked but its settings.

    Attributes:
        group, place: under which heading of the help it stands, and in which order.
        help: what it does, in half a sentence.
        example: a command line that is worth trying.
        options: its own options.
        per: whether it counts by player or by run.
        by_record: whether it looks at records one by one, in the log as a whole.
        whoever_tried: whether what a try began with makes no difference to it.
    """

    group: str
    place: int
    help: str
    example: str
    options: tuple[Option, ...] = ()
    per: bool = False
    by_record: bool = False
    whoever_tried: bool = False


@dataclass(frozen=True, eq=False, repr=False)
class Entry:
    """A measure.

    Attributes:
        name: the command's, the call's and the figure's name, and the document's key in the report.
        settings: where the class of its settings is, or a call on a play: ``module:name``.
        view: where the function is that gives what people see of its document, in ``reports``.
        type_name: the name of its document's type in ``reports.document_types``, of which its schema is made.
        rows: the key of the rows that a plain table has.
        finer: the key of those that it has instead, where the document has them.
        groups: what is shown of it side by side; None where it is not for groups.
        picture: the heading of its figure in the report; None where it has none there.
        drawn: whether it has a figure.
        reported: whether the report has it.
        beside: whether the report has it only where there is something to compare with beside the log.
        settings_in_report: where the class is that takes the place of ``settings`` there, if another does.
        command: its command; None where that is a module of ``cli.commands``.
    """

    name: str
    settings: str
    view: str
    type_name: str
    rows: str = "levels"
    groups: InGroups | None = None
    picture: str | None = None
    drawn: bool = False
    reported: bool = False
    beside: bool = False
    finer: str | None = None
    settings_in_report: str | None = None
    command: PlainCommand | None = None

    @property
    def measure(self) -> Callable[..., Any]:
        """The class of its settings, or a call on a play."""
        return cast("Callable[..., Any]", _loaded(self.settings))

    @property
    def document(self) -> type:
        """Its document's type."""
        return cast("type", _loaded(f"reports.document_types:{self.type_name}"))

    def views(self, document: object) -> list[AnyView]:
        """What people see of its document."""
        make = cast("Callable[[object], list[AnyView]]", _loaded(f"reports.{self.view}"))
        return make(document)

    def settled(self, given: Mapping[str, object]) -> AnyMeasure:
        """The measure with those of the values that are its settings."""
        return _settled(_loaded(self.settings), given)

    def in_report(self, least: int) -> AnyMeasure:
        """The measure as the report has it, with the least number of players of which something is claimed."""
        return _settled(_loaded(self.settings_in_report or self.settings), {"min_players": least})

    def rows_in(self, report: object) -> str:
        """Return the key of the rows that a plain table of a document has."""
        return self.finer if self.finer is not None and isinstance(report, dict) and self.finer in report else self.rows


def _loaded(place: str) -> object:
    module, _, name = place.partition(":")
    return getattr(import_module(f"milepost.{module}"), name)


def _settled(measure: object, given: Mapping[str, object]) -> AnyMeasure:
    """Return the measure with its settings; a call on a play has none."""
    if isinstance(measure, type):
        measure = measure(**{field.name: given[field.name] for field in fields(measure) if field.init and field.name in given})
    return cast("AnyMeasure", measure)
