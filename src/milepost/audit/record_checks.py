"""Signs of trouble in the records themselves; those of parts of a log add up to those of the whole."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Final, TypeVar

import numpy as np

from milepost.arrays import Bools, Column, Floats, Ints
from milepost.audit.session_endings import Endings, look_at_endings
from milepost.cleaning.survey import number_builds
from milepost.numerics.value_counts import AddedUp
from milepost.numerics.whole_numbers import count_values, distinct, is_among, stable_order
from milepost.playback.attributes import is_given
from milepost.playback.play import FullPlay
from milepost.vocabulary import ACTED, DROPPED, EVENTS, FIRST_INPUT, NUMBER_FIELDS, PAUSE, RESET, RESUME, RETRY, START, TRANSITION

BURST_SECONDS, BURST_RESETS = 0.1, 4
IDLE_SECONDS = 120.0
STORM_SECONDS, STORM_TIMES = 1.0, 4  # more often than this in so many seconds
_TWINS = 0.8  # share of records with a twin from which everything seems doubled
_TWIN_SECONDS = 1.5  # a second copy of the logic fires within a moment of the first
_KINDS = 0.8  # share of the kinds of event, at their levels, that have to come twice
_LAG_STEP = 1e-3  # seconds to which lags are compared


@dataclass(frozen=True, eq=False, repr=False)
class RecordRows:
    """Records of one sign: the session and the level of each, and its place in the session's order of replay, from 0.

    The place is -1 for records that are not replayed.
    """

    session: Ints
    level: Ints
    place: Ints


@dataclass(frozen=True, eq=False, repr=False)
class Doubled:
    """Sessions of which nearly every event is repeated at one lag: the session, the lag in seconds, and how many records."""

    session: Ints
    lag: Floats
    records: Ints


T = TypeVar("T", RecordRows, Doubled, Endings)


@dataclass(frozen=True, eq=False, repr=False)
class Signs:
    """Signs in the records in replay order.

    Attributes:
        events: per build and event word, how many records.
        at: per stop, how many records are at it.
        played: per stop, whether any of them is no transition.
        bursts: resets that follow each other faster than any hand.
        idle: the records after which nothing came for long, within an attempt and without a pause.
        preloaded: starts and retries with pick-ups already counted.
        doubled: sessions in which every event comes twice.
        strays: one record for each session and stop outside the course, or for each session and stop where the course
            was inferred.
        storms: records of a word that is not ours, many in a second.
        endings: sessions that end within an attempt.
        covered: first inputs while play was paused, or where the record says that an overlay is open.
        nobodys: resets that do not say who set them off, in sessions where others do.
        acted: how many resets say it.
    """

    events: Ints
    at: Ints
    played: Bools
    bursts: RecordRows
    idle: RecordRows
    preloaded: RecordRows
    doubled: Doubled
    strays: RecordRows
    storms: RecordRows
    endings: Endings
    covered: RecordRows
    nobodys: RecordRows
    acted: int

    @classmethod
    def of(cls, play: FullPlay) -> Signs:
        """Look through a play's records."""
        seen = InOrder.of(play)
        build, builds = number_builds(play.gated.log.sessions)
        of_build = np.bincount(build[seen.session] * len(EVENTS) + seen.event, minlength=builds * len(EVENTS))
        events = of_build.reshape(builds, len(EVENTS))
        placed = seen.level >= 0
        at, played = np.bincount(seen.level[placed], minlength=len(play.stops)), np.zeros(len(play.stops), np.bool_)
        played[seen.level[placed & (seen.event != TRANSITION)]] = True
        records, order = play.gated.log.records, play.gated.order
        preloaded = np.flatnonzero(is_among(seen.event, (START, RETRY)) & (records.collected[order] > 0))
        with_act = records.marks[order] & ACTED != 0
        silent = np.flatnonzero((seen.event == RESET) & ~with_act & _mask_sessions(seen, (seen.event == RESET) & with_act))
        groups = (_bursts(seen), _idle(seen, play), preloaded, _covered(seen, play), silent)
        bursts, idle, preset, covered, nobodys = (seen.rows(places) for places in groups)
        doubled = find_doubled_sessions(seen, np.diff(play.gated.bounds))
        acted = int(((seen.event == RESET) & with_act).sum())
        rows = bursts, idle, preset, doubled, _strays(seen, play), _storms(play), look_at_endings(seen, play), covered, nobodys
        return cls(events, at, played, *rows, acted)

    @classmethod
    def merged(cls, parts: list[Signs]) -> Signs:
        """Return the signs of a log, added up from parts that share no session."""
        names = ("bursts", "idle", "preloaded", "strays", "storms", "covered", "nobodys")
        rows = {name: _order_by_session([getattr(part, name) for part in parts]) for name in names}
        events, at = (np.sum([getattr(part, name) for part in parts], axis=0) for name in ("events", "at"))
        played = np.any([part.played for part in parts], axis=0)
        doubled, endings = (
            _order_by_session([part.doubled for part in parts]),
            _order_by_session([part.endings for part in parts]),
        )
        acted = sum(part.acted for part in parts)
        return cls(events=events, at=at, played=played, doubled=doubled, endings=endings, acted=acted, **rows)


