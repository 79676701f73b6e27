"""What event words mean, found by trial: the labels under which a log's sessions explain themselves best.

Each word gets a label; the records of a session are then played through one after the other, and each earns or costs points by
whether it can stand where it stands. No word has to be known beforehand.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from types import MappingProxyType
from typing import Final

OPENS, CLEARS, FAILS, LEAVES, ENDS, BEGINS, ARRIVES, INSIDE, UNEXPLAINED = range(9)
NO_LEVEL: Final = -1
_SETTLING: Final = frozenset({OPENS, CLEARS, FAILS})
_TOGETHER: Final = ((FAILS, OPENS), (CLEARS, OPENS), (FAILS, CLEARS), (ARRIVES, OPENS), (CLEARS, LEAVES))  # tried as pairs
_FEWEST: Final = 3  # records that show where a word stands that neither opens nor ends a try
_ROUNDS: Final = 4
_MOST_SWAPPED: Final = 7  # words whose labels are exchanged with each other
_FEWEST_AT_ONCE: Final = 0.03  # of the stays at a level begin with their clear, in a log whose records are whole tries
_SAID: Final = 0.12  # points of a record whose word says what its label is
_SAID_BY_FEW: Final = 3.0
_CONTRADICTED: Final = 0.3  # what a label costs that contradicts its word
_SAME: Final = 1e-9
# Points of a record by whether it can stand where it stands.
_RIGHT, _LIKELY, _POSSIBLE, _ODD, _UNLIKELY, _WRONG = 1.0, 0.7, 0.55, -0.3, -0.6, -1.0

Session = Sequence[tuple[int, int]]  # the word and the level of each record, in the order of play


@dataclass(frozen=True)
class Labelling:
    """The labels of all words, and how much they explain.

    Attributes:
        labels: per word, its label.
        score: points per record, at most 1.
        doubts: per word, the label that explains it nearly as well, if there is one.
        tries, clears, failures: how many were found.
        clears_followed: the share of clears after which the next level was tried, of those after which one was.
    """

    labels: tuple[int, ...]
    score: float
    doubts: Mapping[int, int]
    tries: int = 0
    clears: int = 0
    failures: int = 0
    clears_followed: float = 0.0


NO_LABELS: Final = Labelling((), 0.0, {})


def next_levels(sessions: Sequence[Session]) -> dict[int, int]:
    """Return for each level the one that most sessions go on to from it."""
    counts: dict[int, dict[int, int]] = {}
    for session in sessions:
        before = NO_LEVEL
        seen: set[int] = set()
        for _, level in session:
            if level not in (NO_LEVEL, before):
                if before != NO_LEVEL and level not in seen:
                    of = counts.setdefault(before, {})
                    of[level] = of.get(level, 0) + 1
                seen.add(level)
                before = level
    return {level: max(of, key=lambda other: of[other]) for level, of in counts.items()}


class LabelSearch:
    """Searches for the labels that explain some sessions best.

    Args:
        sessions: the records of each session, in the order of play.
        words: how many different words there are.
        known: labels that words are likely to have by what they say; where the search begins, never a condition.
        rows: whether each record is a whole try, so that none opens.
        fixed: labels that words have, whatever explains most.
    """

    def __init__(
        self,
        sessions: Sequence[Session],
        words: int,
        known: Mapping[int, int],
        rows: bool = False,
        fixed: Mapping[int, int] = MappingProxyType({}),
    ) -> None:
        self.sessions, self.words, self.known, self.rows, self.fixed = sessions, words, {**known, **fixed}, rows, fixed
        self.following = next_levels(sessions)
        self._known_points: dict[tuple[int, ...], float] = {}
        self.used = [0] * words
        for session in sessions:
            for word, _ in session:
                self.used[word] += 1
        self.records = max(1, sum(self.used))
        self.order = sorted((word for word in range(words) if word not in fixed), key=lambda word: -self.used[word])
        self.choices = (CLEARS, FAILS, LEAVES, UNEXPLAINED) if rows else tuple(range(UNEXPLAINED + 1))

    def best(self) -> Labelling:
        """Return the best labelling that was found."""
        climbed = [self._climb(start) for start in self._beginnings()]
        labels, score = max(climbed, key=lambda pair: pair[1])
        doubts = self._settle_ties(labels, score)
        for word, used in enumerate(self.used):
            if used < _FEWEST and labels[word] in (INSIDE, LEAVES, ARRIVES) and self.known.get(word) != labels[word]:
                labels[word] = UNEXPLAINED
        tally = self._tally(labels)
        return Labelling(tuple(labels), score, doubts, *tally)

    def _beginnings(self) -> list[list[int]]:
        """Return where to begin: with what words say, and with the words that come first and last at a level."""
        first, last = [0] * self.words, [0] * self.words
        for session in self.sessions:
            for place, (word, level) in enumerate(session):
                first[word] += place == 0 or session[place - 1][1] != level
                last[word] += place == len(session) - 1 or session[place + 1][1] != level
        by_place = [UNEXPLAINED] * self.words
        if not self.rows:
            by_place[max(range(self.words), key=lambda word: first[word])] = OPENS
        free = [word for word in range(self.words) if by_place[word] == UNEXPLAINED]
        if free:
            by_place[max(free, key=lambda word: last[word])] = CLEARS
        said = [self.known.get(word, UNEXPLAINED) for word in range(self.words)]
        for word, label in self.fixed.items():
            by_place[word] = label
        return [said, by_place] if self.known else [by_place]

    def _climb(self, start: list[int]) -> tuple[list[int], float]:
        """Change one word's label after the other as long as that explains more."""
        labels, score = list(start), self.points(start)
        for _ in range(_ROUNDS):
            before = score
            for word in self.order:
                score = self._improve(labels, word, score)
            score = self._exchange(labels, score)
            score = self._change_pairs(labels, score)
            if score <= before + _SAME:
                break
        return labels, score

    def _improve(self, labels: list[int], word: int, score: float) -> float:
        """Give a word its best label."""
        for label in self.choices:
            kept, labels[word] = labels[word], label
            tried = self.points(labels) if label != kept else score
            if tried > score + _SAME:
                score = tried
            else:
                labels[word] = kept
        return score

    def _exchange(self, labels: list[int], score: float) -> float:
        """Exchange the labels of two words where that explains more."""
        some = self.order[:_MOST_SWAPPED]
        for number, word in enumerate(some):
            for other in some[:number]:
                if labels[word] == labels[other]:
                    continue
                labels[word], labels[other] = labels[other], labels[word]
                tried = self.points(labels)
                if tried > score + _SAME:
                    score = tried
                else:
                    labels[word], labels[other] = labels[other], labels[word]
        return score

    def _change_pairs(self, labels: list[int], score: float) -> float:
        """Give two words labels that only make sense together, where that explains more."""
        some = self.order[:_MOST_SWAPPED]
        pairs = () if self.rows else _TOGETHER
        for word in some:
            for other in some:
                for together in pairs if word != other else ():
                    kept = labels[word], labels[other]
                    labels[word], labels[other] = together
                    tried = self.points(labels) if kept != together else score
                    if tried > score + _SAME:
                        score = tried
                    else:
                        labels[word], labels[other] = kept
        return score

    def points(self, labels: Sequence[int]) -> float:
        """Return the points per record of a labelling."""
        key = tuple(labels)
        if key not in self._known_points:
            self._known_points[key] = self._points(key)
        return self._known_points[key]

    def _points(self, labels: Sequence[int]) -> float:
        of_session = self._points_of_tries if self.rows else self._points_of_events
        total = sum(of_session(session, labels) for session in self.sessions)
        total += sum(self._points_of_word(word, label, labels[word]) for word, label in self.known.items())
        if self.rows and not self._has_clears_at_once(labels):
            total -= 0.5 * self.records
        incomplete = CLEARS not in labels or (not self.rows and OPENS not in labels)
        return total / self.records - 0.5 * incomplete

    def _points_of_word(self, word: int, said: int, label: int) -> float:
        """Points for a label that is what the word says; it costs where the two contradict each other."""
        against = {said, label} <= _SETTLING
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

    def _settle_ties(self, labels: list[int], score: float) -> dict[int, int]:
        """Settle ties by what words say; return the words that could nearly as well mean something else."""
        doubts: dict[int, int] = {}
        for word, used in enumerate(self.used):
            for label in () if word in self.fixed else self.choices:
                kept, labels[word] = labels[word], label
                lost = (score - self.points(labels)) * self.records
                labels[word] = kept
                if label == kept or lost > 0.1 * used:
                    continue
                if self.known.get(word) == label and lost <= _SAME * self.records:
                    labels[word] = label
                elif {label, kept} & _SETTLING:
                    doubts[word] = label
        return doubts

    def _tally(self, labels: Sequence[int]) -> tuple[int, int, int, float]:
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
