"""A change of difficulty, in words of first tries: against the integral that it stands for."""

import math

import pytest
from scipy.integrate import quad

from milepost.comparison.sentences import chance_of_clearing, word_in_tries


@pytest.mark.parametrize("difficulty", [-2.0, 0.0, 0.7, 3.0])
@pytest.mark.parametrize("spread", [0.0, 0.6, 1.5])
def test_chance_over_all_players(difficulty, spread):
    """The mean over players whose skill is normal, also where a level is beyond all of them."""

    def weighed(skill):
        return math.exp(-(skill**2) / 2) / math.sqrt(2 * math.pi) / (1 + math.exp(difficulty - spread * skill))

    assert chance_of_clearing(difficulty, spread) == pytest.approx(quad(weighed, -9, 9)[0], abs=0.002)
    assert chance_of_clearing(5000, spread) == pytest.approx(0) and chance_of_clearing(-5000, spread) == pytest.approx(1)


@pytest.mark.parametrize(
    ("before", "change", "spread", "said"),
    [
        (0.0, 0.4, 0.0, "of 10 first tries, 1 fewer clears"),
        (0.0, -1.0, 0.0, "of 10 first tries, 2 more clear"),
        (1.0, -1.0, 0.0, "of 10 first tries, 2 more clear"),
        (0.0, -1.0, 3.0, "of 10 first tries, 1 more clears"),  # who is far above or below a level meets no other fate
        (0.0, 0.1, 0.0, "of 100 first tries, 2 fewer clear"),
        (0.0, -0.1999, 0.0, "of 100 first tries, 5 more clear"),
        (0.0, -0.2099, 0.0, "of 10 first tries, 1 more clears"),
        (0.0, 0.019, 0.0, "hardly a first try in 100 goes otherwise"),
        (0.0, 0.021, 0.0, "of 100 first tries, 1 fewer clears"),
    ],
)
def test_in_words(before, change, spread, said):
    assert word_in_tries(before, change, spread) == said
