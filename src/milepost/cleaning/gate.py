"""The gate: from logged records to records that can be replayed; duplicates and whatever else is wrong get a finding."""

from __future__ import annotations

from dataclasses import dataclass, field, replace
from functools import cached_property, lru_cache

import numpy as np

from milepost.arrays import Bools, Floats, Ints
from milepost.cleaning.level_orders import Orders
from milepost.cleaning.names import Stops, gather, list_players, mark_spellings, resolve
from milepost.cleaning.selection import Exclusion, keep_sessions
from milepost.cleaning.survey import Survey, coarse_builds, move_past_midnight, order_sessions, pick_rows, replay_order, survey_of
from milepost.course.course import Course
from milepost.logs.interface import ABSENT, BareLog, L, Log, Records, Sessions, WithoutRecords
from milepost.logs.records.sink import copies_mask
from milepost.numerics.whole_numbers import distinct, stable_order
from milepost.vocabulary import BIT, DEATH, RESET, RETRY, START, TRANSITION

FAULT_SECONDS = 2.0
_TOLERANCE = 1e-9


@dataclass(eq=False, repr=False)
class Admitted(WithoutRecords):
    """The sessions of a log that are ready for the replay, or have been replayed.

    Attributes:
        log: the log without the sessions left out as debug.
        debug_sessions: how many sessions were left out.
        stops: what the names stand for.
        bounds: per session, where it begins and ends in the order of replay; one more than sessions.
        coarse: per session, whether its clock counts whole seconds.
        players: the players' names.
        player: per session, its player.
        sequence: the sessions, player by player, in the order in which they were played.
        course: the course, if one is given.
        exclusion: what is left out as suspect, if anything is.
        run_starts: whether records of the log say where runs begin.
    """

    BY_RECORD = frozenset({"level", "to", "order", "fault"})

    log: BareLog
    debug_sessions: int
    stops: Stops
    bounds: Ints
    coarse: Bools
    players: list[str]
    player: Ints
    sequence: Ints
    course: Course | None = None
    exclusion: Exclusion | None = None
    run_starts: bool = False

    @cached_property
    def open_levels(self) -> Bools:
        """Per level of the course, whether the course says that there is no way to clear it yet."""
        return open_levels(self.course, self.stops)

    @cached_property
    def orders(self) -> Orders:
        """The order of levels that each session is replayed by."""
        return Orders.of(self.course, self.stops, self.log.sessions.build)

    @cached_property
    def order_of_player(self) -> Ints:
        """Per player, the order of levels of the last session."""
        order = np.zeros(len(self.players), np.int64)
        order[self.player[self.sequence]] = self.orders.of_session[self.sequence]  # the last one stays
        return order

    def places(self, player: Ints, level: Ints) -> Ints:
        """The places of stops in the order of the player's last build; -1 for those that have none in it."""
        if len(self.orders.count) == 1:
            place, count = self.orders.rank[0][level], self.orders.count[0]
        else:
            order = self.order_of_player[player]
            place, count = self.orders.rank[order, level], self.orders.count[order]
        return np.where(place < count, place, -1)

    def legs(self, player: Ints, level: Ints) -> Ints:
        """The legs of stops in the order of the player's last build; -1 for stops that have none in it."""
        order = np.zeros(len(player), np.int64) if len(self.orders.count) == 1 else self.order_of_player[player]
        legs: Ints = np.where(self.places(player, level) >= 0, self.orders.leg[order, level], -1)
        return legs

    @cached_property
    def last_leg(self) -> Ints:
        """Per player, the last leg of the player's last build; -1 without any, or without a last one."""
        order = self.order_of_player
        if self.course is not None and self.course.runs.endless:
            return np.full(len(order), -1)
        return self.orders.last[order]

    def done(self, cleared: Bools) -> Bools:
        """Return whether a player has done a leg of the last build: legs down, players across.

        Args:
            cleared: whether a player has cleared a stop: stops down, players across.
        """
        most = max(map(len, self.orders.legs))
        done = np.zeros((most + 1, cleared.shape[1]), np.bool_)  # the last row is of no leg
        for order in range(len(self.orders.legs)):
            players = np.flatnonzero(self.order_of_player == order)
            done[: len(self.orders.legs[order]), players] = self.orders.done(order, cleared[:, players])
        return done

    @cached_property
    def last_level(self) -> Ints:
        """Per player, the last level of the player's last build; -1 without any level, or without a last one."""
        order = self.order_of_player
        if self.course is not None and self.course.runs.endless:
            return np.full(len(order), -1)
        last = np.maximum(0, self.orders.count[order] - 1)
        return np.where(self.orders.count[order] > 0, self.orders.level_at(order, last), -1)


