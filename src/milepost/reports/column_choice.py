"""The choice of a table's columns."""

from __future__ import annotations

from dataclasses import replace
from typing import TYPE_CHECKING

from milepost.errors import UsageError
from milepost.wording import safe

if TYPE_CHECKING:
    from milepost.reports.interface import AnyColumn, AnyView, Report

EVERY = "all"


def chosen(report: Report, wanted: str) -> Report:
    """The report with the columns that are wanted, in the order of the table; none of them gives way for lack of space.

    Args:
        report: a report.
        wanted: headings with commas between, or ``all``. The first column of a table always stays.

    Raises:
        UsageError: no table has a column of some name.
    """
    names = [_plain(name) for name in wanted.split(",") if name.strip()]
    known = {name for view in report.views for column in view.columns for name in _names(column)}
    for name in names:
        if name not in known | {EVERY}:
            shown = ", ".join(
                dict.fromkeys(column.said or column.title for view in report.views for column in view.columns if column.title)
            )
            raise UsageError(f"--columns {safe(name)}: no column is called so. There are: {safe(shown)}.")
    if not names:
        raise UsageError("--columns: name the columns that you want, with commas between, or all.")
    return replace(report, views=[_some(view, set(names)) for view in report.views])


def _some(view: AnyView, names: set[str]) -> AnyView:
    kept = [column for n, column in enumerate(view.columns) if n == 0 or EVERY in names or names & _names(column)]
    return replace(view, columns=tuple(replace(column, rank=0) for column in kept))


def _names(column: AnyColumn) -> set[str]:
    """Return the names of a column: its heading, and its name in a sentence."""
    return {_plain(name) for name in (column.title, column.said) if name}


def _plain(name: str) -> str:
    return " ".join(name.casefold().split())
