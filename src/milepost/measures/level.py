"""One page on one level: every measure of it, beside its neighbours, its plan and its builds."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TypedDict

import numpy as np

from milepost.arrays import Floats
from milepost.course.course import Course, Level, find_place
from milepost.course.course_entries import MapPicture
from milepost.errors import UsageError
from milepost.level_names import suggest_nearest
from milepost.measures.attempts import AttemptsRow, AttemptsToClear
from milepost.measures.attribute_effects import AttributeRow, attributes_by_level
from milepost.measures.cells import first_tries
from milepost.measures.deaths import Deaths, DeathsRow
from milepost.measures.funnel import Funnel, FunnelRow
from milepost.measures.interface import LevelRow, Table
from milepost.measures.sections import SectionRow, Sections
from milepost.measures.sessions_to_watch import Watched, pick_sessions
from milepost.measures.times import TimeInLevel, TimesRow
from milepost.numerics.intervals import median, median_interval
from milepost.playback.play import Play, Summed
from milepost.vocabulary import CLEARED, DIED, N_SETTLED, WAS_RESET, Outcome


class BuildTries(TypedDict):
    """Settled first-clear tries of a build at a level, and how many cleared."""

    settled: int
    clears: int
    try_clear: float


def build_names(play: Play) -> list[str]:
    """The builds of the log, by first appearance."""
    return list(dict.fromkeys(build for build in play.gated.log.sessions.build if build is not None))


def tries_by_build(play: Play) -> list[dict[str, BuildTries]]:
    """Per level of the course, for each build with tries there: settled first-clear tries and how many cleared."""
    names = build_names(play)
    if not names:
        return [{} for _ in range(play.n_levels)]
    number = {name: place for place, name in enumerate(names)}
    build = np.array([-1 if name is None else number[name] for name in play.gated.log.sessions.build], dtype=np.int64)
    table = play.attempts
    rows = first_tries(play) & (table.outcome < N_SETTLED) & (table.level < play.n_levels)
    rows[rows] = build[table.session[rows]] >= 0
    cell = table.level[rows] * len(names) + build[table.session[rows]]
    size = play.n_levels * len(names)
    settled = np.bincount(cell, minlength=size).reshape(play.n_levels, -1)
    clears = np.bincount(cell[table.ended(CLEARED)[rows]], minlength=size).reshape(play.n_levels, -1)
    return [
        {
            name: {"settled": int(tried), "clears": int(done), "try_clear": float(done / tried)}
            for name, tried, done in zip(names, settled[level], clears[level], strict=True)
            if tried
        }
        for level in range(play.n_levels)
    ]


SIDE = 2


class Planned(TypedDict, total=False):
    """The plan of a level; nothing where there is none."""

    target_clear: float | None
    par_seconds: float | None
    chapter: str | None
    knobs: dict[str, object]


class Neighbour(LevelRow):
    """A level with its tries, in all and by build."""

    players: int
    settled: int
    try_clear: float | None
    try_clear_low: float | None
    try_clear_high: float | None
    p50: int | None
    builds: dict[str, BuildTries]


class Spot(TypedDict):
    """A place where a player failed."""

    x: float
    y: float
    cause: str | None


class FirstLevel(TypedDict):
    """Figures on the first level: medians in seconds, tries without any input, players who gave none, and who of them left.

    All that is about inputs is null where the log has none.
    """

    to_input: float | None
    to_failure: float | None
    to_clear: float | None
    deaths_before_input: int | None
    clears_before_input: int | None
    without_input: int | None
    left_before_input: int | None
    players: int


class AfterFailure(TypedDict):
    """Players whose last try of all failed at a level, and the seconds from then to their session's end."""

    players: int
    p50: float | None
    p50_low: float | None
    p50_high: float | None


class LevelFigures(LevelRow):
    """Figures on a level, without the places of failures."""

    place: int
    funnel: FunnelRow
    attempts: AttemptsRow
    times: TimesRow
    deaths: DeathsRow
    plan: Planned
    note: str | None
    first_level: FirstLevel | None
    builds: list[str]
    neighbours: list[Neighbour]
    watch: list[Watched]
    attributes: list[AttributeRow]
    sections: list[SectionRow]
    after_failure: AfterFailure


class LevelTotals(LevelFigures):
    """All that is said of a level."""

    spots: list[Spot]
    picture: MapPicture | None


@dataclass(frozen=True)
class LevelPage:
    """All figures on one level.

    Attributes:
        name: the level, in any spelling, or by another name that the course gives it.
    """

    name: str

    def __call__(self, play: Play) -> Table[AttemptsRow, LevelTotals]:
        """The page in the totals; the rows are those of `attempts` for the level.

        Raises:
            UsageError: the course has no level of that name.
        """
        place = place_of(play, self.name)
        tries = play.compute_once(AttemptsToClear()).rows
        plan = play.course.levels[place] if play.course else None
        counted = play.counts[play.attempts.player] & (play.attempts.level == place) & ~play.attempts.rerun & play.attempts.taken
        builds = tries_by_build(play)
        near = range(max(0, place - SIDE), min(play.n_levels, place + SIDE + 1))
        return Table(
            [tries[place]],
            LevelTotals(
                level=play.stops[place],
                place=place + 1,
                funnel=play.compute_once(Funnel()).rows[place],
                attempts=tries[place],
                times=play.compute_once(TimeInLevel()).rows[place],
                deaths=play.compute_once(Deaths()).rows[place],
                plan=_planned(plan),
                note=plan.note if plan else None,
                first_level=_answer_first_questions(play) if place == 0 else None,
                builds=sorted(build_names(play)),
                neighbours=[beside_builds(tries[level], builds[level]) for level in near],
                watch=[candidate.watched for candidate in pick_sessions(play, np.flatnonzero(counted))],
                attributes=attributes_by_level(play)[place],
                sections=sections_of(play.compute_once(Sections()).totals["sections"], play.stops[place]),
                after_failure=after_failures(play)[place],
                spots=_spots(play, place),
                picture=plan.picture if plan else None,
            ),
        )


