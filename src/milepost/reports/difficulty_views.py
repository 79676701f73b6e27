"""What people see of difficulty: which levels stand out, and what a change is projected to do."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING

from milepost.reports.document import source_notes
from milepost.reports.interface import Column, View
from milepost.reports.views import BAR, count_column, figure, level_column, share_columns, small_note
from milepost.wording import NOTHING, bar, listed, logits, percent, safe, whole, words

if TYPE_CHECKING:
    from milepost.difficulty.rows import Model, SpikesRow, WhatIfRow
    from milepost.reports.documents import SpikesDocument, WhatIfDocument
    from milepost.reports.interface import AnyView
    from milepost.reports.views import AnyRow


def spikes_view(report: SpikesDocument) -> list[AnyView]:
    """Which levels stand out, how sure that is, and what it costs."""
    columns: tuple[Column[SpikesRow], ...] = (
        level_column(report, "players"),
        count_column("players", "players", 5),
        count_column("tries", "tries", 7),
        *share_columns("a try clears", "try_clear", 6),
        Column("difficulty", _logit("difficulty")),
        Column("±", _logit("se"), rank=8, said="standard error"),
        Column("expected", _logit("expected"), rank=4),
        Column("excess", _logit("excess"), rank=1),
        Column("verdict", lambda row: "" if row["kind"] == "none" else row["kind"], left=True),
        Column("evidence", lambda row: "" if row["evidence"] == "none" else words(row["evidence"]), left=True),
        Column("q", _q),
        Column("cost", _cost, rank=3),
        Column("plan", _plan, left=True),
    )
    none = ["No level stands out beyond the course's own unevenness."]
    judged = any(row["evidence"] != "too_few" for row in report["levels"])
    stands_out = any(row["kind"] != "none" for row in report["levels"])
    said = (none if judged and not stands_out else []) + [safe(sentence) for sentence in report["sentences"]]
    return [
        View("What stands out", (), [], said),
        View(
            "Difficulty in logits (higher is harder), adjusted for who got there",
            columns,
            report["levels"],
            [
                *_model_note(report["model"]),
                *_design_notes(report),
                *small_note(report, report["levels"], "players"),
                *source_notes(report),
            ],
        ),
    ]


def _logit(key: str) -> Callable[[AnyRow], str]:
    return lambda row: NOTHING if (value := figure(row, key)) is None else logits(value)


def _q(row: SpikesRow) -> str:
    """The q value of what stands out; never nought."""
    if row["kind"] == "none" or row["q_value"] is None:
        return ""
    return "<0.01" if row["q_value"] < 0.005 else f"{row['q_value']:.2f}"


def _plan(row: SpikesRow) -> str:
    """The verdict against the plan, in few letters."""
    return "no telling" if row["plan"] == "too few to tell" else row["plan"] or ""


def _cost(row: SpikesRow) -> str:
    """Players lost to a level that is harder than its surroundings."""
    cost, low, high = row["cost"], row["cost_low"], row["cost_high"]
    if row["kind"] not in ("spike", "step") or cost is None or low is None or high is None:
        return ""
    return f"{whole(cost)} ({whole(low)} to {whole(high)})"


def _design_notes(report: SpikesDocument) -> list[str]:
    """Inversions, knobs that stop growing, and levels that ought to be alike."""
    lines = []
    if report["inversions"]:
        pairs = [f"{safe(row['level'])} than {safe(row['easier_than'])} ({row['by']:.1f})" for row in report["inversions"]]
        lines.append(f"Easier than the level before, by logits: {listed(pairs)}.")
    for cap in report.get("caps", []):
        said = (
            f"{safe(cap['knob'])} stays at {safe(str(cap['value']))} from {safe(cap['level'])} on; difficulty rises by "
            f"{cap['slope_before']:.2f} a level until there and {cap['slope_after']:.2f} after."
        )
        lines.append(said.replace("-", "−"))
    for pair in report.get("equal_levels", []):
        said = (
            f"{listed([safe(name) for name in pair['levels']])} have the same knobs; they differ by "
            f"{pair['difference']:.2f} ± {pair['se']:.2f}: that is noise."
        )
        lines.append(said.replace("-", "−"))
    return lines


def _model_note(model: Model | None) -> list[str]:
    if model is None:
        return ["No try was settled in a level of the course, so there is nothing to judge."]
    gives_up = "No try failed, so that nothing is known of giving up."
    if model["failures"]:
        gives_up = f"After a failure {percent(model['quit_per_failure'])} give up ({model['lost']} of {model['failures']})."
    return [
        f"Skill spreads by {model['skill_sd']:.2f} logits over players; each doubling of the try number adds "
        f"{0.693 * model['learning']:.2f}. The course's own unevenness is {model['roughness']:.2f} logits. "
        f"{gives_up} Cost: players who would still be playing at the end, had the level been as expected."
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
    said = (
        f"With the change, about {abs(gained):.1f} {'more' if gained >= 0 else 'fewer'} of {report['players']} players "
        "would still be playing "
        f"at the end. A projection: players give up after {percent(report['quit_per_failure'])} of failures "
        f"({report['lost']} of {report['failures']}), and for no other reason."
    )
    return [View("What if: players still there after each level", columns, report["levels"], [said, *source_notes(report)])]


def _changed(row: WhatIfRow) -> str:
    return "" if row["changed"] == row["difficulty"] else logits(row["changed"])