def open_levels(course: Course | None, stops: Stops) -> Bools:
    """Per level of the course, whether the course says that there is no way to clear it yet."""
    levels = course.levels if course else ()
    return np.array([level.open for level in levels] or [False] * stops.n_levels, dtype=np.bool_)


@dataclass(eq=False, repr=False)
class Gated(Admitted):
    """A log ready for the replay; `marks` of its records hold the gate's findings.

    Attributes:
        level, to: per record, its stops; ABSENT where none.
        order: the records to replay, session by session in replay order.
        fault: per entry of ``order``, whether a foreign reset or death just before makes it a fault reset.
        of_records: how many records with a known event the whole log has, of which this may be a part.
    """

    log: Log
    level: Ints = field(kw_only=True)
    to: Ints = field(kw_only=True)
    order: Ints = field(kw_only=True)
    fault: Bools = field(kw_only=True)
    of_records: int = field(kw_only=True)


def judge_records(
    log: Log, course: Course | None, keep_debug: bool, survey: Survey | None = None, exclusion: Exclusion | None = None
) -> Gated:
    """Judge every record: what is used, in which order, and what is found on the way.

    Args:
        log: a log, or a part of it with whole sessions, and with the sessions and names of the whole.
        course: the course, if one is given.
        keep_debug: whether sessions tagged as debug take part.
        survey: of the whole log without the sessions left out, where this is a part of it, of which only the sessions with
            records are replayed.
        exclusion: what is left out as suspect.
    """
    log, debug_sessions = (log, 0) if keep_debug else drop_debug_sessions(log)
    if exclusion is not None:
        log = keep_sessions(log, exclusion.keeps(log))
    present = None if survey is None else np.flatnonzero(np.bincount(log.records.session, minlength=len(log.sessions.name)))
    survey = survey or survey_of(log)
    records, midnights = move_past_midnight(replace(log.records, marks=log.records.marks.copy()), log.sessions, survey.of_day)
    log, sessions = replace(log, records=records), log.sessions
    records.marks[midnights] |= BIT["clock_wrapped"]
    mark_spellings(records, sessions)
    stops = resolve(log.stops, survey.names, course) if course else gather(log.stops, survey.names)
    course = course.with_levels(stops.names[len(course.levels) : stops.n_levels]) if course else None
    level, to = _coded(records.level, stops.code), _coded(records.to, stops.code)
    known = records.event >= 0
    coarse = _coarse(log, survey, known) if exclusion is None else exclusion.clocks(log)
    left, foreign = _marked(records, known, stops, coarse)
    order, backwards = replay_order(records, np.flatnonzero(left), len(sessions.name))
    records.marks[backwards] |= BIT["clock_backwards"]
    bounds = np.searchsorted(records.session[order], np.arange(len(sessions.name) + 1))
    players, player = list_players(sessions)
    return Gated(
        log,
        debug_sessions,
        stops,
        bounds,
        coarse,
        players,
        player,
        order_sessions(sessions, player, _find_first_times(records, order, bounds), present),
        course,
        exclusion,
        survey.run_starts > 0,
        level=level,
        to=to,
        order=order,
        fault=_faults(records, level, order, bounds, foreign),
        of_records=survey.records,
    )


def _marked(records: Records, known: Bools, stops: Stops, coarse: Bools) -> tuple[Bools, Ints]:
    """Return a mask of the records to replay, and the numbers of foreign ones; the others are marked with the reason."""
    left = known.copy()
    _mark(records, ~known, "unknown_event")
    _mark_names(records, known, stops)
    repeats = find_duplicates(records, np.flatnonzero(left), coarse)
    records.marks[repeats] |= BIT["duplicate_record"]
    left[repeats] = False
    foreign = left & records.foreign
    _mark(records, foreign, "foreign_actor")
    return left & ~foreign, np.flatnonzero(foreign)


def _find_first_times(records: Records, order: Ints, bounds: Ints) -> Floats:
    """Per session, when its first record in replay order is; zero where it has none."""
    first = np.zeros(len(bounds) - 1)
    filled = np.flatnonzero(np.diff(bounds))
    first[filled] = records.time[order[bounds[filled]]]
    return first


def _coarse(log: Log, survey: Survey, known: Bools) -> Bools:
    """Per session, whether its clock counts whole seconds."""
    if not log.sessions.name:
        return np.zeros(0, np.bool_)
    builds = coarse_builds(survey)
    coarse = np.array([build in builds for build in log.sessions.build], dtype=np.bool_)
    coarse[np.bincount(log.records.session[known], minlength=len(coarse)) == 0] = False
    return coarse


def _mark(records: Records, where: Bools, code: str) -> None:
    records.marks[where] |= BIT[code]


