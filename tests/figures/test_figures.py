"""The figures by their geometry and words: labels apart at any number of levels, findings as titles, marks that differ in shape."""

from itertools import pairwise

import pytest

from milepost.figures import deaths, funnel, level, moves, spikes, trace
from milepost.figures.style import LIGHT, new_sheet, shortened
from milepost.vocabulary import OUTCOMES

COUNTS = (1, 8, 24, 120)


def names(count):
    """Long names, some of them not Latin."""
    return [f"{'渡し場の灯り' if n % 5 == 0 else 'Lantern Row beyond the weir'} {n + 1}" for n in range(count)]


def deaths_document(count):
    """A log in which the second level kills most."""
    rows = []
    for n, name in enumerate(names(count)):
        bins = [(n * 7 + k) % 4 for k in range(10)]
        rows.append({"level": name, "progress": bins, "deaths": sum(bins) + 40 * (n == 1), "reached": 20,
                     "per_player_reached": (sum(bins) + 40 * (n == 1)) / 20, "causes": {"reeds": {"deaths": sum(bins)}}})  # fmt: skip
    return {"levels": rows}


def moves_document(count):
    """Advances, one skip and one setback."""
    own = names(count)
    made = [{"from": a, "to": b, "kind": "advance", "count": 20, "cost": None} for a, b in pairwise(own)]
    if count > 6:
        made += [{"from": own[1], "to": own[5], "kind": "skip", "count": 2, "cost": None},
                 {"from": own[6], "to": own[3], "kind": "setback", "count": 4, "cost": 90.0}]  # fmt: skip
    return {"course": {"levels": own}, "moves": made}


def spikes_document(count):
    """A curve with a spike at the third level."""
    rows = [
        {"level": name, "difficulty": -1 + n / count + 2 * (n == 2), "se": 0.3, "expected": -1 + n / count, "excess_se": 0.4,
         "kind": "spike" if n == 2 else "none", "evidence": "too_few" if n == 0 else "strong" if n == 2 else "none"}
        for n, name in enumerate(names(count))
    ]  # fmt: skip
    return {"levels": rows}


def trace_document(count, sessions=5):
    """Sessions with an attempt of each outcome at every level."""
    rows = [
        {"session": f"s{s}", "level": name, "clock": 60.0 * n, "until": 60.0 * n + 50, "outcome": OUTCOMES[(n + s) % len(OUTCOMES)]}
        for s in range(sessions) for n, name in enumerate(names(count))
    ]  # fmt: skip
    return {"course": {"levels": names(count)}, "levels": rows, "traced": [{"session": f"s{s}", "end": "quit"} for s in range(sessions)]}


DRAWN = {
    "deaths": (deaths.draw_deaths, deaths_document, "y"),
    "moves": (moves.draw_moves, moves_document, "x"),
    "spikes": (spikes.draw_spikes, spikes_document, "x"),
    "strips": (trace.draw_trace, trace_document, "x"),
    "session": (trace.draw_trace, lambda count: trace_document(count, 1), "y"),
}


def boxes(sheet, axis):
    """The extents of the labels along an axis of the first axes."""
    axes = sheet.figure.axes[0]
    labels = axes.get_xticklabels() if axis == "x" else axes.get_yticklabels()
    return [label.get_window_extent() for label in labels if label.get_text()]


@pytest.mark.parametrize("count", COUNTS)
@pytest.mark.parametrize("name", DRAWN)
def test_labels_keep_apart(name, count):
    """Level names do not overlap and stay inside the figure, at one level and at 120."""
    draw, document, axis = DRAWN[name]
    sheet = new_sheet()
    draw(sheet, document(count))
    sheet.figure.canvas.draw()
    found = boxes(sheet, axis)
    assert found
    low, high = ("x0", "x1") if axis == "x" else ("y0", "y1")
    ordered = sorted(found, key=lambda box: getattr(box, low))
    assert all(getattr(a, high) <= getattr(b, low) + 1 for a, b in pairwise(ordered))
    width, height = sheet.figure.get_size_inches() * sheet.figure.dpi
    assert all(box.x0 >= 0 and box.y0 >= 0 and box.x1 <= width + 1 and box.y1 <= height + 1 for box in found)


