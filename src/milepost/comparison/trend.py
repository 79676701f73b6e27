"""Trend: builds, days, weeks or months in a row; each level's difficulty step by step, and what changed from step to step."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from datetime import UTC, datetime
from functools import cached_property
from typing import Final, Literal, TypedDict, cast

import numpy as np

from milepost.arrays import Bools
from milepost.cleaning.selection import only, parse_condition, session_values
from milepost.cleaning.splitting import Split, values_in_order
from milepost.comparison.compare import Compare
from milepost.comparison.compare_in_play import require_by_session
from milepost.comparison.row_types import ChangeVerdict, CompareRow, CompareTotals
from milepost.comparison.verdicts import CLAIMED
from milepost.difficulty.spikes import Spikes
from milepost.errors import UsageError
from milepost.measures.funnel import Funnel, legs_in
from milepost.measures.interface import LevelRow, Table
from milepost.numerics.shifts import false_discovery_rate
from milepost.playback.attempt_filters import fitting
from milepost.playback.play import FullPlay, Play, with_records
from milepost.playback.replay import replay_log
from milepost.playback.void_attempts import looking_at

DATES: Final = ("day", "week", "month")
_TOLD: Final = ("delta", "delta_low", "delta_high", "p_value", "q_value", "verdict")
_NANO: Final = 1_000_000_000
_MANY_BACK: Final = 0.2  # share of a step's players who were there before, from which practice may be what changed

Reading = Literal["game", "game_or_players", "game_or_practice", "game_or_players_or_practice"]


class TrendStep(TypedDict):
    """A build, a day, a week, a month, or a value of another key."""

    step: str
    players: int
    sessions: int
    new_players: int
    kept_at_end: float | None
    kept_at_end_low: float | None
    kept_at_end_high: float | None
    stand_out: list[str]


class TrendPoint(TypedDict):
    """A level in one step."""

    step: str
    players: int
    tries: int
    try_clear: float | None
    difficulty: float | None
    se: float | None


_FromTo = TypedDict("_FromTo", {"from": str, "to": str})


class TrendWhole(_FromTo):
    """What changed at a level from one step to another."""

    delta: float | None
    delta_low: float | None
    delta_high: float | None
    p_value: float | None
    q_value: float | None
    verdict: ChangeVerdict | None


class TrendChange(TrendWhole):
    """What changed at a level from the step before in which it was played; whether two such verdicts may be one odd step."""

    one_step: bool


class TrendRow(LevelRow):
    """A level over all steps."""

    points: list[TrendPoint]
    changes: list[TrendChange]
    whole: TrendWhole | None
    since: str | None


class TrendShift(_FromTo):
    """The shift of all levels between two steps."""

    size: float | None
    low: float | None
    high: float | None
    reading: Reading
    players_back: int


class DatesLeftOut(TypedDict):
    """Sessions without a date, beside what every document leaves out."""

    debug_sessions: int
    players_without_attempt: int
    no_date: int


class TrendTotals(TypedDict):
    """The steps, and the shifts between them."""

    over: str
    steps: list[TrendStep]
    shifts: list[TrendShift]


@dataclass(frozen=True)
class Trend:
    """Steps in a row.

    Attributes:
        over: `build`, `day`, `week`, `month`, or another key of sessions.
        min_players: of fewer players in either step, nothing is claimed.
    """

    over: str = "build"
    min_players: int = 5

    def __call__(self, play: Play) -> Table[TrendRow, TrendTotals]:
        """One row a level; the totals hold the steps and the shifts.

        Raises:
            UsageError: the log has fewer than two steps.
        """
        full = with_records(play)
        case = _Case(
            full, _dated(full, self.over, self.min_players) if self.over in DATES else _keyed(full, self.over, self.min_players)
        )
        rows = [case.row(level) for level in case.levels]
        _judge_at_once([change for row in rows for change in row["changes"]])
        _judge_at_once([row["whole"] for row in rows if row["whole"] is not None])
        for row in rows:
            _mark_odd_steps(row["changes"])
            told = [change["to"] for change in row["changes"] if change["verdict"] in ("harder", "easier")]
            row["since"] = told[-1] if told else None
        totals = TrendTotals(over=self.over, steps=case.steps_told(), shifts=case.shifts())
        if self.over in DATES:
            about = full.about
            without = len({*full.gated.player[full.gated.sequence].tolist()}) - int(full.counts.sum())
            left_out = DatesLeftOut(
                debug_sessions=about.debug_sessions, players_without_attempt=without, no_date=case.steps.undated
            )
            cast("dict[str, object]", totals)["left_out"] = left_out  # in place of the head's, which knows nothing of dates
        return Table(rows, totals)


@dataclass(frozen=True)
class _Steps:
    """The steps: their names, a play of each, and the play whose end says who was kept.

    Attributes:
        names: in order.
        plays: of each step.
        cohorts: of each step, the play whose funnel says who was kept at the end; None where nobody is new.
        sessions: how many sessions of counted players each has.
        players: names of the counted players of each.
        key: what they are steps of; by try where a player's tries are dealt out.
        least: of fewer players, nothing is claimed.
        undated: sessions without a time stamp.
    """

    names: tuple[str, ...]
    plays: tuple[Play, ...]
    cohorts: tuple[Play | None, ...]
    sessions: tuple[int, ...]
    players: tuple[frozenset[str], ...]
    key: str
    by_date: bool
    least: int
    undated: int = 0


def _keyed(play: FullPlay, key: str, least: int) -> _Steps:
    """Steps by a build or another key of sessions; each is replayed by itself, so that first clears begin anew."""
    require_by_session(play, key)
    log = play.gated.log
    values = session_values(log, key)
    names = values_in_order(log, key)
    if len(names) < 2:
        raise UsageError(f"a trend takes two steps at least, and the log has {len(names)} of {key}.")
    masks = [np.array([value == name for value in values], np.bool_) for name in names]
    plays = [_replayed(play, mask, name if key == "build" else None) for name, mask in zip(names, masks, strict=True)]
    people = [frozenset(own.gated.players[p] for p in np.flatnonzero(own.counts)) for own in plays]
    sessions = [int(own.counts[own.gated.player[own.gated.sequence]].sum()) for own in plays]
    return _Steps(tuple(names), tuple(plays), tuple(plays), tuple(sessions), tuple(people), key, False, least)


def _replayed(play: FullPlay, sessions: Bools, build: str | None) -> Play:
    """The play of some sessions alone."""
    course = play.course.of_build(build) if play.course is not None and build is not None else play.course
    conditions = tuple(parse_condition(text) for text in play.asked)
    return fitting(replay_log(only(play.gated.log, sessions), course, play.rules, exclusion=play.gated.exclusion), conditions)


def _dated(play: FullPlay, over: str, least: int) -> _Steps:
    """Steps by date: a player's first-clear tries at a level all count in the step of the first of them."""
    gated = play.gated
    dates = _dates_of_sessions(play, over)
    names = sorted({date for date in dates if date is not None})
    if len(names) < 2:
        raise UsageError(f"a trend takes two steps at least, and the log has {len(names)} of {over}.")
    number = {name: place for place, name in enumerate(names)}
    step_of = np.array([-1 if date is None else number[date] for date in dates])
    dealt = _first_steps(play, step_of)
    own = step_of[gated.sequence]
    counted = play.counts[gated.player[gated.sequence]]
    people, plays, cohorts, sessions = [], [], [], []
    before: set[int] = set()
    for place, name in enumerate(names):
        there = set(gated.player[gated.sequence[(own == place) & counted]].tolist())
        people.append(frozenset(gated.players[p] for p in there))
        sessions.append(int(((own == place) & counted).sum()))
        plays.append(looking_at(play, dealt == place, f"{over} = {name}"))
        new = there - before
        cohorts.append(_replayed(play, np.isin(gated.player, list(new)), None) if new else None)
        before |= there
    return _Steps(
        tuple(names),
        tuple(plays),
        tuple(cohorts),
        tuple(sessions),
        tuple(people),
        over,
        True,
        least,
        sum(d is None for d in dates),
    )


