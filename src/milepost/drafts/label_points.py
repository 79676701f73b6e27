"""Labels of event words, and the points that a session's records earn under them.

The records of a session are played through one after the other; each earns or costs points by whether it can stand where it
stands.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from functools import cached_property
from itertools import groupby, pairwise
from math import inf
from operator import itemgetter
from typing import Final, NamedTuple

OPENS, CLEARS, FAILS, LEAVES, ENDS, BEGINS, ARRIVES, INSIDE, UNEXPLAINED = range(9)
_LEFT: Final = UNEXPLAINED + 1  # what counts after a clear whose level was left
NO_LEVEL: Final = -1
SETTLING: Final = frozenset({OPENS, CLEARS, FAILS})
_FEWEST_AT_ONCE: Final = 0.03  # of first tries at a level clear it
_SELDOM_AT_ONCE, _OFTEN_LATER = 0.15, 0.2  # nor fewer than that, where three times as many and a fifth of all later ones do
_FEWEST_FIRSTS: Final = 30  # first tries, of which some clear, were a clear not even one in ten
_NONE_AT_ONCE: Final = 0.2  # points per record that a labelling costs by which none does
_SAID: Final = 0.12  # points of a record whose word says what its label is
_SAID_BY_FEW: Final = 3.0
_CONTRADICTED: Final = 0.3  # what a label costs that contradicts its word
_NOT_WITHIN: Final = 0.5  # and one by which a word for what happens within tries opens or ends them
SAME: Final = 1e-9
# Points of a record by whether it can stand where it stands.
_RIGHT, _LIKELY, _POSSIBLE, _ODD, _UNLIKELY, _WRONG = 1.0, 0.7, 0.55, -0.3, -0.6, -1.0
_OF_LEAVING: Final = {CLEARS: _LIKELY, _LEFT: 0.5}  # once is enough; what else stands between two tries says less

_MOST: Final = (_RIGHT, _RIGHT, _RIGHT, _LIKELY, _LIKELY + 0.05, _LIKELY, _POSSIBLE, 0.6, 0.0)  # by label

_FEWEST_IN_STAY: Final = 10  # records that are played together; looking up what came of fewer takes as long as playing them
Session = Sequence[tuple[int, int]]  # the word and the level of each record, in the order of play


def next_levels(sessions: Sequence[Session]) -> dict[int, int]:
    """Return for each level the one that most sessions go on to from it."""
    counts: dict[int, dict[int, int]] = {}
    for session in sessions:
        visits = list(dict.fromkeys(level for _, level in session if level != NO_LEVEL))
        stays = [level for level, _ in groupby(level for _, level in session if level != NO_LEVEL)]
        for level in visits[1:]:
            before = stays[stays.index(level) - 1]
            followers = counts.setdefault(before, {})
            followers[level] = followers.get(level, 0) + 1
    return {level: max(followers, key=lambda other: followers[other]) for level, followers in counts.items()}


class _State(NamedTuple):
    """Where a session stands: at which level, whether a try is open there, and the label that counts for what comes next."""

    at: int
    opened: bool
    after: int


@dataclass(frozen=True)
class Stay:
    """Some records of a session in a row, mostly at one level.

    Attributes:
        records: these, and the one that comes after them, if any.
        length: how many these are.
        is_first: whether the session begins with them.
        played: what came of them, by the labels of their words and the state before.
    """

    records: Session
    length: int
    is_first: bool
    played: dict[object, tuple[float, _State, set[int]]] = field(default_factory=dict)

    @cached_property
    def labels(self) -> Callable[[Sequence[int]], object]:
        """What gives the labels of the records' words."""
        return itemgetter(*{word: None for word, _ in self.records})

    @cached_property
    def levels(self) -> frozenset[int]:
        """Where they are."""
        return frozenset(level for _, level in self.records[: self.length])

    @cached_property
    def last(self) -> int:
        """The place of the session's last record; -1 where it comes later."""
        return self.length - 1 if self.length == len(self.records) else -1


def split_stays(session: Session) -> list[Stay]:
    """The stays at a level, one after the other; short ones go with the one before."""
    begins = [0]
    for place in range(1, len(session)):
        if session[place][1] not in (NO_LEVEL, session[place - 1][1]) and place >= begins[-1] + _FEWEST_IN_STAY:
            begins.append(place)
    return [Stay(session[begin : end + 1], end - begin, begin == 0) for begin, end in pairwise([*begins, len(session)]) if end]


