"""One look for all figures: colours that stay apart for the colour-blind and in grey, type, and safe text."""

from __future__ import annotations

import logging
from collections.abc import Sequence
from dataclasses import dataclass
from functools import cache
from typing import TYPE_CHECKING, Any, Final

from milepost.wording import safe

if TYPE_CHECKING:
    from matplotlib.axes import Axes
    from matplotlib.figure import Figure


@dataclass(frozen=True, eq=False, repr=False)
class Palette:
    """The colours of a figure by their role."""

    paper: str = "#fdfcf8"
    ink: str = "#1d2a33"
    faint: str = "#66727b"
    grid: str = "#dfe3e2"
    water: str = "#2f6788"  # what is measured
    pale: str = "#b4ccd8"  # the larger whole behind it
    lantern: str = "#a66300"  # what stands out, and the plan
    brick: str = "#8f2f2a"  # what is lost

    def of(self, role: str) -> str:
        """The colour of a role."""
        return str(getattr(self, role))


LIGHT = Palette()
DARK = Palette(
    paper="#141d24",
    ink="#e9ece6",
    faint="#98a5ad",
    grid="#2c3942",
    water="#8cc3e4",
    pale="#34526a",
    lantern="#f2b04e",
    brick="#e0635c",
)
SIZE = (1280, 800)  # dots
_INCHES = 8.0  # of height, so that type keeps its share of the picture at any size
_LONGEST = 22
_MOST_ACROSS = 40  # names along the bottom
_MOST_DOWN = 60  # names along the side


@dataclass(frozen=True, eq=False, repr=False)
class Sheet:
    """An empty figure and the look to draw it in."""

    figure: Figure
    look: Palette = LIGHT
    missing: str = ""  # characters that no installed font has

    def axes(
        self, left: float, bottom: float, width: float, height: float, sharex: Axes | None = None, sharey: Axes | None = None
    ) -> Axes:
        """Axes without a frame and with quiet ticks, at a place given in shares of the figure."""
        axes: Axes = self.figure.add_axes((left, bottom, width, height), sharex=sharex, sharey=sharey)
        axes.set_facecolor(self.look.paper)
        for side in axes.spines.values():
            side.set_visible(False)
        axes.tick_params(length=0, which="both", colors=self.look.ink, labelsize=10)
        axes.set_axisbelow(True)
        return axes

    def title(self, finding: str, detail: str) -> None:
        """The finding as a heading, and a line below it on how to read the figure; both made to fit."""
        self.fitted(0.972, finding, 15, self.look.ink, fontweight="bold")
        self.fitted(0.928, detail, 10.5, self.look.faint)

    def fitted(self, height: float, text: str, size: float, colour: str, left: float = 0.02, **more: Any) -> None:
        """A line of text in the largest type up to a size that fits the figure."""
        line = self.figure.text(left, height, text, fontsize=size, color=colour, va="top", **more)
        room = (0.99 - left) * self.figure.get_figwidth() * self.figure.dpi
        taken = line.get_window_extent().width
        if taken > room:
            line.set_fontsize(size * 0.98 * room / taken)  # letters do not shrink quite in proportion


def new_sheet(size: tuple[int, int] = SIZE, look: Palette = LIGHT, written: str = "") -> Sheet:
    """An empty figure that needs no screen, of a size in dots, with fonts that have what is to be written in it."""
    from matplotlib import rcParams
    from matplotlib.figure import Figure

    rcParams["svg.fonttype"] = "none"
    rcParams["svg.hashsalt"] = "milepost"
    rcParams["text.parse_math"] = False
    rcParams["font.family"], missing = fonts_for(written)
    width, height = size
    figure = Figure(figsize=(_INCHES * width / height, _INCHES), dpi=height / _INCHES, facecolor=look.paper)
    return Sheet(figure, look, missing)


def names_across(axes: Axes, names: Sequence[str]) -> None:
    """Level names along the bottom, as many as do not touch."""
    every = max(1, -(-len(names) // _MOST_ACROSS))
    axes.set_xticks(range(0, len(names), every), [shorten(name, 18) for name in names[::every]], rotation=90, fontsize=9)
    axes.set_xlim(-0.7, len(names) - 0.3)


def names_down(axes: Axes, names: Sequence[str]) -> range:
    """Level names along the side, first on top, as many as do not touch; the places that have one."""
    shown = range(0, len(names), max(1, -(-len(names) // _MOST_DOWN)))
    axes.set_yticks(list(shown), [shorten(names[place]) for place in shown], fontsize=label_size(len(names)))
    axes.set_ylim(max(1, len(names)) - 0.5, -0.5)
    return shown


def heading(axes: Axes, text: str, look: Palette) -> None:
    """Draw the heading above a part of the figure."""
    axes.set_title(text, loc="left", fontsize=11, color=look.ink, pad=8)


def shorten(name: str, longest: int = _LONGEST) -> str:
    """A name as it is safe and short enough to stand beside an axis."""
    text = safe(name)
    return text if len(text) <= longest else text[: longest - 1] + "…"


def label_size(rows: int) -> float:
    """Type size at which so many rows of labels do not touch."""
    return float(min(10.5, max(3.2, 400 / max(1, rows))))


# The first one writes most scripts of Europe; the others are looked at first where it cannot write a name.
_USUAL: Final = (
    "DejaVu Sans",
    "Noto Sans",
    "Noto Sans CJK JP",
    "Noto Sans CJK SC",
    "Noto Sans CJK KR",
    "Noto Sans Arabic",
    "Noto Sans Hebrew",
    "Noto Sans Thai",
    "Noto Sans Devanagari",
    "WenQuanYi Zen Hei",
    "WenQuanYi Micro Hei",
    "IPAGothic",
    "Arial Unicode MS",
    "Hiragino Sans",
    "Yu Gothic",
    "Malgun Gothic",
    "Microsoft YaHei",
)


def fonts_for(text: str) -> tuple[list[str], str]:
    """The fonts to write a text with, in order of preference, and the characters of it that none of the installed ones has."""
    installed = _files()
    first = next((name for name in _USUAL if name in installed), next(iter(installed)))
    chosen, missing = [first], {ord(char) for char in text if not char.isspace()} - _characters(first)
    usual = [name for name in _USUAL if name in installed]
    for name in (*usual, *installed):
        if not missing:
            break
        written = missing & _characters(name)
        if written:
            logging.getLogger("matplotlib.font_manager").setLevel(logging.ERROR)  # such fonts seldom have every weight
            chosen.append(name)
            missing -= written
    return chosen, "".join(map(chr, sorted(missing)))


@cache
def _files() -> dict[str, str]:
    """Return the paths of installed fonts by name; of several cuts the plain one."""
    from matplotlib.font_manager import fontManager

    fonts = [font for font in fontManager.ttflist if "Last Resort" not in font.name]  # which has boxes for all
    by_plainness = sorted(fonts, key=lambda font: (font.style == "normal", font.weight in (400, "normal", "regular")))
    return {font.name: font.fname for font in by_plainness}


@cache
def _characters(name: str) -> frozenset[int]:
    """The characters that a font has."""
    from matplotlib.ft2font import FT2Font

    try:
        return frozenset(FT2Font(_files()[name]).get_charmap())
    except (OSError, RuntimeError):
        return frozenset()
