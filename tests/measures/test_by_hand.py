"""Ratings, layouts, coverage and moments on small logs whose figures were worked out by hand."""

import math

import pytest
from scipy.stats import fisher_exact

from conftest import COURSE

BANDS = (
    COURSE
    + """
[[band]]
name = "plain"
from = 0
to = 0.5
[[band]]
name = "gold"
from = 0.5
to = 1
"""
)


def clear(session, at=0.0, level="Mill Pond", **more):
    """A session of one try that clears, after eight seconds; more fields stand in its completion."""
    lines = [("start", 0, {}), ("complete", 8, more), ("session_end", 9, {"cause": "quit"})]
    return [{"session": session, "time": at + time, "event": event, "level": level, **own} for event, time, own in lines]


def test_shares_above_one_and_at_the_ends_of_bands(milepost):
    """More pick-ups than there are count as all of them; a band holds its lower end; a rating logged otherwise is counted."""
    collected = [(12, 10, "gold"), (10, 10, "plain"), (5, 10, None), (4.9, 10, "plain"), (0, 10, None), (3, 0, "gold")]
    lines = [
        line
        for n, (got, of, said) in enumerate(collected)
        for line in clear(f"s{n}", collected=got, available=of, **({"rating": said} if said else {}))
    ]
    milepost.write("log.jsonl", lines)
    milepost.write("course.toml", BANDS)
    row = milepost.json("ratings", "log.jsonl", "--course", "course.toml")["levels"][0]
    assert (row["clears"], row["rated"], row["no_band"]) == (6, 5, 0), "of nothing to collect there is no share"
    assert {name: band["clears"] for name, band in row["ratings"].items()} == {"plain": 2, "gold": 3}
    assert (row["logged"], row["logged_otherwise"]) == (3, 1)


def tries(session, layout, cleared, failed):
    """A session of one player in one layout: so many failures, then a clear if there is one."""
    lines, time = [], 0
    for n in range(failed + cleared):
        lines += [
            {"session": session, "time": time, "event": "start" if n == 0 else "retry", "level": "Mill Pond", "layout": layout},
            {
                "session": session,
                "time": time + 7,
                "event": "death" if n < failed else "complete",
                "level": "Mill Pond",
                "layout": layout,
            },
        ]
        time += 10
    return lines


def test_the_spread_between_layouts(milepost):
    """The variance between layouts' rates, less what sampling alone would give; layouts with few tries are left out."""
    lines = [line for n in range(8) for line in tries(f"a{n}", "reeds", 1, 0)]
    lines += [line for n in range(2) for line in tries(f"b{n}", "reeds", 0, 1)]
    lines += [line for n in range(2) for line in tries(f"c{n}", "fog", 1, 0)]
    lines += [line for n in range(8) for line in tries(f"d{n}", "fog", 0, 1)]
    lines += tries("e", "rain", 0, 4)
    milepost.write("log.jsonl", lines)
    milepost.write("course.toml", COURSE)
    document = milepost.json("layouts", "log.jsonl", "--course", "course.toml")
    found = {row["layout"]: (row["tries"], row["clears"], row["enough"]) for row in document["levels"]}
    assert found == {"reeds": (10, 8, True), "fog": (10, 2, True), "rain": (4, 0, False)}
    sampling = (0.75 * 0.25) / 10  # of (8 + 1) / 12 and (2 + 1) / 12
    assert document["between_layouts"] == pytest.approx(math.sqrt(0.18 - sampling))
    assert document["between_levels"] is None and document["levels_compared"] == 1
    assert document["worst"][0]["layout"] == "fog"
    alike = fisher_exact([[2, 8], [8, 2]], "less").pvalue
    assert document["worst"][0]["luck"] == pytest.approx(1 - (1 - alike) ** 2)  # one of two
    low, high = document["between_layouts_low"], document["between_layouts_high"]
    assert 0 < low < document["between_layouts"] < high and document["between_levels_low"] is None
    shown = milepost("layouts", "log.jsonl", "--course", "course.toml").stdout
    assert f"points ({100 * low:.0f}–{100 * high:.0f}; standard deviation)" in shown.replace("\n", " ")


def test_minutes_to_reach_a_level_over_sessions(milepost):
    """Time that a player spent in earlier sessions counts, time between sessions does not; the median is of players."""
    lines = []
    for n, first in enumerate((60, 120, 240)):
        lines += [
            {"session": f"s{n}-1", "player": f"p{n}", "time": time, "event": event, "level": "Mill Pond", **more}
            for time, event, more in ((0, "start", {}), (first, "complete", {}), (first, "session_end", {"cause": "quit"}))
        ]
        lines += [
            {"session": f"s{n}-2", "player": f"p{n}", "time": 30 * time, "event": event, "level": "Low Arch"}
            for time, event in ((0, "session_start"), (1, "start"), (2, "death"))
        ]
    milepost.write("log.jsonl", lines)
    milepost.write("course.toml", COURSE)
    pond, arch = milepost.json("coverage", "log.jsonl", "--course", "course.toml")["levels"]
    assert pond["minutes_to_reach"] == 0
    assert arch["minutes_to_reach"] == pytest.approx(2.5)  # two minutes of the first session, half a one of the second
    assert pond["minutes"] == pytest.approx(7) and arch["minutes"] == pytest.approx(1.5)


