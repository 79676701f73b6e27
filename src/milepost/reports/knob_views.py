"""Views on knobs."""

from __future__ import annotations

from typing import TYPE_CHECKING

from milepost.planning.knob_changes import UNTOLD
from milepost.reports.build_document import source_notes
from milepost.reports.interface import Column, View
from milepost.wording import NOTHING, listed, logits, number, percent, plural, safe

if TYPE_CHECKING:
    from milepost.planning.knob_changes import KnobReach
    from milepost.planning.knob_effects import KnobEffect
    from milepost.planning.knob_table import KnobRuleRow, KnobsRow
    from milepost.reports.document_types import KnobsDocument
    from milepost.reports.interface import AnyView


def knobs_view(report: KnobsDocument) -> list[AnyView]:
    """Return the views of the knobs of levels, of what they do, and of what breaks a rule."""
    names = list(dict.fromkeys(name for row in report["levels"] for name in row["knobs"]))
    levels: tuple[Column[KnobsRow], ...] = (
        Column("level", lambda row: safe(row["level"]), left=True),
        *(_knob(name, min(6, 2 + place)) for place, name in enumerate(names)),
        Column("changes", lambda row: "" if row["kind"] == "none" else row["kind"], left=True, rank=1),
        Column("a try clears", lambda row: percent(row["try_clear"])),
        Column("difficulty", lambda row: NOTHING if row["difficulty"] is None else logits(row["difficulty"])),
    )
    levers = [
        f"{safe(lever['knob'])} alone changes from {safe(lever['from_level'])} to {safe(lever['to_level'])}."
        for lever in report["levers"]
    ]
    notes = [*levers, *source_notes(report)]
    if not names:
        notes.insert(0, "No level has knobs: neither the course says any, nor what starts of a level say alike.")
    views: list[AnyView] = [View("Knobs: what each level has", levels, report["levels"], notes)]
    if report["effects"]:
        note = (
            "By builds: what levels did whose knob was changed; by levels: least squares over the course, beside the place in it."
        )
        views.append(View("What a unit of a knob does to difficulty", _effect_columns(), report["effects"], [note]))
    if report["reach"]:
        views.append(_reach_view(report["reach"]))
    if report["rules"]:
        count = plural(len(report["rules"]), "level is", "levels are")
        views.append(View("Against the rules of the course", _rule_columns(), report["rules"], [f"{count} not as a rule says."]))
    return views


def _knob(name: str, rank: int) -> Column[KnobsRow]:
    def text(row: KnobsRow) -> str:
        value = row["knobs"].get(name)
        return (
            NOTHING
            if value is None
            else number(value)
            if isinstance(value, int | float) and not isinstance(value, bool)
            else safe(str(value))
        )

    return Column(safe(name), text, rank=rank)


def _interval(row: KnobEffect) -> str:
    return NOTHING if row["low"] is None or row["high"] is None else f"{logits(row['low'], True)} to {logits(row['high'], True)}"


def _effect_columns() -> tuple[Column[KnobEffect], ...]:
    return (
        Column("knob", lambda row: safe(row["knob"]), left=True),
        Column("by", lambda row: row["by"], left=True),
        Column("levels", lambda row: number(row["levels"])),
        Column("logits a unit", lambda row: NOTHING if row["per_unit"] is None else logits(row["per_unit"], True)),
        Column("95 %", _interval),
        Column(
            "cannot be told from",
            lambda row: listed([safe(name) for name in row["together"]]) if row["together"] else "",
            left=True,
        ),
    )


def _reach_view(reach: list[KnobReach]) -> AnyView:
    """The values that would make hard levels easier; those of levels that are easier already stand in JSON."""
    shown = [row for row in reach if row["refused"] != UNTOLD]
    untold = list(dict.fromkeys(safe(row["knob"]) for row in reach if row["refused"] == UNTOLD))
    columns: tuple[Column[KnobReach], ...] = (
        Column("level", lambda row: safe(row["level"]), left=True),
        Column("a first try clears", lambda row: percent(row["first_try"])),
        Column("knob", lambda row: safe(row["knob"]), left=True),
        Column("is", lambda row: number(row["from"])),
        Column("would have to be", _word_wanted, left=True),
    )
    notes = ["By what a unit does, with its interval and the level's, within the values seen; the chance is a middling player's."]
    notes += [f"{listed(untold)}: what a unit does is not told from nothing, so no value is given."] if untold else []
    return View("What would bring the chance that a first try clears", columns, shown, notes)


def _word_wanted(row: KnobReach) -> str:
    if row["to"] is None or row["low"] is None or row["high"] is None:
        return "" if row["refused"] is None else safe(row["refused"])
    low, high = sorted((row["low"], row["high"]))
    return f"{row['to']:.2g} ({low:.2g} to {high:.2g})"


def _rule_columns() -> tuple[Column[KnobRuleRow], ...]:
    return (
        Column("knob", lambda row: safe(row["knob"]), left=True),
        Column("level", lambda row: safe(row["level"]), left=True),
        Column("by its rule", lambda row: number(row["by_rule"])),
        Column("in the course", lambda row: NOTHING if row["declared"] is None else number(row["declared"])),
        Column("as starts say", lambda row: NOTHING if row["logged"] is None else number(row["logged"])),
    )
