"""Sentences on levels that stand out, and on those that cannot be judged."""

from __future__ import annotations

from collections.abc import Sequence
from typing import TypeVar

from milepost.difficulty.row_types import JudgedRow
from milepost.wording import listed, percent, plural, whole

J = TypeVar("J", bound=JudgedRow)
_NAMED = 3  # levels named in a sentence
_LARGE = {"tries": "one that is harder by 1 logit", "time": "one that takes 2.7 times as long"}
_HOW = {
    "spike": ("is harder than its surroundings", "may be harder than its surroundings"),
    "dip": ("is easier than its surroundings", "may be easier than its surroundings"),
    "step": ("begins a stretch that stays harder", "may begin a stretch that stays harder"),
}


def costliest_first(rows: list[J]) -> list[J]:
    """The levels that stand out."""
    return sorted((row for row in rows if row["kind"] != "none"), key=lambda row: -(row["cost"] or 0.0))


def word_spike(row: JudgedRow, players: int, basis: str) -> str | None:
    """Return the sentence on a level; None if it does not stand out."""
    if row["kind"] == "none":
        return None
    if basis == "tries":
        return " ".join([f"{_claim(row)}: {_word_by_tries(row)} {_backing(row)}", *_cost(row, players), *_changes(row)])
    longer = f"it takes {row['odds_ratio'] or 1:.1f} times as long to clear as they lead one to expect."
    return f"{_claim(row)}: {longer} {_backing(row)} There are next to no failures, so time stands for difficulty."


def _claim(row: JudgedRow) -> str:
    """The level and what it does; what it may do, where the evidence is weak."""
    return f"{row['level']} {_HOW[row['kind']][row['evidence'] == 'weak']}"


def _backing(row: JudgedRow) -> str:
    """How many players say so, and how sure that is."""
    players = plural(row["players"], "player")
    if row["evidence"] != "weak":
        return f"{players}, {row['evidence']} evidence."
    return f"{players}; a hint: about {min(9, round(10 * (row['q_value'] or 0.0)))} in 10 such hints are chance."


def word_unjudged(rows: Sequence[JudgedRow], basis: str) -> list[str]:
    """Return the sentence on levels that cannot be judged, with the players that it would take."""
    few = [row for row in rows if row["evidence"] == "too_few"]
    if not few:
        return []
    needed = [count for row in few if (count := row["players_needed"])]
    names = [row["level"] for row in few[:_NAMED]] + ([plural(len(few) - _NAMED, "more level")] if len(few) > _NAMED else [])
    begin = "No level can be judged: each has" if len(few) == len(rows) else f"{listed(names)} cannot be judged: there are"
    hint = f" It would take about {max(needed)} players at a level to tell {_LARGE[basis]}." if needed else ""
    return [f"{begin} too few players or tries.{hint}"]


def _word_by_tries(row: JudgedRow) -> str:
    seen = row["first_try"] if row["first_try"] is not None else row["chance"]
    chance, expected = percent(seen), percent(row["expected_chance"])
    return f"{chance} of first tries clear; the levels around it lead one to expect {expected}."


def _cost(row: JudgedRow, players: int) -> list[str]:
    lines = []
    if row["kind"] != "dip" and row["cost"] is not None:
        lost, reached = row["lost"], row["reached"]
        loss = f"{lost} of the {reached} who reached it {'was' if lost == 1 else 'were'} lost there"
        loss = loss if lost else "Nobody was lost there"
        span = f"{whole(row['cost_low'] or 0.0)} to {whole(row['cost_high'] or 0.0)}"
        more = f"about {whole(row['cost'])} more of {plural(players, 'player')} would still be playing at the end"
        had = f"had it been like its surroundings, {more} ({span})"
        lines.append(f"{loss}; {had}." if round(row["cost"]) >= 1 else f"{loss}.")
    if row["kind"] == "spike":
        quits = row["quitting"] == "spike"
        lines.append("They also quit more here than around it." if quits else "By quitting alone it does not stand out.")
    return lines


def _changes(row: JudgedRow) -> list[str]:
    return [
        f"{change['knob']} goes from {change['from']} to {change['to']}"
        + (f", {change['times_usual']:.0f} times its usual step." if change["times_usual"] else ", new here.")
        for change in row["changes"]
    ]
