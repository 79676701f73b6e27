"""The model of tries finds known truths, and stays finite where there is little to find."""

import numpy as np
import pytest

from milepost.difficulty.anomalies import judge_levels, read_events
from milepost.numerics import try_model
from milepost.numerics.try_loops import HOLD
from milepost.numerics.try_model import fit_tries
from milepost.numerics.try_sums import TriesOfItems
from milepost.simulate.population import Population
from milepost.simulate.simulated_players import play_course


def played(difficulty, players, seed, **population):
    """The tries of a simulated course."""
    settings = {"players": players, "minutes": 0, "crash_hourly": 0, "sessions": 1} | population
    tries, _ = play_course(np.array(difficulty), Population(**settings), np.random.default_rng(seed))
    return tries.player, tries.level, tries.number, tries.outcome == 0


def test_difficulties_of_a_known_course():
    """Difficulties, spread and learning come back, late levels included, though weak players have left by then."""
    truth = np.linspace(-1.5, 0.5, 20)
    player, level, number, cleared = played(truth, 3000, 1, quit_base=0.06, quit_skill=1.0)
    assert np.unique(player[level == 19]).size < 0.7 * 3000
    fit = fit_tries(TriesOfItems(player, level, number, cleared), 20)
    assert fit.difficulty == pytest.approx(truth, abs=0.2)
    assert abs((fit.difficulty - truth)[-6:].mean() - (fit.difficulty - truth)[:6].mean()) < 0.08
    assert fit.ability_sd == pytest.approx(0.9, abs=0.08)
    assert fit.learning == pytest.approx(0.4, abs=0.08)
    raw = np.array([1 - cleared[level == place].mean() for place in range(20)])
    assert np.polyfit(truth, np.log(raw / (1 - raw)), 1)[0] < 0.9  # what plain rates would have made of it


def test_leaving_by_skill():
    """Where the unskilled leave sooner than their tries show, late levels look too easy, unless leaving is modelled too."""
    truth = np.linspace(-1.2, 0.4, 16)
    settings = Population(players=2500, minutes=0, crash_hourly=0, sessions=1, quit_base=0.08, quit_skill=2.5)
    tries, _ = play_course(truth, settings, np.random.default_rng(5))
    fits = [
        fit_tries(TriesOfItems(tries.player, tries.level, tries.number, tries.outcome == 0, left), 16)
        for left in (None, tries.ends)
    ]
    apart = [fit.difficulty - truth for fit in fits]
    drift = [error[-5:].mean() - error[:5].mean() for error in apart]
    assert drift[0] < -0.1 and abs(drift[1]) < 0.06
    assert np.exp(fits[1].others[HOLD]) == pytest.approx(2.5, rel=0.15)


def test_compiled_sums_are_the_same(monkeypatch):
    """Subject by subject in compiled code: the height, its slopes, the information and the abilities that blocks give."""
    settings = Population(players=1500, minutes=0, crash_hourly=0, sessions=1, quit_base=0.08, quit_skill=2.0)
    tries, _ = play_course(np.linspace(-1.5, 2.5, 7), settings, np.random.default_rng(9))
    keep = (tries.level != 3) | (tries.number != 2)  # a number that is missing, as where an attempt fell out
    for ends in (tries.ends, None):
        given = TriesOfItems(tries.player, tries.level, tries.number, tries.outcome == 0, ends).pick(keep)
        monkeypatch.setattr(try_model, "WORTHWHILE", 1 << 40)
        by_block = try_model._Data(given, 8)
        monkeypatch.setattr(try_model, "WORTHWHILE", 100)
        by_loop = try_model._Data(given, 8)
        assert len(by_loop.grids) > 1 and by_loop.grids[0].sums.__class__ is not by_block.grids[0].sums.__class__
        for values in (by_block.start(), by_block.start() + 0.4):
            for one, other in zip(by_block.slopes(values), by_loop.slopes(values), strict=True):
                assert other == pytest.approx(one, rel=1e-9, abs=1e-7)
            assert by_loop.abilities(values) == pytest.approx(by_block.abilities(values), abs=1e-9)


def test_arrays_and_sparse_tables_are_the_same(monkeypatch):
    """Few subjects' tries as an array of all cells, and many's as a sparse table."""
    settings = Population(players=60, minutes=0, crash_hourly=0, sessions=1, quit_base=0.08, quit_skill=2.0)
    tries, _ = play_course(np.linspace(-1.5, 2.5, 7), settings, np.random.default_rng(11))
    for ends in (tries.ends, None):
        given = TriesOfItems(tries.player, tries.level, tries.number, tries.outcome == 0, ends)
        arrays = try_model._Data(given, 8)
        monkeypatch.setattr(try_model, "_SMALL", 0)
        sparse = try_model._Data(given, 8)
        monkeypatch.undo()
        cells = [data.grids[0].sums.blocks[0].cells for data in (arrays, sparse)]
        assert isinstance(cells[0], np.ndarray) and (cells[1].toarray() == cells[0]).all()
        for one, other in zip(arrays.slopes(arrays.start()), sparse.slopes(arrays.start()), strict=True):
            assert other == pytest.approx(one, rel=1e-9, abs=1e-9)
        assert sparse.abilities(arrays.start()) == pytest.approx(arrays.abilities(arrays.start()), abs=1e-12)


