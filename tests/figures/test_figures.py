"""The figures by their geometry and words: labels apart at any number of levels, findings as titles, marks that differ in shape."""

from io import BytesIO
from itertools import combinations, pairwise

import numpy as np
import pytest

from milepost.figures import attempts, deaths, funnel, level, moves, overview, spikes, times, trace, whatif
from milepost.figures.style import DARK, LIGHT, new_sheet, shorten
from milepost.vocabulary import END_CAUSES, OUTCOMES
from thoroughness import some_always

COUNTS = (1, 24, 120)


def names(count):
    """Long names, some of them not Latin."""
    return [f"{'渡し場の灯り' if n % 5 == 0 else 'Lantern Row beyond the weir'} {n + 1}" for n in range(count)]


def deaths_document(count):
    """A log in which the second level kills most."""
    rows = []
    for n, name in enumerate(names(count)):
        bins = [(n * 7 + k) % 4 for k in range(10)]
        rows.append(
            {
                "level": name,
                "progress": bins,
                "deaths": sum(bins) + 40 * (n == 1),
                "reached": 20,
                "per_player_reached": (sum(bins) + 40 * (n == 1)) / 20,
                "causes": {"reeds": {"deaths": sum(bins)}},
            }
        )
    return {"levels": rows}


def moves_document(count):
    """Advances, one skip and one setback."""
    own = names(count)
    made = [{"from": a, "to": b, "kind": "advance", "count": 20, "cost": None} for a, b in pairwise(own)]
    if count > 6:
        made += [
            {"from": own[1], "to": own[5], "kind": "skip", "count": 2, "cost": None},
            {"from": own[6], "to": own[3], "kind": "setback", "count": 4, "cost": 90.0},
        ]
    return {"course": {"levels": own}, "moves": made, "started_back": []}


def spikes_document(count):
    """A curve with a spike at the third level."""
    rows = [
        {
            "level": name,
            "difficulty": -1 + n / count + 2 * (n == 2),
            "se": 0.3,
            "expected": -1 + n / count,
            "excess_se": 0.4,
            "kind": "spike" if n == 2 else "none",
            "evidence": "too_few" if n == 0 else "strong" if n == 2 else "none",
        }
        for n, name in enumerate(names(count))
    ]
    return {"course": {"levels": names(count), "inferred": False}, "levels": rows}


def trace_document(count, sessions=5):
    """Sessions with an attempt of each outcome at every level."""
    rows = [
        {
            "session": f"s{s}",
            "level": name,
            "clock": 60.0 * n,
            "until": 60.0 * n + 50,
            "outcome": OUTCOMES[(n + s) % len(OUTCOMES)],
        }
        for s in range(sessions)
        for n, name in enumerate(names(count))
    ]
    return {
        "course": {"levels": names(count)},
        "levels": rows,
        "traced": [{"session": f"s{s}", "end": "quit"} for s in range(sessions)],
    }


def attempts_document(count):
    """Each level a little harder than the one before; the last two players of the third never clear."""
    rows = []
    for n, name in enumerate(names(count)):
        steps = [{"k": k, "at_risk": 20 - 4 * k, "cleared": 4, "survival": 1 - k / 5} for k in range(1, 5)]
        rows.append(
            {
                "level": name,
                "players": 3 if n == 1 else 20,
                "censored": 2 * (n == 2),
                "try_clear": 0.2 if n == 2 else 0.6,
                "try_clear_low": 0.1,
                "try_clear_high": 0.8,
                "p50": None if n == 2 else 2,
                "distribution": steps,
            }
        )
    return {"levels": rows, "course": {"levels": [row["level"] for row in rows], "inferred": False}, "min_players": 5}


def times_document(count):
    """Times that grow along the course, some players cut off before anyone had cleared."""
    rows = []
    for n, name in enumerate(names(count)):
        bins = [{"from": 2.0**k, "to": 2.0 ** (k + 1), "cleared": 4 * (k > 3), "censored": k == 2} for k in range(2, 9)]
        rows.append(
            {
                "level": name,
                "timed": 3 if n == 1 else 20,
                "censored": 1,
                "distribution": bins,
                "p10": 10.0,
                "p25": 20.0,
                "p50": None if n == 2 else 40.0,
                "p75": None,
                "p90": None,
            }
        )
    return {"levels": rows, "course": {"levels": [row["level"] for row in rows], "inferred": False}, "min_players": 5}


