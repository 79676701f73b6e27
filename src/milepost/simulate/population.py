"""The players of a simulated course."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, fields, replace
from math import isfinite
from typing import Any, Final

from milepost.errors import UsageError

_MORE_THAN_NOTHING: Final = frozenset({"quit_growth", "quit_skill", "try_seconds", "setback_after"})
_SHARES: Final = frozenset({"quit_base", "quit_between", "returning", "reset_share", "optional_share"})
_SAID_ELSEWHERE: Final = frozenset({"players", "minutes", "sessions"})


@dataclass(frozen=True)
class Population:
    """The players, and how they play.

    Attributes:
        players: how many.
        skill_sd: spread of skill in logits; the mean is 0.
        learning: logits gained for each unit of log(try number).
        quit_base: chance to give up after a first failure, for a player of mean skill.
        quit_growth: how much each further failure in a row multiplies the odds of giving up.
        quit_skill: how much one logit of skill divides those odds.
        quit_between: chance to stop after a clear.
        minutes: length of a session, at which the test ends; 0 for no limit.
        crash_hourly: crashes in an hour of play.
        returning: share of those who quit, ran out of time or crashed that come back for another session.
        sessions: the most sessions of a player.
        reset_share: share of failures that the player ends by a reset.
        setback_after: failures in a row after which a level with a setback sends its player back.
        optional_share: share of players who go for a level that is off the way.
        optional_skill: logits by which one logit of skill moves that.
        way_skill: logits by which one logit of skill moves the choice of a fork's first route.
        try_seconds: median length of a try that clears.
        try_sd: spread of the logarithm of a try's length.
    """

    players: int = 48
    skill_sd: float = 0.9
    learning: float = 0.4
    quit_base: float = 0.03
    quit_growth: float = 1.35
    quit_skill: float = 1.3
    quit_between: float = 0.004
    minutes: float = 60.0
    crash_hourly: float = 0.1
    returning: float = 0.3
    sessions: int = 2
    reset_share: float = 0.15
    setback_after: int = 3
    optional_share: float = 0.5
    optional_skill: float = 0.0
    way_skill: float = 0.0
    try_seconds: float = 40.0
    try_sd: float = 0.35


def change_population(settings: Sequence[str], population: Population) -> Population:
    """The population with some settings of another value.

    Args:
        settings: each as ``NAME=VALUE``.
        population: what they change.

    Raises:
        UsageError: a setting is none, or its value makes no sense.
    """
    known = [setting.name for setting in fields(Population) if setting.name not in _SAID_ELSEWHERE]
    values: dict[str, Any] = {}
    for text in settings:
        name, _, value = (part.strip() for part in text.partition("="))
        if name not in known:
            raise UsageError(f"--let {text!r}: no such setting. There are {', '.join(known)}.")
        values[name] = _value(text, name, value, isinstance(getattr(population, name), int))
    return replace(population, **values)


def _value(text: str, name: str, value: str, whole: bool) -> float | int:
    try:
        number = float(value)
    except ValueError:
        number = float("nan")
    if not isfinite(number) or number < 0 or (whole and not number.is_integer()):
        raise UsageError(f"--let {text!r}: write a {'whole ' if whole else ''}number from 0 up.")
    if name in _SHARES and number > 1:
        raise UsageError(f"--let {text!r}: a share lies between 0 and 1.")
    if name in _MORE_THAN_NOTHING and number == 0:
        raise UsageError(f"--let {text!r}: write a number above 0.")
    return int(number) if whole else number
