"""How far cleaning moves the answer: each level's figures from the raw records beside the clean ones."""

from __future__ import annotations

import numpy as np

from milepost.logs.interface import ABSENT, Floats, Ints
from milepost.measures.attempts import AttemptsToClear
from milepost.measures.funnel import Funnel
from milepost.measures.interface import Row, share
from milepost.measures.raw import raw_counts
from milepost.playback.play import Play
from milepost.vocabulary import COMPLETE, LEVEL_EVENTS, RETRY, START

POINT = 0.01
FIGURES = ("clear_rate", "drop_off", "p50")


def raw_beside_clean(play: Play) -> list[Row]:
    """Per level of the course: clear rate, drop-off and median attempts, raw and clean, and the players behind them."""
    clean, tries = Funnel()(play).rows, AttemptsToClear()(play).rows
    raw = raw_counts(play)
    lost, medians = _raw_lost(play), _raw_medians(play)
    rows = []
    for number, row in enumerate(clean):
        counts = raw[number]
        rows.append({
            "level": row["level"], "reached": row["reached"], "raw_reached": counts["raw_reached"],
            "clear_rate": row["clear_rate"], "raw_clear_rate": share(counts["raw_cleared"], counts["raw_reached"]),
            "drop_off": row["drop_off"], "raw_drop_off": share(lost[number], counts["raw_reached"]),
            "p50": tries[number]["p50"], "raw_p50": medians[number],
        })  # fmt: skip
    return rows


def moved(rows: list[Row]) -> list[Row]:
    """The levels of which some figure differs by more than a point between raw and clean, with what differs."""
    found = []
    for row in rows:
        differing = [name for name in FIGURES if _differs(row[name], row[f"raw_{name}"])]
        if differing:
            found.append(row | {"differs": differing})
    return found


def _differs(clean: float | None, raw: float | None) -> bool:
    if clean is None or raw is None:
        return (clean is None) != (raw is None)
    return abs(clean - raw) > POINT


def _raw_lost(play: Play) -> list[int]:
    """Per level, the players whose furthest level with any event it is, and who have no complete of the last level."""
    event, level, player = _raw_columns(play)
    furthest = np.full(len(play.gated.players), -1)
    here = np.isin(event, LEVEL_EVENTS)
    np.maximum.at(furthest, player[here], level[here])
    won = np.zeros(len(furthest), np.bool_)
    won[player[(event == COMPLETE) & (level == play.n_levels - 1)]] = True
    counts = np.bincount(furthest[(furthest >= 0) & ~won], minlength=play.n_levels)
    return [int(count) for count in counts]


def _raw_medians(play: Play) -> list[float | None]:
    """Per level, the plain median of starts and retries of the players who have any there."""
    event, level, player = _raw_columns(play)
    tries = np.isin(event, (START, RETRY))
    keys, counts = np.unique(level[tries] * max(1, len(play.gated.players)) + player[tries], return_counts=True)
    of_level = keys // max(1, len(play.gated.players))
    return [_median(counts[of_level == number].astype(np.float64)) for number in range(play.n_levels)]


def _median(values: Floats) -> float | None:
    return float(np.median(values)) if len(values) else None


def _raw_columns(play: Play) -> tuple[Ints, Ints, Ints]:
    """Event, level and player of every readable record at a level of the course."""
    gated = play.gated
    placed = (gated.level != ABSENT) & (gated.level < play.n_levels)
    records = gated.log.records
    return records.event[placed], gated.level[placed], gated.player[records.session[placed]]
