"""What-if: the funnel that the fitted model projects for an easier or harder level, beside the measured one."""

from __future__ import annotations

import re
from dataclasses import dataclass
from statistics import NormalDist
from typing import ClassVar, Final, NamedTuple

import numpy as np

from milepost.arrays import Floats
from milepost.difficulty.cost import chance_lost, quit_hazard
from milepost.difficulty.responses import TriesOfPlayers, settled_tries
from milepost.difficulty.row_types import KnobShift, Model, WhatIfRow, WhatIfTotals
from milepost.errors import UsageError
from milepost.measures.attempts import TryCounts
from milepost.measures.cells import Attendance
from milepost.measures.funnel import Funnel
from milepost.measures.interface import Table
from milepost.measures.level import place_of
from milepost.numerics.try_model import fit_tries
from milepost.playback.play import Kinds, Summed

_SKILLS: Final = 200  # players that stand for all
KNOWN_CHANGE: Final = re.compile(r"\s*(.+?)\s*\.\s*(difficulty|target_clear)\s*=\s*([-+]?[0-9.]+)\s*")


class LevelShift(NamedTuple):
    """A level's knob at another value, and what a unit of the knob does to its difficulty, in logits with its interval."""

    level: str
    knob: str
    before: float
    after: float
    by: str
    per_unit: float
    low: float
    high: float


@dataclass(frozen=True)
class WhatIf:
    """The projected funnel after some changes.

    Attributes:
        changes: each as ``LEVEL.difficulty=LOGITS`` or ``LEVEL.target_clear=CHANCE`` of a middling player's first try.
        shifts: knobs at other values.
    """

    changes: tuple[str, ...]
    shifts: tuple[LevelShift, ...] = ()
    SUMS: ClassVar[Kinds] = (*Funnel.SUMS, TryCounts, TriesOfPlayers)

    def __call__(self, play: Summed) -> Table[WhatIfRow, WhatIfTotals]:
        """One row a level: players measured, and projected with the difficulties as fitted and as changed.

        Raises:
            UsageError: a change makes no sense, or there is nothing to fit.
        """
        tries = settled_tries(play)
        if not len(tries.item):
            raise UsageError("no try was settled in a level of the course, so nothing can be projected.")
        fit = fit_tries(tries, play.n_levels)
        changed = self._changed(play, fit.difficulty)
        measured = play.compute_once(Funnel()).rows
        hazard = quit_hazard(play, measured, tries)
        changed, *ends = (self._shifted(play, changed, end) for end in ("per_unit", "low", "high"))
        cases = (fit.difficulty, changed, *(ends if self.shifts else ()))
        before, after, *around = (_project_still_there(case, fit.ability, fit.learning, hazard.value) for case in cases)
        rows = [
            WhatIfRow(
                level=row["level"],
                reached=row["reached"],
                retention=row["retention"],
                retention_low=row["retention_low"],
                retention_high=row["retention_high"],
                difficulty=float(fit.difficulty[n]),
                changed=float(changed[n]),
                projected=float(before[n]),
                projected_changed=float(after[n]),
                players=row["reached"],
            )
            for n, row in enumerate(measured)
        ]
        players = play.sums(Attendance).players
        gains = sorted(float(curve[-1] - before[-1]) * players for curve in around)
        totals = WhatIfTotals(
            gained=float(after[-1] - before[-1]) * players,
            gained_low=gains[0] if gains else None,
            gained_high=gains[-1] if gains else None,
            knobs=[_shift_row(shift) for shift in self.shifts],
            quit_per_failure=hazard.value,
            lost=hazard.lost,
            failures=hazard.failures,
        )
        return Table(rows, totals)

    def _changed(self, play: Summed, difficulty: Floats) -> Floats:
        """The difficulties, those of some levels as they are said to be."""
        changed = difficulty.copy()
        for text in self.changes:
            level, value = self._parsed(play, text)
            changed[level] = value
        return changed

    def _shifted(self, play: Summed, difficulty: Floats, end: str) -> Floats:
        """The difficulties with all knobs at their other values, by the estimates or by an end of their intervals."""
        shifted = difficulty.copy()
        for shift in self.shifts:
            shifted[place_of(play, shift.level)] += getattr(shift, end) * (shift.after - shift.before)
        return shifted

    def _parsed(self, play: Summed, text: str) -> tuple[int, float]:
        match = KNOWN_CHANGE.fullmatch(text)
        if match is None:
            raise UsageError(f"--set {text!r}: write LEVEL.difficulty=LOGITS, LEVEL.target_clear=CHANCE or LEVEL.KNOB=VALUE.")
        level = place_of(play, match[1])
        value = float(match[3])
        if match[2] == "target_clear":
            if not 0 < value < 1:
                raise UsageError(f"--set {text!r}: a chance lies between 0 and 1.")
            value = difficulty_for_chance(value)
        return level, value


def _shift_row(shift: LevelShift) -> KnobShift:
    return {
        "level": shift.level,
        "knob": shift.knob,
        "from": shift.before,
        "to": shift.after,
        "by": shift.by,
        "per_unit": shift.per_unit,
        "low": shift.low,
        "high": shift.high,
    }


def project_retention(model: Model, difficulty: Floats) -> list[float]:
    """Per level, the share of players that would still be playing after it, were the levels as difficult as this.

    Args:
        model: the fitted values that `spikes` gives: skill_sd, learning, quit_per_failure.
        difficulty: per level, in logits.
    """
    middling = NormalDist(0.0, max(1e-9, model["skill_sd"]))
    abilities = np.array([middling.inv_cdf((n + 0.5) / _SKILLS) for n in range(_SKILLS)])
    return [float(share) for share in _project_still_there(difficulty, abilities, model["learning"], model["quit_per_failure"])]


def difficulty_for_chance(chance: float) -> float:
    """The difficulty at which a middling player's first try clears with this chance."""
    return float(np.log((1 - chance) / chance))


def _project_still_there(difficulty: Floats, abilities: Floats, learning: float, hazard: float) -> Floats:
    """Per level, the share of players that would still be playing after it, giving up after failures alone."""
    left = np.ones(len(abilities))
    shares = []
    for level in difficulty:
        left = left * (1 - chance_lost(float(level), abilities, learning, hazard))
        shares.append(float(left.mean()))
    return np.array(shares)