class LabelPoints:
    """The points of labellings of some sessions.

    Args:
        sessions: the records of each session, in the order of play.
        words: how many different words there are.
        known: labels that words are likely to have by what they say.
        rows: whether each record is a whole try, so that none opens.
    """

    def __init__(self, sessions: Sequence[Session], words: int, known: Mapping[int, int], rows: bool) -> None:
        self.sessions, self.known, self.rows = sessions, known, rows
        self.following = next_levels(sessions)
        self._known_points: dict[tuple[int, ...], float] = {}
        self._known_bounds: dict[tuple[int, ...], float] = {}
        self._counts = [Counter(word for word, _ in session) for session in sessions]
        self._words = [sorted(counts) for counts in self._counts]
        self._of_session: list[dict[tuple[int, ...], float]] = [{} for _ in sessions]  # by the labels of its words
        self._stays = [] if rows else [split_stays(session) for session in sessions]
        self.used = [0] * words
        for session in sessions:
            for word, _ in session:
                self.used[word] += 1
        self.records = max(1, sum(self.used))
        self._said = {
            word: [self._points_of_word(word, meaning, label) for label in range(UNEXPLAINED + 1)]
            for word, meaning in known.items()
        }

    def points(self, labels: Sequence[int], least: float = -inf) -> float:
        """Return the points per record of a labelling; of one that does not reach ``least``, that or less."""
        key = tuple(labels)
        if key not in self._known_points:
            if self._known_bounds.get(key, inf) <= least:
                return least
            points = self._points(key, least)
            if points is None:
                self._known_bounds[key] = least
                return least
            self._known_points[key] = points
        return self._known_points[key]

    def _points(self, labels: Sequence[int], least: float) -> float | None:
        """The points per record; None as soon as they cannot reach the least."""
        incomplete = CLEARS not in labels or (not self.rows and OPENS not in labels)
        beside = sum([self._said[word][labels[word]] for word in self.known])
        most = sum(used * _MOST[label] for used, label in zip(self.used, labels, strict=True))
        enough = (least + 0.5 * incomplete - SAME) * self.records - beside
        total = 0.0
        for number, counts in enumerate(self._counts):
            if most < enough:  # which no session that is left can make good
                return None
            points = self._points_of_session(number, labels)
            total += points
            most += points - sum([used * _MOST[labels[word]] for word, used in counts.items()])
        if total < enough:
            return None
        total += beside
        if not self._has_clears_at_once(labels):
            total -= (0.5 if self.rows else _NONE_AT_ONCE) * self.records
        return total / self.records - 0.5 * incomplete

    def _points_of_session(self, number: int, labels: Sequence[int]) -> float:
        known, labelled = self._of_session[number], tuple([labels[word] for word in self._words[number]])
        if labelled not in known:
            known[labelled] = (
                _points_of_tries(self.sessions[number], labels, self.following)
                if self.rows
                else self._points_of_stays(number, labels)
            )
        return known[labelled]

    def _points_of_word(self, word: int, meaning: int, label: int) -> float:
        """Points for a label that is what the word says; it costs where the two contradict each other."""
        few = min(_CONTRADICTED, _SAID_BY_FEW / max(1, self.used[word]))  # where a word is rare, what it says counts for more
        if meaning == label:
            return self.used[word] * (_SAID + few)
        contradicted = meaning in SETTLING or (self.rows and meaning == LEAVES)
        against = _NOT_WITHIN if meaning == INSIDE else _CONTRADICTED if contradicted else 0.0
        return -self.used[word] * (against if label in SETTLING else 0.0)

    def _has_clears_at_once(self, labels: Sequence[int]) -> bool:
        """Return whether first tries at a level clear it as tries do; else what begins every try is taken for its failure."""
        settled = Counter(self._settled(labels))
        at_once, cleared = settled[True, True], settled[False, True]
        firsts, others = at_once + settled[True, False], cleared + settled[False, False]
        if not self.rows and firsts < _FEWEST_FIRSTS:
            return True
        seldom = at_once < _SELDOM_AT_ONCE * firsts and cleared * firsts > (_OFTEN_LATER * firsts + 3 * at_once) * others
        return at_once > _FEWEST_AT_ONCE * firsts and not seldom

    def _settled(self, labels: Sequence[int]) -> Iterator[tuple[bool, bool]]:
        """Yield for each try with an outcome whether it is the session's first at its level, and whether it clears."""
        for session in self.sessions:
            at, tried = NO_LEVEL, set[int]()
            for word, level in session:
                at = at if level == NO_LEVEL else level
                if self.rows or labels[word] in (CLEARS, FAILS):
                    yield at not in tried, labels[word] == CLEARS
                    tried.add(at)

    def _points_of_stays(self, number: int, labels: Sequence[int]) -> float:
        """Points of a session whose records are events; a stay is played once for what it can depend on."""
        total, state = 0.0, _State(NO_LEVEL, False, BEGINS)
        cleared: set[int] = set()
        for stay in self._stays[number]:
            known = cleared & {state.at, *stay.levels} if cleared else cleared
            key = stay.labels(labels), state, frozenset(known)
            if key not in stay.played:
                stay.played[key] = _play(stay, labels, self.following, state, set(known))
            points, state, now_cleared = stay.played[key]
            total += points
            cleared |= now_cleared
        return total

    def tally(self, labels: Sequence[int]) -> tuple[int, int, int, float]:
        """Return how many tries, clears and failures there are, and which share of clears led to the next level."""
        tries = clears = failures = moved = right = 0
        for session in self.sessions:
            cleared_at = NO_LEVEL
            for word, level in session:
                label = labels[word]
                opens = label == OPENS or (self.rows and label != UNEXPLAINED)
                tries, clears, failures = tries + opens, clears + (label == CLEARS), failures + (label == FAILS)
                if cleared_at != NO_LEVEL and opens:
                    moved, right, cleared_at = moved + 1, right + (level == self.following.get(cleared_at)), NO_LEVEL
                if label == CLEARS:
                    cleared_at = level
        return tries, clears, failures, right / moved if moved else 0.0


