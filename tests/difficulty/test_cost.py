"""What a level costs: players lost to it, less those lost had it been as expected, carried to the end of the course."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from milepost.difficulty import cost
from milepost.difficulty.cost import QuitHazard, Standing, chance_lost, estimate_costs


def rows(*shares):
    return [{"reached": 100, "lost": round(100 * share)} for share in shares]


@settings(max_examples=50, deadline=None)
@given(
    st.lists(st.floats(-3, 3), min_size=1, max_size=30),
    st.floats(-2, 3),
    st.floats(0.1, 3),
    st.floats(-0.2, 0.8),
    st.floats(0.01, 0.5),
)
def test_the_sum_over_players(abilities, difficulty, excess, learning, hazard):
    """As the chance of each player by itself gives it, with the interval's ends among the corners."""
    abilities, quits = np.array(abilities), QuitHazard(hazard, hazard / 2, min(1.0, 2 * hazard), 1, 9)
    funnel = rows(0.5, 0.3, 0.0, 0.25)

    def cost(over, chance):
        lost = chance_lost(difficulty, abilities, learning, chance) - chance_lost(difficulty - over, abilities, learning, chance)
        return lost.sum() * 1.0 * 0.75

    found = estimate_costs(funnel, Standing(1, difficulty, excess, 0.2), abilities, learning, quits)
    assert found["cost"] == pytest.approx(cost(excess, hazard), abs=1e-4)
    corners = [cost(excess + sign * 1.959964 * 0.2, chance) for sign in (-1, 1) for chance in (quits.low, quits.high)]
    assert (found["cost_low"], found["cost_high"]) == pytest.approx((min(corners), max(corners)), abs=1e-4)


def test_by_hand():
    """One player of middling skill, no learning, half give up: lost 1/3 at an even level, 1/5 where two of three tries clear."""
    quits = QuitHazard(0.5, 0.5, 0.5, 1, 2)
    found = estimate_costs(rows(0.0), Standing(0, 0.0, float(np.log(2)), 0.0), np.zeros(1), 0.0, quits)
    assert found["cost"] == found["cost_low"] == found["cost_high"] == pytest.approx(1 / 3 - 1 / 5, abs=1e-6)


def test_many_players_cost_what_they_cost_one_by_one(monkeypatch):
    """Equal shares of very many stand for their players, however these divide."""
    abilities = np.random.default_rng(3).normal(0.4, 1.1, 2503)
    given = rows(0.1, 0.05, 0.02), Standing(0, 1.2, 0.9, 0.3), abilities, 0.2, QuitHazard(0.1, 0.05, 0.15, 20, 200)
    thinned = estimate_costs(*given)
    monkeypatch.setattr(cost, "_MOST_SINGLY", 1 << 20)
    singly = estimate_costs(*given)
    assert thinned == pytest.approx(singly, rel=2e-3) and singly["cost"] > 1