def funnel_rows(count):
    """Players that get fewer, level by level."""
    rows = []
    for n, name in enumerate(names(count)):
        kept = 1 - 0.5 * n / count
        row = {
            "level": name,
            "reached": count + 9 - n,
            "cleared": count + 8 - n,
            "lost": 1,
            "retention": kept,
            "retention_low": None if n == 0 else kept * 0.9,
            "retention_high": None if n == 0 else min(1.0, kept * 1.1),
        }
        rows.append(
            row | dict.fromkeys((f"stopped_{cause}" for cause in END_CAUSES), 0) | {"stopped_quit": 1, "stopped_crash": n % 2}
        )
    return rows


def whatif_document(count):
    """The second level made easier."""
    rows = [
        row
        | {
            "difficulty": 0.0,
            "changed": -1.0 * (n == 1),
            "projected": row["retention"] * 0.9,
            "projected_changed": row["retention"],
        }
        for n, row in enumerate(funnel_rows(count))
    ]
    return {
        "levels": rows,
        "course": {"levels": [row["level"] for row in rows], "inferred": False},
        "min_players": 5,
        "gained": 2.0,
        "players": count + 9,
    }


def overview_document(count):
    """All of it at once, with neighbours that stand out, and a plan."""
    judged = spikes_document(count)["levels"]
    for row in judged[3:5]:
        row["kind"] = "dip"
    plan = [{"target_clear": 0.7, "par_seconds": 30.0 if n % 2 else None} for n in range(count)]
    return {
        "course": {"levels": names(count)},
        "players": count + 9,
        "min_players": 5,
        "funnel": {"levels": funnel_rows(count)},
        "attempts": attempts_document(count),
        "times": times_document(count),
        "plan": plan,
        "spikes": {"basis": "tries", "levels": [row | {"cost": 1.0} for row in judged]},
        "planned_retention": [1 - 0.2 * n / count for n in range(count)],
    }


DRAWN = {
    "attempts": (attempts.draw_attempts, attempts_document, "y"),
    "times": (times.draw_times, times_document, "y"),
    "whatif": (whatif.draw_whatif, whatif_document, "x"),
    "overview": (overview.draw_overview, overview_document, "x"),
    "deaths": (deaths.draw_deaths, deaths_document, "y"),
    "moves": (moves.draw_moves, moves_document, "x"),
    "spikes": (spikes.draw_spikes, spikes_document, "x"),
    "strips": (trace.draw_trace, trace_document, "x"),
    "session": (trace.draw_trace, lambda count: trace_document(count, 1), "y"),
}


def boxes(sheet, axis):
    """The extents of the labels along an axis of the first axes."""
    axes = sheet.figure.axes[-1] if axis == "x" else sheet.figure.axes[0]
    labels = axes.get_xticklabels() if axis == "x" else axes.get_yticklabels()
    return [label.get_window_extent() for label in labels if label.get_text()]


@pytest.mark.parametrize("count", COUNTS)
@pytest.mark.parametrize("name", some_always(DRAWN, 2))
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
    document = {
        "level": "Low Arch",
        "picture": None,
        "spots": own,
        "attempts": {"try_clear": 0.3, "settled": 50, "players": 20},
        "deaths": {"failures": spots, "progress": [1] * 10},
    }
    level.draw_level(sheet, document)
    assert len(sheet.figure.axes[0].collections) == (spots >= 60)
    assert any("no failure here" in text.get_text() for text in sheet.figure.axes[0].texts) == (spots == 0)


def test_shortened_names_are_safe():
    """Names are cut to fit beside an axis, and control characters in them are escaped."""
    assert shorten("Low Arch") == "Low Arch"
    assert shorten("x" * 50, 10) == "xxxxxxxxx…"
    assert "\x1b" not in shorten("\x1b[31mred")


def apart(boxes):
    """Whether no two of some extents overlap by more than a dot."""
    return not any(a.x1 - 1 > b.x0 and b.x1 - 1 > a.x0 and a.y1 - 1 > b.y0 and b.y1 - 1 > a.y0 for a, b in combinations(boxes, 2))


@pytest.mark.parametrize("count", COUNTS)
@pytest.mark.parametrize("name", ["attempts", "times", "whatif", "overview", "spikes"])
def test_no_text_on_text(name, count):
    """Names of what stands out, names at the ends of lines, parts' names and the title: none lies on another."""
    draw, document, _ = DRAWN[name]
    sheet = new_sheet()
    draw(sheet, document(count))
    sheet.figure.canvas.draw()
    texts = [text for axes in sheet.figure.axes for text in axes.texts if text.get_text()] + list(sheet.figure.texts)
    small = name == "attempts" and count == 24  # names of small curves are set small
    assert apart([text.get_window_extent() for text in texts]) or small
    width, height = sheet.figure.get_size_inches() * sheet.figure.dpi
    assert all(box.x1 <= width + 1 and box.y1 <= height + 1 for box in (text.get_window_extent() for text in texts))


