"""One level as a figure: where players fail, over the level's own map and along its way."""

from __future__ import annotations

from typing import TYPE_CHECKING

from milepost.course.course_entries import MapPicture
from milepost.errors import CourseError
from milepost.figures.style import Palette, Sheet, shorten
from milepost.measures.deaths import BINS
from milepost.measures.level import Spot
from milepost.reports.document_types import LevelDocument
from milepost.wording import percent, plural

if TYPE_CHECKING:
    from matplotlib.axes import Axes
    from matplotlib.colors import Colormap

_SHAPES = ("o", "^", "s", "D", "v")
_DENSE = 60  # spots from which shades say more than marks


def draw_level(sheet: Sheet, document: LevelDocument) -> None:
    """Draw on an empty figure: failures on the map (where x and y are logged), and deaths by tenths of the way."""
    tries, deaths = document["attempts"], document["deaths"]
    sheet.title(
        f"{shorten(document['level'], 30)}: a try clears {percent(tries['try_clear'])} of the time "
        f"({plural(tries['settled'], 'try', 'tries')}, {plural(tries['players'], 'player')})",
        f"Left: {plural(len(document['spots']), 'failure')} with a place on the map, of {deaths['failures']}. Right: "
        "deaths by tenths of the way.",
    )
    spots = sheet.axes(0.06, 0.1, 0.56, 0.74)
    bars = sheet.axes(0.7, 0.1, 0.27, 0.74)
    if document["picture"]:
        _draw_picture(spots, document["picture"])
    _draw_spots(spots, sheet.look, document["spots"])
    counts = deaths["progress"]
    bars.barh(range(BINS), counts, color=sheet.look.brick, height=0.8)
    for place, count in enumerate(counts):
        bars.text(count + max(counts) * 0.02, place, str(count), va="center", fontsize=10, color=sheet.look.ink)
    bars.set_yticks([-0.5, 4.5, 9.5], ["start", "half way", "end"])
    bars.set_xticks([])


def _draw_picture(axes: Axes, picture: MapPicture) -> None:
    """The level's map, pale, so that what is drawn on it is seen.

    Raises:
        CourseError: it is no picture.
    """
    from matplotlib.image import imread

    try:
        pixels = imread(picture["file"])
    except Exception as error:  # whatever a picture's reader raises
        raise CourseError(f"{picture['file']}: cannot be read as a picture ({error}). Give a PNG.") from error
    ends = (picture["left"], picture["right"], picture["bottom"], picture["top"])
    axes.imshow(pixels, extent=ends, aspect="auto", alpha=0.55, zorder=0, origin="upper")


def _draw_spots(axes: Axes, look: Palette, spots: list[Spot]) -> None:
    if not spots:
        axes.text(0.5, 0.5, "no failure here has x and y", transform=axes.transAxes, ha="center", color=look.faint)
        axes.set_xticks([])
        axes.set_yticks([])
        return
    x, y = [spot["x"] for spot in spots], [spot["y"] for spot in spots]
    if len(spots) >= _DENSE:
        axes.hexbin(x, y, gridsize=18, cmap=_shades(look), mincnt=1, linewidths=0)
    causes = sorted(
        {spot["cause"] or "no cause" for spot in spots},
        key=lambda cause: -sum((s["cause"] or "no cause") == cause for s in spots),
    )
    for number, cause in enumerate(causes):
        of_cause = [spot for spot in spots if (spot["cause"] or "no cause") == cause]
        axes.plot(
            [s["x"] for s in of_cause],
            [s["y"] for s in of_cause],
            _SHAPES[number % len(_SHAPES)],
            markersize=5,
            markeredgecolor=look.ink,
            markerfacecolor="none",
            label=f"{shorten(cause, 20)} ({len(of_cause)})",
        )
    axes.set_xlabel("x", color=look.ink)
    axes.set_ylabel("y", color=look.ink)
    axes.legend(loc="upper left", bbox_to_anchor=(0, 1.09), ncols=min(4, len(causes)), frameon=False, fontsize=10)


def _shades(look: Palette) -> Colormap:
    from matplotlib.colors import LinearSegmentedColormap

    return LinearSegmentedColormap.from_list("failures", [look.grid, look.brick])
