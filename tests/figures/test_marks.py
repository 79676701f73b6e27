"""Marks that look alike are drawn together, and look as if each had been drawn by itself."""

import warnings

import numpy as np
import pytest
from matplotlib.backends.backend_agg import FigureCanvasAgg
from matplotlib.figure import Figure

from milepost.figures.shared import collect_marks, draw_cells

DOTS = [(x, (x * 7) % 5, "water" if x % 3 else "red") for x in range(30)]
COLOURS = {"water": "#2f6788", "red": "#8f2f2a"}


def pixels(draw):
    """What drawing on empty axes looks like, and how many things were drawn."""
    figure = Figure(figsize=(4, 3))
    axes = figure.add_axes((0, 0, 1, 1))
    axes.set(xlim=(-1, 31), ylim=(-1, 6))
    with warnings.catch_warnings():
        warnings.simplefilter("error")
        draw(axes)
    canvas = FigureCanvasAgg(figure)
    canvas.draw()
    return np.asarray(canvas.buffer_rgba()), len(axes.lines) + len(axes.patches) + len(axes.collections)


def singly(axes):
    """Every mark by itself."""
    for x, y, colour in DOTS:
        axes.plot([x, x], [y - 0.5, y + 0.5], color=COLOURS[colour], linewidth=1.5)
        axes.plot(x, y, "o", color=COLOURS[colour], markersize=5)


def together(axes):
    """The same, gathered."""
    with collect_marks(axes) as marks:
        for x, y, colour in DOTS:
            marks.plot([x, x], [y - 0.5, y + 0.5], color=COLOURS[colour], linewidth=1.5)
            marks.plot(x, y, "o", color=COLOURS[colour], markersize=5)


def test_dots_and_lines():
    """Two colours of lines and two of dots are four things; not a dot of the picture differs."""
    one_by_one, many = pixels(singly)
    at_once, few = pixels(together)
    assert (many, few) == (60, 4) and (one_by_one == at_once).all() and (at_once != 255).any()


def test_lines_of_their_own_kind():
    """Steps and dashes are kept, and no line runs on into the next one."""

    def draw(axes):
        with collect_marks(axes) as marks:
            for left in (0, 10):
                marks.plot((left, left + 2, left + 4), (1, 2, 3), drawstyle="steps-post", linestyle=":", color="#000000")

    _, drawn = pixels(draw)
    figure = Figure()
    axes = figure.add_axes((0, 0, 1, 1))
    draw(axes)
    (line,) = axes.lines
    assert drawn == 1 and line.get_linestyle() == ":" and line.get_drawstyle() == "steps-post"
    assert np.isnan(line.get_ydata()).tolist() == [False, False, False, True] * 2


@pytest.mark.parametrize("depths", [[1.0], [0.2, 0.9]])
def test_cells(depths):
    """Rectangles in one colour, each as strong as it is said to be; the axes keep their limits."""

    def draw(axes):
        draw_cells(axes, [(1, 2, 0, 1), (4, 6, 2, 3)], "#2f6788", depths)
        assert axes.get_xlim() == (-1, 31)

    image, drawn = pixels(draw)
    height, width, _ = image.shape
    first, second = (image[int((6 - y) / 7 * height), int((x + 1) / 32 * width)] for x, y in ((1.5, 0.5), (5, 2.5)))
    assert drawn == 1 and (first[2] == second[2]) == (len(depths) == 1) and first[2] >= second[2]
