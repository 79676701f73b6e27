"""Whatever people write into notes and clocks is read back as it was, and verdicts and ranks keep their promises."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from milepost.folder.notes import add_note, read_notes, seconds_of
from milepost.numerics.ranks import Pairs, spearman
from milepost.planning.targets import Goal, Measured, judge_target, players_needed
from thoroughness import some_rows_always

WORDS = (
    st.text(st.characters(codec="utf-8", exclude_categories=["Cc", "Cs", "Zl", "Zp"]), min_size=1, max_size=40)
    .map(lambda text: " ".join(text.split()))
    .filter(bool)
)
NUMBERS = st.floats(-50, 50, allow_nan=False)


@pytest.mark.parametrize(
    ("delimiter", "encoding"), some_rows_always([(",", "utf-8"), (";", "utf-8-sig"), ("\t", "utf-16"), (";", "cp1252")], 2)
)
@given(notes=st.lists(st.tuples(WORDS, st.none() | WORDS), min_size=1, max_size=5))
@settings(max_examples=40, deadline=None)
def test_notes_come_back_as_they_were_written(tmp_path_factory, delimiter, encoding, notes):
    """Delimiters, quotes, formulas and letters of any script; also where the table's own encoding has no room for them."""
    path = tmp_path_factory.mktemp("notes") / "notes.csv"
    path.write_bytes(
        delimiter.join(["note", "level"]).encode(encoding)
        + "\r\n".encode(encoding.replace("utf-16", "utf-16-le").replace("-sig", ""))
    )
    for text, level in notes:
        add_note(path, {"note": text} | ({"level": level} if level else {}))
    assert [(one["note"], one["level"]) for one in read_notes(path)] == notes


@given(st.integers(0, 99), st.integers(0, 59), st.integers(0, 59), st.booleans())
def test_clocks(hours, minutes, rest, negative):
    """Hours, minutes and seconds, with a sign, in any of the usual forms."""
    value, sign = 3600 * hours + 60 * minutes + rest, "-" if negative else ""
    for text in (
        f"{sign}{hours}:{minutes:02d}:{rest:02d}",
        f"{sign}{value}",
        f"{sign}{value},0",
        f"{sign}{60 * hours + minutes}:{rest:02d}",
    ):
        assert seconds_of(text) == (-value if negative else value)
    assert seconds_of("soon") is None and seconds_of("1:2:3:4") is None and seconds_of("") is None


@given(NUMBERS, NUMBERS, NUMBERS, st.floats(0, 20), st.floats(0, 20), st.integers(1, 500))
def test_verdicts_are_of_one_kind(low, width, value, below, above, players):
    """Met just where the plan holds the figure; missed just where it holds nothing of the interval; and more players tell more."""
    goal = Goal(low, low + abs(width))
    measured = Measured(value, (value - below, value + above), players)
    inside = [goal.holds(one) for one in np.linspace(value - below, value + above, 50)]
    verdict = judge_target(goal, measured)
    assert (verdict == "met") == goal.holds(value)
    assert verdict != "missed" or not any(inside)
    assert verdict != "no_telling" or not goal.holds(value)
    needed = players_needed(goal, measured)
    assert needed is None or (verdict == "no_telling" and needed > players)


@given(st.lists(st.tuples(st.integers(0, 6), st.integers(0, 6)), min_size=2, max_size=30))
def test_ranks(pairs):
    """A rank correlation is the same for whatever rises alike, turns with its sign, and is no more than one."""
    one, other = (np.array(column, dtype=float) for column in zip(*pairs, strict=True))
    owner = np.arange(len(pairs))
    rho = spearman(Pairs(one, other, owner))
    if rho is None:
        assert len(set(one)) == 1 or len(set(other)) == 1
        return
    assert -1 <= rho <= 1 and spearman(Pairs(other, one, owner)) == pytest.approx(rho)
    assert spearman(Pairs(np.exp(one), 3 * other - 7, owner)) == pytest.approx(rho)
    assert spearman(Pairs(-one, other, owner)) == pytest.approx(-rho)
    assert spearman(Pairs(one, one, owner)) == pytest.approx(1.0)