@pytest.mark.parametrize("name", DRAWN)
def test_title_and_reading_line_fit(name):
    """The finding and the line on how to read the figure stay inside it and below each other."""
    draw, document, _ = DRAWN[name]
    sheet = new_sheet()
    draw(sheet, document(24))
    sheet.figure.canvas.draw()
    heading, reading = sheet.figure.texts[:2]
    above, below = heading.get_window_extent(), reading.get_window_extent()
    assert below.y1 <= above.y0 + 1
    assert max(above.x1, below.x1) <= sheet.figure.get_size_inches()[0] * sheet.figure.dpi


def test_findings():
    """Each title says what the figure shows, from its numbers."""
    assert deaths.finding(deaths_document(8)).startswith("Lantern Row beyond the we… kills most")
    assert deaths.finding({"levels": []}) == "Nobody died in a level of the course"
    assert moves.finding(moves_document(24)) == "4 setbacks, most from Lantern Row beyond th… (4), cost 90 s of replay in all"
    assert moves.finding(moves_document(2)) == "Nobody was set back; 20 moves in all"
    assert spikes.finding(spikes_document(8)) == "Lantern Row beyond … is a spike"
    assert spikes.finding(spikes_document(2)) == "No level stands out beyond the course's own unevenness"
    assert funnel.finding({"levels": [], "players": 0}) == "Nobody played a level of the course"


def test_what_stands_out_differs_in_shape():
    """A spike is a triangle and labelled; a level with too few players is hollow."""
    sheet = new_sheet()
    spikes.draw_spikes(sheet, spikes_document(8))
    marks = [line for line in sheet.figure.axes[0].lines if line.get_marker() not in ("None", None, "")]
    assert [line.get_marker() for line in marks].count("^") == 1
    assert marks[0].get_markerfacecolor() == LIGHT.paper
    assert any("spike, strong" in note.get_text() for note in sheet.figure.axes[0].texts)
    assert len({shape for shape, _ in trace._MARKS.values()}) >= 7


def test_arcs_go_the_right_way():
    """Setbacks lie below the line, skips above it."""
    sheet = new_sheet()
    moves.draw_moves(sheet, moves_document(24))
    sides = {arc.get_edgecolor(): (arc.theta1, arc.theta2) for arc in sheet.figure.axes[0].patches}
    assert (180, 360) in sides.values()
    assert (0, 180) in sides.values()


@pytest.mark.parametrize("spots", [0, 3, 200])
def test_a_levels_map(spots):
    """Few spots are marks, many get shades too, none is said."""
    sheet = new_sheet()
    own = [{"x": n % 17, "y": n % 11, "cause": None if n % 3 else "reeds"} for n in range(spots)]
    document = {"level": "Low Arch", "spots": own, "attempts": {"try_clear": 0.3, "settled": 50, "players": 20},
                "deaths": {"failures": spots, "progress": [1] * 10}}  # fmt: skip
    level.draw_level(sheet, document)
    assert len(sheet.figure.axes[0].collections) == (spots >= 60)
    assert any("no failure here" in text.get_text() for text in sheet.figure.axes[0].texts) == (spots == 0)


def test_shortened_names_are_safe():
    """Names are cut to fit beside an axis, and control characters in them are escaped."""
    assert shortened("Low Arch") == "Low Arch"
    assert shortened("x" * 50, 10) == "xxxxxxxxx…"
    assert "\x1b" not in shortened("\x1b[31mred")


def luminance(colour):
    """Relative luminance of an sRGB colour (WCAG 2)."""
    parts = [int(colour[n : n + 2], 16) / 255 for n in (1, 3, 5)]
    linear = [part / 12.92 if part <= 0.03928 else ((part + 0.055) / 1.055) ** 2.4 for part in parts]
    return 0.2126 * linear[0] + 0.7152 * linear[1] + 0.0722 * linear[2]


@pytest.mark.parametrize("name", ["ink", "water", "brick", "faint"])
def test_text_can_be_read_on_the_paper(name):
    """Colours that text is set in keep a contrast of 3 to 1 or more against the paper."""
    light, dark = luminance(LIGHT.paper), luminance(getattr(LIGHT, name))
    assert (light + 0.05) / (dark + 0.05) >= 3
