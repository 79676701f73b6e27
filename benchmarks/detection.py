"""How well spikes are found, on simulated courses with a known truth; results are kept in docs/accuracy.md.

Run from the project's root: python benchmarks/detection.py --seeds 200
"""

from __future__ import annotations

import argparse
from collections.abc import Callable, Sequence
from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass, field
from typing import Any
from zlib import crc32

import numpy as np

from milepost.course.course import Course, Level
from milepost.difficulty.anomalies import judge_levels
from milepost.difficulty.chosen_ways import Choice, list_choices
from milepost.difficulty.spikes import read_tries
from milepost.numerics.try_sums import TriesOfItems
from milepost.simulate.population import Population
from milepost.simulate.simulated_players import play_course
from milepost.vocabulary import CLEARED, N_SETTLED

ROUGHNESS = 0.25
OFF_THE_WAY = 18
BY_SKILL = {"way_skill": 2.0, "optional_skill": 2.0}
QUITTERS = {"quit_base": 0.08, "quit_skill": 2.5}


@dataclass(frozen=True)
class Scenario:
    """Players, levels, shape, what is planted (kind, level or None for anywhere, logits), and whether the course has legs."""

    players: int
    levels: int
    shape: str
    events: tuple[tuple[str, int | None, float], ...] = ()
    population: dict[str, float] = field(default_factory=dict)
    legs: bool = False


def course_with_legs() -> Course:
    """A course of 24 levels with a hub of four, a fork of two routes with two levels each, and a level off the way."""
    levels = []
    for place in range(24):
        leg = "hub" if 6 <= place <= 9 else "fork" if 14 <= place <= 17 else None
        route = None if leg != "fork" else "one" if place < 16 else "other"
        levels.append(Level(f"L{place}", leg=leg, route=route, optional=place == OFF_THE_WAY))
    return Course(None, tuple(levels))


@dataclass(frozen=True)
class Outcome:
    """What came of one course: events found of those planted, false flags, and how the difficulties were estimated."""

    found: int
    planted: int
    false: int
    flags: tuple[tuple[float, bool], ...]
    naive: tuple[tuple[int, int], ...]  # found and false of each naive rule
    error: tuple[float, float, float, float]  # slope, drift, coverage, root mean square
    off_the_way: float  # by how much the level off the way of a course with legs is taken for harder than it is


def scenarios() -> dict[str, Scenario]:
    """All scenarios by name."""
    found: dict[str, Scenario] = {}
    for n in (40, 400):
        for shape in ("flat", "rising", "ramp", "sawtooth"):
            found[f"{shape}, {n} players"] = Scenario(n, 24, shape)
        for size in (0.8, 1.2, 2.0):
            found[f"spike +{size}, {n} players"] = Scenario(n, 24, "rising", (("spike", None, size),))
        found |= {
            f"two apart, {n} players": Scenario(n, 24, "rising", (("spike", 7, 1.6), ("spike", 16, 1.6))),
            f"two side by side, {n} players": Scenario(n, 24, "rising", (("spike", 11, 1.6), ("spike", 12, 1.6))),
            f"step, {n} players": Scenario(n, 24, "flat", (("step", 12, 1.4),)),
            f"dip, {n} players": Scenario(n, 24, "rising", (("dip", 12, 1.6),)),
            f"first level, {n} players": Scenario(n, 24, "rising", (("spike", 0, 1.6),)),
            f"last level, {n} players": Scenario(n, 24, "rising", (("spike", 23, 1.6),)),
            f"late, heavy drop-out, {n} players": Scenario(n, 24, "rising", (("spike", 20, 1.6),), QUITTERS),
        }
    for n in (40, 400):
        found |= {
            f"legs, {n} players": Scenario(n, 24, "rising", legs=True),
            f"legs, ways by skill, {n} players": Scenario(n, 24, "rising", (), BY_SKILL, legs=True),
            f"legs, spike in the hub, {n} players": Scenario(n, 24, "rising", (("spike", 7, 1.6),), legs=True),
            f"legs, spike on a route, {n} players": Scenario(n, 24, "rising", (("spike", 15, 1.6),), legs=True),
            f"legs, spike anywhere, {n} players": Scenario(n, 24, "rising", (("spike", None, 1.6),), legs=True),
        }
    found["legs, ways by skill, 200 players"] = Scenario(200, 24, "rising", (), BY_SKILL, legs=True)
    return found | {
        "flat, 12 players": Scenario(12, 24, "flat"),
        "spike +2.0, 12 players": Scenario(12, 24, "rising", (("spike", None, 2.0),)),
        "rising, 5000 players": Scenario(5000, 24, "rising"),
        "spike +0.8, 5000 players": Scenario(5000, 24, "rising", (("spike", None, 0.8),)),
        "flat, 8 levels": Scenario(40, 8, "flat"),
        "spike +2.0, 8 levels": Scenario(40, 8, "rising", (("spike", 4, 2.0),)),
        "rising, 60 levels": Scenario(40, 60, "rising"),
        "spike +1.2, 60 levels": Scenario(400, 60, "rising", (("spike", 30, 1.2),)),
    }


