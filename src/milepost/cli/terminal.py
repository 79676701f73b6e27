"""What the terminal can do, and progress on it."""

from __future__ import annotations

import os
import shutil
import sys
import time
from collections.abc import Iterator
from contextlib import contextmanager
from typing import TYPE_CHECKING

from milepost.progress import SILENT, Progress

if TYPE_CHECKING:
    from rich.progress import Progress as Live
    from rich.progress import TaskID

_PIPE_WIDTH = 100
_PATIENCE = 0.7  # seconds before progress shows


def width() -> int:
    """Columns for tables: the terminal's, or COLUMNS; 100 in a pipe."""
    return max(20, shutil.get_terminal_size((_PIPE_WIDTH, 24)).columns)


def has_colour(target: str | None) -> bool:
    """Whether styles may be used: only on a terminal that shows them, and not against NO_COLOR."""
    if target not in (None, "-") or os.environ.get("NO_COLOR") or os.environ.get("TERM") == "dumb":
        return False
    return sys.stdout is not None and sys.stdout.isatty()


@contextmanager
def progress() -> Iterator[Progress]:
    """Progress on standard error if that is a terminal; silent otherwise."""
    if sys.stderr is None or not sys.stderr.isatty():
        yield SILENT
        return
    shown = TerminalProgress()
    try:
        yield shown
    finally:
        shown.close()


class TerminalProgress:
    """A line on standard error that says what goes on, once it takes longer than a moment."""

    def __init__(self) -> None:
        self._begun = time.monotonic()
        self._live: Live | None = None
        self._task: TaskID | None = None
        self._what = ""

    def step(self, what: str) -> None:
        """Begin a step."""
        self._what = what
        if self._live:
            self._task = self._live.add_task(what, total=None)

    def advance(self, amount: int) -> None:
        """Count on."""
        if self._live is None and time.monotonic() - self._begun > _PATIENCE:
            self._start()
        if self._live and self._task is not None:
            self._live.advance(self._task, amount)

    def _start(self) -> None:
        from rich.console import Console
        from rich.progress import Progress as Live
        from rich.progress import SpinnerColumn, TextColumn, TimeElapsedColumn

        self._live = Live(
            SpinnerColumn(), TextColumn("{task.description} {task.completed:,.0f}"), TimeElapsedColumn(),
            console=Console(stderr=True), transient=True,
        )  # fmt: skip
        self._live.start()
        self._task = self._live.add_task(self._what, total=None)

    def close(self) -> None:
        """Take the line away."""
        if self._live:
            self._live.stop()
            self._live = None
