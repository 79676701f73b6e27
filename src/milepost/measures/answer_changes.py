"""Answers of two groups, or of now and then: did what players answered at a level change?"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from math import erfc, sqrt
from typing import Final, Literal, TypedDict, cast

import numpy as np

from milepost.cleaning.anonymous import session_mark
from milepost.numerics.intervals import Z95, t_quantile
from milepost.numerics.shifts import false_discovery_rate
from milepost.playback.play import Play

_CLAIMED: Final = 0.15  # the rate of false claims
_FEWEST: Final = 2  # answers from which their spread is known

ChangeOfAnswers = Literal["higher", "lower", "no_telling"]


class AnsweredMean(TypedDict):
    """How many answered, the mean of what they answered, and its standard deviation over players."""

    n: int
    mean: float | None
    sd: float | None


AnswerChange = TypedDict(
    "AnswerChange",
    {
        "question": str,
        "level": str | None,
        "from": AnsweredMean,
        "to": AnsweredMean,
        "change": float | None,
        "low": float | None,
        "high": float | None,
        "p_value": float | None,
        "q_value": float | None,
        "verdict": ChangeOfAnswers,
    },
)


def compare_means(
    before: Sequence[Mapping[str, object]], after: Sequence[Mapping[str, object]], least: int, same_players: bool = False
) -> list[AnswerChange]:
    """How the means of ordered questions changed, level by level, judged over all of them at once.

    Args:
        before, after: the questions of either, as the measure of answers tells them.
        least: of fewer answers on either side, nothing is claimed.
        same_players: whether the later ones hold the earlier ones, so that the variance of the change is that of what came.

    Source: B. L. Welch, "The generalization of 'Student's' problem", Biometrika 34 (1947).
    """
    first = _means(before)
    rows = [_change(key, first[key], mean, same_players) for key, mean in _means(after).items() if key in first]
    tested = [n for n, row in enumerate(rows) if row["p_value"] is not None and min(row["from"]["n"], row["to"]["n"]) >= least]
    q_values = false_discovery_rate(np.array([rows[n]["p_value"] for n in tested], dtype=float)) if tested else np.zeros(0)
    for n, q in zip(tested, q_values.tolist(), strict=True):
        rows[n]["q_value"] = q
        if q <= _CLAIMED:
            rows[n]["verdict"] = "higher" if (rows[n]["change"] or 0) > 0 else "lower"
    return rows


def _means(questions: Sequence[Mapping[str, object]]) -> dict[tuple[str, str | None], AnsweredMean]:
    means = {}
    for question in questions:
        if question.get("ordered"):
            for level in cast("list[AnsweredMean]", question.get("levels", [])):
                name = cast("Mapping[str, str | None]", level).get("level")
                mean = AnsweredMean(n=level["n"], mean=level["mean"], sd=level.get("sd"))
                means[str(question["question"]), name] = mean
    return means


def _change(key: tuple[str, str | None], before: AnsweredMean, after: AnsweredMean, same: bool) -> AnswerChange:
    change, error, freedom = _difference(before, after, same)
    low = high = p_value = None
    if change is not None and error is not None:
        reach, p_value = _reach_and_p(change / error if error else 0.0, freedom)
        low, high = change - reach * error, change + reach * error
    return {
        "question": key[0],
        "level": key[1],
        "from": before,
        "to": after,
        "change": change,
        "low": low,
        "high": high,
        "p_value": p_value,
        "q_value": None,
        "verdict": "no_telling",
    }


def _difference(before: AnsweredMean, after: AnsweredMean, same: bool) -> tuple[float | None, float | None, float | None]:
    """Return the change of a mean, its standard error, and its degrees of freedom (None: many)."""
    if before["mean"] is None or after["mean"] is None:
        return None, None, None
    change = after["mean"] - before["mean"]
    if before["sd"] is None or after["sd"] is None or min(before["n"], after["n"]) < _FEWEST:
        return change, None, None
    parts = [side["sd"] ** 2 / side["n"] for side in (before, after) if side["sd"] is not None]
    if same:
        return change, sqrt(abs(parts[0] - parts[1])), None
    total = sum(parts)
    below = sum(part**2 / (side["n"] - 1) for part, side in zip(parts, (before, after), strict=True))
    return (change, sqrt(total), total**2 / below) if below else (change, None, None)


def _reach_and_p(z: float, freedom: float | None) -> tuple[float, float]:
    """Return how many standard errors an interval reaches, and how often chance alone would take a change as far."""
    if freedom is None:
        return Z95, erfc(abs(z) / sqrt(2))
    from scipy.special import stdtr

    return t_quantile(freedom), float(2 * stdtr(freedom, -abs(z)))


@dataclass(frozen=True)
class EarlierAnswers:
    """The questions of an earlier report, as it told them, and the marks of its sessions, where it has them."""

    questions: Sequence[Mapping[str, object]]
    marks: frozenset[str]

    def changes(self, play: Play, questions: Sequence[Mapping[str, object]], least: int) -> list[AnswerChange]:
        """What changed since then; the answers of then are among those of now where their sessions are."""
        now = {session_mark(name) for name in play.gated.log.sessions.name}
        return compare_means(self.questions, questions, least, bool(self.marks & now))
