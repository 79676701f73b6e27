"""What a draft is not sure of: columns that another draft takes for something else, the unit of times, and doubtful words."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from typing import Final, NamedTuple

from milepost.drafts.column_roles import SPLIT
from milepost.drafts.draft_questions import MOST_QUESTIONS, DraftQuestion, SetAnswers
from milepost.drafts.event_labels import CLEARS, ENDS, FAILS, INSIDE, LEAVES, OPENS
from milepost.drafts.map_candidate import Candidate

_CLOSE: Final = 0.08  # how much less another draft explains that may be right as well
_MEANINGS: Final = {OPENS: "start", CLEARS: "complete", FAILS: "death", ENDS: "session_end", LEAVES: "ignore", INSIDE: "ignore"}


class RankedCandidate(NamedTuple):
    """A candidate with how much of the log it explains; None for a draft by headings and words."""

    candidate: Candidate | None
    rank: float


def questions_of(best: RankedCandidate, others: Sequence[RankedCandidate], answers: SetAnswers) -> list[DraftQuestion]:
    """Return what a draft is not sure of, what matters most first.

    Args:
        best: the draft.
        others: drafts that explain less.
        answers: what was said beforehand, which is not asked again.
    """
    found = [*_of_columns(best, others, answers), *_of_unit(best, answers), *_of_words(best, answers)]
    return list({question.key: question for question in found[::-1]}.values())[::-1][:MOST_QUESTIONS]


def _of_columns(best: RankedCandidate, others: Sequence[RankedCandidate], answers: SetAnswers) -> Iterator[DraftQuestion]:
    """Yield questions on columns that another draft, nearly as good, takes for something else."""
    own = best.candidate
    for draft in others:
        other = draft.candidate
        if own is None or other is None or draft.rank < best.rank - _CLOSE:
            continue
        pairs = {
            "level": (own.roles.level_names[-1], other.roles.level_names[-1]),
            "event": (own.roles.event_names[-1], other.roles.event_names[-1]),
        }
        for key, (likelier, second) in pairs.items():
            if likelier != second and key not in answers.columns:
                yield DraftQuestion(key, likelier, second)


def _of_unit(best: RankedCandidate, answers: SetAnswers) -> Iterator[DraftQuestion]:
    unit = best.candidate.unit if best.candidate is not None else None
    if unit is not None and unit.runner_up is not None and answers.unit is None:
        yield DraftQuestion("unit", unit.name, unit.runner_up)


def _of_words(best: RankedCandidate, answers: SetAnswers) -> Iterator[DraftQuestion]:
    """Yield questions on words that could nearly as well mean something else."""
    if best.candidate is None:
        return
    labelling, words = best.candidate.labelling, best.candidate.roles.event.words
    for code, label in labelling.doubts.items():
        word = words[code].rpartition(SPLIT)[2]
        meanings = {**_MEANINGS, LEAVES: "quit"} if best.candidate.rows else _MEANINGS
        likelier, other = meanings.get(labelling.labels[code], "ignore"), meanings.get(label, "ignore")
        if likelier != other and word not in answers.words:
            yield DraftQuestion(word, likelier, other)
