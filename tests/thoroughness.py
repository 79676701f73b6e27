"""Which cases every run of the tests has, and which only ``make test-all``: those that seldom tell more than their neighbours."""

import pytest


def some_always(cases, every=3):
    """Parameters of which every so many-th is always tried, and the others in ``make test-all``."""
    return [_param([case], number % every != 0) for number, case in enumerate(cases)]


def some_rows_always(rows, every=3):
    """The same for several parameters at once."""
    return [_param(row, number % every != 0) for number, row in enumerate(rows)]


def _param(values, thorough):
    return pytest.param(*values, marks=[pytest.mark.thorough] if thorough else [])
