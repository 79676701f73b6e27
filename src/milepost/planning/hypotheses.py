"""Hypotheses: what was expected of a build before it was tested, against what came of it."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from datetime import UTC, date, datetime
from math import ceil, hypot
from typing import Literal, TypedDict

from milepost.cleaning.splitting import values_in_order
from milepost.errors import UsageError
from milepost.measures.attempts import AttemptsToClear
from milepost.measures.funnel import Funnel
from milepost.measures.interface import Hypothesis
from milepost.measures.level import place_of
from milepost.planning.knob_effects import play_of_build
from milepost.planning.targets import MOST_NEEDED
from milepost.playback.play import FullPlay, Play

HypothesisVerdict = Literal["held", "not_held", "no_telling"]
HypothesisRow = TypedDict(
    "HypothesisRow",
    {
        "level": str,
        "figure": str,
        "expect": str,
        "at_least": float,
        "from": str,
        "build": str,
        "before": float | None,
        "after": float | None,
        "change": float | None,
        "low": float | None,
        "high": float | None,
        "players": int,
        "said": str | None,
        "found_in_data": bool | None,
        "verdict": HypothesisVerdict,
        "players_needed": int | None,
    },
)


def check_hypotheses(play: FullPlay, hypotheses: Sequence[Hypothesis]) -> list[HypothesisRow]:
    """Return what came of each hypothesis, its build held against the one that appeared before it.

    Raises:
        UsageError: a level or a build is not there, or no build is before it.
    """
    names = values_in_order(play.gated.log, "build")
    return [_row(play, names, hypothesis) for hypothesis in hypotheses]


def _row(play: FullPlay, names: Sequence[str], hypothesis: Hypothesis) -> HypothesisRow:
    build = hypothesis.build or names[-1]
    if build not in names[1:]:
        why = "is the first one" if build in names else f"is not in the log, which has {', '.join(names)}"
        raise UsageError(f"hypothesis on {hypothesis.level}: the build {build} {why}, so there is nothing to hold it against.")
    before, after = names[names.index(build) - 1], build
    sides = [_figures(play_of_build(play, name), hypothesis) for name in (before, after)]
    change, low, high = _difference(sides[0], sides[1], hypothesis.figure)
    sign = 1.0 if hypothesis.expect == "up" else -1.0
    players = min(int(str(side["players"])) for side in sides)
    verdict = _verdict(sign, change, low, high, hypothesis.at_least)
    return {
        "level": play.stops[place_of(play, hypothesis.level)],
        "figure": hypothesis.figure,
        "expect": hypothesis.expect,
        "at_least": hypothesis.at_least,
        "from": before,
        "build": after,
        "before": _share(sides[0], hypothesis.figure),
        "after": _share(sides[1], hypothesis.figure),
        "change": change,
        "low": low,
        "high": high,
        "players": players,
        "said": None if hypothesis.said_on is None else hypothesis.said_on.isoformat(),
        "found_in_data": _is_found_in_data(play, hypothesis.said_on),
        "verdict": verdict,
        "players_needed": _needed(verdict, sign, change, (low, high), hypothesis.at_least, players),
    }


def _figures(play: Play, hypothesis: Hypothesis) -> Mapping[str, object]:
    """The row of a build that has the figure; ``players`` says of how many it is."""
    place = place_of(play, hypothesis.level)
    if hypothesis.figure in ("try_clear", "first_try"):
        return play.compute_once(AttemptsToClear()).rows[place]
    row = play.compute_once(Funnel()).rows[place]
    return {**row, "players": row["reached"]}


def _share(row: Mapping[str, object], key: str) -> float | None:
    value = row[key]
    return float(value) if isinstance(value, int | float) else None


def _difference(
    before: Mapping[str, object], after: Mapping[str, object], figure: str
) -> tuple[float | None, float | None, float | None]:
    """The difference of two shares with its interval, made of theirs.

    Source: R. G. Newcombe, "Interval estimation for the difference between independent proportions", Statistics in Medicine 17
    (1998), method 10, here from intervals that take players as clusters.
    """
    (a, a_low, a_high), (b, b_low, b_high) = (
        tuple(_share(row, f"{figure}{end}") for end in ("", "_low", "_high")) for row in (before, after)
    )
    if a is None or b is None or a_low is None or a_high is None or b_low is None or b_high is None:
        return None, None, None
    return b - a, b - a - hypot(b - b_low, a_high - a), b - a + hypot(b_high - b, a - a_low)


def _verdict(sign: float, change: float | None, low: float | None, high: float | None, least: float) -> HypothesisVerdict:
    """Held: as much as expected, and told from nothing; not held: less than expected, as far as can be told."""
    if change is None or low is None or high is None:
        return "no_telling"
    own_low, own_high = sorted((sign * low, sign * high))
    if sign * change >= least and own_low > 0:
        return "held"
    return "not_held" if own_high < least or own_high <= 0 else "no_telling"


def _needed(
    verdict: HypothesisVerdict,
    sign: float,
    change: float | None,
    interval: tuple[float | None, float | None],
    least: float,
    players: int,
) -> int | None:
    """How many players a build would tell, were the change what it was: intervals shrink with the root of their number."""
    low, high = interval
    if verdict != "no_telling" or change is None or low is None or high is None:
        return None
    own_low, own_high = sorted((sign * low, sign * high))
    value = sign * change
    half, away = (value - own_low, value) if value >= least else (own_high - value, least - value)
    if away <= 0:
        return None
    needed = ceil(players * (half / away) ** 2)
    return max(players + 1, needed) if needed <= MOST_NEEDED else None


def _is_found_in_data(play: FullPlay, said_on: date | None) -> bool | None:
    """Return whether it was said after the log's first day; None where one of the two is not known."""
    epochs = [epoch for epoch in play.gated.log.sessions.epoch if epoch is not None]
    if said_on is None or not epochs:
        return None
    return said_on > datetime.fromtimestamp(min(epochs) / 1e9, UTC).date()