def _dates_of_sessions(play: FullPlay, over: str) -> list[str | None]:
    """Per session, the day, week or month of its first record in the order of replay; None where it has no time stamp."""
    forms = {"day": "%Y-%m-%d", "month": "%Y-%m"}
    found: list[str | None] = []
    for epoch, first in zip(play.gated.log.sessions.epoch, play.session_times.first.tolist(), strict=True):
        if epoch is None or np.isnan(first):
            found.append(None)
            continue
        moment = datetime.fromtimestamp(epoch / _NANO + first, UTC)
        iso = moment.isocalendar()
        found.append(f"{iso.year:04d}-W{iso.week:02d}" if over == "week" else moment.strftime(forms[over]))
    return found


def _first_steps(play: FullPlay, step_of: np.ndarray) -> np.ndarray:
    """Per attempt, the step of the player's first attempt at the level."""
    table = play.attempts
    keys = table.player * (len(play.stops) + 1) + table.level
    _, first, inverse = np.unique(keys, return_index=True, return_inverse=True)
    return step_of[table.session[first]][inverse]


@dataclass(frozen=True)
class _Pair:
    """A comparison of two steps."""

    rows: Mapping[str, CompareRow]
    totals: CompareTotals


@dataclass
class _Case:
    """All that the rows of a trend are made of."""

    play: FullPlay
    steps: _Steps
    pairs: dict[tuple[int, int], _Pair] = field(default_factory=dict)

    @cached_property
    def levels(self) -> list[str]:
        """The levels of the course, in order."""
        return self.play.stops[: self.play.n_levels]

    @cached_property
    def judged(self) -> list[dict[str, dict[str, object]]]:
        """Per step, each level's figures, fitted on that step alone."""
        return [{row["level"]: dict(row) for row in Spikes(self.steps.least)(own).rows} for own in self.steps.plays]

    def pair(self, before: int, after: int) -> _Pair:
        """The comparison of two steps."""
        if (before, after) not in self.pairs:
            split = Split(
                "start.step" if self.steps.by_date else self.steps.key, self.steps.names[before], self.steps.names[after]
            )
            table = Compare(split, self.steps.least)(
                self.steps.plays[before], self.steps.plays[after], self.play.gated.log.sessions.name
            )
            self.pairs[before, after] = _Pair({row["level"]: row for row in table.rows}, table.totals)
        return self.pairs[before, after]

    def row(self, level: str) -> TrendRow:
        """A level over all steps."""
        points = [(place, own[level]) for place, own in enumerate(self.judged) if level in own and own[level]["tries"]]
        places = [place for place, _ in points]
        changes = [
            cast(TrendChange, {**self._whole(level, before, after), "one_step": False})
            for before, after in zip(places, places[1:], strict=False)
        ]
        whole = self._whole(level, places[0], places[-1]) if len(places) > 2 else None
        return TrendRow(
            level=level, points=[self._point(place, own) for place, own in points], changes=changes, whole=whole, since=None
        )

    def _point(self, place: int, row: Mapping[str, object]) -> TrendPoint:
        known = {name: row[name] for name in ("players", "tries", "try_clear", "difficulty", "se")}
        return cast(TrendPoint, {"step": self.steps.names[place], **known})

    def _whole(self, level: str, before: int, after: int) -> TrendWhole:
        row = self.pair(before, after).rows.get(level)
        told = {key: None if row is None else cast("Mapping[str, object]", row)[key] for key in _TOLD}
        return cast(TrendWhole, {"from": self.steps.names[before], "to": self.steps.names[after], **told})

    def steps_told(self) -> list[TrendStep]:
        """Each step, with its players and what stands out in it."""
        found, before = [], frozenset[str]()
        for place, name in enumerate(self.steps.names):
            people = self.steps.players[place]
            kept, low, high = _kept(self.steps.cohorts[place])
            out = [level for level, row in self.judged[place].items() if row["kind"] != "none"]
            found.append(
                TrendStep(
                    step=name,
                    players=len(people),
                    sessions=self.steps.sessions[place],
                    new_players=len(people - before),
                    kept_at_end=kept,
                    kept_at_end_low=low,
                    kept_at_end_high=high,
                    stand_out=out,
                )
            )
            before |= people
        return found

    def shifts(self) -> list[TrendShift]:
        """The shift of every pair of neighbours, and of every other pair that was looked at."""
        neighbours = [(place, place + 1) for place in range(len(self.steps.names) - 1)]
        return [self._shift(before, after) for before, after in sorted({*neighbours, *self.pairs})]

    def _shift(self, before: int, after: int) -> TrendShift:
        shift = self.pair(before, after).totals["shift"]
        earlier = frozenset[str]().union(*self.steps.players[:after])
        back = len(self.steps.players[after] & earlier)
        many = back >= _MANY_BACK * max(1, len(self.steps.players[after]))
        reading: Reading = shift["reading"]
        if many:
            reading = "game_or_practice" if reading == "game" else "game_or_players_or_practice"
        return {
            "from": self.steps.names[before],
            "to": self.steps.names[after],
            "size": shift["size"],
            "low": shift["low"],
            "high": shift["high"],
            "reading": reading,
            "players_back": back,
        }