def _mask_sessions(seen: InOrder, rows: Bools) -> Bools:
    """Return a mask of the records in sessions that have some of those."""
    concerned = np.zeros(len(seen.begins), np.bool_)
    concerned[seen.session[rows]] = True
    inside: Bools = concerned[seen.session]
    return inside


def _order_by_session(parts: list[T]) -> T:
    """The rows of all parts, session by session."""
    columns = {name: np.concatenate([vars(part)[name] for part in parts]) for name in vars(parts[0])}
    order = stable_order(columns["session"])
    return type(parts[0])(**{name: column[order] for name, column in columns.items()})


@dataclass(frozen=True, eq=False, repr=False)
class InOrder:
    """Columns of the records in replay order."""

    session: Ints
    event: Ints
    level: Ints
    time: Floats
    begins: Ints  # per session, where it begins

    @classmethod
    def of(cls, play: FullPlay) -> InOrder:
        """Return the records of a play in replay order."""
        records, order = play.gated.log.records, play.gated.order
        begins = play.gated.bounds[:-1]
        return cls(records.session[order], records.event[order], play.gated.level[order], records.time[order], begins)

    def rows(self, places: Ints) -> RecordRows:
        """Some of them as rows."""
        session = self.session[places]
        return RecordRows(session, self.level[places], places - self.begins[session])


def _bursts(seen: InOrder) -> Ints:
    """Resets that follow each other faster than any hand, several in a row."""
    rows = np.flatnonzero(seen.event == RESET)
    quick = np.zeros(len(rows), np.bool_)
    same = (np.diff(seen.session[rows]) == 0) & (np.diff(seen.level[rows]) == 0)
    quick[1:] = same & (np.diff(seen.time[rows]) <= BURST_SECONDS)
    run = 0
    burst = np.zeros(len(rows), np.bool_)
    for place, follows in enumerate(quick.tolist()):
        run = run + 1 if follows else 0
        if run + 1 >= BURST_RESETS:
            burst[place - run : place + 1] = True
    return rows[burst]


def _idle(seen: InOrder, play: FullPlay) -> Ints:
    """Records after which nothing is logged for long, within an attempt and without a pause."""
    table, count = play.attempts, len(seen.event)
    change = np.bincount(table.opened_at, minlength=count + 1) - np.bincount(table.closed_at, minlength=count + 1)
    inside = np.cumsum(change)[: max(0, count - 1)] > 0
    silent = inside & (np.diff(seen.time) > IDLE_SECONDS) & (np.diff(seen.session) == 0)
    return np.flatnonzero(silent & (seen.event[: max(0, count - 1)] != PAUSE))


_OVERLAYS: Final = ("overlay", "overlays", "open_overlays", "modal", "dialog", "popup")
_CLOSED: Final = frozenset({"", "0", "false", "no", "none", "null", "closed"})


def _covered(seen: InOrder, play: FullPlay) -> Ints:
    """First inputs between a pause and its resume, or with a tag that says that an overlay is open."""
    inputs = np.flatnonzero(seen.event == FIRST_INPUT)
    halts = np.flatnonzero(is_among(seen.event, (PAUSE, RESUME)))
    before = np.searchsorted(halts, inputs) - 1
    last = halts[np.maximum(before, 0)] if len(halts) else np.zeros(len(inputs), np.int64)
    under = (before >= 0) & (seen.event[last] == PAUSE) & (seen.session[last] == seen.session[inputs])
    records = play.gated.log.records
    for name in _OVERLAYS:
        if name in records.tags:
            is_open = [value.strip().casefold() not in _CLOSED for value in play.gated.log.tags[name]]
            under |= np.array([*is_open, False], np.bool_)[records.tags[name][play.gated.order[inputs]]]
    covered: Ints = inputs[under]
    return covered


def _storms(play: FullPlay) -> RecordRows:
    """Records of one unknown word that come more than so often within a second, session by session."""
    records, level = play.gated.log.records, play.gated.level
    rows = np.flatnonzero(records.event < 0)
    rows = rows[np.lexsort((records.time[rows], records.event[rows], records.session[rows]))]
    session, word, time = records.session[rows], records.event[rows], records.time[rows]
    far = STORM_TIMES
    if len(rows) <= far:
        return RecordRows(np.zeros(0, np.int64), np.zeros(0, np.int64), np.zeros(0, np.int64))
    close = (session[far:] == session[:-far]) & (word[far:] == word[:-far]) & (time[far:] - time[:-far] <= STORM_SECONDS)
    stormy = np.zeros(len(rows), np.bool_)
    for place in np.flatnonzero(close).tolist():
        stormy[place : place + far + 1] = True
    storms = np.sort(rows[stormy])
    storms = storms[stable_order(records.session[storms])]
    return RecordRows(records.session[storms], level[storms], np.full(len(storms), -1))


