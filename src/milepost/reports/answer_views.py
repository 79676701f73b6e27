"""Views of answers and of ratings: a table a question, how they go with play, and the levels that differ."""

from __future__ import annotations

from typing import TYPE_CHECKING, Final

from milepost.reports.build_document import source_notes
from milepost.reports.interface import Column, View
from milepost.reports.views import count_column, level_column
from milepost.wording import NOTHING, clock, listed, listed_first, logits, number, percent, plural, rate, safe

if TYPE_CHECKING:
    from collections.abc import Callable

    from milepost.measures.answer_changes import AnswerChange, AnsweredMean
    from milepost.measures.answer_texts import Quotation
    from milepost.measures.answers import AnsweredLevel, AnswersRow, Listed, QuestionAnswers
    from milepost.measures.ratings import RatingsRow
    from milepost.reports.document_types import AnswersDocument, RatingsDocument
    from milepost.reports.interface import AnyView

_MOST_LISTED = 8


def answers_view(report: AnswersDocument) -> list[AnyView]:
    """A table for each question, and who is not in them."""
    views: list[AnyView] = [_question(report, question) for question in report["questions"]]
    if not views:
        views = [View("No answers", (), [], ["No player of the log has answered anything."])]
    if report["since"] is not None:
        views.append(changes_view(report["since"], "Since that report", ("then", "now")))
    return [*views, View("Whose answers these are", (), [], [*_list_left_out(report), *source_notes(report)])]


def changes_view(rows: list[AnswerChange], heading: str, sides: tuple[str, str]) -> View[AnswerChange]:
    """The means of answers on two sides, level by level, and which of them changed."""
    of_question: Column[AnswerChange] = Column("question", lambda row: safe(row["question"]), left=True)
    several = len({row["question"] for row in rows}) > 1
    columns: tuple[Column[AnswerChange], ...] = (
        *([of_question] if several else []),
        Column("level", lambda row: safe(row["level"]) if row["level"] else "whole course", left=True),
        Column(safe(sides[0]), lambda row: _name_side(row["from"])),
        Column(safe(sides[1]), lambda row: _name_side(row["to"])),
        Column("change", lambda row: NOTHING if row["change"] is None else logits(row["change"], True)),
        Column("95 %", _change_span, rank=1, full_title="interval of the change"),
        Column("verdict", lambda row: _VERDICTS[row["verdict"]] if row["q_value"] is not None else "too few", left=True),
    )
    changed = [f"{safe(row['level'] or 'whole course')} {row['verdict']}" for row in rows if row["verdict"] != "no_telling"]
    summary = f"Changed: {listed(changed)}." if changed else "No mean of answers is told to have changed."
    notes = [f"{summary} All are judged at once, so that about one claim in seven may be chance."] if rows else []
    return View(heading, columns, rows, notes or ["Nothing was answered on both sides."])


_VERDICTS: Final = {"higher": "▲ higher", "lower": "▼ lower", "no_telling": "undecided"}


def _name_side(side: AnsweredMean) -> str:
    return NOTHING if side["mean"] is None else f"{rate(side['mean'])} of {side['n']}"


def _change_span(row: AnswerChange) -> str:
    return "" if row["low"] is None or row["high"] is None else f"{logits(row['low'], True)} to {logits(row['high'], True)}"


def _themes(question: QuestionAnswers) -> list[str]:
    """Return themes, level by level, with quotations; and what is of none."""
    lines = []
    for row in question["themes"]:
        quoted = listed([_quotation(quotation) for quotation in row["quotations"]])
        share = f"{row['n']} of {row['of']} ({_percents(row['share_low'], row['share_high'])})"
        lines.append(f"{safe(row['level'] or 'Whole course')}, {safe(row['theme'])}: {share}, such as {quoted}.")
    rest = question["of_no_theme"]
    if rest:
        more = f" and {len(rest) - _MOST_LISTED} more; --format json has all" if len(rest) > _MOST_LISTED else ""
        lines.append(f"Of no theme: {listed([_quoted(answer) for answer in rest[:_MOST_LISTED]])}{more}.")
    return lines


def _percents(low: float | None, high: float | None) -> str:
    return f"{percent(low).removesuffix(' %')}–{percent(high)}"


def _quotation(quotation: Quotation) -> str:
    where = (
        ""
        if quotation["session"] is None or quotation["clock"] is None
        else f", {safe(quotation['session'])} at {clock(quotation['clock'])}"
    )
    return f"“{safe(quotation['answer'])}” ({safe(quotation['player'])}{where})"


def _list_left_out(report: AnswersDocument) -> list[str]:
    lines = []
    if names := report["players_not_counted"]:
        whose = f"{plural(len(names), 'player')} who are not in the log or do not count"
        lines.append(f"Left out: the answers of {whose} ({listed_first(names, _MOST_LISTED)}).")
    if names := report["unknown_levels"]:
        which = f"{plural(len(names), 'level')} that the course does not have"
        lines.append(f"Left out: answers on {which} ({listed_first(names, _MOST_LISTED)}).")
    return lines


