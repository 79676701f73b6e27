"""Players: what is known of each by hand, skill against the truth, and one spread or two groups."""

import numpy as np
import pytest

from milepost.difficulty.players import FEWEST_PLAYERS, compare_skill_groups, estimate_skills
from milepost.numerics.try_model import fit_tries
from milepost.numerics.try_sums import TriesOfItems
from milepost.simulate.population import Population
from milepost.simulate.simulated_players import play_course
from milepost.vocabulary import CLEARED, N_SETTLED

DEMO = ("wickwater/logs", "--course", "wickwater/course.toml")


def played(skill, seed=1):
    """The tries of players of some skills."""
    population = Population(players=len(skill), minutes=0, sessions=1, crash_hourly=0)
    tries, _ = play_course(np.linspace(-1.5, 0.5, 20), population, np.random.default_rng(seed), skill=skill)
    settled = tries.outcome < N_SETTLED
    own = (tries.player, tries.level, tries.number, tries.outcome == CLEARED, tries.ends)
    return TriesOfItems(*(column[settled] for column in own))


def test_skill_and_its_error():
    """The intervals of skills hold the truth about as often as they say; who played little is close to the middle."""
    held, rng = [], np.random.default_rng(5)
    for seed in range(4):
        skill = rng.normal(0, 0.9, 60)
        tries = played(skill, seed)
        able = estimate_skills(tries, fit_tries(tries, 20))
        apart = (able.mean - able.mean.mean()) - (skill - skill.mean())
        held += (np.abs(apart) < 1.96 * able.sd).tolist()
        count = np.bincount(tries.subject)
        assert able.sd[np.argmin(count)] > able.sd[np.argmax(count)]
    assert 0.89 <= np.mean(held) <= 0.98


@pytest.mark.parametrize("apart", [0.0, 1.8])
def test_one_spread_or_two_groups(apart):
    """Two groups far apart are told; one spread is not taken for two."""
    rng = np.random.default_rng(7)
    skill = np.where(np.arange(50) % 2, -apart, apart) + rng.normal(0, 0.4 if apart else 0.9, 50)
    tries = played(skill)
    groups = compare_skill_groups(tries, fit_tries(tries, 20))
    assert groups["better"] is (apart > 0) and (groups["p_value"] <= 0.05) is (apart > 0)
    assert groups["shares"] == pytest.approx([0.5, 0.5], abs=0.15) or not apart


def test_too_few_players():
    tries = played(np.zeros(FEWEST_PLAYERS - 1))
    assert compare_skill_groups(tries, fit_tries(tries, 20)) == {
        "players": FEWEST_PLAYERS - 1,
        "better": None,
        "p_value": None,
        "means": [],
        "shares": [],
    }


def test_the_roster(milepost, small_log):
    """Sessions, minutes, how far, tries, clears, pace, end and the session to watch, by hand."""
    records = []
    for name, fails in (("Ada", 0), ("Bo", 2)):
        base, clock = {"session": f"{name}-1", "player": name}, 0
        for level, failures in (("Mill Pond", 0), ("Low Arch", fails)):
            own = base | {"level": level}
            records.append(own | {"time": clock, "event": "start"})
            for _ in range(failures):
                records += [own | {"time": clock + 30, "event": "death"}, own | {"time": clock + 31, "event": "retry"}]
                clock += 31
            clock += 20 if name == "Ada" else 40
            records.append(own | {"time": clock, "event": "complete"})
            clock += 1
        records.append(base | {"time": clock, "event": "session_end", "cause": "quit"})
    records.append({"session": "Cass-1", "player": "Cass", "time": 0, "event": "start", "level": "Mill Pond"})
    milepost.write("log.jsonl", records)
    document = milepost.json("players", "log.jsonl")
    ada, bo, cass = document["roster"]
    assert [row["player"] for row in document["roster"]] == ["Ada", "Bo", "Cass"]
    assert (ada["tries"], ada["clears"], ada["furthest"], ada["ended"], ada["watch"]) == (2, 2, "Low Arch", "quit", None)
    assert (bo["tries"], bo["clears"], bo["watch"]) == (4, 2, "Bo-1") and bo["minutes"] == pytest.approx((40 + 30 + 30 + 40) / 60)
    assert ada["pace"] == pytest.approx(20 / 30) and bo["pace"] == pytest.approx(40 / 30)
    assert (cass["tries"], cass["skill"], cass["pace"], cass["furthest"]) == (0, None, None, "Mill Pond")
    assert ada["skill"] > bo["skill"] and document["groups"]["better"] is None
    assert [row["furthest"] for row in document["levels"]] == [1, 2]


def test_the_demo(wickwater):
    """The table puts the least able first, and says that one spread is as good."""
    done = wickwater("players", *DEMO)
    assert done.returncode == 0 and "One spread of skill describes these 49 players" in done.stdout
    assert done.stdout.index("Hob Wick") < done.stdout.index("Tansy Wick")
