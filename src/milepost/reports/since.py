"""News since an earlier report: changed verdicts, figures that moved beyond their noise, new findings and levels."""

from __future__ import annotations

import json
from collections.abc import Iterator, Sequence
from math import sqrt
from pathlib import Path
from typing import Final, NotRequired, TypedDict, cast

from milepost.errors import UsageError
from milepost.numerics.intervals import Z95

STRENGTHS: Final = ("weak", "fair", "strong")
_MOST_BYTES: Final = 1 << 30
_FIGURES: Final = (  # of each level, by the measure that has them
    ("funnel", ("clear_rate", "drop_off", "retention")),
    ("attempts", ("first_try", "try_clear")),
)
_Row = dict[str, object]


class NewVerdict(TypedDict):
    """A level of which something else is claimed than before, or the same on other evidence."""

    level: str
    before: str
    after: str
    evidence_before: str
    evidence_after: str


class Moved(TypedDict):
    """A figure that moved beyond its noise."""

    level: str
    figure: str
    before: float
    after: float
    noise: float


class NewFinding(TypedDict):
    """Something that was found or suspected, and was not before."""

    code: str
    count: int


class Since(TypedDict):
    """The news; ``compared`` says how many figures could have moved, of which one in twenty does so by chance."""

    file: str
    verdicts: list[NewVerdict]
    moved: list[Moved]
    compared: int
    findings: list[NewFinding]
    levels_added: list[str]
    levels_removed: list[str]
    new_sessions: int
    sessions_gone: int | None


class Earlier(TypedDict):
    """The figures of a report that are compared, then and now."""

    command: str
    format: int
    sessions: int
    session_marks: NotRequired[list[str] | None]
    course: dict[str, list[str]]
    check: dict[str, list[_Row]]
    funnel: dict[str, list[_Row]]
    attempts: dict[str, list[_Row]]
    spikes: dict[str, list[_Row]]


def read_report(path: str) -> Earlier:
    """An earlier report, written as JSON.

    Raises:
        UsageError: it cannot be read, or is no such report.
    """
    try:
        if Path(path).stat().st_size > _MOST_BYTES:
            raise UsageError(f"--since {path}: is too large for a report.")
        report: object = json.loads(Path(path).read_text(encoding="utf-8"))
    except OSError as error:
        raise UsageError(f"--since {path}: cannot be read ({error.strerror or error}).") from error
    except (ValueError, RecursionError) as error:
        raise UsageError(f"--since {path}: is no report. Write one with milepost report -o NAME.json.") from error
    if not _is_report(report):
        raise UsageError(f"--since {path}: is JSON, and no report of this format. Write one with milepost report -o NAME.json.")
    return cast(Earlier, report)


def _is_report(report: object) -> bool:
    if not isinstance(report, dict) or (report.get("command"), report.get("format")) != ("report", 1):
        return False
    course, check = report.get("course"), report.get("check")
    tables = [report.get(name) for name in ("funnel", "attempts", "spikes")]
    rows = [part.get("levels") for part in tables if isinstance(part, dict)]
    marks, parts = report.get("session_marks"), [check.get("details"), check.get("suspects")] if isinstance(check, dict) else []
    return (
        isinstance(course, dict)
        and _are_all(str, course.get("levels"))
        and isinstance(report.get("sessions"), int)
        and (marks is None or _are_all(str, marks))
        and len(rows) == len(tables)
        and all(_are_rows(table, "level") for table in rows)
        and len(parts) == 2
        and all(_are_rows(table, "code") for table in parts)
    )


def _are_all(kind: type, values: object) -> bool:
    return isinstance(values, list) and all(isinstance(value, kind) for value in values)


def _are_rows(rows: object, key: str) -> bool:
    """Return whether these are rows, each of a level, or of a code with a count."""
    if not isinstance(rows, list) or not _are_all(dict, rows):
        return False
    return all(isinstance(row.get(key), str) and (key == "level" or isinstance(row.get("count"), int)) for row in rows)


def find_news(file: str, before: Earlier, after: Earlier) -> Since:
    """Return the news in a report since an earlier one.

    Args:
        file: the earlier one's name.
        before, after: the reports.
    """
    old, new = before["course"]["levels"], after["course"]["levels"]
    added, gone, shared = _sessions(before, after)
    moved, compared = _list_moved(before, after, shared)
    return Since(
        file=file,
        verdicts=_verdicts(before, after),
        moved=moved,
        compared=compared,
        findings=_findings(before, after),
        levels_added=[level for level in new if level not in old],
        levels_removed=[level for level in old if level not in new],
        new_sessions=added,
        sessions_gone=gone,
    )


