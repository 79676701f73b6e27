"""The document of a comparison, and what people see of it."""

from __future__ import annotations

from collections import Counter
from collections.abc import Mapping, Sequence
from typing import TYPE_CHECKING, Final, cast

from milepost.audit.cautions import Caution
from milepost.comparison.compare_in_play import count_tries_left_out
from milepost.comparison.row_types import Side
from milepost.comparison.sentences import Phrases
from milepost.playback.attributes import is_attribute
from milepost.playback.tallies import finding_counts
from milepost.reports.answer_views import changes_view
from milepost.reports.build_document import build_head, source_notes
from milepost.reports.document_types import CompareDocument
from milepost.reports.head_types import CourseHead
from milepost.reports.interface import Column, View
from milepost.reports.views import figure
from milepost.wording import NOTHING, logits, number, percent, safe

if TYPE_CHECKING:
    from milepost.comparison.compare_in_play import TwoGroups
    from milepost.comparison.row_types import CompareRow
    from milepost.playback.play import Play
    from milepost.reports.head_types import Head
    from milepost.reports.interface import AnyView

_MARKS: Final = {"harder": "▲ harder", "easier": "▼ easier", "same": "= same", "no_telling": "undecided", None: ""}


def compare_document(compared: TwoGroups, least: int) -> CompareDocument:
    """The document of a comparison.

    Args:
        compared: the two groups.
        least: of fewer players, nothing is claimed.
    """
    log, split, plays, table = compared
    report = build_head("compare", plays[1])
    before = build_head("compare", plays[0])
    by_try = is_attribute(split.key)
    others, none = count_tries_left_out(plays, split.key) if by_try else split.left_out(log)
    names = [{player for player, counts in zip(play.gated.players, play.counts, strict=True) if counts} for play in plays]
    report["players"] = len(names[0] | names[1])
    report["course"] = CourseHead(levels=[row["level"] for row in table.rows], inferred=report["course"]["inferred"])
    if not by_try:
        _add_other_side(report, before, plays)
        report["cautions"] = _cautions((split.before, before), (split.after, report))
    report["left_out"]["other_builds"], report["left_out"]["no_build"] = others, none
    return cast(CompareDocument, {**report, "min_players": least, **table.totals, "answers": [], "levels": table.rows})


def _cautions(*sides: tuple[str, Head]) -> list[Caution]:
    """Return the cautions on both sides, and on either, which is named then."""
    texts = [{caution["sentence"] for caution in head["cautions"]} for _, head in sides]
    both = [caution for caution in sides[0][1]["cautions"] if caution["sentence"] in texts[1]]
    of_one_side = [
        (name, caution)
        for name, head in sides
        for caution in head["cautions"]
        if not all(caution["sentence"] in sentences for sentences in texts)
    ]
    return both + [
        Caution(code=caution["code"], sentence=f"{safe(name)}: {caution['sentence']}", first=False)
        for name, caution in of_one_side
    ]


def _add_other_side(report: Head, other: Head, plays: tuple[Play, Play]) -> None:
    """Count the sessions of the other side, too, and what was found in them."""
    report["sessions"] += other["sessions"]
    report["left_out"]["debug_sessions"] += other["left_out"]["debug_sessions"]
    report["left_out"]["players_without_attempt"] += other["left_out"]["players_without_attempt"]
    report["findings"] = dict(Counter(finding_counts(plays[0])) + Counter(finding_counts(plays[1])))


def flat_rows(report: CompareDocument) -> Sequence[Mapping[str, object]]:
    """The rows for a plain table: what is nested in them is named with what it is in."""
    flat = []
    for row in report["levels"]:
        cells: dict[str, object] = {}
        for key, value in row.items():
            if key in ("from", "to"):
                side = cast("Mapping[str, object] | None", value)
                cells |= {f"{key}_{name}": None if side is None else side[name] for name in Side.__annotations__}
            else:
                cells[key] = value
        flat.append(cells)
    return flat


