"""Draws the figure of a measure into a file."""

from __future__ import annotations

import warnings
from collections.abc import Iterator, Mapping
from contextlib import contextmanager
from dataclasses import dataclass
from importlib import import_module
from pathlib import Path
from typing import BinaryIO, Protocol, TypeVar

from milepost.errors import OutputError, UsageError
from milepost.figures.style import LIGHT, SIZE, Palette, Sheet, new_sheet
from milepost.output import write_file
from milepost.wording import safe

D_contra = TypeVar("D_contra", contravariant=True, bound=Mapping[str, object])
_STAMPS: dict[str, dict[str, None]] = {"png": {"Software": None}, "svg": {"Date": None}, "pdf": {"CreationDate": None}}


class Drawing(Protocol[D_contra]):
    """The figure of a measure: ``draw_NAME`` in the module of its name."""

    def __call__(self, sheet: Sheet, document: D_contra, /) -> None:
        """Draw a document of the measure."""


@dataclass(frozen=True)
class Paper:
    """A figure's size in dots, and its look."""

    size: tuple[int, int] = SIZE
    look: Palette = LIGHT


def draw_to(target: str, measure: str, document: Mapping[str, object], paper: Paper = Paper()) -> str:
    """Draw a measure's document into a PNG, SVG or PDF file; the same document gives the same bytes.

    Returns:
        The characters that no font on this machine has, so that they could not be drawn.

    Raises:
        UsageError: the file's ending names no format that can be drawn.
        OutputError: the file cannot be written.
    """
    form = Path(target).suffix.lower().removeprefix(".")
    if form not in _STAMPS:
        raise UsageError(f"{target}: a figure's name ends in .png, .svg or .pdf.")
    if Path(target).is_dir():
        raise OutputError(f"{target}: is a folder. Name a file to draw to.")
    sheet = draw_figure(measure, document, paper)
    write_file(target, lambda stream: save(sheet, stream, form))
    return sheet.missing


def draw_figure(measure: str, document: Mapping[str, object], paper: Paper = Paper()) -> Sheet:
    """The figure of a measure's document."""
    sheet = new_sheet(paper.size, paper.look, "".join(_texts(document)))
    draw: Drawing[Mapping[str, object]] = getattr(import_module(f"milepost.figures.{measure}"), f"draw_{measure}")
    with _quiet_about_glyphs():
        draw(sheet, document)
    return sheet


@contextmanager
def _quiet_about_glyphs() -> Iterator[None]:
    """Characters that no font has are told by the sheet, once, not by Matplotlib wherever it meets one."""
    with warnings.catch_warnings():
        warnings.filterwarnings("ignore", "Glyph .* missing from font")
        yield


def _texts(value: object) -> Iterator[str]:
    """Texts of a document that are not plain Latin, so that they may need a font of their own."""
    if isinstance(value, str):
        if not value.isascii():
            yield safe(value)
    elif isinstance(value, dict):
        for name, item in value.items():
            yield from _texts(name)
            yield from _texts(item)
    elif isinstance(value, list | tuple):
        for item in value:
            yield from _texts(item)


def finding(measure: str, document: Mapping[str, object]) -> str:
    """Return the title of a measure's figure: its finding."""
    return str(import_module(f"milepost.figures.{measure}").finding(document))


def save(sheet: Sheet, stream: BinaryIO, form: str) -> None:
    """Write a figure as PNG, SVG or PDF, without the time at which that was done."""
    with _quiet_about_glyphs():
        sheet.figure.savefig(stream, format=form, metadata=_STAMPS[form])