def _sessions(before: Earlier, after: Earlier) -> tuple[int, int | None, bool]:
    """How many sessions are new, how many are no longer there, and whether both reports have some.

    Where the reports do not tell which sessions they rest on, the later one is taken to have those of the earlier.
    """
    old, new = before.get("session_marks"), after.get("session_marks")
    if isinstance(old, list) and isinstance(new, list):
        return len(set(new) - set(old)), len(set(old) - set(new)), bool(set(old) & set(new))
    return max(0, after["sessions"] - before["sessions"]), None, True


def _index_by_level(report: Earlier, name: str) -> dict[str, _Row]:
    rows: Sequence[_Row] = cast("dict[str, dict[str, list[_Row]]]", report)[name]["levels"]
    return {str(row["level"]): row for row in rows}


def _verdicts(before: Earlier, after: Earlier) -> list[NewVerdict]:
    old, verdicts = _index_by_level(before, "spikes"), []
    for level, row in _index_by_level(after, "spikes").items():
        was = old.get(level, {"kind": "none", "evidence": "none"})
        kinds, evidence = (str(was.get("kind")), str(row["kind"])), (str(was.get("evidence")), str(row["evidence"]))
        if kinds[0] != kinds[1] or (kinds[1] != "none" and evidence[0] != evidence[1]):
            verdicts.append(
                NewVerdict(level=level, before=kinds[0], after=kinds[1], evidence_before=evidence[0], evidence_after=evidence[1])
            )
    return verdicts


def _list_moved(before: Earlier, after: Earlier, shared: bool) -> tuple[list[Moved], int]:
    """The figures that moved by more than 1.96 of the standard error of their difference, and how many were compared.

    Of two estimates of which one rests on all that the other does, and more, the difference varies by the difference of
    their variances; of two that share nothing, by the sum.
    """
    moved, compared = [], 0
    for level, figure, was, now in _pairs(before, after):
        variances = _variance(was, figure), _variance(now, figure)
        if variances[0] is None or variances[1] is None:
            continue
        compared += 1
        noise = sqrt(abs(variances[0] - variances[1]) if shared else variances[0] + variances[1])
        old, new = float(cast(float, was[figure])), float(cast(float, now[figure]))
        if abs(new - old) > max(Z95 * noise, 1e-9):
            moved.append(Moved(level=level, figure=figure, before=old, after=new, noise=noise))
    return moved, compared


def _pairs(before: Earlier, after: Earlier) -> Iterator[tuple[str, str, _Row, _Row]]:
    """Each figure of each level that both have: level, figure, its row before and after."""
    for measure, figures in _FIGURES:
        old = _index_by_level(before, measure)
        for level, row in _index_by_level(after, measure).items():
            if level in old:
                yield from ((level, figure, old[level], row) for figure in figures)


def _variance(row: _Row, figure: str) -> float | None:
    """The variance of a figure by its interval; None where it has none."""
    value, low, high = (row.get(key) for key in (figure, f"{figure}_low", f"{figure}_high"))
    if not all(isinstance(number, int | float) for number in (value, low, high)):
        return None
    return ((float(cast(float, high)) - float(cast(float, low))) / (2 * Z95)) ** 2


def _findings(before: Earlier, after: Earlier) -> list[NewFinding]:
    old = {row["code"] for part in ("details", "suspects") for row in before["check"][part]}
    counts: dict[str, int] = {}
    for part in ("details", "suspects"):
        for row in after["check"][part]:
            if row["code"] not in old:
                counts[str(row["code"])] = counts.get(str(row["code"]), 0) + int(cast(int, row["count"]))
    return [NewFinding(code=code, count=count) for code, count in counts.items()]


def flagged_levels(rows: Sequence[_Row], strength: str) -> set[str]:
    """The levels that stand out, on evidence of some strength or more."""
    enough = STRENGTHS[STRENGTHS.index(strength) :]
    return {str(row["level"]) for row in rows if row.get("kind") != "none" and row.get("evidence") in enough}