def curve(shape: str, levels: int) -> Any:
    """Difficulties of a shape, in logits."""
    place = np.linspace(0, 1, levels)
    return {
        "flat": np.full(levels, -0.6),
        "rising": -1.5 + 1.8 * place,
        "ramp": -1.5 + 1.6 * np.minimum(1.0, 2 * place),
        "sawtooth": -1.2 + 1.2 * (np.arange(levels) % 8) / 7,
    }[shape]


def play(job: tuple[str, int]) -> tuple[str, Outcome]:
    """One course of a scenario."""
    name, seed = job
    scenario = scenarios()[name]
    rng = np.random.default_rng([seed, crc32(name.encode())])
    course = course_with_legs() if scenario.legs else None
    places = None if course is None else np.repeat(np.arange(len(course.legs)), [len(leg.levels) for leg in course.legs])
    flat = curve(scenario.shape, scenario.levels if places is None else places[-1] + 1)
    difficulty = (flat if places is None else flat[places]) + rng.normal(0, ROUGHNESS, scenario.levels)
    planted = []
    for kind, level, size in scenario.events:
        level = int(rng.integers(2, scenario.levels - 2)) if level is None else level
        difficulty[level : None if kind == "step" else level + 1] += -size if kind == "dip" else size
        planted.append((kind, level))
    settings: dict[str, Any] = {"quit_base": 0.03, "quit_growth": 1.35, "minutes": 0, "crash_hourly": 0, "sessions": 1}
    population = Population(players=scenario.players, **(settings | scenario.population))
    tries, _ = play_course(difficulty, population, rng, course=course)
    return name, judge(tries, difficulty, planted, places, list_choices(course))


def judge(
    tries: Any, difficulty: Any, planted: list[tuple[str, int]], places: Any = None, choices: Sequence[Choice] = ()
) -> Outcome:
    """Fit, read, and set against the truth."""
    n = len(difficulty)
    rows = tries.outcome < N_SETTLED
    player, level, number = tries.player[rows], tries.level[rows], tries.number[rows]
    cleared = tries.outcome[rows] == CLEARED
    fit, reading = read_tries(TriesOfItems(player, level, number, cleared, tries.ends[rows]), n, places, choices)
    counts = np.bincount(level, minlength=n)
    players = np.array([len(np.unique(player[level == place])) for place in range(n)])
    found = judge_levels(reading, counts, players)
    off_the_way = float(fit.difficulty[OFF_THE_WAY] - difficulty[OFF_THE_WAY]) if n > OFF_THE_WAY else 0.0
    flags = [(place, verdict.kind, verdict.q) for place, verdict in enumerate(found) if verdict.kind != "none"]
    hits = {flag[0] for flag in flags if any(_matches(flag[1], flag[0], event) for event in planted)}
    failing = 1 - np.bincount(level, weights=cleared, minlength=n) / np.maximum(1, counts)
    naive = tuple(_naive(rule, failing, planted) for rule in (_over_mean, _over_neighbours))
    marks = tuple((float(q or 0.0), place in hits) for place, _, q in flags)
    return Outcome(len(hits), len(planted), len(flags) - len(hits), marks, naive, _errors(fit, difficulty, counts), off_the_way)


def _matches(kind: str, place: int, event: tuple[str, int]) -> bool:
    return kind == event[0] and abs(place - event[1]) <= (1 if kind == "step" else 0)


