"""The funnel's figure, by its geometry and its words."""

import pytest

from milepost.figures.funnel import draw_funnel, finding
from milepost.figures.style import new_sheet
from milepost.vocabulary import END_CAUSES


def document(count):
    """A funnel of so many levels that loses a player at each."""
    rows = [
        {
            "level": f"Level {n} of the long canal with a name",
            "reached": count + 5 - n,
            "cleared": count + 4 - n,
            "lost": 1,
            "drop_off_low": 0.0,
            "drop_off_high": 0.2,
            **dict.fromkeys((f"stopped_{cause}" for cause in END_CAUSES), 0),
        }
        for n in range(count)
    ]
    for row in rows:
        row["stopped_quit"] = 1
    return {"levels": rows, "players": count + 5, "course": {"levels": [row["level"] for row in rows], "inferred": False}}


@pytest.mark.parametrize("count", [1, 8, 24, 120])
def test_labels_do_not_touch(count):
    """Level names keep apart, whatever the number of levels, and stay inside the figure."""
    sheet = new_sheet()
    draw_funnel(sheet, document(count))
    sheet.figure.canvas.draw()
    axes = sheet.figure.axes[0]
    boxes = sorted((label.get_window_extent() for label in axes.get_yticklabels()), key=lambda box: box.y0)
    assert all(lower.y1 <= upper.y0 + 1 for lower, upper in zip(boxes, boxes[1:], strict=False))
    assert all(box.x0 >= 0 for box in boxes)
    assert [bar.get_width() for bar in axes.patches[:count]] == [row["reached"] for row in document(count)["levels"]]


def test_title_states_the_finding():
    """The title names where most were lost, with its count."""
    assert finding(document(3)) == (
        "5 of 8 players cleared the last level; most were lost at Level 2 of the long canal wit…: 1 of 6 (0–20 %)"
    )
    assert finding({"levels": [], "players": 0}) == "Nobody played a level of the course"


def test_same_bytes_again(wickwater):
    """The same log gives the same picture, byte by byte."""
    for name in ("one.svg", "two.svg"):
        done = wickwater("funnel", "wickwater/logs", "--course", "wickwater/course.toml", "--figure", name)
        assert done.returncode == 0, done.stderr
    assert (wickwater.folder / "one.svg").read_bytes() == (wickwater.folder / "two.svg").read_bytes()