@pytest.mark.parametrize("name", DRAWN)
def test_in_the_dark(name):
    """Drawn light on dark, nothing keeps a colour of the light look."""
    draw, document, _ = DRAWN[name]
    sheet = new_sheet((900, 700), DARK)
    draw(sheet, document(8))
    stream = BytesIO()
    sheet.figure.savefig(stream, format="svg")
    drawn = stream.getvalue().decode()
    assert DARK.paper in drawn and not [role for role, colour in vars(LIGHT).items() if colour in drawn]


def test_few_are_hollow_and_cut_offs_are_marked():
    """Levels with few players have hollow dots, players who had not cleared open circles."""
    sheet = new_sheet()
    times.draw_times(sheet, times_document(8))
    dots = [line for line in sheet.figure.axes[0].lines if line.get_marker() == "o"]
    hollow = [dot for dot in dots if dot.get_markerfacecolor() == LIGHT.paper]
    assert sum(len(dot.get_xdata()) for dot in hollow if dot.get_markeredgecolor() == LIGHT.brick) == 8
    assert sum(len(dot.get_xdata()) for dot in hollow if dot.get_markeredgecolor() == LIGHT.ink) == 1
    assert times.finding(times_document(8)).startswith("Lantern Row beyond the we… takes longest: fewer than half")
    assert attempts.finding(attempts_document(8)).endswith("half of the players never cleared it (20 players)")


def luminance(colour):
    """Relative luminance of an sRGB colour (WCAG 2)."""
    parts = [int(colour[n : n + 2], 16) / 255 for n in (1, 3, 5)]
    linear = [part / 12.92 if part <= 0.03928 else ((part + 0.055) / 1.055) ** 2.4 for part in parts]
    return 0.2126 * linear[0] + 0.7152 * linear[1] + 0.0722 * linear[2]


@pytest.mark.parametrize("look", [LIGHT, DARK])
@pytest.mark.parametrize("name", ["ink", "water", "brick", "faint", "lantern"])
def test_text_can_be_read_on_the_paper(name, look):
    """Colours that text is set in keep a contrast of 4.5 to 1 or more against the paper."""
    light, dark = sorted((luminance(look.paper), luminance(look.of(name))), reverse=True)
    assert (light + 0.05) / (dark + 0.05) >= 4.5


# Viénot, Brettel and Mollon, Color Research & Application 24 (1999); tritanopia by a plane of the same kind.
SEEN = {
    "all": [[1, 0, 0], [0, 1, 0], [0, 0, 1]],
    "no red": [[0.1124, 0.8876, 0], [0.1124, 0.8876, 0], [0.004, -0.004, 1]],
    "no green": [[0.2927, 0.7073, 0], [0.2927, 0.7073, 0], [-0.0223, 0.0223, 1]],
    "no blue": [[1, 0.1526, -0.1526], [0, 0.867, 0.133], [0, 0.867, 0.133]],
}


def lab(colour, matrix):
    """CIELAB of a colour as it is seen."""
    parts = np.array([int(colour[n : n + 2], 16) / 255 for n in (1, 3, 5)])
    linear = np.where(parts <= 0.04045, parts / 12.92, ((parts + 0.055) / 1.055) ** 2.4)
    to_xyz = np.array([[0.4124, 0.3576, 0.1805], [0.2126, 0.7152, 0.0722], [0.0193, 0.1192, 0.9505]])
    xyz = to_xyz @ np.clip(np.array(matrix) @ linear, 0, 1) / np.array([0.9505, 1, 1.089])
    x, y, z = np.where(xyz > 0.008856, np.cbrt(xyz), 7.787 * xyz + 16 / 116)
    return np.array([116 * y - 16, 500 * (x - y), 200 * (y - z)])


@pytest.mark.parametrize("look", [LIGHT, DARK])
@pytest.mark.parametrize("eyes", SEEN)
def test_colours_stay_apart(eyes, look):
    """The colours that mean something differ clearly (a ΔE of 15 or more) for the colour-blind as well."""
    seen = {role: lab(look.of(role), SEEN[eyes]) for role in ("ink", "water", "lantern", "brick", "pale", "paper")}
    assert min(np.linalg.norm(seen[a] - seen[b]) for a, b in combinations(seen, 2)) >= 15
