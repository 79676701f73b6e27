"""A short form of the detection benchmark: recall and false flags stay in bands that a worse judgement leaves.

Seeds are fixed, so a run always comes to the same. The bands are what 30 courses can tell apart: about two standard errors around
what benchmarks/detection.py finds on many; the seeds here are none of those that thresholds were chosen on.
"""

import sys
from pathlib import Path

import numpy as np
import pytest

from thoroughness import some_always

sys.path.insert(0, str(Path(__file__).parents[2] / "benchmarks"))
import detection

COURSES = 30
# Per scenario: the least recall, the most, and the most false flags a course.
BANDS = {
    "rising, 40 players": (None, None, 0.3),
    "spike +2.0, 40 players": (0.92, 1.0, 0.2),
    "spike +1.2, 40 players": (0.52, 0.85, 0.25),
    "step, 40 players": (0.5, 0.82, 0.35),
    "first level, 40 players": (0.75, 1.0, 0.25),
    "spike +2.0, 12 players": (0.5, 0.82, 0.25),
    "spike +2.0, 8 levels": (0.9, 1.0, 0.3),
}


@pytest.fixture(scope="module", params=some_always(BANDS, 2))
def outcomes(request):
    """What came of the courses of a scenario."""
    return request.param, [detection.play((request.param, 50_000 + seed))[1] for seed in range(COURSES)]


def test_recall_and_false_flags(outcomes):
    """What was planted is found about as often as it is known to be, and seldom anything else."""
    name, found = outcomes
    least, most, false = BANDS[name]
    planted = sum(one.planted for one in found)
    if planted:
        assert least <= sum(one.found for one in found) / planted <= most
    assert sum(one.false for one in found) / len(found) <= false


def test_difficulties(outcomes):
    """Difficulties are neither flattened nor drifting, and their intervals cover."""
    slope, drift, cover, _ = np.array([one.error for one in outcomes[1]]).mean(axis=0)
    if "12 players" not in outcomes[0] and "8 levels" not in outcomes[0]:
        assert abs(slope - 1) < 0.12 and abs(drift) < 0.12
    assert 0.92 < cover < 0.98
