"""Answers as a figure: what players said of each level, beside how hard it is to play."""

from __future__ import annotations

from typing import TYPE_CHECKING

from milepost.figures.style import Palette, Sheet, heading, names_down, shortened
from milepost.measures.answers import AnswersRow, QuestionAnswers
from milepost.reports.documents import AnswersDocument
from milepost.wording import plural

if TYPE_CHECKING:
    from matplotlib.axes import Axes


def draw_answers(sheet: Sheet, document: AnswersDocument) -> None:
    """Draw on an empty figure: the means of the first ordered question on the left, tries on the right, level by level."""
    question = shown_question(document)
    sheet.title(finding(document), "Left: mean answer with its 95 % interval. Right: the share of tries that fail, with its 95 % interval. Orange: levels where the two part.")  # noqa: E501
    if question is None:
        return
    rows = [row for row in document["levels"] if row["question"] == question["question"] and row["level"]]
    apart = {one["level"] for one in question["apart"]}
    left, right = sheet.axes(0.17, 0.07, 0.38, 0.78), sheet.axes(0.6, 0.07, 0.36, 0.78)
    _draw_means(left, sheet.look, rows, apart)
    _draw_tries(right, sheet.look, rows, apart)
    names_down(left, [str(row["level"]) for row in rows])
    names_down(right, [str(row["level"]) for row in rows])
    right.set_yticklabels([])
    if question["scale"]:
        left.set_xticks(range(1, len(question["scale"]) + 1), [shortened(one, 14) for one in question["scale"]])
        left.set_xlim(0.7, len(question["scale"]) + 0.3)
    heading(left, f"“{shortened(question['question'], 40)}”", sheet.look)
    heading(right, "tries that fail", sheet.look)


def shown_question(document: AnswersDocument) -> QuestionAnswers | None:
    """The question that is drawn: the ordered one with the most answers about levels."""
    told = [one for one in document["questions"] if one["ordered"] and any(row["level"] for row in one["levels"])]
    return max(told, key=lambda one: sum(row["n"] for row in one["levels"] if row["level"]), default=None)


def finding(document: AnswersDocument) -> str:
    """Which level is felt otherwise than it plays, in a sentence."""
    question = shown_question(document)
    if question is None:
        return "No question about levels has answers that can be put in order"
    if question["apart"]:
        first = question["apart"][0]
        return f"{shortened(first['level'], 26)}: {first['reading']} ({plural(first['n'], 'answer')})"
    return f"What {plural(question['players'], 'player')} said goes with how the levels play, as far as the answers tell"


def _draw_means(axes: Axes, look: Palette, rows: list[AnswersRow], apart: set[str]) -> None:
    for place, row in enumerate(rows):
        if row["mean"] is None:
            continue
        colour = look.lantern if row["level"] in apart else look.water
        if row["mean_low"] is not None and row["mean_high"] is not None:
            axes.plot([row["mean_low"], row["mean_high"]], [place, place], color=colour, linewidth=1.6)
        axes.plot(row["mean"], place, "D" if row["level"] in apart else "o", color=colour, markersize=7)
    axes.grid(axis="x", color=look.grid)


def _draw_tries(axes: Axes, look: Palette, rows: list[AnswersRow], apart: set[str]) -> None:
    for place, row in enumerate(rows):
        if row["try_clear"] is None:
            continue
        colour = look.lantern if row["level"] in apart else look.water
        if row["try_clear_low"] is not None and row["try_clear_high"] is not None:
            axes.plot([1 - row["try_clear_high"], 1 - row["try_clear_low"]], [place, place], color=colour, linewidth=1.6)
        axes.plot(1 - row["try_clear"], place, "D" if row["level"] in apart else "o", color=colour, markersize=7)
    axes.set_xlim(0, 1)
    axes.set_xticks([0, 0.25, 0.5, 0.75, 1], ["0 %", "25 %", "50 %", "75 %", "100 %"])
    axes.grid(axis="x", color=look.grid)