def test_hits_and_first_progress(milepost):
    """Hits before a death, the chance after the k-th hit, and what came before any progress: counted by hand."""
    milepost.write("course.toml", '[[level]]\nname = "Mill Pond"\n[[level]]\nname = "Low Arch"\n')
    log = []
    for player, hits, ends, far in (
        ("Ada", 2, "death", 0.5),
        ("Bo", 2, "complete", None),
        ("Cass", 0, "death", None),
        ("Dot", 1, "complete", 0.7),
    ):
        base = {"session": player, "level": "Mill Pond"}
        log += [base | {"time": 0, "event": "start"}, *(base | {"time": 1.5 + n, "event": "hit"} for n in range(hits))]
        log += [base | {"time": 5.5, "event": "checkpoint", "progress": far}] if far else []
        log.append(base | {"time": 9.5, "event": ends})
    milepost.write("log.jsonl", log)
    words = ("log.jsonl", "--course", "course.toml")
    row, other = milepost.json("attempts", *words)["levels"]
    assert row["hits_before_death"] == 1.0 and other["hits_before_death"] is None and other["after_hits"] == []
    assert [(one["hits"], one["tries"], one["clears"], one["chance"]) for one in row["after_hits"]] == [
        (1, 3, 2, 2 / 3),
        (2, 2, 1, 0.5),
    ]
    row, other = milepost.json("deaths", *words)["levels"]
    assert (row["deaths_before_progress"], row["clears_before_progress"], other["deaths_before_progress"]) == (1, 1, None)


def test_who_left_is_watched_first(milepost):
    """Those who left for good come first, then those who tried longest; who went on elsewhere has not left."""
    log, plays = (
        [],
        {"Ada": (4, True, "quit"), "Bo": (3, False, "quit"), "Cass": (6, False, "time_up"), "Dot": (1, False, "quit")},
    )
    for player, (fails, clears, cause) in plays.items():
        base = {"session": player, "level": "Mill Pond"}
        for n in range(fails + clears):
            log += [
                base | {"time": 10 * n, "event": "start"},
                base | {"time": 10 * n + 7.5, "event": "complete" if n == fails else "death"},
            ]
        log.append({"session": player, "time": 99, "event": "session_end", "cause": cause})
    milepost.write("log.jsonl", log)
    milepost.write("course.toml", '[[level]]\nname = "Mill Pond"\n[[level]]\nname = "Low Arch"\n')
    watch = milepost.json("level", "Mill Pond", "log.jsonl", "--course", "course.toml")["watch"]
    assert [(one["player"], one["tries"], one["left"]) for one in watch] == [
        ("Bo", 3, True),
        ("Dot", 1, True),
        ("Cass", 6, False),
        ("Ada", 5, False),
    ]
    assert "death, then left" in milepost("level", "Mill Pond", "log.jsonl", "--course", "course.toml").stdout


def test_who_left_after_most_failures_in_a_row_is_watched_first(milepost):
    """Among those who left for good; who failed for longer, or more often and went on, comes after them."""
    log = []
    for name, fails, lasted, cleared in (("slow", 2, 90, False), ("often", 4, 5, False), ("stayed", 6, 50, True)):
        for n in range(fails + cleared):
            base = {"session": name, "level": "Mill Pond"}
            log.append(base | {"time": n * 100, "event": "retry" if n else "start"})
            log.append(base | {"time": n * 100 + lasted, "event": "complete" if cleared and n == fails else "death"})
        log.append({"session": name, "time": 1000, "event": "session_end", "cause": "quit"})
    milepost.write("log.jsonl", log)
    milepost.write("course.toml", COURSE)
    watch = milepost.json("level", "Mill Pond", "log.jsonl", "--course", "course.toml")["watch"]
    assert [(one["session"], one["streak"], one["left"]) for one in watch] == [
        ("often", 4, True),
        ("slow", 2, True),
        ("stayed", 0, False),
    ]


def test_time_that_went_into_failures(milepost):
    """Seconds of tries that failed before the first clear: of none that cleared or was left, and of none after the clear."""
    log, clock = [], {}

    def plays(who, lasted, ended, more=None):
        base = {"session": who, "level": "Mill Pond"}
        began = clock.get(who, 0.0)
        log.append(base | {"time": began, "event": "start"})
        log.append(base | {"time": began + lasted, "event": ended} | (more or {}))
        clock[who] = began + lasted + 1

    plays("ada", 5, "death")
    plays("ada", 7.5, "reset")
    plays("ada", 20, "complete")
    plays("ada", 40, "death")
    plays("bo", 3, "death")
    plays("bo", 100, "session_end", {"cause": "quit"})
    milepost.write("log.jsonl", log)
    (row,) = milepost.json("times", "log.jsonl")["levels"]
    assert row["lost_to_failures"] == 15.5 and row["runs"] == 1
    milepost.write(
        "log.jsonl", [line for line in log if line["event"] in ("start", "complete") and line["session"] == "ada"][2:4]
    )
    (row,) = milepost.json("times", "log.jsonl")["levels"]
    assert row["lost_to_failures"] == 0
