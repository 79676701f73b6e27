"""Questions on a draft of a map, asked on a terminal: each with the figures that would come of either answer."""

from __future__ import annotations

import sys
from contextlib import suppress
from typing import TYPE_CHECKING

from milepost.drafts.draft_questions import MOST_QUESTIONS, SetAnswers, answers_of
from milepost.errors import LogError
from milepost.wording import number, percent, plural, safe

if TYPE_CHECKING:
    from collections.abc import Callable

    from milepost.drafts.draft_questions import DraftQuestion
    from milepost.drafts.map_by_trial import DraftedMap


def asks() -> bool:
    """Return whether there is somebody to ask."""
    return all(stream is not None and stream.isatty() for stream in (sys.stdin, sys.stderr))


def ask_until_sure(draft: DraftedMap, answers: SetAnswers, draft_anew: Callable[[SetAnswers], DraftedMap]) -> DraftedMap:
    """Ask what a draft is not sure of, at most five questions; return the draft by the answers.

    Args:
        draft: the draft.
        answers: what is known already.
        draft_anew: makes the draft by what is known.
    """
    asked: set[str] = set()
    for _ in range(MOST_QUESTIONS):
        question = next((own for own in draft.questions if own.key not in asked), None)
        if question is None:
            break
        asked.add(question.key)
        other = _with(answers, question.key, question.other)
        second = None
        with suppress(LogError):
            second = draft_anew(other)
        if second is not None and _takes_other(question, draft, second):
            answers, draft = other, second
    return draft


def _with(answers: SetAnswers, key: str, value: str) -> SetAnswers:
    """What is known, with one answer more."""
    own = answers_of([f"{key}={value}"])
    return SetAnswers({**answers.columns, **own.columns}, {**answers.words, **own.words}, own.unit or answers.unit)


def _takes_other(question: DraftQuestion, draft: DraftedMap, second: DraftedMap) -> bool:
    """Ask one question on the terminal; Enter takes the likelier answer."""
    lines = [
        f"What is {safe(question.key)}?",
        f"  1  {safe(question.likelier)} (Enter): {_figures(draft)}",
        f"  2  {safe(question.other)}: {_figures(second)}",
    ]
    print("\n".join(lines), file=sys.stderr)
    print("1 or 2? ", end="", file=sys.stderr, flush=True)
    return sys.stdin.readline().strip() == "2"


def _figures(draft: DraftedMap) -> str:
    trial = draft.trial
    took = "" if trial.try_seconds is None else f", half of the tries take up to {number(trial.try_seconds)} s"
    return f"{plural(trial.levels, 'level')}, {plural(trial.clears, 'clear')}, {percent(trial.settled)} of tries end{took}"