def _play(
    stay: Stay, labels: Sequence[int], following: Mapping[int, int], state: _State, cleared: set[int]
) -> tuple[float, _State, set[int]]:
    """The points of a stay, the state after it, and the levels that are cleared then, of those that it knows of."""
    total, (at, opened, after), session, last = 0.0, state, stay.records, stay.last
    for place, (word, level) in enumerate(session[: stay.length]):
        label = labels[word]
        if label == UNEXPLAINED:
            continue
        if label == OPENS:
            total += _WRONG if opened or level == NO_LEVEL else _points_of_opening(after, at, level, following)
            at, opened, after = level, True, OPENS
        elif label in (CLEARS, FAILS):
            stands = opened and level in (at, NO_LEVEL)
            early = place == last and (label == FAILS or at in following)
            total += (_RIGHT - 0.5 * (label == CLEARS and at in cleared) - 0.4 * early) if stands else _WRONG
            at = at if level == NO_LEVEL else level
            opened, after = False, label
            if label == CLEARS:
                cleared.add(at)
        elif label == INSIDE:
            total += 0.6 if opened and level in (at, NO_LEVEL) else _WRONG
        elif label == LEAVES:
            total += -0.1 if opened else _OF_LEAVING.get(after, _WRONG)
            after = _LEFT if after in _OF_LEAVING and not opened else LEAVES
            opened = False
        elif label == ARRIVES:
            ready = not opened and place != last and labels[session[place + 1][0]] == OPENS
            total += _POSSIBLE if ready and level in (session[place + 1][1], NO_LEVEL) else _WRONG
        elif label == ENDS:
            total += _LIKELY + 0.05 if place == last else _WRONG
            opened, after = False, ENDS
        else:
            total += _LIKELY if place == 0 and stay.is_first else _WRONG
    return total, _State(at, opened, after), cleared


def _points_of_opening(after: int, at: int, level: int, following: Mapping[int, int]) -> float:
    if after == FAILS:
        return _RIGHT if level == at else _ODD
    if after in _OF_LEAVING:
        return _RIGHT if level == following.get(at) else _LIKELY if level != at else _UNLIKELY
    return _LIKELY if after == LEAVES else _RIGHT


def _points_of_tries(session: Session, labels: Sequence[int], following: Mapping[int, int]) -> float:
    """Points of a session whose records are whole tries: a failure is followed by the same level, a clear by the next."""
    total = 0.0
    for place, (word, level) in enumerate(session):
        label = labels[word]
        after = session[place + 1][1] if place + 1 < len(session) else None
        if label == UNEXPLAINED:
            continue
        if level == NO_LEVEL:
            total += _WRONG
        elif after is None:
            last = label == CLEARS and level not in following
            total += _LIKELY if last or label == LEAVES else 0.3
        elif label == CLEARS:
            total += _RIGHT if after == following.get(level) else 0.4 if after != level else _WRONG
        elif label == FAILS:
            total += _RIGHT if after == level else -0.8
        else:
            total += -0.2 if after == level else -0.5
    return total
