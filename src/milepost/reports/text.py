"""Tables for a terminal or a pipe, as wide as the place that they are shown in."""

from __future__ import annotations

import io
from dataclasses import replace
from typing import TYPE_CHECKING

from rich.cells import cell_len
from rich.console import Console
from rich.table import Table as Grid
from rich.text import Text

from milepost.errors import UsageError
from milepost.wording import listed, safe

if TYPE_CHECKING:
    from milepost.reports.interface import AnyColumn, AnyView, Report

_GAP = 2
_LONGEST_NAME = 24


def render(report: Report, width: int, colour: bool) -> str:
    """The views as text at most ``width`` columns wide, with terminal styles where ``colour`` is true."""
    stream = io.StringIO()
    console = Console(
        file=stream,
        width=width,
        force_terminal=colour,
        no_color=not colour,
        highlight=False,
        emoji=False,
        color_system="standard" if colour else None,
    )
    for number, view in enumerate(report.shown):
        if number:
            console.print()
        _print(console, view, width)
    return "\n".join(line.rstrip() for line in stream.getvalue().split("\n")).rstrip("\n") + "\n"


def _print(console: Console, view: AnyView, width: int) -> None:
    console.print(Text(view.heading, style="bold"))
    columns, dropped = _fitting(view, width)
    for part in _side_by_side(view, columns, width) if view.rows else ():
        console.print(_grid(view, part))
        console.print()
    for note in view.notes:
        console.print(Text(note))
    titles = listed(list(dict.fromkeys(column.full_title or column.title for column in dropped if not column.drawn)))
    if titles and view.rows:
        console.print(Text(f"Not shown at this width: {titles}. --columns all shows them.", style="dim"))
    if view.last:
        console.print(Text(view.last))


def _grid(view: AnyView, columns: list[AnyColumn]) -> Grid:
    grid = Grid(box=None, padding=(0, _GAP, 0, 0), pad_edge=False, header_style="bold", show_edge=False)
    for column in columns:
        longest = _LONGEST_NAME if column.rank == 0 and column.left else None
        grid.add_column(
            Text(column.title), justify="left" if column.left else "right", no_wrap=True, overflow="ellipsis", max_width=longest
        )
    for row in view.rows:
        grid.add_row(*(Text(column.text(row)) for column in columns))
    return grid


def _side_by_side(view: AnyView, columns: list[AnyColumn], width: int) -> list[list[AnyColumn]]:
    """The columns in as many tables, one below the other, as it takes for each to fit; the first column stands in all of them."""
    widths, first = _widths(view), columns[0]
    parts = [[first]]
    for column in columns[1:]:
        if len(parts[-1]) > 1 and sum(widths[id(shown)] + _GAP for shown in (*parts[-1], column)) - _GAP > width:
            parts.append([first])
        parts[-1].append(column)
    return parts


def _widths(view: AnyView) -> dict[int, int]:
    """Per column, how wide it is."""
    return {
        id(column): min(
            _LONGEST_NAME if column.rank == 0 and column.left else 10**6,
            max([cell_len(column.title), *(cell_len(column.text(row)) for row in view.rows)]),
        )
        for column in view.columns
    }


def _fitting(view: AnyView, width: int) -> tuple[list[AnyColumn], list[AnyColumn]]:
    """The columns that fit, in order, and those left out; the ones of the highest rank go first."""
    widths = _widths(view)
    kept = list(view.columns)
    while len(kept) > 1 and sum(widths[id(column)] + _GAP for column in kept) - _GAP > width:
        worst = max(kept, key=lambda column: column.rank)
        if worst.rank == 0:
            break
        kept = [column for column in kept if column.rank != worst.rank]
    return kept, [column for column in view.columns if column not in kept]


EVERY = "all"


def choose_columns(report: Report, wanted: str) -> Report:
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
                dict.fromkeys(
                    column.full_title or column.title for view in report.views for column in view.columns if column.title
                )
            )
            raise UsageError(f"--columns {safe(name)}: no column is called so. There are: {safe(shown)}.")
    if not names:
        raise UsageError("--columns: name the columns that you want, with commas between, or all.")
    return replace(report, views=[_keep_columns(view, set(names)) for view in report.views])


def _keep_columns(view: AnyView, names: set[str]) -> AnyView:
    kept = [column for n, column in enumerate(view.columns) if n == 0 or EVERY in names or names & _names(column)]
    return replace(view, columns=tuple(replace(column, rank=0) for column in kept))


def _names(column: AnyColumn) -> set[str]:
    """Return the names of a column: its heading, and its name in a sentence."""
    return {_plain(name) for name in (column.title, column.full_title) if name}


def _plain(name: str) -> str:
    return " ".join(name.casefold().split())