def sections_of(rows: list[SectionRow], level: str) -> list[SectionRow]:
    """The sections of a level; none where it is one by itself."""
    sections = [row for row in rows if row["level"] == level]
    return sections if len(sections) > 1 else []


def after_failures(play: Play) -> list[AfterFailure]:
    """Per level, how long players whose last try of all failed there stayed on in the session."""
    table = play.attempts
    last = np.append(np.diff(table.player) != 0, np.True_)[: len(table)]
    rows = np.flatnonzero(last & play.counts[table.player] & table.ended(DIED, WAS_RESET))
    level, stayed = table.level[rows], play.session_times.last[table.session[rows]] - table.closed[rows]
    return [_describe_after_failure(stayed[level == place]) for place in range(play.n_levels)]


def _describe_after_failure(stayed: Floats) -> AfterFailure:
    low, high = median_interval(stayed)
    return AfterFailure(players=len(stayed), p50=median(stayed), p50_low=low, p50_high=high)


def place_of(play: Summed, name: str) -> int:
    """The place in the course of a level, by its name or an alias, else by a spelling of one of these.

    Raises:
        UsageError: the course has no level of that name.
    """
    names = play.stops[: play.n_levels]
    place = find_place(play.course or Course(None, tuple(map(Level, names))), name)
    if place is None:
        near = suggest_nearest(name, names) or f" Its levels: {', '.join(names[:40])}."
        raise UsageError(f"no level of the course is called {name!r}.{near}")
    return place


def _planned(plan: Level | None) -> Planned:
    if plan is None:
        return Planned()
    return Planned(target_clear=plan.target_clear, par_seconds=plan.par_seconds, chapter=plan.chapter, knobs=plan.knobs)


def beside_builds(tries: AttemptsRow, builds: dict[str, BuildTries]) -> Neighbour:
    """A level with its tries, in all and by build."""
    return Neighbour(
        level=tries["level"],
        players=tries["players"],
        settled=tries["settled"],
        try_clear=tries["try_clear"],
        try_clear_low=tries["try_clear_low"],
        try_clear_high=tries["try_clear_high"],
        p50=tries["p50"],
        builds=builds,
    )


def _spots(play: Play, level: int) -> list[Spot]:
    """Return the places in the level where players failed, for failures that have one."""
    table, around = play.attempts, play.around
    failed = play.counts[table.player] & (table.level == level) & table.taken & table.ended(DIED, WAS_RESET)
    causes = [*play.gated.log.causes, None]
    return [
        Spot(x=float(x), y=float(y), cause=causes[cause])
        for x, y, cause in zip(around.x[failed], around.y[failed], around.cause[failed].tolist(), strict=True)
        if not (np.isnan(x) or np.isnan(y))
    ]


def _answer_first_questions(play: Play) -> FirstLevel:
    """Return the first level's times to the first input, failure and clear, and players who left before any input."""
    table = play.attempts
    counted = play.counts[table.player] & (table.level == 0) & ~table.rerun & table.taken
    begun = counted & (table.number == 1)
    start = {
        int(p): (int(s), float(t)) for p, s, t in zip(table.player[begun], table.session[begun], table.opened[begun], strict=True)
    }

    def first(outcomes: tuple[Outcome, ...]) -> float | None:
        by_player: dict[int, float] = {}
        for k in np.flatnonzero(counted & table.ended(*outcomes)).tolist():
            player = int(table.player[k])
            if player in start and start[player][0] == table.session[k]:
                by_player.setdefault(player, float(table.closed[k]) - start[player][1])
        return median(np.array(list(by_player.values())))

    inputs = table.settling[begun]
    by_player = {int(player) for player in table.player[counted & ~np.isnan(table.settling)]}
    tells = bool((~np.isnan(table.settling)).any())
    silent = set(start) - by_player
    gone = {player for player in silent if not (table.level[table.player == player] > 0).any()}
    unmoved = counted & np.isnan(table.settling)
    return {
        "to_input": median(inputs[~np.isnan(inputs)]),
        "to_failure": first((DIED, WAS_RESET)),
        "to_clear": first((CLEARED,)),
        "deaths_before_input": int((unmoved & table.ended(DIED)).sum()) if tells else None,
        "clears_before_input": int((unmoved & table.ended(CLEARED)).sum()) if tells else None,
        "without_input": len(silent) if tells else None,
        "left_before_input": len(gone) if tells else None,
        "players": len(start),
    }