def _coded(names: Ints, code: Ints) -> Ints:
    return np.where(names == ABSENT, ABSENT, np.append(code, ABSENT)[names])


def _mark_names(records: Records, left: Bools, stops: Stops) -> None:
    """Note spellings and unknown levels; on a transition an unknown name is a place."""
    if not (stops.spelling.any() or stops.unknown.any()):
        return
    spelling, unknown = np.append(stops.spelling, False), np.append(stops.unknown, False)
    moving = records.event == TRANSITION
    _mark(records, left & (spelling[records.level] | (moving & spelling[records.to])), "level_spelling")
    _mark(records, left & ~moving & unknown[records.level], "unknown_level")


def _faults(records: Records, level: Ints, order: Ints, bounds: Ints, foreign: Ints) -> Bools:
    """Return a mask of records within two seconds after a foreign reset or death of their level, with nothing between."""
    fault = np.zeros(len(order), np.bool_)
    for number in foreign[np.isin(records.event[foreign], (RESET, DEATH))]:
        session = records.session[number]
        rows = order[bounds[session] : bounds[session + 1]]
        place = _find_next_place(records, rows, number)
        if place == len(rows):
            continue
        follower = rows[place]
        gap = records.time[follower] - records.time[number]
        if (
            records.event[follower] in (START, RETRY, RESET)
            and level[follower] == level[number]
            and gap <= FAULT_SECONDS + _TOLERANCE
        ):
            fault[bounds[session] + place] = True
    return fault


def _find_next_place(records: Records, rows: Ints, number: int) -> int:
    """Return the place of the first record after a foreign one, in a session's records in replay order."""
    if not len(rows):
        return 0
    if not records.has_seq[rows].all():
        key = (records.time[number], number)
        later = (records.time[rows] > key[0]) | ((records.time[rows] == key[0]) & (rows > number))
    elif records.has_seq[number]:
        later = (records.seq[rows] > records.seq[number]) | ((records.seq[rows] == records.seq[number]) & (rows > number))
    else:
        later = rows > number
    return int(np.argmax(later)) if later.any() else len(rows)


def drop_debug_sessions(log: L) -> tuple[L, int]:
    """The log as if sessions tagged as debug had not been, and how many those are."""
    debug = _debug(log.sessions)
    if not debug.any():
        return log, 0
    return keep_sessions(log, ~debug), int((debug & ~copies_mask(log.sessions)).sum())


@lru_cache(maxsize=1)
def _debug(sessions: Sessions) -> Bools:
    """Per session, whether it is tagged as debug."""
    return np.array(sessions.debug, dtype=np.bool_)


_SPREAD = np.uint64(0x9E3779B97F4A7C15)


def find_duplicates(records: Records, left: Ints, coarse: Bools) -> Ints:
    """The records that repeat an earlier one of their session as logged, or its `id`.

    Where the session's clock is coarse, a record without `id` and `seq` repeats only the one logged right before
    it: two equal records within one second may both be true.

    Args:
        records: the log's records.
        left: the numbers of those to judge, rising.
        coarse: per session, whether its clock counts whole seconds.
    """
    session, likeness = pick_rows(records.session, left), pick_rows(records.likeness, left)
    repeated = _mask_repeats(session, likeness)
    if coarse.any():
        by_order = coarse[session] & (records.identity[left] == 0) & ~records.has_seq[left]
        repeated = np.where(by_order, _equals_previous(session, likeness), repeated)
    with_id = np.flatnonzero(pick_rows(records.identity, left))
    repeated[with_id] |= _mask_repeats(session[with_id], records.identity[left[with_id]])
    return left[repeated]


def _mask_repeats(session: Ints, value: Ints) -> Bools:
    """Return whether the same value stands earlier in the same session."""
    mixed = value.view(np.uint64) + session.astype(np.uint64) * _SPREAD  # one number of two that are alike only together
    rising = np.sort(mixed)
    twins = distinct(rising[1:][rising[1:] == rising[:-1]])
    seen = np.zeros(len(session), np.bool_)
    if not len(twins):
        return seen
    rows = np.flatnonzero(twins[np.minimum(np.searchsorted(twins, mixed), len(twins) - 1)] == mixed)
    order = rows[np.lexsort((rows, value[rows], session[rows]))]
    same = (np.diff(session[order]) == 0) & (np.diff(value[order]) == 0)
    seen[order[1:][same]] = True
    return seen


def _equals_previous(session: Ints, value: Ints) -> Bools:
    """Return whether the record before it in its session has the same value."""
    order = stable_order(session)
    same = (np.diff(session[order]) == 0) & (np.diff(value[order]) == 0)
    equal = np.zeros(len(session), np.bool_)
    equal[order[1:][same]] = True
    return equal
