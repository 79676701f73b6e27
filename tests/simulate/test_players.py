"""Players who play a course do what they are told: chances, leaving, the hour, setbacks, sessions."""

import json

import numpy as np
import pytest

from milepost.course.course import Course, Level
from milepost.numerics.time_model import fit_times
from milepost.simulate.population import Population
from milepost.simulate.records import Scenery, simulate_sessions
from milepost.simulate.simulated_players import LevelTraits, play_course
from milepost.simulate.writing import FaultRates, spoil
from milepost.vocabulary import CLEARED, CRASH, TIME_UP


def play(difficulty, seed=1, setback=None, **population):
    """The tries of a simulated course."""
    settings = {"players": 2000, "minutes": 0, "crash_hourly": 0, "sessions": 1} | population
    rng = np.random.default_rng(seed)
    return play_course(np.array(difficulty, dtype=float), Population(**settings), rng, levels=LevelTraits(setback))[0]


def test_chance_of_a_first_try():
    """Players of one skill clear a first try with the chance that difficulty says."""
    tries = play([1.0], skill_sd=1e-9)
    first = tries.outcome[tries.number == 1] == CLEARED
    assert first.mean() == pytest.approx(1 / (1 + np.exp(1.0)), abs=0.03)


def test_learning_helps():
    """Later tries clear more often, by the learning slope."""
    tries = play([1.5], skill_sd=1e-9, learning=0.8, quit_base=1e-9)
    rate = [(tries.outcome[tries.number == n] == CLEARED).mean() for n in (1, 4)]
    assert np.log(rate[1] / (1 - rate[1])) - np.log(rate[0] / (1 - rate[0])) == pytest.approx(0.8 * np.log(4), abs=0.25)


def test_weak_players_leave():
    """Those who reach the end are abler than those who began."""
    tries = play(np.full(12, 0.5), quit_base=0.1)
    assert len(np.unique(tries.player[tries.level == 11])) < 0.8 * len(np.unique(tries.player))


def test_the_hour_and_the_crash():
    """Nothing goes on after the hour; crashes come at their rate."""
    tries = play(np.zeros(30), minutes=5, quit_base=1e-9)
    assert tries.closed.max() <= 306.0  # the screens between two tries may run over
    assert (tries.outcome == TIME_UP).any()
    tries = play(np.zeros(10), crash_hourly=30, quit_base=1e-9)
    hours = (tries.closed - tries.opened).sum() / 3600
    assert (tries.outcome == CRASH).sum() / hours == pytest.approx(30, rel=0.2)


def test_setbacks():
    """Who fails too often in a row at a level with a setback is sent back so many levels."""
    tries = play([0, 0, 3.0], setback=np.array([0, 0, 2]), setback_after=2, quit_base=1e-9, players=50)
    back = tries.next_level[(tries.level == 2) & (tries.next_level >= 0)]
    assert set(back.tolist()) == {0}


def test_sessions_go_on_where_the_last_ended():
    """A player who comes back begins at the level reached, in a new session."""
    tries = play(np.zeros(20), minutes=4, returning=1.0, sessions=3, quit_base=1e-9, players=40)
    assert tries.session.max() == 2
    for player in range(40):
        own = tries.player == player
        assert (np.diff(tries.level[own]) >= 0).all()


def test_records_and_faults():
    """Every try is in the records, sessions begin and end, and faults only add, drop or bend records."""
    rng = np.random.default_rng(3)
    tries = play(np.zeros(5), players=20)
    scenery = Scenery(
        [f"Lock {n}" for n in range(5)], [["reeds"]] * 5, [f"Player {n}" for n in range(20)], [{}] * 20, [["1"]] * 20
    )
    written = list(simulate_sessions(tries, scenery, rng))
    assert len(written) == 20
    for session in written:
        times = [record["time"] for record in session]
        assert times == sorted(times)
        assert (session[0]["event"], session[-1]["event"]) == ("session_start", "session_end")
    outcomes = sum(record["event"] in ("complete", "death", "reset") for session in written for record in session)
    assert outcomes == len(tries.level)
    never = FaultRates(*(0.0 for _ in FaultRates.__dataclass_fields__))
    assert spoil(written[0], never, rng) == written[0]
    spoiled = [record for session in written for record in spoil(session, FaultRates(repeated_complete=1.0), rng)]
    assert sum(record["event"] == "complete" for record in spoiled) > outcomes


