"""The result of every reader: records as columns, with the names behind the codes and the refused records."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field, fields
from typing import TYPE_CHECKING, ClassVar, Final, NamedTuple, Protocol, Self, TypedDict, TypeVar

from milepost.arrays import Bools, Column, Floats, Ints
from milepost.errors import RecordsGoneError

ABSENT = -1  # in a column of codes: the field was not given
TAG: Final = "tag "  # before a tag's name, where its column stands among the others


class Place(NamedTuple):
    """A record's place: the number of its file, and its line or row, counted from 1."""

    file: int
    line: int


class Refused(NamedTuple):
    """A record that could not be read: where, why, and the session it names if it names one.

    After the first ones, those of a session stand together as one, with how many they are and where the first of them is.
    """

    place: Place
    reason: str
    session: str | None
    times: int = 1


def count_refused(refused: list[Refused]) -> int:
    """How many records these are."""
    return sum(refusal.times for refusal in refused)


class MissingColumn(TypedDict):
    """A field of a log map, and a column for it that no record has."""

    field: str
    column: str


class MapMet(TypedDict):
    """The use of a log map in a log; conversions that failed are by field."""

    missing_column: list[MissingColumn]
    unused_words: list[str]
    failed_conversions: dict[str, int]
    records_without_event: int
    records_ignored: int


@dataclass(eq=False, repr=False)
class Records:
    """The readable records in log order; all columns are of one length.

    Codes point into the name lists of the ``Log``. ``time`` is in seconds since the session's first record;
    ``second`` the whole second of the logged time, and ``whole`` whether that is all of it. ``likeness`` is equal
    for two records just where they are equal as logged; ``identity`` stands for ``id`` (0: none). NaN and
    ``ABSENT`` mean that the field was not given. ``named`` says whether the record names its player.
    ``marks`` has a bit for each finding on the record. ``tags`` has a column of
    codes for each tag.
    """

    session: Ints
    event: Ints
    level: Ints
    to: Ints
    cause: Ints
    layout: Ints
    rating: Ints
    time: Floats
    second: Floats
    whole: Bools
    foreign: Bools
    named: Bools
    progress: Floats
    x: Floats
    y: Floats
    collected: Floats
    available: Floats
    seq: Ints
    has_seq: Bools
    identity: Ints
    likeness: Ints
    marks: Ints
    file: Ints
    line: Ints
    tags: dict[str, Ints] = field(default_factory=dict)

    def __len__(self) -> int:
        """The number of records."""
        return len(self.session)

    @classmethod
    def of(cls, columns: Mapping[str, Column]) -> Self:
        """The records that columns make up, those of tags under their names after ``TAG``."""
        plain = {name: column for name, column in columns.items() if not name.startswith(TAG)}
        return cls(**plain, tags={name.removeprefix(TAG): column for name, column in columns.items() if name not in plain})

    def columns(self) -> dict[str, Column]:
        """All columns by name."""
        plain = {name: column for name, column in vars(self).items() if name != "tags"}
        return plain | {TAG + name: column for name, column in self.tags.items()}

    def rows(self, rows: Ints | Bools) -> dict[str, Column]:
        """All columns for some of the records."""
        return {name: column[rows] for name, column in self.columns().items()}


@dataclass(eq=False)
class Sessions:
    """The sessions of the readable records, by first appearance; lists of one length.

    ``epoch`` is the first record's time stamp in nanoseconds since 1970, None with numeric times. ``tags`` has the
    first value given of each tag, as text.
    """

    name: list[str] = field(default_factory=list)
    player: list[str | None] = field(default_factory=list)
    build: list[str | None] = field(default_factory=list)
    epoch: list[int | None] = field(default_factory=list)
    debug: list[bool] = field(default_factory=list)
    tags: list[dict[str, str]] = field(default_factory=list)


@dataclass(frozen=True)
class PlayersMet:
    """The use of a table of players in a log.

    Attributes:
        file: the table.
        differ: names of the sessions of which a tag is another in the table.
        only_there: players of the table that are not in the log.
        only_here: players of the log that are not in the table.
    """

    file: str
    differ: frozenset[str]
    only_there: tuple[str, ...]
    only_here: tuple[str, ...]


class WithoutRecords:
    """A log whose records were freed; asking for them raises an error that says what to do."""

    BY_RECORD: ClassVar[frozenset[str]]

    if not TYPE_CHECKING:  # where types are checked there is no such attribute

        def __getattr__(self, name: str) -> object:
            raise RecordsGoneError if name in self.BY_RECORD else AttributeError(name)


@dataclass(eq=False, repr=False)
class BareLog(WithoutRecords):
    """A log without its records: sessions, names, files, and what was refused."""

    BY_RECORD = frozenset({"records"})

    sessions: Sessions
    stops: list[str]  # names in `level` and `to`
    causes: list[str]
    layouts: list[str]  # values of the tag `layout`, or else `seed`
    ratings: list[str]  # values of the tag `rating`
    tags: dict[str, list[str]]  # per tag, its values
    tags_not_kept: frozenset[str]  # tags of so many values that records go without them
    unknown_words: list[str]  # event words outside the list; word k is -1 - k in the column of events
    files: list[str]
    refused: list[Refused]
    map_use: MapMet | None = None  # what the log map met, where there was one
    players: PlayersMet | None = None  # what the table of players met, where there was one
    numbers: Ints | None = None  # per session, its number in the log of which this is a part by itself, if it is one


L = TypeVar("L", bound=BareLog)  # a log with or without its records, of which only the rest is looked at


@dataclass(eq=False, repr=False)
class Log(BareLog):
    """A whole log as read."""

    records: Records = field(kw_only=True)

    def bare(self) -> BareLog:
        """Return the log without its records."""
        return BareLog(**{field.name: getattr(self, field.name) for field in fields(BareLog)})


class Sink(Protocol):
    """The receiver of the records of one file."""

    def add(self, record: Mapping[str, object], line: int) -> None:
        """Take a record as logged, with its line or row."""

    def refuse(self, line: int, reason: str) -> None:
        """Note that something there is no record."""


@dataclass(frozen=True)
class ReadOptions:
    """How files are read.

    Attributes:
        form: the input format, told from the content where None.
        max_bytes: how much a packed file may unpack to.
        query: the SQL that selects the records of a SQLite file.
        delimiter: what separates the cells of a CSV file, found where None.
        encoding: how the bytes of a CSV file are text; UTF-8 where None.
        query_seconds: how long a query may take; as long as it likes where None.
        lines: the patterns of lines of text.
        record: the path of the elements of XML that are records.
    """

    form: str | None = None
    max_bytes: int = 4 << 30
    query: str | None = None
    delimiter: str | None = None
    encoding: str | None = None
    query_seconds: float | None = None
    lines: tuple[str, ...] = ()
    record: str = ""


DEFAULTS: Final = ReadOptions()
