"""A measure for several groups side by side, each figure with its count."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from typing import TYPE_CHECKING, Any, Final, TypedDict, cast

from milepost.errors import UsageError
from milepost.reports.build_document import FORMAT, word_counted
from milepost.reports.document_types import GroupedDocument
from milepost.reports.head_types import Head
from milepost.reports.interface import Column, View
from milepost.reports.registry import MEASURES
from milepost.wording import NOTHING, logits, number, plural, safe

if TYPE_CHECKING:
    from milepost.comparison.groups import Compared, Parting

AnyRow = Mapping[str, Any]
Worded = Callable[[Any], str]

_RAW: Final = (("raw reached", "raw_reached", number), ("raw cleared", "raw_cleared", number))  # where they are asked for


class _Side(TypedDict):
    """A level, or a layout of one or a question about it, with its row in each group; the whole course is no level (null)."""

    level: str | None
    part: str | None
    cells: list[AnyRow | None]


def grouped_document(command: str, key: str, documents: Sequence[tuple[str | None, Head]], several: int) -> GroupedDocument:
    """The JSON document: one of the command's documents for each value of the key; null for sessions without one.

    Args:
        command: the command.
        key: the key of the groups.
        documents: each group's value and document.
        several: how many players stand in several groups.
    """
    groups = [cast("dict[str, Any]", {"value": value, **report}) for value, report in documents]
    return GroupedDocument(format=FORMAT, command=command, by=key, players_in_several_groups=several, groups=groups)


def grouped_rows(report: GroupedDocument, key: str) -> list[AnyRow]:
    """The rows of all groups for a plain table, each with its group."""
    return [{report["by"]: group["value"], **row} for group in report["groups"] for row in group[key]]


def grouped_view(report: GroupedDocument) -> View[_Side]:
    """Levels down, groups across."""
    shown = MEASURES[report["command"]].groups
    if shown is None:
        raise UsageError(f"--by is not for {report['command']}: leave it out.")
    count, figures = shown.count, shown.figures
    if any("raw_reached" in row for group in report["groups"] for row in group["levels"]):
        figures = (*figures, *_RAW)
    names = list(dict.fromkeys(_name_of(row) for group in report["groups"] for row in group["levels"]))
    by_name = [{_name_of(row): row for row in group["levels"]} for group in report["groups"]]
    rows = [_Side(level=level, part=part, cells=[group.get((level, part)) for group in by_name]) for level, part in names]
    columns: list[Column[_Side]] = [Column("level", lambda row: safe(row["level"] or "whole course"), left=True)]
    if any(part is not None for _, part in names):
        title = "question" if report["command"] == "answers" else "layout"
        columns.append(Column(title, lambda row: safe(row["part"] or ""), left=True))
    for place, group in enumerate(report["groups"]):
        columns.append(Column(f"{_title(group)}: n", _cell(place, count, number)))
        for rank, (name, key, worded) in enumerate(figures):
            columns.append(Column(name, _cell(place, key, worded, count, group["min_players"]), rank=rank))
    least = report["groups"][0]["min_players"]
    sizes = "; ".join(
        f"{_title(group)}: {plural(group['players'], 'player')} in {plural(group['sessions'], 'session')}"
        for group in report["groups"]
    )
    counted = f"{sizes}." if "cuts" not in report else _word_counted_players(report)
    notes = [
        counted,
        *_cautions(report),
        *_shared(report),
        *(sentence for pair in report.get("compared", []) for sentence in _parting(pair)),
    ]
    if any(row and row[count] < least for side in rows for row in side["cells"]):
        notes.append(f"In brackets: fewer than {least} players, of whom nothing is claimed.")
    return View(f"{report['command'].capitalize()} by {safe(report['by'])}", tuple(columns), rows, notes)


def _cautions(report: GroupedDocument) -> list[str]:
    """Return the cautions on the groups; once, if they are the same for all."""
    sentences = {
        sentence: None for group in report["groups"] for sentence in (caution["sentence"] for caution in group["cautions"])
    }
    everywhere = [sentence for sentence in sentences if all(sentence in _sentences(group) for group in report["groups"])]
    of_one_group = [
        f"{_title(group)}: {sentence}"
        for group in report["groups"]
        for sentence in _sentences(group)
        if sentence not in everywhere
    ]
    return everywhere + of_one_group


def _sentences(group: AnyRow) -> list[str]:
    return [caution["sentence"] for caution in group["cautions"]]


def _word_counted_players(report: GroupedDocument) -> str:
    """Return the counted players, if the groups are of tries or of runs."""
    if report["command"] != "runs":
        return word_counted(cast(Head, report["groups"][0]))
    counts = ((_title(group), plural(group["runs"], "run"), plural(group["players"], "player")) for group in report["groups"])
    return f"{'; '.join(f'{title}: {runs} by {players}' for title, runs, players in counts)}."


def _title(group: AnyRow) -> str:
    return safe(group["value"]) if group["value"] is not None else "not given"


def _name_of(row: AnyRow) -> tuple[str | None, str | None]:
    """Return the subject of a row: a level, or a layout of it or a question about it."""
    return row["level"], row.get("layout", row.get("question"))


def _shared(report: GroupedDocument) -> list[str]:
    """Return the sentence on players who stand in several groups, if the key changes within a player."""
    if "cuts" in report:
        cuts = ", ".join(f"{cut:g}" for cut in report["cuts"])
        cut = [f"{safe(report['by'])} is cut at its quarters over first-clear tries: {cuts}."] if cuts else []
        if report["command"] == "runs":
            return cut
        return [
            *cut,
            "The log is replayed once, and each group looks at its own tries, which keep the numbers that they have "
            "among all: figures that go by the number of a try cannot be given.",
        ]
    several = report["players_in_several_groups"]
    if not several:
        return []
    return [
        f"{plural(several, 'player stands', 'players stand')} in several groups, since {safe(report['by'])} changes from one "
        "session to the next. Each group is replayed by itself: who went on in another one may count as lost here."
    ]


def _parting(pair: Compared) -> list[str]:
    """Return the levels at which two groups differ."""
    for_whom = f"{safe(pair['group'])} than for {safe(pair['than'])}"
    beyond = "beyond what all levels are"
    lines = [f"{safe(row['level'])} is {row['verdict']} for {for_whom}, {beyond}{_span(row)}." for row in pair["parting"]]
    low, high, size = pair["shift_low"], pair["shift_high"], pair["shift"]
    if size is not None and low is not None and high is not None and not low <= 0 <= high:
        direction = "harder" if size > 0 else "easier"
        lines.append(f"All levels are {direction} for {for_whom} ({_logits(size, low, high)}).")
    return lines or [f"No level can be told to be harder or easier for {for_whom}."]


def _span(row: Parting) -> str:
    if row["delta"] is None or row["delta_low"] is None or row["delta_high"] is None:
        return ""
    return f" ({_logits(row['delta'], row['delta_low'], row['delta_high'])})"


def _logits(value: float, low: float, high: float) -> str:
    return f"{logits(value, plus=True)} logits, {logits(low, plus=True)} to {logits(high, plus=True)}"


def _cell(place: int, key: str, worded: Worded, count: str | None = None, least: int = 0) -> Callable[[_Side], str]:
    def text(row: _Side) -> str:
        cell = row["cells"][place]
        if cell is None or cell.get(key) is None:
            return NOTHING
        shown = worded(cell[key])
        return f"({shown})" if count is not None and cell[count] < least else shown

    return text