def test_intervals_cover():
    """Over many small courses, 95 % intervals hold the truth about that often."""
    inside = []
    for seed in range(40):
        truth = np.random.default_rng(seed).normal(-0.5, 0.7, 12)
        fit = fit_tries(TriesOfItems(*played(truth, 30, seed)), 12)
        inside.append(np.abs(fit.difficulty - truth) < 1.96 * np.sqrt(np.diag(fit.covariance)))
    assert 0.92 <= np.mean(inside) <= 0.99


@pytest.mark.parametrize("outcome", [[True, True], [False, False], [True, False]])
def test_next_to_nothing(outcome):
    """Two players with a try each, all cleared or none, and a level that nobody tried: finite and wide."""
    fit = fit_tries(TriesOfItems(np.array([0, 1]), np.array([0, 0]), np.array([1, 1]), np.array(outcome)), 2)
    assert np.isfinite(fit.difficulty).all()
    assert np.abs(fit.difficulty).max() < 8
    assert (np.sqrt(np.diag(fit.covariance)) > 1).all()


def test_doubled_players_halve_the_variance():
    """Each player counted twice: the same difficulties, half the variance."""
    player, level, number, cleared = played(np.linspace(-1, 0.5, 8), 200, 3)
    once = fit_tries(TriesOfItems(player, level, number, cleared), 8)
    both = (np.concatenate((player, player + 200)), *(np.tile(column, 2) for column in (level, number, cleared)))
    twice = fit_tries(TriesOfItems(*both), 8)
    assert twice.difficulty == pytest.approx(once.difficulty, abs=0.03)
    assert np.diag(twice.covariance) == pytest.approx(np.diag(once.covariance) / 2, rel=0.1)


CURVE = np.linspace(-1.2, 0.6, 20)
NOISE = np.random.default_rng(8).normal(0, 0.1, 20)
BUMPS = {
    "none": np.zeros(20),
    "spike": 1.6 * (np.arange(20) == 9),
    "first": 1.8 * (np.arange(20) == 0),
    "last": 1.8 * (np.arange(20) == 19),
    "two side by side": 1.6 * np.isin(np.arange(20), (9, 10)),
    "dip": -1.6 * (np.arange(20) == 12),
    "step": 1.8 * (np.arange(20) >= 11),
}


def kinds(difficulty, error=0.2, tries=100):
    """The verdicts on difficulties known with some error."""
    reading = read_events(difficulty, np.eye(len(difficulty)) * error**2)
    return [verdict.kind for verdict in judge_levels(reading, np.full(len(difficulty), tries), np.full(len(difficulty), 40))]


@pytest.mark.parametrize("name", BUMPS)
def test_events_are_told_from_the_curve(name):
    """Each kind of event is named where it stands, and nothing else is."""
    found = kinds(CURVE + NOISE + BUMPS[name])
    expected = ["none"] * 20
    if name == "step":
        expected[11] = "step"
    else:
        for place in np.flatnonzero(BUMPS[name]):
            expected[place] = "dip" if name == "dip" else "spike"
    assert found == expected


def test_an_uneven_course_has_no_spikes():
    """The same bump is nothing on a course that is uneven everywhere, or that is known badly."""
    uneven = np.random.default_rng(5).normal(0, 1.2, 20)
    assert kinds(CURVE + uneven) == ["none"] * 20
    assert kinds(CURVE + NOISE + BUMPS["spike"], error=1.2) == ["none"] * 20


def test_too_few_are_not_judged():
    """Of a level with too few tries nothing is claimed, however it stands out."""
    found = judge_levels(read_events(CURVE + BUMPS["spike"], np.eye(20) * 0.04), np.full(20, 6), np.full(20, 40))
    assert {verdict.evidence for verdict in found} == {"too_few"}


@pytest.mark.parametrize(("spread", "learning"), [(0.3, 0.0), (2.0, 0.4), (2.0, 1.5)])
def test_wide_and_narrow_skills(spread, learning):
    """The fit finds the top also where skills spread widely and everybody tries until the level is cleared."""
    rng = np.random.default_rng(11)
    skills, difficulty = rng.normal(0, spread, 250), np.linspace(-1.2, 0.8, 8)
    subject, item, number, success = [], [], [], []
    for player, skill in enumerate(skills):
        for level, hard in enumerate(difficulty):
            for n in range(1, 60):
                done = rng.random() < 1 / (1 + np.exp(hard - skill - learning * np.log(n)))
                subject.append(player)
                item.append(level)
                number.append(n)
                success.append(done)
                if done:
                    break
    fit = fit_tries(TriesOfItems(*(np.array(column) for column in (subject, item, number, success))), 8)
    assert abs(fit.ability_sd - skills.std()) < 0.3 and abs(fit.learning - learning) < 0.2
    assert np.abs(fit.difficulty - difficulty).max() < 0.6 and fit.learning_se < 0.2
