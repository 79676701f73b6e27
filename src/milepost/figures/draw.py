"""Draws the figure of a measure into a file."""

from __future__ import annotations

from importlib import import_module
from pathlib import Path
from typing import Any

from milepost.errors import OutputError, UsageError
from milepost.figures.style import new_figure
from milepost.output import write_file

ENDINGS = ("png", "svg")


def draw_to(target: str, measure: str, document: dict[str, Any]) -> None:
    """Draw a measure's document into a PNG or SVG file; the same document gives the same bytes.

    Raises:
        UsageError: the file's ending names no format that can be drawn.
        OutputError: the file cannot be written.
    """
    form = Path(target).suffix.lower().removeprefix(".")
    if form not in ENDINGS:
        raise UsageError(f"{target}: a figure's name ends in {' or '.join('.' + ending for ending in ENDINGS)}.")
    if Path(target).is_dir():
        raise OutputError(f"{target}: is a folder. Name a file to draw to.")
    figure = new_figure()
    drawer = import_module(f"milepost.figures.{measure}")
    getattr(drawer, f"draw_{measure}")(figure, document)
    metadata = {"Date": None} if form == "svg" else {"Software": None}
    write_file(target, lambda stream: figure.savefig(stream, format=form, metadata=metadata))