def _question(report: AnswersDocument, question: QuestionAnswers) -> View[AnsweredLevel]:
    beside = {row["level"]: row for row in report["levels"] if row["question"] == question["question"]}
    columns: list[Column[AnsweredLevel]] = [
        Column("level", lambda row: safe(row["level"]) if row["level"] else "whole course", left=True),
        Column("n", lambda row: number(row["n"])),
    ]
    least = report.get("min_players", 0)
    if question["ordered"]:
        columns += [
            Column("mean", lambda row: _bracketed(rate(row["mean"]), row["n"] < least)),
            Column("95 %", lambda row: _span(row["mean_low"], row["mean_high"]), rank=2, full_title="interval of the mean"),
            Column("a try clears", lambda row: percent(_clear_rate_beside(beside, row)), rank=1),
        ]
        columns.append(Column("answers", _distribution, left=True, rank=3))
    return View(f"“{safe(question['question'])}”", tuple(columns), question["levels"], _notes(report, question))


def _bracketed(text: str, few: bool) -> str:
    return f"({text})" if few and text != NOTHING else text


def _span(low: float | None, high: float | None) -> str:
    return "" if low is None or high is None else f"{rate(low)}–{rate(high)}"


def _clear_rate_beside(rows: dict[str | None, AnswersRow], row: AnsweredLevel) -> float | None:
    return rows[row["level"]]["try_clear"] if row["level"] in rows else None


def _distribution(row: AnsweredLevel) -> str:
    shown = [f"{safe(entry['answer'])} {entry['n']}" for entry in row["distribution"][:_MOST_LISTED]]
    return ", ".join(shown) + (" …" if len(row["distribution"]) > _MOST_LISTED else "")


def _notes(report: AnswersDocument, question: QuestionAnswers) -> list[str]:
    lines = [f"{plural(question['players'], 'player')} answered."]
    lines += _themes(question)
    if not question["ordered"] and not question["themes"]:
        lines += [
            f"{safe(row['level']) if row['level'] else 'Whole course'}: {_distribution(row)}." for row in question["levels"]
        ]
    if question["scale"]:
        lines.append(
            f"The mean is of places in the order {listed([safe(label) for label in question['scale']])}, from 1 to "
            f"{len(question['scale'])}."
        )
    lines += agreement_sentences(question)
    if any(row["n"] < report.get("min_players", 0) for row in question["levels"]) and question["ordered"]:
        lines.append(f"In brackets: fewer than {report.get('min_players', 0)} answers, of which nothing is claimed.")
    if question["listed"] and question["ordered"]:
        lines.append(
            f"On no scale: {listed([_quoted(answer) for answer in question['listed'][:_MOST_LISTED]])}{_point_to_more(question)}."
        )
    return lines


def _quoted(answer: Listed) -> str:
    return f"“{safe(answer['answer'])}” ({', '.join(safe(part) for part in (answer['player'], answer['level']) if part)})"


def _point_to_more(question: QuestionAnswers) -> str:
    beyond = len(question["listed"]) - _MOST_LISTED
    return f" and {beyond} more; --format json has all" if beyond > 0 else ""


def agreement_sentences(question: QuestionAnswers) -> list[str]:
    """How the answers to an ordered question go with play, and the levels that part most."""
    agreement, lines = question["agreement"], []
    if agreement is not None and agreement["rho"] is not None:
        low, high = agreement["low"], agreement["high"]
        span = f", 95 % interval {logits(low)} to {logits(high)}" if low is not None and high is not None else ""
        direction = _word_direction(low, high)
        lines.append(
            f"Answers and tries: rank correlation {logits(agreement['rho'])}{span}, over "
            f"{plural(agreement['pairs'], 'pair')} of player and level; {direction}."
        )
    lines += [
        f"{safe(row['level'])}: {row['reading']} (mean answer {rate(row['mean'])} of {plural(row['n'], 'player')}, and "
        f"a try clears {percent(row['try_clear'])} of the time)."
        for row in question["apart"]
    ]
    return lines


def _word_direction(low: float | None, high: float | None) -> str:
    if low is None or high is None or low <= 0 <= high:
        return "whether the two go together cannot be told"
    return "who needs more tries answers higher" if low > 0 else "who needs more tries answers lower"


def ratings_view(report: RatingsDocument) -> list[AnyView]:
    """Return the view of ratings."""
    names = [band["name"] for band in report["bands"]]
    columns: list[Column[RatingsRow]] = [level_column(report, "rated")]
    columns += [count_column("clears", "clears", 2), count_column("rated", "rated")]
    columns += [Column(safe(name), _format_band_share(name)) for name in names]
    columns += [
        count_column("no rating", "no_band", 1),
        Column("logged otherwise", _logged_otherwise, rank=2),
        Column("out of reach", lambda row: ", ".join(map(safe, row["unreachable"])), left=True, rank=3),
    ]
    faults = [f"The bands have a fault: {safe(fault)}." for fault in report["faults"]] or ["The bands have no gaps or overlaps."]
    return [
        View(
            "Ratings: the share of first clears in each band of pick-ups",
            tuple(columns),
            report["levels"],
            [*faults, *source_notes(report)],
        )
    ]


def _logged_otherwise(row: RatingsRow) -> str:
    return f"{row['logged_otherwise']} of {row['logged']}" if row["logged"] else ""


def _format_band_share(name: str) -> Callable[[RatingsRow], str]:
    return lambda row: percent(row["ratings"][name]["share"])
