"""The figures of sections and of knobs: their findings, what is drawn of each section, and texts that stay inside."""

import pytest

from milepost.demo.unpack import unpack
from milepost.figures import knobs, sections
from milepost.figures.draw import draw_figure

DEMO = ("wickwater/logs", "--course", "wickwater/course.toml")


@pytest.fixture
def docks(milepost):
    """The program in the folder of the evening at the docks."""
    unpack(milepost.folder, force=False, which="docks")
    return milepost


def inside(sheet):
    """Return whether all texts of a figure lie within it."""
    sheet.figure.canvas.draw()
    texts = [text for axes in sheet.figure.axes for text in axes.texts if text.get_text()] + list(sheet.figure.texts)
    width, height = sheet.figure.get_size_inches() * sheet.figure.dpi
    boxes = [text.get_window_extent() for text in texts]
    return all(box.x0 >= 0 and box.y0 >= 0 and box.x1 <= width and box.y1 <= height for box in boxes)


def test_one_level(docks):
    """A level from left to right: who gets through, who fails, and what stands between."""
    document = docks.json("sections", "logs", "--level", "Salt Dock")
    assert sections.finding(document).startswith("Salt Dock, from the weighing house to the clear: ")
    sheet = draw_figure("sections", document)
    said = [text.get_text() for text in sheet.figure.axes[0].texts]
    rows = document["sections"]
    assert {"the weighing house", "cleared"} <= set(said) and f"{rows[1]['failed']} of {rows[1]['entered']} fail" in said
    assert inside(sheet)


def test_a_course_of_strips(docks):
    """Each level is a strip of its sections; their widths are median seconds, their heights who gets there."""
    document = docks.json("sections", "logs")
    sheet = draw_figure("sections", document)
    axes = sheet.figure.axes[0]
    assert len(axes.patches) == 2 * len(document["sections"]) and inside(sheet)
    first = axes.patches[0]
    assert first.get_width() == pytest.approx(document["sections"][0]["seconds_p50"])
    nothing = {**document, "sections": [row | {"failed": 0} for row in document["sections"]]}
    assert sections.finding(nothing) == "Nobody fails in a section"


def test_strips_of_knobs(wickwater):
    """A strip for each knob above the difficulty, what a unit does beside it; a course without knobs is drawn, too."""
    document = wickwater.json("knobs", *DEMO)
    assert knobs.finding(document) == "current and arch_width are told to change how hard levels are"
    sheet = draw_figure("knobs", document)
    assert len(sheet.figure.axes) == 5 and inside(sheet)
    assert any("not told from place" in text.get_text() for text in sheet.figure.texts)
    bare = {**document, "effects": [], "levels": [row | {"knobs": {}, "changed": []} for row in document["levels"]]}
    assert knobs.finding(bare) == "No level has knobs" and inside(draw_figure("knobs", bare))
