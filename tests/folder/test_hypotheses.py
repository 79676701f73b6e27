"""Hypotheses of a playtest folder: held, not held, undecided, found in the data, and what is refused."""

import pytest

from milepost.planning.hypotheses import _difference, _verdict


def plays(build, day, clears, of):
    """Players of a build, each with one try at Low Arch, so many of whom clear it."""
    records = []
    for n in range(of):
        base = {"session": f"{build}-{n}", "player": f"{build}-{n}", "build": build, "level": "Low Arch"}
        records.append(base | {"time": f"2026-11-{day:02d}T10:{n:02d}:00Z", "event": "start"})
        outcome = "complete" if n < clears else "death"
        records.append(base | {"time": f"2026-11-{day:02d}T10:{n:02d}:20Z", "event": outcome})
    return records


@pytest.fixture
def folder(milepost):
    """A folder of two builds: a quarter cleared Low Arch in the first, three quarters in the second."""
    milepost.write("log.jsonl", plays("0.8", 20, 10, 40) + plays("0.9", 27, 30, 40))
    return milepost


def came(folder, *lines):
    """What comes of a hypothesis on Low Arch."""
    rest = "\n".join(lines)
    folder.write("milepost.toml", f'logs = ["log.jsonl"]\n[[hypothesis]]\nlevel = "Low Arch"\n{rest}\n')
    return folder.json("targets")["hypotheses"][0]


@pytest.mark.parametrize(
    ("expect", "least", "verdict"),
    [("up", 0.1, "held"), ("up", 0.45, "held"), ("up", 0.6, "no_telling"), ("up", 0.9, "not_held"), ("down", 0.0, "not_held")],
)
def test_what_came_of_it(folder, expect, least, verdict):
    """Held where as much came as was expected, told from nothing; not held where no value of the interval would do."""
    row = came(folder, 'figure = "try_clear"', f'expect = "{expect}"', f"at_least = {least}", "said = 2026-11-10")
    assert (row["from"], row["build"], row["verdict"], row["found_in_data"]) == ("0.8", "0.9", verdict, False)
    assert row["change"] == pytest.approx(0.5) and 0.2 < row["low"] < 0.5 < row["high"] < 0.8
    assert (row["players_needed"] is not None) == (verdict == "no_telling")
    assert row["players_needed"] is None or row["players_needed"] > row["players"] == 40


@pytest.mark.parametrize(
    ("sign", "change", "interval", "least", "verdict"),
    [
        (1, 0.5, (0.2, 0.8), 0.5, "held"),
        (1, 0.5, (0.0, 0.8), 0.5, "no_telling"),
        (1, 0.3, (0.1, 0.5), 0.5, "no_telling"),  # as much as was expected is still a value of the interval
        (1, 0.3, (0.1, 0.49), 0.5, "not_held"),
        (1, -0.1, (-0.2, 0.0), 0.0, "not_held"),
        (-1, -0.5, (-0.8, -0.2), 0.4, "held"),
        (-1, -0.3, (-0.4, -0.2), 0.4, "no_telling"),
        (1, 0.5, (None, 0.8), 0.5, "no_telling"),
    ],
)
def test_verdicts_by_hand(sign, change, interval, least, verdict):
    assert _verdict(sign, change, *interval, least) == verdict


def test_said_too_late(folder):
    """What was said after the log's first day is found in the data; without a date nobody knows; both are said."""
    assert came(folder, 'figure = "clear_rate"', 'expect = "up"', "said = 2026-11-25")["found_in_data"] is True
    shown = folder("targets").stdout
    assert "found in the data and not tested by it: Low Arch" in shown and "✓ held" in shown
    assert came(folder, 'figure = "first_try"', 'expect = "up"', 'build = "0.9"')["found_in_data"] is None
    assert "Nothing says whether it was said before the test: Low Arch" in folder("targets").stdout


@pytest.mark.parametrize(
    ("lines", "why"),
    [
        (['figure = "fun"', 'expect = "up"'], "milepost.toml:4: hypothesis.figure: has to be one of try_clear"),
        (['figure = "try_clear"', 'expect = "more"'], 'has to be "up" or "down"'),
        (['figure = "try_clear"', 'expect = "up"', "said = 3"], "a date, such as 2026-11-20"),
        (['figure = "try_clear"', 'expect = "up"', "at_least = 2"], "a number from 0 to 1"),
        (['figure = "try_clear"', 'expect = "up"', 'build = "0.8"'], "is the first one"),
        (['figure = "try_clear"', 'expect = "up"', 'build = "7"'], "is not in the log"),
        (['figure = "try_clear"', 'expect = "up"', "hope = 1"], "there is no such key"),
    ],
)
def test_hypotheses_that_make_no_sense(folder, lines, why):
    rest = "\n".join(lines)
    folder.write("milepost.toml", f'logs = ["log.jsonl"]\n[[hypothesis]]\nlevel = "Low Arch"\n{rest}\n')
    done = folder("targets")
    assert done.returncode == 2 and why in done.stderr and len(done.stderr.splitlines()) == 1, done.stderr


def test_the_interval_of_a_difference():
    """Newcombe's tenth method, worked out by hand of intervals that lean to either side."""
    before = {"clear": 0.5, "clear_low": 0.3, "clear_high": 0.6}
    after = {"clear": 0.8, "clear_low": 0.7, "clear_high": 0.95}
    size, low, high = _difference(before, after, "clear")
    assert size == pytest.approx(0.3)
    assert low == pytest.approx(0.3 - (0.1**2 + 0.1**2) ** 0.5) and high == pytest.approx(0.3 + (0.15**2 + 0.2**2) ** 0.5)
    assert _difference({**before, "clear_low": None}, after, "clear") == (None, None, None)