def test_times_with_people_and_cut_offs():
    """Item effects come back though slow people were cut off, which plain means would take for quick."""
    rng = np.random.default_rng(5)
    people, items = 120, 6
    subject, item = np.repeat(np.arange(people), items), np.tile(np.arange(items), people)
    truth = np.array([0, 0.2, 0.4, 1.5, 0.4, 0.6])
    value = truth[item] + rng.normal(0, 0.5, people)[subject] + rng.normal(0, 0.3, people * items)
    limit = 1.2
    happened = value <= limit
    fit = fit_times(subject, item, np.minimum(value, limit), happened, items)
    assert fit.difficulty - fit.difficulty[0] == pytest.approx(truth - truth[0], abs=0.15)
    assert np.minimum(value, limit)[item == 3].mean() - value[item == 0].mean() < 1.3


HUB = [
    {"name": "Long Lock"},
    {"name": "Reed Maze", "optional": True},
    *({"name": f"{name} Dock", "leg": "The docks"} for name in ("Coal", "Salt", "Timber")),
    {"name": "Weir Drop", "leg": "The fork", "route": "over the weir"},
    {"name": "Tunnel Mouth", "leg": "The fork", "route": "through the hill"},
    {"name": "Tunnel End", "leg": "The fork", "route": "through the hill"},
    {"name": "Harbour Light"},
]


def on_a_hub(needs=None, **population):
    """The ways of players who give up nowhere through a course with a hub, a fork and a level off the way, and its places."""
    course = Course(None, tuple(Level(**one) for one in HUB), needs={} if needs is None else {"The docks": needs})
    settings = Population(
        **{"players": 600, "minutes": 0, "crash_hourly": 0, "sessions": 1, "quit_base": 1e-9, "quit_between": 0} | population
    )
    tries, truth = play_course(np.full(len(HUB), -3.0), settings, np.random.default_rng(2), course=course)
    ways = [[HUB[place]["name"] for place in way if place >= 0] for way in truth.ways.tolist()]
    return tries, truth, ways


def test_ways_through_legs():
    """Each way has all of a hub in any order, one route in order, and a level off the way as often as is said."""
    tries, truth, ways = on_a_hub(optional_share=0.3)
    docks = {tuple(name for name in way if "Dock" in name) for way in ways}
    assert len(docks) == 6 and all(len(order) == 3 for order in docks)
    forks = {tuple(name for name in way if name in ("Weir Drop", "Tunnel Mouth", "Tunnel End")) for way in ways}
    assert forks == {("Weir Drop",), ("Tunnel Mouth", "Tunnel End")}
    assert sum("Reed Maze" in way for way in ways) / len(ways) == pytest.approx(0.3, abs=0.06)
    assert all(way[0] == "Long Lock" and way[-1] == "Harbour Light" for way in ways)
    played = [list(dict.fromkeys(tries.level[tries.player == n].tolist())) for n in range(40)]
    assert played == [[place for place in way if place >= 0] for way in truth.ways[:40].tolist()]
    assert tries.finished.sum() == 600 and not tries.back.any()


def test_ways_by_skill():
    """A hub that needs one dock is left after it; the able go for the first route and off the way more, if so told."""
    _, truth, ways = on_a_hub(needs=1, way_skill=3.0, optional_skill=3.0)
    assert all(sum("Dock" in name for name in way) == 1 for way in ways)
    for name in ("Weir Drop", "Reed Maze"):
        went = np.array([name in way for way in ways])
        assert truth.skill[went].mean() - truth.skill[~went].mean() > 0.6


def test_a_simulated_log_of_legs(milepost):
    """The log of a course with legs has no finding and nothing odd, whoever comes back; the truth has each player's way."""
    tables = [
        "\n".join(["[[level]]", "target_clear = 0.7", *(f"{key} = {json.dumps(value)}" for key, value in one.items())])
        for one in HUB
    ]
    milepost.write("course.toml", "\n".join(tables))
    words = ("simulate", "--course", "course.toml", "--players", "60", "--let", "returning=1", "--let", "quit_base=0.1")
    assert milepost(*words, "-o", "log.jsonl", "--truth", "truth.json").returncode == 0
    check = milepost.json("check", "log.jsonl", "--course", "course.toml")
    assert check["findings"] == {} and not check["suspects"], check["findings"]
    truth = json.loads((milepost.folder / "truth.json").read_text())
    assert all(own["way"][-1] == "Harbour Light" for own in truth["players"])
    funnel = {row["level"]: row for row in milepost.json("funnel", "log.jsonl", "--course", "course.toml")["levels"]}
    assert 0 < funnel["Reed Maze"]["reached"] < funnel["Long Lock"]["reached"] == 60
