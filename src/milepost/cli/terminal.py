"""The terminal's abilities, and progress on it."""

from __future__ import annotations

import os
import shlex
import shutil
import subprocess
import sys
import time
from collections.abc import Iterator
from contextlib import contextmanager
from typing import TYPE_CHECKING

from milepost.cli.messages import LOGGER, is_verbose
from milepost.progress import SILENT

if TYPE_CHECKING:
    from rich.progress import Progress as Live
    from rich.progress import TaskID

    from milepost.progress import Progress

_PIPE_WIDTH = 100
_PATIENCE = 0.7  # seconds before progress shows


def width() -> int:
    """Columns for tables: the terminal's, or COLUMNS; 100 in a pipe."""
    return max(20, shutil.get_terminal_size((_PIPE_WIDTH, 24)).columns)


def has_colour(target: str | None) -> bool:
    """Return whether styles may be used: only on a terminal that shows them, and not against NO_COLOR."""
    if target not in (None, "-") or os.environ.get("NO_COLOR") or os.environ.get("TERM") == "dumb":
        return False
    return sys.stdout is not None and sys.stdout.isatty()


def page(text: str) -> bool:
    """Show a text that is longer than the terminal in the pager that PAGER names; false where there is none, or no need."""
    pager = shlex.split(os.environ.get("PAGER", ""))
    if not pager or sys.stdout is None or not sys.stdout.isatty():
        return False
    if text.count("\n") < shutil.get_terminal_size((_PIPE_WIDTH, 24)).lines:
        return False
    try:
        subprocess.run(pager, input=text.encode("utf-8", "backslashreplace"), check=False, env={"LESS": "-R", **os.environ})
    except OSError:
        return False
    return True


@contextmanager
def progress() -> Iterator[Progress]:
    """Progress on standard error: each step as a line where that is asked for, else moving, if it is a terminal."""
    if is_verbose():
        display = ToldProgress()
        yield display
        display.close()
        return
    if sys.stderr is None or not sys.stderr.isatty():
        yield SILENT
        return
    shown = TerminalProgress()
    try:
        yield shown
    finally:
        shown.close()


class ToldProgress:
    """A line for each step, once it is done, with how much was done and how long it took."""

    def __init__(self) -> None:
        self._what, self._done, self._begun = "", 0, time.monotonic()

    def step(self, task: str, total: int | None = None) -> None:
        """Begin a step."""
        self.close()
        self._what, self._done, self._begun = task, 0, time.monotonic()

    def advance(self, amount: int) -> None:
        """Count on."""
        self._done += amount

    def close(self) -> None:
        """Tell of the step that is done."""
        if self._what:
            done = f"{self._done:,}" if self._done else "done"
            LOGGER.info("%s: %s in %.2f s", self._what, done, time.monotonic() - self._begun)
        self._what = ""


class TerminalProgress:
    """A line on standard error that says what goes on, and how long it will take, once it takes longer than a moment."""

    def __init__(self) -> None:
        self._begun = time.monotonic()
        self._live: Live | None = None
        self._task: TaskID | None = None
        self._what = ""
        self._of: int | None = None

    def step(self, task: str, total: int | None = None) -> None:
        """Begin a step."""
        self._what, self._of = task, total
        if self._live:
            self._task = self._live.add_task(task, total=total)

    def advance(self, amount: int) -> None:
        """Count on."""
        if self._live is None and time.monotonic() - self._begun > _PATIENCE:
            self._start()
        if self._live and self._task is not None:
            self._live.advance(self._task, amount)

    def _start(self) -> None:
        from rich.console import Console
        from rich.progress import Progress as Live
        from rich.progress import SpinnerColumn, TextColumn, TimeElapsedColumn, TimeRemainingColumn

        self._live = Live(
            SpinnerColumn(),
            TextColumn("{task.description} {task.completed:,.0f}"),
            TimeElapsedColumn(),
            TextColumn("left"),
            TimeRemainingColumn(),
            console=Console(stderr=True),
            transient=True,
        )
        self._live.start()
        self._task = self._live.add_task(self._what, total=self._of)

    def close(self) -> None:
        """Take the line away."""
        if self._live:
            self._live.stop()
            self._live = None
