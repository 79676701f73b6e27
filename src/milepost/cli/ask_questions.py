"""Questions on a draft of a map, asked on a terminal: each with the figures that would come of either answer."""

from __future__ import annotations

import sys
from contextlib import suppress
from typing import TYPE_CHECKING, Final

from milepost.drafts.draft_questions import MOST_QUESTIONS, SetAnswers, read_set_options
from milepost.errors import LogError
from milepost.measures.funnel import Funnel
from milepost.playback.tallies import finding_counts, get_tallies
from milepost.wording import listed, number, percent, plural, safe

if TYPE_CHECKING:
    from collections.abc import Callable

    from milepost.drafts.draft_questions import DraftQuestion
    from milepost.drafts.map_by_trial import DraftedMap
    from milepost.drafts.playtest_folder import CreatedFolder
    from milepost.playback.play import Play


def can_ask() -> bool:
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
        question = next((question for question in draft.questions if question.key not in asked), None)
        if question is None:
            break
        asked.add(question.key)
        other = _add_answer(answers, question.key, question.other)
        second = None
        with suppress(LogError):
            second = draft_anew(other)
        if second is not None and _takes_other(question, draft, second):
            answers, draft = other, second
    return draft


def _add_answer(answers: SetAnswers, key: str, value: str) -> SetAnswers:
    """What is known, with one answer more."""
    added = read_set_options([f"{key}={value}"])
    return SetAnswers({**answers.columns, **added.columns}, {**answers.words, **added.words}, added.unit or answers.unit)


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


_SHOWN: Final = 5  # levels of the funnel


def describe_begun(begun: CreatedFolder, folder: str) -> str:
    """Return the text on the files read, the files written, and what to look at."""
    play = begun.play
    lines = [
        f"Read: {plural(get_tallies(play).records, 'record')} of {plural(int(play.counts.sum()), 'player')} in "
        f"{plural(play.n_levels, 'level')}.",
        f"Written in {safe(folder)}: {listed(begun.written)}.",
    ]
    if begun.kept:
        lines.append(f"There already, and used: {listed(begun.kept)}.")
    lines += ["", "Look at these:"]
    if begun.draft is not None:
        lines += _describe_map(begun.draft)
    if "course.toml" in begun.written:
        lines.append("- course.toml: the order of the levels is inferred from who was where first. Put in what was planned.")
    heavy = sum(finding_counts(play).values())
    lines.append(f"- milepost check: {plural(heavy, 'finding')} in the log so far, and what was done about each.")
    lines += ["", *_describe_first_levels(play)]
    inside = "" if folder in (".", "") else f"cd {safe(folder)}, then "
    lines += ["", f"From here on: {inside}milepost funnel, milepost spikes, milepost report -o report.html."]
    return "\n".join(lines) + "\n"


def _describe_map(draft: DraftedMap) -> list[str]:
    """Return what is to be said of the draft of a map."""
    lines = ["- map.toml: how the log was understood. It is a guess with its reasons; mend what it got wrong."]
    if not draft.sure:
        lines.insert(0, "- DOUBTFUL: the draft leaves much of the log unexplained. Check it before you believe a figure.")
    for question in draft.questions:
        guess = f"{safe(question.key)} is taken for {safe(question.likelier)}; if it is {safe(question.other)}"
        lines.append(f"- Not sure: {guess}, add --set {safe(question.key)}={safe(question.other)} --force.")
    return lines


def _describe_first_levels(play: Play) -> list[str]:
    """Return the beginning of the funnel, so that a wrong draft is seen at once."""
    rows = Funnel()(play).rows[:_SHOWN]
    lines = ["The funnel begins so:"]
    for row in rows:
        rate = "" if row["clear_rate"] is None else f" ({percent(row['clear_rate'])})"
        lines.append(
            f"  {safe(row['level'])}: {plural(row['reached'], 'player')} reached it, {row['cleared']:,} cleared it{rate}"
        )
    return lines if rows else ["No try at a level was found: the funnel is empty."]
