"""One look for all figures: colours that stay apart for the colour-blind and in grey, type, and safe text."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from milepost.wording import safe


@dataclass(frozen=True)
class Palette:
    """The colours of a figure, dark to light as they print."""

    paper: str = "#fdfcf8"
    ink: str = "#1d2a33"
    faint: str = "#7b8790"
    grid: str = "#dfe3e2"
    water: str = "#2f6788"  # what is measured
    pale: str = "#b4ccd8"  # the larger whole behind it
    lantern: str = "#d0820a"  # what stands out
    brick: str = "#8f2f2a"  # what is lost


LIGHT = Palette()
SIZE = (12.8, 8.0)  # inches, at 100 dots each
DPI = 100
_LONGEST = 22


def new_figure(size: tuple[float, float] = SIZE, palette: Palette = LIGHT) -> Any:
    """An empty figure that needs no screen."""
    from matplotlib import rcParams
    from matplotlib.figure import Figure

    rcParams["svg.fonttype"] = "none"
    rcParams["svg.hashsalt"] = "milepost"
    rcParams["text.parse_math"] = False
    return Figure(figsize=size, dpi=DPI, facecolor=palette.paper)


def plain_axes(axes: Any, palette: Palette = LIGHT) -> None:
    """Axes without a frame, with quiet ticks."""
    axes.set_facecolor(palette.paper)
    for side in axes.spines.values():
        side.set_visible(False)
    axes.tick_params(length=0, colors=palette.ink, labelsize=10)


def title(figure: Any, finding: str, detail: str, palette: Palette = LIGHT) -> None:
    """The finding as a heading, and a line below it on how to read the figure."""
    figure.text(0.02, 0.972, finding, fontsize=15, fontweight="bold", color=palette.ink, va="top")
    figure.text(0.02, 0.928, detail, fontsize=10.5, color=palette.faint, va="top")


def shortened(name: str, longest: int = _LONGEST) -> str:
    """A name as it is safe and short enough to stand beside an axis."""
    text = safe(name)
    return text if len(text) <= longest else text[: longest - 1] + "…"


def label_size(rows: int) -> float:
    """Type size at which so many rows of labels do not touch."""
    return float(min(10.5, max(3.2, 400 / max(1, rows))))
