"""The model of a course against the same sums done the long way, and expectations beside events, by hand."""

import numpy as np
import pytest
from scipy import integrate, stats

from milepost.difficulty.anomalies import read_events
from milepost.difficulty.mixtures import DIP, SPIKE, STEP, WALL, Event, Mixtures, candidate_events, prior_log_odds

N = 14
RNG = np.random.default_rng(21)
ERRORS = 0.04 * np.eye(N) + 0.01
DIFFICULTY = np.linspace(-1, 0.5, N) + RNG.normal(0, 0.2, N) + 1.8 * (np.arange(N) == 5) + 1.2 * (np.arange(N) >= 9)


@pytest.fixture(scope="module")
def model():
    return Mixtures(DIFFICULTY, ERRORS)


def place(model, kind, level):
    return model.candidates.index(Event(kind, level))


def covariances(model, chosen=()):
    """By mixture, the covariance of the difficulties with some events in the model, each with its variance around zero."""
    plain = np.linalg.inv(model._inverses(list(range(model.n))))
    for event in chosen:
        plain = plain + model.variance[event][:, None, None] * np.outer(model.shapes[event], model.shapes[event])
    return plain


def test_events_one_after_the_other(model):
    """Inverse and weight with events taken up one by one are those of the whole covariance, up to one constant."""
    chosen = (place(model, SPIKE, 5), place(model, STEP, 9), place(model, WALL, 2))
    there, whole = model._chosen(chosen), covariances(model, chosen)
    inverses, weights = model._inverses(list(range(model.n))), there.log_weights
    for held, less in zip(there.held, there.less, strict=True):
        inverses = inverses - less[:, None, None] * held[:, :, None] * held[:, None, :]
    assert np.allclose(inverses, np.linalg.inv(whole), atol=1e-6)
    likelihood = [stats.multivariate_normal(np.zeros(N), one).logpdf(DIFFICULTY) for one in whole]
    beyond = weights - model.log_prior - np.array(likelihood)
    assert np.ptp(beyond) < 1e-6
    assert model.share(chosen).sum() == pytest.approx(1)


@pytest.mark.parametrize(("kind", "level"), [(SPIKE, 5), (DIP, 7), (STEP, 9), (WALL, 4)])
def test_factor_of_an_event(model, kind, level):
    """The Bayes factor is the likelihood averaged over heights above zero, over that without the event."""
    event = place(model, kind, level)
    shape, over, under = model.shapes[event], 0.0, 0.0
    for mixture, covariance in enumerate(covariances(model)):
        normal = stats.multivariate_normal(np.zeros(N), covariance)
        height = stats.norm(model.mean[event, mixture], np.sqrt(model.spread[event, mixture]))
        heights = np.linspace(0, 14, 3001)
        likelihood = normal.pdf(DIFFICULTY - heights[:, None] * shape) * height.pdf(heights) / height.sf(0)
        weight = np.exp(model.log_prior[mixture])
        over += weight * integrate.simpson(likelihood, x=heights)
        under += weight * normal.pdf(DIFFICULTY)
    assert model.log_factors(())[event] == pytest.approx(np.log(over / under), abs=1e-4)


def test_a_level_left_out(model):
    """Its excess, were it free, is its difference from what the others lead one to expect: the conditional mean."""
    others = np.arange(N) != 5
    excess, variance = model.left_out((), [5])
    for mixture, covariance in enumerate(covariances(model)):
        pull = np.linalg.solve(covariance[np.ix_(others, others)], covariance[others, 5])
        assert excess[mixture] == pytest.approx(DIFFICULTY[5] - pull @ DIFFICULTY[others], abs=1e-6)
        assert variance[mixture] == pytest.approx(covariance[5, 5] - pull @ covariance[others, 5], abs=1e-6)


def test_prior_odds():
    """Each kind's expected number in a course is shared out among its candidates; short courses have neither walls nor teeth."""
    many = candidate_events(np.arange(20))
    odds = prior_log_odds(many)
    chance = 1 / (1 + np.exp(-odds))
    expected = {kind: chance[[event.kind == kind for event in many]].sum() for kind in (SPIKE, DIP, WALL, STEP)}
    assert expected == pytest.approx({SPIKE: 1.2, DIP: 0.2, WALL: 0.3, STEP: 0.4})
    assert {event.kind for event in candidate_events(np.arange(4))} == {SPIKE, DIP}
    assert [event.level for event in many if event.kind == STEP] == list(range(3, 18))


FLAT = np.zeros(16)
SURE = np.eye(16) * 0.01


def test_expected_beside_a_wall():
    """Two hard levels side by side hide each other from nobody: each is expected where the others lie."""
    reading = read_events(FLAT + 2.0 * np.isin(np.arange(16), (6, 7)), SURE)
    assert np.abs(reading.expected[[6, 7]]).max() < 0.15
    assert np.abs(reading.excess[[6, 7]] - 2.0).max() < 0.15
    assert np.abs(reading.excess[[5, 8]]).max() < 0.15, "and their neighbours are as expected"


def test_expected_beside_a_step():
    """What comes after a step is expected up there, what comes before it down here."""
    reading = read_events(FLAT + 2.0 * (np.arange(16) >= 8), SURE)
    assert [(event.kind, event.level) for event in reading.events] == [(STEP, 8)]
    assert np.abs(reading.expected[:8]).max() < 0.2 and np.abs(reading.expected[8:] - 2.0).max() < 0.2
    assert reading.height[8] == pytest.approx(2.0, abs=0.25) and reading.height.sum() == reading.height[8]
    assert np.abs(reading.excess).max() < 0.2


def test_needless_events_are_dropped():
    """A spike, a dip and a step at once: these three and no fourth; on a flat course none."""
    bumps = 2.0 * (np.arange(16) == 3) - 2.0 * (np.arange(16) == 13) + 2.0 * (np.arange(16) >= 8)
    found = {(event.kind, event.level) for event in read_events(bumps, SURE).events}
    assert found == {(SPIKE, 3), (DIP, 13), (STEP, 8)}
    assert read_events(FLAT, SURE).events == []


def test_roughness_is_the_course_s_own():
    """A rough course reads as rough, a smooth one as smooth, whatever stands out of it."""
    rough = read_events(np.random.default_rng(3).normal(0, 0.7, 30), np.eye(30) * 0.01).roughness
    smooth = read_events(2.0 * (np.arange(30) == 12), np.eye(30) * 0.01).roughness
    assert 0.5 < rough < 0.95 and smooth < 0.15


def test_odds_before_anything_is_seen():
    """As many of a kind as are expected in a course, shared out; of a kind that is likelier than not, the odds stay finite."""
    odds = prior_log_odds([Event(SPIKE, 1), Event(SPIKE, 2), Event(SPIKE, 3), Event(SPIKE, 4), Event(WALL, 2)])
    expected = {kind: prior_log_odds([Event(kind, 1)] * 50)[0] for kind in (SPIKE, WALL)}
    shares = {kind: 50 * np.exp(odd) / (1 + np.exp(odd)) for kind, odd in expected.items()}  # the number that is expected
    assert shares[SPIKE] == pytest.approx(1.2) and odds[:4] == pytest.approx(np.full(4, np.log(0.3 / 0.7)))
    assert odds[4] == pytest.approx(np.log(shares[WALL] / (1 - shares[WALL])))
    assert prior_log_odds([Event(SPIKE, 1)])[0] == pytest.approx(np.log(1.2 / 0.5))