def compare_views(report: CompareDocument) -> list[AnyView]:
    """Return the sentences on what got easier or harder, then the table of levels."""
    compared = report["compared"]
    before, after = safe(compared["before"]), safe(compared["after"])
    words = Phrases(compared["key"], before, after, causal=False)
    last, two = f"Of all, {before} and {after} appeared last", f"Of its values, {before} and {after} were taken"
    chosen = [f"{last if words.builds else two}; --from and --to name others."]
    sentences = [safe(sentence) for sentence in report["sentences"]] + (chosen if compared["chosen"] else [])
    side_by_side = f"{safe(compared['key'])}: {before} and {after} side by side"
    headline: AnyView = View(f"From {before} to {after}" if words.builds else side_by_side, (), [], sentences)
    beyond = f"got harder from {before} to {after}" if words.builds else f"is harder with {after} than with {before}"
    columns: tuple[Column[CompareRow], ...] = (
        Column("level", lambda row: safe(row["level"]), left=True),
        Column("players", lambda row: _format_both_sides(row, "players"), rank=1),
        Column("a try clears", _try_clears, rank=1),
        Column("beyond all", lambda row: _signed(row["delta"]), rank=3),
        Column("95 %", _interval, rank=3, full_title="interval of beyond all"),
        Column("verdict", _verdict, left=True),
        Column("q", _q, rank=6),
        Column("would tell", _would_tell, rank=5, full_title="players who would tell"),
        Column("in all", lambda row: _signed(row["change"]), rank=7),
        Column("time", lambda row: _ratio(row, "time"), left=True, rank=5),
        Column("quitting", lambda row: _ratio(row, "quit"), left=True, rank=8),
        Column("changed", _changed, left=True, rank=4),
    )
    notes = [
        f"Beyond all: logits by which a level {beyond}, beyond what all levels have in common.",
        *_list_left_out(report),
        *source_notes(report),
    ]
    views: list[AnyView] = [headline, View("Level by level", columns, report["levels"], notes)]
    if report["answers"]:
        views.append(changes_view(report["answers"], "What they answered", (before, after)))
    return views


def _list_left_out(report: CompareDocument) -> list[str]:
    left_out, compared = report["left_out"], report["compared"]
    key = compared["key"]
    counts = {"of another": left_out.get("other_builds", 0), "without a": left_out.get("no_build", 0)}
    parts = [f"{count:,} {text} {safe(key)}" for text, count in counts.items() if count]
    units = "Tries" if compared["unit"] == "try" else "Sessions"
    return [f"{units} on neither side: {', '.join(parts)}."] if parts else []


def _verdict(row: CompareRow) -> str:
    return row["status"] if row["status"] != "both" else _MARKS[row["verdict"]]


def _format_both_sides(row: CompareRow, key: str) -> str:
    sides = [cast("Mapping[str, object] | None", side) for side in (row["from"], row["to"])]
    return " → ".join(NOTHING if side is None else number(figure(side, key)) for side in sides)


def _try_clears(row: CompareRow) -> str:
    return " → ".join(NOTHING if side is None else percent(side["try_clear"]) for side in (row["from"], row["to"]))


def _signed(value: float | None) -> str:
    return NOTHING if value is None else logits(value, plus=True)


def _q(row: CompareRow) -> str:
    if row["q_value"] is None:
        return ""
    return "<0.01" if row["q_value"] < 0.005 else f"{row['q_value']:.2f}"


def _would_tell(row: CompareRow) -> str:
    return "" if row["players_needed"] is None else number(row["players_needed"])


def _interval(row: CompareRow) -> str:
    """Return the interval of a level's change; open if nobody cleared it in one build."""
    if row["delta"] is None:
        return NOTHING
    ends = ["open" if end is None else f"{end:+.1f}".replace("-", "−") for end in (row["delta_low"], row["delta_high"])]
    return " to ".join(ends)


def _ratio(row: CompareRow, key: str) -> str:
    """A ratio where something is told of it."""
    ratio, verdict = figure(row, f"{key}_ratio"), cast("Mapping[str, object]", row)[f"{key}_verdict"]
    if ratio is None or verdict in (None, "no_telling", "same"):
        return "same" if verdict == "same" else ""
    return f"× {ratio:.2f} {verdict}"


def _changed(row: CompareRow) -> str:
    """Knobs, causes and events that changed there."""
    parts = [f"{safe(knob['knob'])} {safe(str(knob['from']))} → {safe(str(knob['to']))}" for knob in row["knobs"]]
    parts += [f"{safe(cause['cause'])} {cause['change']}" for cause in row["causes"]]
    parts += [f"{word['event']} not logged in {safe(word['never_in'])}" for word in row["words"]]
    return ", ".join((["moved"] if row["moved"] else []) + (["renamed"] if row["renamed"] else []) + parts)
