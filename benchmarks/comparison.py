"""How well two builds are told apart, on simulated builds with a known truth; results are kept in docs/comparing.md.

Run from the project's root: python benchmarks/comparison.py --seeds 100
"""

from __future__ import annotations

import argparse
import time
from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass, field
from zlib import crc32

import numpy as np

from milepost.comparison.estimates import Sides, estimate_difficulties
from milepost.comparison.judging import judge_differences
from milepost.numerics.try_sums import TriesOfItems

LEVELS = 24
LEAST = 5


@dataclass(frozen=True)
class Kind:
    """What differs between two builds.

    Attributes:
        players: in each build.
        changes: logits that levels get harder by, by their place; None for a place drawn at random.
        shift: logits that all levels get harder by.
        skill: how much abler the players of the second build are, in logits.
        both: the share of players who play both builds.
        crossed: whether half of these play the second build first.
        practice: what having seen a level is worth, in logits.
        quitting: by how much the second build multiplies the odds of giving up.
        minutes: of an hour's tries, how many the second build has.
        quit_base: chance to give up after a first failure.
        group: where its results are counted.
    """

    players: int
    changes: tuple[tuple[int | None, float], ...] = ()
    shift: float = 0.0
    skill: float = 0.0
    both: float = 0.0
    crossed: bool = False
    practice: float = 0.0
    quitting: float = 1.0
    tries: int = 0
    quit_base: float = 0.03
    group: str = ""


def kinds() -> dict[str, Kind]:
    """All kinds of pairs of builds, by name."""
    found: dict[str, Kind] = {}
    for n in (12, 25, 40, 100, 400):
        found[f"nothing changed, {n}"] = Kind(n, group="nothing")
        found[f"shift +0.6, {n}"] = Kind(n, shift=0.6, group="shift")
        found[f"shift -1.0, {n}"] = Kind(n, shift=-1.0, group="shift")
        found[f"abler players, {n}"] = Kind(n, skill=0.8, group="selection")
        found[f"half as many quit, {n}"] = Kind(n, quitting=0.5, group="quitting")
        found[f"twice as many quit, {n}"] = Kind(n, quitting=2.5, group="quitting")
        found[f"cut short, {n}"] = Kind(n, tries=45, group="time")
        found[f"all came back, {n}"] = Kind(n, both=1.0, practice=0.5, group="practice")
        found[f"half came back, {n}"] = Kind(n, both=0.5, practice=0.5, group="practice")
        found[f"crossed, {n}"] = Kind(n, both=1.0, crossed=True, practice=0.5, group="practice")
        for size in (0.7, 1.0, 2.0):
            found[f"one harder by {size}, {n}"] = Kind(n, ((None, size),), group=f"elsewhere {size}")
            found[f"one easier by {size}, {n}"] = Kind(n, ((None, -size),), group=f"elsewhere {size}")
        found[f"three changed, shift, {n}"] = Kind(n, ((4, 1.5), (11, -1.5), (18, 1.5)), shift=0.5, group="elsewhere three")
        found[f"broken level, {n}"] = Kind(n, ((12, 9.0),), group="broken")
        found[f"spike removed, {n}"] = Kind(n, ((8, -3.0),), group="removed", quit_base=0.08)
        found[f"one harder, all came back, {n}"] = Kind(n, ((None, 1.0),), both=1.0, practice=0.5, group="elsewhere back")
    return found


@dataclass
class Result:
    """What came of one pair of builds."""

    false: int = 0
    found: int = 0
    changed: int = 0
    wrong: int = 0
    covered: int = 0
    deltas: int = 0
    shift_error: float = 0.0
    shift_covered: bool = False
    seconds: float = 0.0
    sizes: list[float] = field(default_factory=list)


def play(kind: Kind, difficulty: np.ndarray, skill: np.ndarray, worth: np.ndarray, side: int, rng: np.random.Generator) -> dict:  # type: ignore[type-arg]
    """Tries of players: subject, level, number, whether cleared, whether given up after it; ``worth`` is by player and level."""
    n = len(skill)
    level, number, row, made = (np.zeros(n, np.int64) for _ in range(4))
    active = np.ones(n, np.bool_)
    odds0 = kind.quit_base / (1 - kind.quit_base) * (kind.quitting if side else 1.0)
    limit = kind.tries if side and kind.tries else 10**9
    out: list[tuple[np.ndarray, ...]] = []
    while active.any():
        who = np.flatnonzero(active)
        number[who] += 1
        made[who] += 1
        at = level[who]
        logit = skill[who] + worth[who, at] - difficulty[at] + 0.4 * np.log(number[who])
        cleared = rng.random(len(who)) < 1 / (1 + np.exp(-logit))
        row[who] = np.where(cleared, 0, row[who] + 1)
        odds = odds0 * 1.35 ** np.maximum(0, row[who] - 1) * 1.3 ** -skill[who]
        gives_up = ~cleared & (rng.random(len(who)) < odds / (1 + odds))
        out.append((who, at, number[who].copy(), cleared, gives_up))
        number[who[cleared]] = 0
        level[who[cleared]] += 1
        active[who] = ~gives_up & (level[who] < len(difficulty)) & (made[who] < limit)
    subject, at, tried, cleared, left = (np.concatenate(column) for column in zip(*out, strict=True))
    order = np.argsort(subject, kind="stable")
    return {"subject": subject[order], "item": at[order], "number": tried[order], "success": cleared[order], "left": left[order]}