def _strays(seen: InOrder, play: FullPlay) -> RecordRows:
    outside = seen.level >= (0 if play.inferred else play.n_levels)
    width = max(1, len(play.stops))
    keys = distinct(seen.session[outside] * width + seen.level[outside])
    return RecordRows(keys // width, keys % width, np.full(len(keys), -1))


def find_doubled_sessions(seen: InOrder, length: Ints) -> Doubled:
    """The sessions of which nearly every event is repeated at one lag.

    Args:
        seen: the records.
        length: per session, how many records it has.
    """
    session, step, kind = _lags(seen)
    if not len(session):
        return Doubled(np.zeros(0, np.int64), np.zeros(0), np.zeros(0, np.int64))
    span = int(step.max()) + 3
    keys, counts = count_values(session * span + step)
    commonest = np.lexsort((keys, -counts, keys // span))
    best = commonest[np.diff(keys[commonest] // span, prepend=-1) != 0]
    near = counts[best].copy()
    for side in (-1, 1):  # a lag may fall on either side of a step
        place = np.minimum(np.searchsorted(keys, keys[best] + side), len(keys) - 1)
        near += np.where(keys[place] == keys[best] + side, counts[place], 0)
    sessions = keys[best] // span
    twice = (length[sessions] >= 10) & (near >= _TWINS * length[sessions] / 2)
    twice &= _kinds_at(session, step, kind, sessions, keys[best] % span) >= _KINDS * _kinds_of(seen, len(length))[sessions]
    return Doubled(sessions[twice], (keys[best] % span)[twice] * _LAG_STEP, length[sessions[twice]])


def _kind_keys(seen: InOrder) -> tuple[Ints, int]:
    """Per record, a number for its session, event and level; and how many of them a session can have."""
    kind = seen.event * (seen.level.max() + 2) + seen.level
    width = int(kind.max() - kind.min()) + 1
    return seen.session * width + kind - kind.min(), width


def _kinds_of(seen: InOrder, sessions: int) -> Ints:
    """Per session, how many kinds of event it has, each level's own."""
    keys, width = _kind_keys(seen)
    return np.bincount(distinct(keys) // width, minlength=sessions)


def _kinds_at(session: Ints, step: Ints, kind: Ints, sessions: Ints, best: Ints) -> Ints:
    """For each of some sessions, how many kinds of event come twice at its commonest lag."""
    wanted = np.full(int(session.max()) + 1, -9)
    wanted[sessions] = best
    near = np.abs(step - wanted[session]) <= 1
    owners = distinct(session[near] * (int(kind.max()) + 1) + kind[near]) // (int(kind.max()) + 1)
    return np.bincount(owners, minlength=len(wanted))[sessions]


def _lags(seen: InOrder) -> tuple[Ints, Ints, Ints]:
    """For each event that came a moment before at its level in its session: the session, how many steps of time ago, its kind."""
    if not len(seen.event):
        return np.zeros(0, np.int64), np.zeros(0, np.int64), np.zeros(0, np.int64)
    key, width = _kind_keys(seen)
    order = stable_order(key)
    lag = np.diff(seen.time[order])
    followed = (np.diff(key[order]) == 0) & (lag > 0) & (lag <= _TWIN_SECONDS)
    keys = key[order][1:][followed]
    return keys // width, np.round(lag[followed] / _LAG_STEP).astype(np.int64), keys % width


@dataclass(frozen=True)
class Varying(AddedUp):
    """The fields and tags that differ within some session."""

    names: frozenset[str]

    @classmethod
    def of(cls, play: FullPlay) -> Varying:
        """Look through a play's records."""
        records = play.gated.log.records
        rows = np.flatnonzero(records.marks & DROPPED == 0)
        session = records.session[rows]
        columns = {name: getattr(records, name)[rows] for name in NUMBER_FIELDS} | {
            name: column[rows] for name, column in records.tags.items()
        }
        return cls(frozenset(name for name, column in columns.items() if _differs_within(session, column)))


def _differs_within(session: Column, column: Column) -> bool:
    """Return whether some session has two values."""
    given = is_given(column)
    if not given.any():
        return False
    values, owner = column[given], session[given]
    first = np.zeros(int(owner.max()) + 1, values.dtype)
    first[owner[::-1]] = values[::-1]
    return bool(np.any(values != first[owner]))
