"""What a draft is not sure of, as questions with the two likeliest answers, and what a user said beforehand."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Final, NamedTuple

from milepost.drafts.column_roles import SPLIT
from milepost.drafts.event_labels import BEGINS, CLEARS, ENDS, FAILS, INSIDE, LEAVES, OPENS
from milepost.drafts.map_candidate import Candidate
from milepost.drafts.try_durations import UNITS
from milepost.errors import UsageError
from milepost.vocabulary import EVENT_CODES

COLUMNS: Final = ("session", "player", "time", "event", "level")  # which may be said beforehand
MOST_QUESTIONS: Final = 5
_LABELS: Final = {
    "start": OPENS,
    "retry": OPENS,
    "complete": CLEARS,
    "death": FAILS,
    "reset": FAILS,
    "session_start": BEGINS,
    "session_end": ENDS,
    "transition": LEAVES,
    "quit": LEAVES,
}


@dataclass(frozen=True)
class DraftQuestion:
    """Something that a draft is not sure of.

    Attributes:
        key: what is asked about: one of ours, `unit`, or an event word of the log's.
        likelier: what the draft takes it for.
        other: what it may be as well.
    """

    key: str
    likelier: str
    other: str


@dataclass(frozen=True)
class SetAnswers:
    """What a user said of a log beforehand.

    Attributes:
        columns: columns by our fields.
        words: meanings of event words.
        unit: the unit of times.
    """

    columns: Mapping[str, str] = field(default_factory=dict)
    words: Mapping[str, str] = field(default_factory=dict)
    unit: str | None = None

    @property
    def labels(self) -> dict[str, int]:
        """The labels of these words."""
        return {word: _LABELS.get(ours, INSIDE) for word, ours in self.words.items()}


NO_ANSWERS: Final = SetAnswers()


def read_set_options(given: Sequence[str]) -> SetAnswers:
    """Return what `--set NAME=VALUE` says.

    Raises:
        UsageError: one is no such text, or names what is not known.
    """
    columns: dict[str, str] = {}
    words: dict[str, str] = {}
    unit = None
    for text in given:
        name, equals, value = text.partition("=")
        if not equals or not name or not value:
            raise UsageError(f"--set {text}: write NAME=VALUE, such as level=route or fall=death.")
        if name in COLUMNS:
            columns[name] = value
        elif name == "unit":
            if value not in UNITS:
                raise UsageError(f"--set {text}: the unit is one of {', '.join(UNITS)}.")
            unit = value
        elif value in (*EVENT_CODES, "ignore", "quit", "time_up", "crash"):
            words[name] = value
        else:
            raise UsageError(
                f"--set {text}: {value!r} is no event. Events are {', '.join(EVENT_CODES)}; "
                f"columns are set for {', '.join(COLUMNS)}."
            )
    return SetAnswers(columns, words, unit)


_CLOSE: Final = 0.08  # how much less another draft explains that may be right as well
_MEANINGS: Final = {OPENS: "start", CLEARS: "complete", FAILS: "death", ENDS: "session_end", LEAVES: "ignore", INSIDE: "ignore"}


class RankedCandidate(NamedTuple):
    """A candidate with how much of the log it explains; None for a draft by headings and words."""

    candidate: Candidate | None
    rank: float


def list_questions(best: RankedCandidate, others: Sequence[RankedCandidate], answers: SetAnswers) -> list[DraftQuestion]:
    """Return what a draft is not sure of, what matters most first.

    Args:
        best: the draft.
        others: drafts that explain less.
        answers: what was said beforehand, which is not asked again.
    """
    questions = [*_ask_about_columns(best, others, answers), *_ask_about_unit(best, answers), *_ask_about_words(best, answers)]
    return list({question.key: question for question in questions[::-1]}.values())[::-1][:MOST_QUESTIONS]


def _ask_about_columns(best: RankedCandidate, others: Sequence[RankedCandidate], answers: SetAnswers) -> Iterator[DraftQuestion]:
    """Yield questions on columns that another draft, nearly as good, takes for something else."""
    candidate = best.candidate
    for draft in others:
        other = draft.candidate
        if candidate is None or other is None or draft.rank < best.rank - _CLOSE:
            continue
        pairs = {
            "level": (candidate.roles.level_names[-1], other.roles.level_names[-1]),
            "event": (candidate.roles.event_names[-1], other.roles.event_names[-1]),
        }
        for key, (likelier, second) in pairs.items():
            if likelier != second and key not in answers.columns:
                yield DraftQuestion(key, likelier, second)


def _ask_about_unit(best: RankedCandidate, answers: SetAnswers) -> Iterator[DraftQuestion]:
    unit = best.candidate.unit if best.candidate is not None else None
    if unit is not None and unit.runner_up is not None and answers.unit is None:
        yield DraftQuestion("unit", unit.name, unit.runner_up)


def _ask_about_words(best: RankedCandidate, answers: SetAnswers) -> Iterator[DraftQuestion]:
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
