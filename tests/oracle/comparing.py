"""Whether our figures are the naive ones."""

import pytest


def same(ours, theirs):
    """Whether our value is theirs, floats to nine digits; dictionaries by the keys that they have."""
    if isinstance(theirs, dict):
        return all(same(ours[key], value) for key, value in theirs.items())
    if isinstance(theirs, list):
        return len(ours) == len(theirs) and all(map(same, ours, theirs))
    if isinstance(theirs, float) and ours is not None:
        return ours == pytest.approx(theirs, rel=1e-9, abs=1e-9)
    return ours == theirs
