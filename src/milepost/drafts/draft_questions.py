"""What a draft is not sure of, as questions with the two likeliest answers, and what a user said beforehand."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from typing import Final

from milepost.drafts.event_labels import CLEARS, ENDS, FAILS, INSIDE, LEAVES, OPENS
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
    "session_end": ENDS,
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


def answers_of(given: Sequence[str]) -> SetAnswers:
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