def _errors(fit: Any, difficulty: Any, counts: Any) -> tuple[float, float, float, float]:
    seen = counts > 0
    error = (fit.difficulty - difficulty)[seen]
    third = max(1, len(error) // 3)
    slope = float(np.polyfit(difficulty[seen], fit.difficulty[seen], 1)[0])
    inside = np.abs(error) < 1.96 * np.sqrt(np.diag(fit.covariance))[seen]
    return slope, float(error[-third:].mean() - error[:third].mean()), float(inside.mean()), float(np.sqrt((error**2).mean()))


def _over_mean(failing: Any) -> Any:
    """Failure rate over the course's mean by 1.5 standard deviations."""
    return failing > failing.mean() + 1.5 * failing.std()


def _over_neighbours(failing: Any) -> Any:
    """15 points over the mean of the neighbours."""
    around = np.array([np.mean([failing[k] for k in (n - 1, n + 1) if 0 <= k < len(failing)]) for n in range(len(failing))])
    return failing > around + 0.15


def _naive(rule: Callable[[Any], Any], failing: Any, planted: list[tuple[str, int]]) -> tuple[int, int]:
    flagged = set(np.flatnonzero(rule(failing)).tolist())
    spikes = {place for kind, place in planted if kind == "spike"}
    return len(flagged & spikes), len(flagged - spikes)


def main() -> None:
    """Print the tables."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--seeds", type=int, default=200, help="courses of each scenario (200)")
    parser.add_argument("--first", type=int, default=0, help="the first seed (0); thresholds were chosen on 0 to 199")
    parser.add_argument("--jobs", type=int, default=2, help="processes (2)")
    parser.add_argument("--only", default="", help="scenarios whose name holds this text")
    args = parser.parse_args()
    names = [name for name in scenarios() if args.only in name]
    jobs = [(name, seed) for name in names for seed in range(args.first, args.first + args.seeds)]
    with ProcessPoolExecutor(args.jobs) as pool:
        results: dict[str, list[Outcome]] = {name: [] for name in names}
        for name, outcome in pool.map(play, jobs, chunksize=4):
            results[name].append(outcome)
    print_scenarios(results)
    print_difficulty(results)
    print_q_values(results)
    for name, own in results.items():
        if "ways by skill" in name:
            bias, n = [outcome.off_the_way for outcome in own], max(1, len(own))
            print(f"\n{name}: the level off the way is off by {np.mean(bias):+.3f} ± {1.96 * np.std(bias) / n**0.5:.3f} logits.")


def print_scenarios(results: dict[str, list[Outcome]]) -> None:
    """Recall and false flags by scenario, and for the naive rules."""
    print("| scenario | courses | recall | false flags a course | rule 1: recall, false | rule 2: recall, false |")
    print("|:---|---:|---:|---:|---:|---:|")
    sums: dict[bool, list[float]] = {True: [], False: []}
    recalls = []
    for name, own in results.items():
        planted = sum(outcome.planted for outcome in own)
        recall = sum(outcome.found for outcome in own) / planted if planted else None
        false = sum(outcome.false for outcome in own) / len(own)
        sums[planted > 0].append(false)
        if recall is not None and "step" not in name and "dip" not in name:
            recalls.append(recall)
        rules = [(sum(o.naive[rule][0] for o in own), sum(o.naive[rule][1] for o in own) / len(own)) for rule in range(2)]
        told = " | ".join(f"{'' if not planted else f'{hits / planted:.2f}, '}{wrong:.2f}" for hits, wrong in rules)
        print(f"| {name} | {len(own)} | {'' if recall is None else f'{recall:.2f}'} | {false:.2f} | {told} |")
    told = [f"{np.mean(values):.2f}" if values else "-" for values in (recalls, sums[False], sums[True])]
    print(
        f"\nMean recall of planted spikes {told[0]}; false flags a course {told[1]} with nothing planted, {told[2]} "
        "with something.\n"
    )


def print_difficulty(results: dict[str, list[Outcome]]) -> None:
    """How the difficulties were estimated, by number of players."""
    print("| players | slope | drift, first to last third | 95 % intervals cover | root mean square error |")
    print("|---:|---:|---:|---:|---:|")
    known = scenarios()
    for n in (12, 40, 400, 5000):
        rows = np.array(
            [
                outcome.error
                for name, own in results.items()
                if known[name].players == n and known[name].levels == 24
                for outcome in own
            ]
        )
        if len(rows):
            slope, drift, cover, rms = rows.mean(axis=0)
            print(f"| {n} | {slope:.3f} | {drift:+.3f} | {100 * cover:.1f} % | {rms:.3f} |")


def print_q_values(results: dict[str, list[Outcome]]) -> None:
    """What share of the flags was false, of all that have at most some q value."""
    print("\n| q value at most | flags | false among them |")
    print("|---:|---:|---:|")
    flags = [flag for own in results.values() for outcome in own for flag in outcome.flags]
    for most in (0.01, 0.02, 0.05, 0.1, 0.15, 0.2, 0.3, 1.0):
        own = [true for q, true in flags if q <= most]
        if own:
            print(f"| {most:g} | {len(own)} | {100 * (1 - np.mean(own)):.1f} % |")


if __name__ == "__main__":
    main()
