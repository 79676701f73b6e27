"""Answers as a figure: what players said of each level, beside how hard it is to play."""

from __future__ import annotations

from typing import TYPE_CHECKING

from milepost.figures.shared import collect_marks
from milepost.figures.style import Palette, Sheet, heading, names_down, shorten
from milepost.measures.answers import AnswersRow, QuestionAnswers
from milepost.reports.document_types import AnswersDocument
from milepost.wording import plural

if TYPE_CHECKING:
    from matplotlib.axes import Axes

_Figure = tuple[float | None, float | None, float | None]  # with the ends of its interval


def draw_answers(sheet: Sheet, document: AnswersDocument) -> None:
    """Draw on an empty figure: the means of the first ordered question on the left, tries on the right, level by level."""
    question = shown_question(document)
    sheet.title(
        finding(document),
        "Left: mean answer with its 95 % interval. Right: the share of tries that fail, with its 95 % interval. "
        "Orange: levels where the two part.",
    )
    if question is None:
        return
    rows = [row for row in document["levels"] if row["question"] == question["question"] and row["level"]]
    apart = {row["level"] for row in question["apart"]}
    left, right = sheet.axes(0.17, 0.07, 0.38, 0.78), sheet.axes(0.6, 0.07, 0.36, 0.78)
    _draw(left, sheet.look, rows, [(row["mean"], row["mean_low"], row["mean_high"]) for row in rows], apart)
    _draw(right, sheet.look, rows, [_failing(row) for row in rows], apart)
    right.set_xlim(0, 1)
    right.set_xticks([0, 0.25, 0.5, 0.75, 1], ["0 %", "25 %", "50 %", "75 %", "100 %"])
    names_down(left, [str(row["level"]) for row in rows])
    names_down(right, [str(row["level"]) for row in rows])
    right.set_yticklabels([])
    if question["scale"]:
        left.set_xticks(range(1, len(question["scale"]) + 1), [shorten(label, 14) for label in question["scale"]])
        left.set_xlim(0.7, len(question["scale"]) + 0.3)
    heading(left, f"“{shorten(question['question'], 40)}”", sheet.look)
    heading(right, "tries that fail", sheet.look)


def shown_question(document: AnswersDocument) -> QuestionAnswers | None:
    """The question that is drawn: the ordered one with the most answers about levels."""
    shown = [
        question for question in document["questions"] if question["ordered"] and any(row["level"] for row in question["levels"])
    ]
    return max(shown, key=lambda question: sum(row["n"] for row in question["levels"] if row["level"]), default=None)


def finding(document: AnswersDocument) -> str:
    """Return a title on the level whose answers differ most from its play."""
    question = shown_question(document)
    if question is None:
        return "No question about levels has answers that can be put in order"
    if question["apart"]:
        first = question["apart"][0]
        return f"{shorten(first['level'], 26)}: {first['reading']} ({plural(first['n'], 'answer')})"
    return f"What {plural(question['players'], 'player')} said goes with how the levels play, as far as the answers tell"


def _draw(axes: Axes, look: Palette, rows: list[AnswersRow], figures: list[_Figure], apart: set[str]) -> None:
    """A figure with its interval for each level, those of levels that part in another shape and colour."""
    with collect_marks(axes) as marks:
        for place, (row, (value, low, high)) in enumerate(zip(rows, figures, strict=True)):
            if value is None:
                continue
            parts = row["level"] in apart
            colour = look.lantern if parts else look.water
            if low is not None and high is not None:
                marks.plot([low, high], [place, place], color=colour, linewidth=1.6)
            marks.plot(value, place, "D" if parts else "o", color=colour, markersize=7)
    axes.grid(axis="x", color=look.grid)


def _failing(row: AnswersRow) -> _Figure:
    """The share of tries that fail, with its interval."""
    value, low, high = row["try_clear"], row["try_clear_low"], row["try_clear_high"]
    return value if value is None else 1 - value, high if high is None else 1 - high, low if low is None else 1 - low
