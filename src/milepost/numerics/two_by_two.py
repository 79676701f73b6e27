"""An exact test of whether two shares of two samples differ, however small the samples."""

from __future__ import annotations

import numpy as np

_AS_LIKELY = 1e-7  # relative; for rounding


def exact_p(hits: tuple[int, int], of: tuple[int, int]) -> float:
    """How often chance alone would part two samples as far, or further: the two-sided exact test.

    SciPy has it too, in a package that takes a second to load.

    Args:
        hits: in each sample, how many have it.
        of: how many each sample has.

    Source: R. A. Fisher, "The logic of inductive inference", JRSS 98 (1935).
    """
    from scipy.special import gammaln

    total, first = sum(hits), np.arange(max(0, sum(hits) - of[1]), min(sum(hits), of[0]) + 1)
    second = total - first
    logs = -(gammaln(first + 1) + gammaln(of[0] - first + 1) + gammaln(second + 1) + gammaln(of[1] - second + 1))
    weight = np.exp(logs - logs.max())
    own = weight[np.searchsorted(first, hits[0])]
    return float(min(1.0, weight[weight <= own * (1 + _AS_LIKELY)].sum() / weight.sum()))
