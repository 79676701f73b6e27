"""Views of difficulty: levels that stand out, and the projected effect of a change."""

from __future__ import annotations

from collections.abc import Callable
from math import exp
from typing import TYPE_CHECKING, Final

from milepost.numerics.intervals import Z95
from milepost.reports.build_document import source_notes
from milepost.reports.interface import Column, View
from milepost.reports.views import BAR, count_column, figure, level_column, share_columns, small_note
from milepost.wording import NOTHING, bar, listed, logits, percent, safe, whole, words

if TYPE_CHECKING:
    from milepost.difficulty.row_types import Inversion, KnobShift, Model, SpikesRow, WhatIfRow
    from milepost.reports.document_types import SpikesDocument, WhatIfDocument
    from milepost.reports.interface import AnyView
    from milepost.reports.views import AnyRow


_DIFFICULTY: Final = {
    "tries": "Difficulty in logits (higher is harder), adjusted for who got there",
    "time": "Difficulty in log seconds of clearing (higher takes longer), adjusted for who got there",
}


def spikes_view(report: SpikesDocument) -> list[AnyView]:
    """Return the view of levels that stand out, with the evidence and the cost."""
    columns: tuple[Column[SpikesRow], ...] = (
        level_column(report, "players"),
        count_column("players", "players", 5),
        count_column("tries", "tries", 7),
        *share_columns("a try clears", "try_clear", 6),
        Column("difficulty", _logit("difficulty")),
        Column("±", _logit("se"), rank=8, full_title="standard error"),
        Column("expected", _logit("expected"), rank=4),
        Column("excess", _logit("excess"), rank=1),
        Column("verdict", word_claim, left=True),
        Column("evidence", lambda row: "" if row["evidence"] == "none" else words(row["evidence"]), left=True),
        Column("q", _q),
        Column("cost", _cost, rank=3),
        Column("plan", _plan, left=True),
    )
    none = ["No level stands out beyond the course's own unevenness."]
    judged = any(row["evidence"] != "too_few" for row in report["levels"])
    stands_out = any(row["kind"] != "none" for row in report["levels"])
    sentences = (none if judged and not stands_out else []) + [safe(sentence) for sentence in report["sentences"]]
    return [
        View("What stands out", (), [], sentences),
        View(
            _DIFFICULTY[report["basis"]],
            columns,
            report["levels"],
            [
                *_model_note(report["model"], report["basis"]),
                *_design_notes(report),
                *small_note(report, report["levels"], "players"),
                *source_notes(report),
            ],
        ),
    ]


def word_claim(row: SpikesRow) -> str:
    """Return the claim on a level; a hint if the evidence is weak, empty if it does not stand out."""
    if row["kind"] == "none":
        return ""
    return f"may be a {row['kind']}" if row["evidence"] == "weak" else row["kind"]


def _logit(key: str) -> Callable[[AnyRow], str]:
    return lambda row: NOTHING if (value := figure(row, key)) is None else logits(value)


def _q(row: SpikesRow) -> str:
    """The q value of what stands out; never zero."""
    if row["kind"] == "none" or row["q_value"] is None:
        return ""
    return "<0.01" if row["q_value"] < 0.005 else f"{row['q_value']:.2f}"


def _plan(row: SpikesRow) -> str:
    """The verdict against the plan, in few letters."""
    return "undecided" if row["plan"] == "too few to tell" else row["plan"] or ""


def _cost(row: SpikesRow) -> str:
    """Players lost to a level that is harder than its surroundings."""
    cost, low, high = row["cost"], row["cost_low"], row["cost_high"]
    if row["kind"] not in ("spike", "step") or cost is None or low is None or high is None:
        return ""
    return f"{whole(cost)} ({whole(low)} to {whole(high)})"


