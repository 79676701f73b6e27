"""A candidate for a log map: what each column may be, and what each word may mean."""

from __future__ import annotations

from dataclasses import dataclass, field

from milepost.arrays import Floats
from milepost.drafts.column_roles import Roles
from milepost.drafts.event_labels import Labelling
from milepost.drafts.prepared_samples import PreparedSample
from milepost.drafts.sampled_table import CellColumn, SampledTable, TimeForm
from milepost.drafts.try_durations import Duration, Unit


@dataclass(frozen=True, eq=False, repr=False)
class TimeColumn:
    """When a record was: one column, or a date and a time of the day in two.

    Attributes:
        names: the columns.
        values: per record its time, in the log's unit or in seconds.
        form: how it is written.
        rising: in which share of steps within a group it does not fall.
    """

    names: tuple[str, ...]
    values: Floats
    form: TimeForm
    rising: float


@dataclass(frozen=True, eq=False, repr=False)
class Candidate:
    """What a log's columns and words may be.

    Attributes:
        sample: the records.
        roles: its columns.
        time: when; None where nothing says it.
        labelling: what the words mean.
        rows: whether a record is a whole try.
        score: how much it explains, headings being evidence beside.
        session, player, build: columns; at least one of the first two, where there is one at all.
        unit: of numeric times.
        duration, ended: of rows that are tries.
        carry: whether the level holds until another is said.
    """

    sample: PreparedSample
    table: SampledTable
    roles: Roles
    time: TimeColumn | None
    labelling: Labelling
    rows: bool
    score: float
    session: str | None = None
    player: str | None = None
    build: str | None = None
    unit: Unit | None = None
    duration: Duration | None = None
    ended: CellColumn | None = None
    carry: bool = False
    runner_up: Candidate | None = field(default=None, repr=False)