def _kept(play: Play | None) -> tuple[float | None, float | None, float | None]:
    """Who was kept at the end of the course, with the interval."""
    if play is None:
        return None, None, None
    rows, legs = Funnel()(play).rows, legs_in(play)
    if not rows:
        return None, None, None
    last = rows[legs[-1].levels[-1]]
    return last["retention"], last["retention_low"], last["retention_high"]


def _judge_at_once(changes: Sequence[TrendWhole] | Sequence[TrendChange]) -> None:
    """Give all changes their false discovery rates at once, and the verdicts that come of these."""
    told: list[TrendWhole] = [change for change in changes if change["p_value"] is not None]
    if not told:
        return
    rates = false_discovery_rate(np.array([change["p_value"] for change in told], np.float64))
    for change, rate in zip(told, rates.tolist(), strict=True):
        change["q_value"] = rate
        open_ended = change["delta_low"] is None or change["delta_high"] is None
        if change["verdict"] != "same" and not open_ended and change["delta"] is not None:
            way: ChangeVerdict = "harder" if change["delta"] > 0 else "easier"
            change["verdict"] = way if rate <= CLAIMED else "no_telling"


def _mark_odd_steps(changes: Sequence[TrendChange]) -> None:
    """Two verdicts of opposite sign, one right after the other, may be one odd step."""
    for before, after in _neighbours(changes):
        if {before["verdict"], after["verdict"]} == {"harder", "easier"}:
            before["one_step"] = after["one_step"] = True


def _neighbours(changes: Sequence[TrendChange]) -> Iterator[tuple[TrendChange, TrendChange]]:
    yield from zip(changes, changes[1:], strict=False)