def simulated(kind: Kind, rng: np.random.Generator) -> tuple[Sides, np.ndarray, list[tuple[int, float]]]:
    """Two builds, the levels' changes, and where they are."""
    first = -1.5 + 1.8 * np.linspace(0, 1, LEVELS) + rng.normal(0, 0.25, LEVELS)
    changes = [(int(rng.integers(2, LEVELS - 6)) if at is None else at, size) for at, size in kind.changes]
    delta = np.zeros(LEVELS)
    for at, size in changes:
        delta[at] += size
    if kind.group == "removed":
        first[8] += 3.0
    second = first + delta + kind.shift
    n, shared = kind.players, round(kind.both * kind.players)
    skill_a = rng.normal(0, 0.9, n)
    skill_b = np.concatenate((skill_a[:shared], rng.normal(kind.skill, 0.9, n - shared)))
    late_a = np.arange(n) < (shared // 2 if kind.crossed else 0)  # who of those of both played the first build second
    nothing = np.zeros((n, LEVELS))

    def with_practice(other: dict, second_time: np.ndarray) -> np.ndarray:  # type: ignore[type-arg]
        seen = np.zeros((n, LEVELS))
        seen[other["subject"], other["item"]] = kind.practice
        seen[~second_time] = 0.0
        return seen

    back = np.arange(n) < shared
    if kind.crossed:
        b0 = play(kind, second, skill_b, nothing, 1, np.random.default_rng(rng.integers(1 << 60)))
        a = play(kind, first, skill_a, with_practice(b0, late_a), 0, rng)
        b = play(kind, second, skill_b, with_practice(a, back & ~late_a), 1, rng)
        keep = ~late_a[b["subject"]]
        early = late_a[b0["subject"]]
        b = {name: np.concatenate((b0[name][early], b[name][keep])) for name in b}
    else:
        a = play(kind, first, skill_a, nothing, 0, rng)
        b = play(kind, second, skill_b, with_practice(a, back), 1, rng)
    fresh = b["subject"] >= shared
    b["subject"] = np.where(fresh, b["subject"] + n, b["subject"])
    later = np.full(2 * n, -1)
    later[:shared] = np.where(late_a[:shared], 0, 1)
    return Sides((TriesOfItems(**a), TriesOfItems(**b)), LEVELS, later), delta, changes


def one(job: tuple[str, int]) -> tuple[str, Result]:
    """One pair of builds, set against the truth."""
    name, seed = job
    kind = kinds()[name]
    rng = np.random.default_rng([seed, crc32(name.encode())])
    sides, delta, changes = simulated(kind, rng)
    found = estimate_difficulties(sides)
    start = time.process_time()
    players = [np.array([len(np.unique(t.subject[t.item == place])) for place in found.levels]) for t in sides.tries]
    enough = (players[0] >= LEAST) & (players[1] >= LEAST)
    verdict = judge_differences(found.difference, found.covariance, enough)
    result = Result(seconds=time.process_time() - start)
    shift = verdict.shifted
    true_shift = kind.shift - kind.skill * (1 - kind.both)
    if kind.both and found.practice is None:
        true_shift -= kind.practice
    result.shift_error = shift.shift - true_shift
    result.shift_covered = abs(result.shift_error) <= 1.96 * shift.shift_se
    where = {at: size for at, size in changes}
    for place, level in enumerate(found.levels.tolist()):
        if not enough[place]:
            continue
        size = where.get(level, 0.0)
        if abs(size) < 5:
            result.deltas += 1
            result.covered += abs(shift.delta[place] - delta[level]) <= 1.96 * shift.delta_se[place]
        if size:
            result.found += verdict.direction[place] == np.sign(size)
            result.wrong += verdict.direction[place] == -np.sign(size)
        else:
            result.false += verdict.direction[place] != 0
    result.changed = len(changes)
    return name, result


def table(results: dict[str, list[Result]]) -> str:
    """All that came of it, a row a kind."""
    lines = [
        "| two builds, players in each | false verdicts | found | wrong way | deltas covered | shift covered | shift off by |",
        "|:--|--:|--:|--:|--:|--:|--:|",
    ]
    for name, own in results.items():
        changed = sum(r.changed for r in own)
        recall = f"{sum(r.found for r in own) / changed:.2f}" if changed else ""
        lines.append(
            f"| {name} | {np.mean([r.false for r in own]):.2f} | {recall} "
            f"| {np.mean([r.wrong for r in own]):.3f} | {sum(r.covered for r in own) / max(1, sum(r.deltas for r in own)):.3f} "
            f"| {np.mean([r.shift_covered for r in own]):.2f} | {np.mean([r.shift_error for r in own]):+.2f} |"
        )
    groups = sorted({kind.group for kind in kinds().values()})
    lines += ["", "| together | false verdicts | worst kind |", "|:--|--:|--:|"]
    for group in groups:
        rates = [np.mean([r.false for r in own]) for name, own in results.items() if kinds()[name].group == group]
        if rates:
            lines.append(f"| {group} | {np.mean(rates):.2f} | {max(rates):.2f} |")
    return "\n".join(lines)


def main() -> None:
    """Run the kinds that are asked for."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--seeds", type=int, default=40)
    parser.add_argument("--first", type=int, default=0)
    parser.add_argument("--only", default="")
    parser.add_argument("--jobs", type=int, default=2)
    args = parser.parse_args()
    names = [name for name in kinds() if args.only in name]
    results: dict[str, list[Result]] = {name: [] for name in names}
    with ProcessPoolExecutor(args.jobs) as pool:
        for name, result in pool.map(
            one, [(n, s) for n in names for s in range(args.first, args.first + args.seeds)], chunksize=4
        ):
            results[name].append(result)
    print(table(results))
    print(f"\nBeyond the fits: {max(r.seconds for own in results.values() for r in own):.3f} CPU seconds at most.")


if __name__ == "__main__":
    main()
