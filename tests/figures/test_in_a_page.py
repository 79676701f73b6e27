"""Figures for the page and the PDF: colours that are the page's, names that clash with nothing, lines cut into pages."""

import re
from html import unescape

import pytest

from milepost.figures.inline import colours, inline_svg
from milepost.figures.pdf import _LINES, _pages
from milepost.figures.shared import names_at_ends
from milepost.figures.style import LIGHT, new_sheet
from thoroughness import some_always

MOVES = {
    "course": {"levels": ["Mill Pond", "Low Arch"]},
    "moves": [
        {"from": "Mill Pond", "to": "Low Arch", "kind": "advance", "count": 3, "cost": None},
        {"from": "Low Arch", "to": "Mill Pond", "kind": "setback", "count": 1, "cost": 12.0},
    ],
    "started_back": [],
}


def test_a_drawing_in_the_pages_colours():
    """No colour of its own, no size of its own, a text alternative, and names that begin with the figure's."""
    drawn = inline_svg("moves", MOVES, 'one "setback" & <more>', (1280, 800))
    assert drawn.startswith('<svg role="img" aria-label="one &quot;setback&quot; &amp; &lt;more&gt;"')
    assert not re.findall("#[0-9a-f]{6}", drawn.lower())
    assert f"var(--{'paper'})" in drawn and "var(--brick)" in drawn and "var(--type)" in drawn
    assert "<metadata" not in drawn and not re.search(r"<svg[^>]* (width|height)=", drawn)
    assert all(name.startswith("moves-") for name in re.findall(r' id="([^"]+)"', drawn))
    assert set(re.findall(r"url\(#([^)]+)\)", drawn)) <= set(re.findall(r' id="([^"]+)"', drawn))
    assert all(f"--{role}:" in look for role in vars(LIGHT) for look in colours())


def test_faint_shades_stay():
    """Places are rounded, shades are not: a cell of one death in a hundred is still there."""
    row = {
        "level": "Low Arch",
        "progress": [100, 1, 0, 0, 0, 0, 0, 0, 0, 0],
        "deaths": 101,
        "reached": 50,
        "per_player_reached": 2.02,
    }
    drawn = inline_svg("deaths", {"levels": [row | {"causes": {}}]}, "x", (1280, 800))
    shades = [float(value) for value in re.findall(r"opacity: ([\d.]+)", drawn)]
    assert any(0.15 < shade < 0.17 for shade in shades)


@pytest.mark.parametrize("ends", [(0.5, 0.5, 0.5), (0.99, 1.0, 0.98), (0.1, 0.9, 0.12)])
def test_names_at_the_ends_of_lines_keep_apart(ends):
    """However near the lines end, their names do not touch, and none leaves the axis at its top."""
    sheet = new_sheet()
    axes = sheet.axes(0.1, 0.2, 0.6, 0.6)
    axes.set_ylim(0, 1.03)
    names_at_ends(axes, 5, [(end, f"line {n}", LIGHT.ink) for n, end in enumerate(ends)])
    heights = sorted(text.xy[1] for text in axes.texts)
    assert all(b - a >= 0.054 for a, b in zip(heights, heights[1:], strict=False)) and heights[-1] <= 1.0


def test_lines_on_pages():
    """No page is too full, none ends in a heading, and nothing is lost."""
    chapters = [(f"Heading {n}", ["short", "long " * 60]) for n in range(12)]
    pages = _pages(chapters)
    assert all(0 < len(page) <= _LINES for page in pages) and not any(page[-1][1] for page in pages)
    assert [text for page in pages for text, head in page if head] == [heading for heading, _ in chapters]
    assert sum(text.count("long") for page in pages for text, _ in page) == 12 * 60
    assert _pages([]) == [[]]


@pytest.mark.parametrize(
    "name", some_always(["Level 1.25", "Lock 12.375", "#2f6788", 'id="a"', "font-family: x", "font: 12.5px Serif", "url(#here)"])
)
def test_names_stay_as_they_are(milepost, small_log, name):
    """What is written in a figure is never changed as places, colours and fonts are."""
    milepost.write("log.jsonl", [line | ({"level": name} if line.get("level") == "Mill Pond" else {}) for line in small_log])
    assert milepost("report", "log.jsonl", "-o", "report.html").returncode == 0
    page = (milepost.folder / "report.html").read_text(encoding="utf-8")
    written = [
        unescape(text)
        for svg in re.findall(r"<svg.*?</svg>", page, re.DOTALL)
        for text in re.findall(r"<text[^>]*>(.*?)</text>", svg, re.DOTALL)
    ]
    assert sum(name in text for text in written) >= 5
