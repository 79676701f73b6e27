"""Labels of event words, and the points that a session's records earn under them.

The records of a session are played through one after the other; each earns or costs points by whether it can stand where it
stands.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from itertools import groupby
from typing import Final

OPENS, CLEARS, FAILS, LEAVES, ENDS, BEGINS, ARRIVES, INSIDE, UNEXPLAINED = range(9)
NO_LEVEL: Final = -1
SETTLING: Final = frozenset({OPENS, CLEARS, FAILS})
_FEWEST_AT_ONCE: Final = 0.03  # of the stays at a level begin with their clear, in a log whose records are whole tries
_SAID: Final = 0.12  # points of a record whose word says what its label is
_SAID_BY_FEW: Final = 3.0
_CONTRADICTED: Final = 0.3  # what a label costs that contradicts its word
SAME: Final = 1e-9
# Points of a record by whether it can stand where it stands.
_RIGHT, _LIKELY, _POSSIBLE, _ODD, _UNLIKELY, _WRONG = 1.0, 0.7, 0.55, -0.3, -0.6, -1.0

Session = Sequence[tuple[int, int]]  # the word and the level of each record, in the order of play


def next_levels(sessions: Sequence[Session]) -> dict[int, int]:
    """Return for each level the one that most sessions go on to from it."""
    counts: dict[int, dict[int, int]] = {}
    for session in sessions:
        visits = list(dict.fromkeys(level for _, level in session if level != NO_LEVEL))
        stays = [level for level, _ in groupby(level for _, level in session if level != NO_LEVEL)]
        for level in visits[1:]:
            before = stays[stays.index(level) - 1]
            of = counts.setdefault(before, {})
            of[level] = of.get(level, 0) + 1
    return {level: max(of, key=lambda other: of[other]) for level, of in counts.items()}


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
        self._words = [sorted({word for word, _ in session}) for session in sessions]
        self._of_session: list[dict[tuple[int, ...], float]] = [{} for _ in sessions]  # by the labels of its words
        self.used = [0] * words
        for session in sessions:
            for word, _ in session:
                self.used[word] += 1
        self.records = max(1, sum(self.used))

    def points(self, labels: Sequence[int]) -> float:
        """Return the points per record of a labelling."""
        key = tuple(labels)
        if key not in self._known_points:
            self._known_points[key] = self._points(key)
        return self._known_points[key]

    def _points(self, labels: Sequence[int]) -> float:
        total = sum(self._points_of_session(number, labels) for number in range(len(self.sessions)))
        total += sum(self._points_of_word(word, label, labels[word]) for word, label in self.known.items())
        if self.rows and not self._has_clears_at_once(labels):
            total -= 0.5 * self.records
        incomplete = CLEARS not in labels or (not self.rows and OPENS not in labels)
        return total / self.records - 0.5 * incomplete

    def _points_of_session(self, number: int, labels: Sequence[int]) -> float:
        known, own = self._of_session[number], tuple([labels[word] for word in self._words[number]])
        if own not in known:
            points = self._points_of_tries if self.rows else self._points_of_events
            known[own] = points(self.sessions[number], labels)
        return known[own]

    def _points_of_word(self, word: int, said: int, label: int) -> float:
        """Points for a label that is what the word says; it costs where the two contradict each other."""
        against = {said, label} <= SETTLING
        few = min(_CONTRADICTED, _SAID_BY_FEW / max(1, self.used[word]))  # where a word is rare, what it says counts for more
        return self.used[word] * (_SAID + few if said == label else -_CONTRADICTED if against else 0.0)

    def _has_clears_at_once(self, labels: Sequence[int]) -> bool:
        """Return whether some stays at a level begin with their clear; where none does, another word opens them."""
        stays = at_once = 0
        for session in self.sessions:
            before = NO_LEVEL
            for word, level in session:
                if level not in (before, NO_LEVEL):
                    stays += 1
                    at_once += labels[word] == CLEARS
                    before = level
        return at_once > _FEWEST_AT_ONCE * stays

    def _points_of_events(self, session: Session, labels: Sequence[int]) -> float:
        total, at, opened, after, last = 0.0, NO_LEVEL, False, BEGINS, len(session) - 1
        cleared: set[int] = set()
        for place, (word, level) in enumerate(session):
            label = labels[word]
            if label == UNEXPLAINED:
                continue
            if label == OPENS:
                total += _WRONG if opened or level == NO_LEVEL else self._points_of_opening(after, at, level)
                at, opened, after = level, True, OPENS
            elif label in (CLEARS, FAILS):
                stands = opened and level in (at, NO_LEVEL)
                early = place == last and (label == FAILS or at in self.following)
                total += (_RIGHT - 0.5 * (label == CLEARS and at in cleared) - 0.4 * early) if stands else _WRONG
                at = at if level == NO_LEVEL else level
                opened, after = False, label
                if label == CLEARS:
                    cleared.add(at)
            elif label == INSIDE:
                total += 0.6 if opened and level in (at, NO_LEVEL) else _WRONG
            elif label == LEAVES:
                total += -0.1 if opened else _LIKELY if after == CLEARS else _WRONG
                after = after if after == CLEARS and not opened else LEAVES
                opened = False
            elif label == ARRIVES:
                ready = not opened and place < last and labels[session[place + 1][0]] == OPENS
                total += _POSSIBLE if ready and level in (session[place + 1][1], NO_LEVEL) else _WRONG
            elif label == ENDS:
                total += _LIKELY + 0.05 if place == last else _WRONG
                opened, after = False, ENDS
            else:
                total += _LIKELY if place == 0 else _WRONG
        return total

    def _points_of_opening(self, after: int, at: int, level: int) -> float:
        if after == FAILS:
            return _RIGHT if level == at else _ODD
        if after == CLEARS:
            return _RIGHT if level == self.following.get(at) else _LIKELY if level != at else _UNLIKELY
        return _LIKELY if after == LEAVES else _RIGHT

    def _points_of_tries(self, session: Session, labels: Sequence[int]) -> float:
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
                last = label == CLEARS and level not in self.following
                total += _LIKELY if last or label == LEAVES else 0.3
            elif label == CLEARS:
                total += _RIGHT if after == self.following.get(level) else 0.4 if after != level else _WRONG
            elif label == FAILS:
                total += _RIGHT if after == level else -0.8
            else:
                total += -0.2 if after == level else -0.5
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
