"""The model of times: its normal equations done the long way, and what it finds of times that were drawn."""

import numpy as np
import pytest

from milepost.numerics import time_model
from milepost.numerics.time_model import fit_times


def drawn(seed, subjects=12, items=5):
    """Pairs of subject and item, some subjects with none, and logarithms of their times."""
    random = np.random.default_rng(seed)
    subject, item = np.nonzero(random.random((subjects, items)) < 0.6)
    times = 3 + np.arange(items)[item] / 2 + random.normal(0, 0.7, subjects)[subject] + random.normal(0, 0.4, len(item))
    return subject, item, times


@pytest.mark.parametrize(("kept", "block"), [(1 << 24, 1 << 20), (0, 10)])
def test_the_normal_equations(monkeypatch, kept, block):
    """With the subjects eliminated, and added up by their kind, they say what the whole matrix does."""
    monkeypatch.setattr(time_model, "_KEPT", kept)
    monkeypatch.setattr(time_model, "_BLOCK", block)
    subject, item, y = drawn(3)
    n_items, n_subjects, noise, spread = 5, int(subject.max()) + 1, 0.4, 0.9
    design = np.zeros((len(y), n_items + n_subjects))
    design[np.arange(len(y)), item] = design[np.arange(len(y)), n_items + subject] = 1.0
    prior = np.diag([time_model._PRIOR_SD**-2] * n_items + [spread**-2] * n_subjects)
    covariance = np.linalg.inv(design.T @ design / noise**2 + prior)
    mean = covariance @ design.T @ y / noise**2

    normal = time_model._Normal(time_model._Pairs(subject, item, n_items), noise, spread)
    items, people = normal.effects(y)
    assert np.allclose(np.concatenate((items, people)), mean)
    assert np.allclose(normal.covariance, covariance[:n_items, :n_items])
    assert np.isclose(normal.variance_of_subjects, np.diag(covariance)[n_items:].mean())
    assert np.isclose(normal.variance_of_pairs, np.einsum("pi,ij,pj->p", design, covariance, design).mean())


def test_times_that_were_drawn():
    """What was drawn is within what the covariance allows, and both spreads are found."""
    subject, item, times = drawn(1, 2000)
    fit = fit_times(subject, item, times, np.ones(len(times), np.bool_), 5)
    away = fit.difficulty - (np.arange(5) / 2 - 1)
    away -= away.mean()
    assert fit.arrived and np.abs(away).max() < 0.06
    assert fit.ability_sd == pytest.approx(0.7, abs=0.03)


def test_times_that_were_cut_off():
    """Times beyond a limit, which are only known to be longer, pull no item down; to take them as they are seen does."""
    subject, item, times = drawn(2, 2000)
    limit = 4.5
    seen, happened = np.minimum(times, limit), times < limit
    spaced = [fit_times(subject, item, seen, ended, 5).difficulty for ended in (happened, np.ones_like(happened))]
    assert np.diff(spaced[0]) == pytest.approx(0.5, abs=0.08)
    assert np.diff(spaced[1])[-1] < 0.35
