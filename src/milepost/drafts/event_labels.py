"""What event words mean, found by trial: the labels under which a log's sessions explain themselves best.

A climb over labels: one word's label after the other is changed, words are exchanged, and labels that only make sense together
are tried as pairs. No word has to be known beforehand.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from itertools import permutations, product
from types import MappingProxyType
from typing import Final

from milepost.drafts.label_points import (
    ARRIVES,
    BEGINS,
    CLEARS,
    ENDS,
    FAILS,
    INSIDE,
    LEAVES,
    NO_LEVEL,
    OPENS,
    SAME,
    SETTLING,
    UNEXPLAINED,
    LabelPoints,
    Session,
    next_levels,
)

_TOGETHER: Final = ((FAILS, OPENS), (CLEARS, OPENS), (FAILS, CLEARS), (ARRIVES, OPENS), (CLEARS, LEAVES))  # tried as pairs
FEWEST: Final = 3  # records that show where a word stands that neither opens nor ends a try
_ROUNDS: Final = 4
_MOST_SWAPPED: Final = 7  # words whose labels are exchanged with each other
_AS_WELL: Final = 0.05  # points per record, less of which do not decide between a clear and what comes right before it
_RIGHT_BEFORE: Final = 0.9  # of the words taken for clears, that come right after another word, for that to be the clear
_MOSTLY_LAST: Final = 0.5  # of what a word ends, that are a player's last tries, where few are after the commonest clear
_FAILS_AFTER: Final = 0.25  # of the times when it stands alone, that a failure may come next: logs have records in wrong places


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
        self.scored = LabelPoints(sessions, words, self.known, rows)
        self.used, self.records = self.scored.used, self.scored.records
        self.order = sorted((word for word in range(words) if word not in fixed), key=lambda word: -self.used[word])
        self.choices = (CLEARS, FAILS, LEAVES, UNEXPLAINED) if rows else tuple(range(UNEXPLAINED + 1))

    def best(self) -> Labelling:
        """Return the best labelling that was found."""
        climbed = [self._climb(start) for start in self._beginnings()]
        labels, score = self._move_clears_before_leaving(*max(climbed, key=lambda pair: pair[1]))
        doubts = self._settle_ties(labels, score)
        for word, used in enumerate(self.used):
            few = used < FEWEST and not self.rows
            if few and labels[word] in (INSIDE, LEAVES, ARRIVES) and self.known.get(word) != labels[word]:
                labels[word] = UNEXPLAINED
        tally = self.scored.tally(labels)
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
        labels = [self.known.get(word, UNEXPLAINED) for word in range(self.words)]
        for word, label in self.fixed.items():
            by_place[word] = label
        return [labels, by_place] if self.known else [by_place]

    def _climb(self, start: list[int]) -> tuple[list[int], float]:
        """Change one word's label after the other as long as that explains more."""
        labels, score = list(start), self.scored.points(start)
        for _ in range(_ROUNDS):
            before = score
            for word in self.order:
                score = self._improve(labels, word, score)
            score = self._exchange(labels, score)
            score = self._change_pairs(labels, score)
            if score <= before + SAME:
                break
        return labels, score

    def _improve(self, labels: list[int], word: int, score: float) -> float:
        """Give a word its best label."""
        for label in self.choices:
            kept, labels[word] = labels[word], label
            tried = self.scored.points(labels, score) if label != kept else score
            if tried > score + SAME:
                score = tried
            else:
                labels[word] = kept
        return score

    def _exchange(self, labels: list[int], score: float) -> float:
        """Exchange the labels of two words where that explains more."""
        commonest = self.order[:_MOST_SWAPPED]
        for number, word in enumerate(commonest):
            for other in commonest[:number]:
                if labels[word] == labels[other]:
                    continue
                labels[word], labels[other] = labels[other], labels[word]
                tried = self.scored.points(labels, score)
                if tried > score + SAME:
                    score = tried
                else:
                    labels[word], labels[other] = labels[other], labels[word]
        return score

    def _change_pairs(self, labels: list[int], score: float) -> float:
        """Give two words labels that only make sense together, where that explains more."""
        commonest = self.order[:_MOST_SWAPPED]
        pairs = () if self.rows else _TOGETHER
        for (word, other), together in product(permutations(commonest, 2), pairs):
            kept = labels[word], labels[other]
            labels[word], labels[other] = together
            tried = self.scored.points(labels, score) if kept != together else score
            if tried > score + SAME:
                score = tried
            else:
                labels[word], labels[other] = kept
        return score

    def _move_clears_before_leaving(self, labels: list[int], score: float) -> tuple[list[int], float]:
        """The labels where what closes a try just before the clear is the clear, and what was taken for it leaves the level."""
        if self.rows:
            return labels, score
        for word, other in permutations(self.order, 2):
            if (labels[word], labels[other]) == (INSIDE, CLEARS) and self._closes_before(word, other, labels):
                changed = [
                    CLEARS if number == word else LEAVES if number == other else label for number, label in enumerate(labels)
                ]
                points = self.scored.points(changed)
                if points > score - _AS_WELL:
                    return changed, points
        return labels, score

    def _closes_before(self, word: int, other: int, labels: list[int]) -> bool:
        """Return whether one word comes right before another as a rule, and seldom a failure after it where it does not."""
        before = alone = failed = 0
        for session in self.sessions:
            for place, (current, _) in enumerate(session):
                before += current == other and place > 0 and session[place - 1][0] == word
                if current == word and [after for after, _ in session[place + 1 : place + 2]] != [other]:
                    later = (labels[after] for after, _ in session[place + 1 :] if labels[after] in SETTLING)
                    alone, failed = alone + 1, failed + (next(later, OPENS) == FAILS)
        return before >= _RIGHT_BEFORE * self.used[other] and alone >= FEWEST and failed <= _FAILS_AFTER * alone

    def _settle_ties(self, labels: list[int], score: float) -> dict[int, int]:
        """Settle ties by what words say; return the words that could nearly as well mean something else."""
        doubts: dict[int, int] = {}
        for word, used in enumerate(self.used):
            for label in () if word in self.fixed else self.choices:
                kept, labels[word] = labels[word], label
                least = score - 0.1 * used / self.records - SAME  # below which it is out of the question
                lost = (score - self.scored.points(labels, least)) * self.records
                labels[word] = kept
                if label == kept or lost > 0.1 * used:
                    continue
                if self.known.get(word) == label and lost <= SAME * self.records:
                    labels[word] = label
                elif {label, kept} & SETTLING:
                    doubts[word] = label
        clears = [word for word in self.order if labels[word] == CLEARS] if self.rows else []
        return doubts | dict.fromkeys(_list_clears_that_are_last(self.sessions, clears, self.scored.following), LEAVES)


def _list_clears_that_are_last(sessions: Sequence[Session], clears: Sequence[int], following: Mapping[int, int]) -> list[int]:
    """Return the words taken for clears of whole tries with which most players end, as few do with the commonest clear.

    Args:
        sessions: the tries of each session.
        clears: words, the commonest first.
        following: per level, the one that comes after it; after the last one nobody goes on.
    """
    ended, last = Counter[int](), Counter[int]()
    for session in sessions:
        for place, (word, level) in enumerate(session):
            ended[word] += level in following
            last[word] += level in following and place == len(session) - 1
    shares = [last[word] / max(1, ended[word]) for word in clears]
    least = max(_MOSTLY_LAST, 2 * shares[0]) if shares else 0.0
    return [word for word, share in zip(clears, shares, strict=True) if ended[word] >= FEWEST and share >= least]


__all__ = [
    "ARRIVES",
    "BEGINS",
    "CLEARS",
    "ENDS",
    "FAILS",
    "INSIDE",
    "LEAVES",
    "NO_LABELS",
    "NO_LEVEL",
    "OPENS",
    "UNEXPLAINED",
    "LabelSearch",
    "Labelling",
    "next_levels",
]
