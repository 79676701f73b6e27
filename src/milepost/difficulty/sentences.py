"""What is said of levels that stand out, and of those that cannot be judged, as a colleague would say it."""

from __future__ import annotations

from collections.abc import Sequence
from typing import TypeVar

from milepost.difficulty.rows import JudgedRow
from milepost.wording import listed, plural, whole

J = TypeVar("J", bound=JudgedRow)
_NAMED = 3  # levels named in a sentence
_LARGE = {"tries": "one that is harder by 1 logit", "time": "one that takes 2.7 times as long"}
_HOW = {
    "spike": "is harder than its surroundings",
    "dip": "is easier than its surroundings",
    "step": "begins a stretch that stays harder",
}


def costliest_first(rows: list[J]) -> list[J]:
    """The levels that stand out."""
    return sorted((row for row in rows if row["kind"] != "none"), key=lambda row: -(row["cost"] or 0.0))


def sentence(row: JudgedRow, players: int, basis: str) -> str | None:
    """What is said of a level; None where it does not stand out."""
    if row["kind"] == "none":
        return None
    if basis == "tries":
        return " ".join([_by_tries(row), *_cost(row, players), *_changes(row)])
    return (
        f"{row['level']} {_HOW[row['kind']]}: it takes {row['odds_ratio'] or 1:.1f} times as long to clear as they "
        f"lead one to expect. {row['players']} players, {row['evidence']} evidence. "
        "There are next to no failures, so time stands for difficulty."
    )


def unsaid(rows: Sequence[JudgedRow], basis: str) -> list[str]:
    """Which levels cannot be judged, and how many players that would take."""
    few = [row for row in rows if row["evidence"] == "too_few"]
    if not few:
        return []
    needed = [count for row in few if (count := row["players_needed"])]
    names = [row["level"] for row in few[:_NAMED]] + ([plural(len(few) - _NAMED, "more level")] if len(few) > _NAMED else [])
    who = "No level can be judged: each has" if len(few) == len(rows) else f"{listed(names)} cannot be judged: there are"
    told = f" It would take about {max(needed)} players at a level to tell {_LARGE[basis]}." if needed else ""
    return [f"{who} too few players or tries.{told}"]


def _by_tries(row: JudgedRow) -> str:
    return (
        f"{row['level']} {_HOW[row['kind']]}: a first try that would clear {_odds(row['expected_chance'])} "
        f"clears {_odds(row['chance'])}. {row['players']} players, {row['evidence']} evidence."
    )


def _cost(row: JudgedRow, players: int) -> list[str]:
    said = []
    if row["kind"] != "dip" and row["cost"] is not None:
        lost, reached = row["lost"], row["reached"]
        there = f"{lost} of the {reached} who reached it {'was' if lost == 1 else 'were'} lost there"
        more = f"about {whole(row['cost'])} more of {players} players would still be playing at the end"
        span = f"{whole(row['cost_low'] or 0.0)} to {whole(row['cost_high'] or 0.0)}"
        said.append(f"{there if lost else 'Nobody was lost there'}; had it been like its surroundings, {more} ({span}).")
    if row["kind"] == "spike":
        quits = row["quitting"] == "spike"
        said.append("They also quit more here than around it." if quits else "By quitting alone it does not stand out.")
    return said


def _changes(row: JudgedRow) -> list[str]:
    return [
        f"{change['knob']} goes from {change['from']} to {change['to']}"
        + (f", {change['times_usual']:.0f} times its usual step." if change["times_usual"] else ", new here.")
        for change in row["changes"]
    ]


def _odds(chance: float | None) -> str:
    """A chance in words: so many times in so many."""
    chance = chance or 0.0
    share, of = min(
        ((round(chance * of), of) for of in (2, 3, 4, 5, 10)), key=lambda pair: (abs(pair[0] / pair[1] - chance) > 0.04, pair[1])
    )
    if share in (0, of):
        return f"{100 * chance:.0f} times in 100"
    return f"{share} time{'' if share == 1 else 's'} in {of}"