def _design_notes(report: SpikesDocument) -> list[str]:
    """Inversions, knobs that stop growing, and levels that ought to be alike."""
    lines = []
    by_time = report["basis"] == "time"
    unit = "log seconds" if by_time else "logits"
    if report["inversions"]:
        pairs = [
            f"{safe(row['level'])} than {safe(row['easier_than'])} ({_word_drop(row, by_time)})" for row in report["inversions"]
        ]
        head = "Quicker than the level before, in times" if by_time else "Easier than the level before, by logits"
        lines.append(f"{head}, with 95 % intervals: {listed(pairs)}.")
    for cap in report.get("caps", []):
        line = (
            f"{safe(cap['knob'])} stays at {safe(str(cap['value']))} from {safe(cap['level'])} on; difficulty rises by "
            f"{cap['slope_before']:.2f} ({cap['slope_before_low']:.2f} to {cap['slope_before_high']:.2f}) a level until there "
            f"and {cap['slope_after']:.2f} ({cap['slope_after_low']:.2f} to {cap['slope_after_high']:.2f}) after ({unit})."
        )
        lines.append(line.replace("-", "−"))
    for pair in report.get("equal_levels", []):
        low, high = (abs(pair["difference"]) + sign * Z95 * pair["se"] for sign in (-1, 1))
        word = "more than chance" if low > 0 else "no more than chance alone may do"
        line = f"differ by {logits(abs(pair['difference']))} {unit} (95 % interval {logits(low)} to {logits(high)}): {word}"
        lines.append(f"{listed([safe(name) for name in pair['levels']])} have the same knobs; they {line}.")
    return lines


def _word_drop(row: Inversion, by_time: bool) -> str:
    """How far a level lies below the one before it, with its interval."""
    size, low, high = row["by"], row["low"], row["high"]
    if by_time:
        return f"{exp(size):.1f}, {exp(low):.1f} to {exp(high):.1f}"
    return f"{logits(size)}, {logits(low)} to {logits(high)}"


def _model_note(model: Model | None, basis: str) -> list[str]:
    if model is None:
        return ["No try was settled in a level of the course, so there is nothing to judge."]
    short = [] if model["arrived"] else ["The model did not settle in the steps that it has: take difficulties as rough."]
    if basis == "time":
        spread, uneven = model["skill_sd"], model["roughness"]
        within = f"a level that takes {exp(uneven):.1f} times as long as its neighbours is within it"
        pace = f"Pace spreads by {spread:.2f} log seconds over players."
        return [*short, f"{pace} The course's own unevenness is {uneven:.2f} log seconds: {within}."]
    gives_up = "No try failed, so that nothing is known of giving up."
    if model["failures"]:
        gives_up = f"After a failure {percent(model['quit_per_failure'])} give up ({model['lost']} of {model['failures']})."
    return [
        *short,
        f"Skill spreads by {model['skill_sd']:.2f} logits over players; each doubling of the try number adds "
        f"{0.693 * model['learning']:.2f}. The course's own unevenness is {model['roughness']:.2f} logits. "
        f"{gives_up} Cost: players who would still be playing at the end, had the level been as expected.",
    ]


def whatif_view(report: WhatIfDocument) -> list[AnyView]:
    """The measured funnel, and the projected one before and after the change."""
    columns: tuple[Column[WhatIfRow], ...] = (
        Column("level", lambda row: safe(row["level"]), left=True),
        count_column("reached", "reached"),
        Column("difficulty", _logit("difficulty")),
        Column("changed to", _changed, rank=0),
        *share_columns("retention", "retention", 1),
        *share_columns("projected", "projected"),
        *share_columns("with the change", "projected_changed"),
        Column("", lambda row: bar(row["projected_changed"], BAR), True, 5, True),
    )
    gained = report["gained"]
    low, high = report["gained_low"], report["gained_high"]
    span = "" if low is None or high is None else f" ({low:+.1f} to {high:+.1f} by the knobs' intervals)".replace("-", "−")
    note = (
        f"With the change, about {abs(gained):.1f} {'more' if gained >= 0 else 'fewer'} of {report['players']} players{span} "
        "would still be playing "
        f"at the end. A projection: players give up after {percent(report['quit_per_failure'])} of failures "
        f"({report['lost']} of {report['failures']}), and for no other reason."
    )
    notes = [*map(_knob_note, report["knobs"]), note, *source_notes(report)]
    return [View("What if: players still there after each level", columns, report["levels"], notes)]


def _knob_note(shift: KnobShift) -> str:
    """What a knob at another value does."""
    change = shift["to"] - shift["from"]
    value, low, high = (logits(shift[end] * change, True) for end in ("per_unit", "low", "high"))
    low, high = (low, high) if change >= 0 else (high, low)
    moved = f"{safe(shift['level'])}: {safe(shift['knob'])} {shift['from']:g} to {shift['to']:g}"
    return f"{moved} makes it {value} logits ({low} to {high}), as told by {shift['by']}."


def _changed(row: WhatIfRow) -> str:
    return "" if row["changed"] == row["difficulty"] else logits(row["changed"])
