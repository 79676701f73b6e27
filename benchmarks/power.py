"""Whether the chances that `power` states are those that comparisons achieve; results are kept in docs/comparing.md.

Run from the project's root: python benchmarks/power.py --seeds 200
"""

from __future__ import annotations

import argparse
from concurrent.futures import ProcessPoolExecutor

import numpy as np

from comparison import LEAST, LEVELS, Kind, play
from milepost.comparison.estimates import Sides, estimate_difficulties
from milepost.comparison.judging import judge_differences
from milepost.comparison.pilot_players import Pilot, _going_on
from milepost.comparison.power import Power
from milepost.numerics.try_model import fit_tries
from milepost.numerics.try_sums import TriesOfItems

PLANS = ((40, 40), (40, 100), (100, 40), (100, 100), (100, 250), (40, 250))  # players of the pilot, and in each build of the test
SIZES = (0.6, 1.0, 1.5, 2.0, -1.0, -1.6)


def one(seed: int) -> tuple[float, bool]:
    """What is stated from a pilot, and whether the test of the same world tells the change."""
    rng = np.random.default_rng([seed, 4711])
    pilot_players, players = PLANS[seed % len(PLANS)]
    change, level = SIZES[seed // len(PLANS) % len(SIZES)], int(rng.integers(1, LEVELS - 2))
    difficulty = -1.5 + 1.8 * np.linspace(0, 1, LEVELS) + rng.normal(0, 0.25, LEVELS)
    changed = difficulty.copy()
    changed[level] += change

    def build(kind: Kind, own: np.ndarray, count: int) -> TriesOfItems:
        skill = rng.normal(0, 0.9, count)
        return TriesOfItems(**play(kind, own, skill, np.zeros((count, LEVELS)), 0, rng))

    kind = Kind(players)
    tries = build(kind, difficulty, pilot_players)
    fit = fit_tries(tries, LEVELS)
    reached = np.bincount(np.unique(tries.item * 10_000 + tries.subject) // 10_000, minlength=LEVELS)
    pilot = Pilot(
        [str(n) for n in range(LEVELS)],
        pilot_players,
        fit.difficulty,
        fit.covariance,
        (fit.learning, fit.learning_se),
        (float(np.log(fit.ability_sd)), fit.log_sd_se),
        _going_on(fit),
        0.0,
        reached // 10,
        reached,
        0.25,
    )
    stated = Power(change, players=players, level=level, seed=seed).rows(pilot)[0]["power"]
    before, after = build(kind, difficulty, players), build(kind, changed, players)
    after = TriesOfItems(after.subject + players, after.item, after.number, after.success, after.left)
    found = estimate_difficulties(Sides((before, after), LEVELS, np.full(2 * players, -1)))
    counts = [np.array([len(np.unique(t.subject[t.item == place])) for place in found.levels]) for t in (before, after)]
    verdict = judge_differences(found.difference, found.covariance, np.minimum(*counts) >= LEAST)
    place = np.flatnonzero(found.levels == level)
    return stated, bool(len(place)) and verdict.direction[place[0]] == np.sign(change)


def main() -> None:
    """Set what is stated against what is achieved, in bins."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--seeds", type=int, default=360)
    parser.add_argument("--first", type=int, default=0)
    parser.add_argument("--jobs", type=int, default=2)
    args = parser.parse_args()
    with ProcessPoolExecutor(args.jobs) as pool:
        pairs = list(pool.map(one, range(args.first, args.first + args.seeds), chunksize=4))
    stated, achieved = np.array([p for p, _ in pairs]), np.array([hit for _, hit in pairs])
    print("| stated | achieved | tests |\n|--:|--:|--:|")
    for low in np.arange(0, 1, 0.2):
        here = (stated >= low) & (stated < low + 0.2 + (low > 0.7))
        if here.any():
            print(f"| {stated[here].mean():.2f} | {achieved[here].mean():.2f} | {here.sum()} |")


if __name__ == "__main__":
    main()
