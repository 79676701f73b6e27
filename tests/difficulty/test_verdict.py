"""From probabilities to claims: which levels are named, and how sure that is said to be."""

import numpy as np
import pytest

from milepost.difficulty.anomalies import FURTHER, LIKELY, DifficultyReading, judge_levels

N = 8
MANY = np.full(N, 100)


def reading(own=(), step=(), excess=()):
    """A reading in which some levels stand out; each is given as level and value."""
    columns = []
    for given in (own, step, excess):
        column = np.zeros(N)
        for level, value in given:
            column[level] = value
        columns.append(column)
    probability, steps, excesses = columns
    heights = np.where(steps > 0, 1.0, 0.0)
    return DifficultyReading(
        probability, steps, np.cumsum(heights), np.ones(N), excesses, np.ones(N), heights, [], 0.25, np.arange(N)
    )


def named(*given, players=MANY):
    """The kinds of the levels that are named."""
    return {
        level: verdict.kind
        for level, verdict in enumerate(judge_levels(reading(*given), MANY, players))
        if verdict.kind != "none"
    }


def test_the_first_claim_and_further_ones():
    """The likeliest event is named more readily than any other; a dip less readily than a spike."""
    hardly = (LIKELY["spike"] + LIKELY["dip"]) / 2
    assert LIKELY["spike"] < hardly < LIKELY["dip"] < FURTHER
    assert named([(2, hardly)], [], [(2, 1.0)]) == {2: "spike"}
    assert named([(2, hardly)], [], [(2, -1.0)]) == {}
    assert named([(2, hardly), (5, 0.9)], [], [(2, 1.0), (5, 1.0)]) == {5: "spike"}
    assert named([(2, FURTHER), (5, 0.9)], [], [(2, -1.0), (5, 1.0)]) == {2: "dip", 5: "spike"}
    assert named([(2, 0.1)], [(2, hardly)], [(2, 1.0)]) == {2: "step"}
    assert named([(2, hardly)], [(6, 0.5)], [(2, 1.0)]) == {6: "step"}


@pytest.mark.parametrize(("excess", "players"), [(0.4, 100), (1.0, 4)])
def test_what_is_not_worth_a_claim(excess, players):
    """A small excess, or few players, and nothing is claimed however likely it is; of few players, not even that nothing is there."""
    counts = np.where(np.arange(N) == 2, players, 100)
    assert named([(2, 0.99)], [], [(2, excess)], players=counts) == {}
    words = [verdict.evidence for verdict in judge_levels(reading([(2, 0.99)], [], [(2, excess)]), MANY, counts)]
    assert words[2] == ("too_few" if players < 5 else "none") and set(words) - {words[2]} == ({"none"} if players < 5 else set())


def test_a_level_like_its_neighbour():
    """What is as hard as a level beside it, of which nothing is claimed, does not stand out, on whichever side that lies."""
    for side in (2, 4):
        assert named([(3, 0.9)], [], [(3, 1.0), (side, 0.95)]) == {}
        assert named([(3, 0.9)], [], [(3, -1.0), (side, -0.95)]) == {}
        assert named([(3, 0.9), (side, 0.9)], [], [(3, 1.0), (side, 0.95)]) == {3: "spike", side: "spike"}
    assert named([(3, 0.9)], [], [(3, 1.0), (2, 0.7)]) == {3: "spike"}
    assert named([], [(3, 0.9)], [(2, 1.0)]) == {} and named([], [(3, 0.9)], [(4, 1.0)]) == {3: "step"}


def test_seven_players():
    """Of seven players nothing is claimed, of eight it may be; --min-players can only ask for more."""
    for players, least, claimed in ((7, 0, {}), (8, 0, {3: "spike"}), (8, 9, {}), (7, 2, {})):
        found = judge_levels(reading([(3, 0.99)], [], [(3, 2.0)]), MANY, np.full(N, players), least)
        assert {level: one.kind for level, one in enumerate(found) if one.kind != "none"} == claimed


def test_shares_of_false_ones():
    """Each q value is the mean of what is left to doubt in all that stand out as much or more."""
    found = judge_levels(reading([(1, 0.999), (4, 0.9), (6, 0.45)], [], [(1, 2.0), (4, 1.0), (6, 1.0)]), MANY, MANY)
    doubt = [0.001, 0.1, 0.55]
    for place, (level, word) in enumerate(((1, "strong"), (4, "fair"), (6, "weak"))):
        assert found[level].evidence == word
        assert found[level].q == pytest.approx(np.mean(doubt[: place + 1]))


def test_nothing_at_all():
    """A course without levels, or of which nothing stands out."""
    assert named() == {}
    nothing = np.zeros(0)
    assert judge_levels(DifficultyReading(*[nothing] * 7, [], 0.25, np.zeros(0, np.int64)), nothing, nothing) == []


def test_a_level_that_is_not_named_has_its_chance_all_the_same():
    """How often chance would do as much is told of every level, and falls with what speaks for it."""
    found = judge_levels(reading([(2, 0.3), (5, 0.1)], [], [(2, 1.0), (5, 1.0)]), MANY, MANY)
    assert {verdict.kind for verdict in found} == {"none"}
    values = [verdict.q for verdict in found]
    assert all(isinstance(value, float) for value in values) and values[2] < values[5] <= values[0]
