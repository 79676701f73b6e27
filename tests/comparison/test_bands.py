"""A short form of the benchmark of comparisons: false verdicts, and what is found, stay where they were."""

import sys
from pathlib import Path

import numpy as np
import pytest

from thoroughness import some_rows_always

sys.path.insert(0, str(Path(__file__).parents[2] / "benchmarks"))
import comparison

# Name, seeds, the most false verdicts a comparison, and the least share found; by what 100 other seeds gave, with room for chance.
BANDS = [
    ("nothing changed, 40", 40, 0.4, 0.0),
    ("shift +0.6, 40", 30, 0.45, 0.0),
    ("abler players, 40", 30, 0.45, 0.0),
    ("one harder by 2.0, 40", 12, 0.6, 0.8),
    ("broken level, 40", 8, 0.7, 1.0),
    ("one harder by 1.0, 400", 4, 0.75, 1.0),
]


@pytest.mark.parametrize(("name", "seeds", "false", "found"), some_rows_always(BANDS))
def test_verdicts(name, seeds, false, found):
    results = [comparison.one((name, seed))[1] for seed in range(20_000, 20_000 + seeds)]
    assert np.mean([result.false for result in results]) <= false
    assert not any(result.wrong for result in results)
    changed = sum(result.changed for result in results)
    assert not changed or sum(result.found for result in results) / changed >= found
    covered = sum(result.covered for result in results) / max(1, sum(result.deltas for result in results))
    assert 0.9 <= covered <= 0.995
