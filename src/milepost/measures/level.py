"""One page on one level: what every measure says of it, beside its neighbours, its plan and its builds."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from milepost.course.course import Level, level_names
from milepost.errors import UsageError
from milepost.measures.attempts import AttemptsToClear
from milepost.measures.builds import build_names, tries_by_build
from milepost.measures.deaths import Deaths
from milepost.measures.funnel import Funnel
from milepost.measures.interface import Row, Table
from milepost.measures.times import TimeInLevel
from milepost.measures.trace import to_watch
from milepost.naming import folded
from milepost.numerics.intervals import median
from milepost.playback.play import Play
from milepost.vocabulary import CLEARED, DIED, WAS_RESET, Outcome

SIDE = 2


@dataclass(frozen=True)
class LevelPage:
    """What there is to say of one level.

    Attributes:
        name: the level, in any spelling, or by another name that the course gives it.
    """

    name: str

    def __call__(self, play: Play) -> Table:
        """The page in the totals; the rows are those of `attempts` for the level.

        Raises:
            UsageError: the course has no level of that name.
        """
        place = place_of(play, self.name)
        tries = AttemptsToClear()(play).rows
        plan = play.course.levels[place] if play.course else None
        here = play.counts[play.attempts.player] & (play.attempts.level == place) & ~play.attempts.rerun
        builds = tries_by_build(play)
        return Table([tries[place]], {
            "level": play.stops[place], "place": place + 1,
            "funnel": Funnel()(play).rows[place], "attempts": tries[place], "times": TimeInLevel()(play).rows[place],
            "deaths": Deaths()(play).rows[place], "plan": _planned(plan), "note": plan.note if plan else None,
            "first_level": _first_questions(play) if place == 0 else None, "builds": sorted(build_names(play)),
            "neighbours": [_beside(tries[level], builds[level]) for level in range(max(0, place - SIDE), min(play.n_levels, place + SIDE + 1))],  # noqa: E501
            "watch": to_watch(play, np.flatnonzero(here)), "spots": _spots(play, place),
        })  # fmt: skip


def place_of(play: Play, name: str) -> int:
    """The place in the course of a level, by its name or an alias, else by a spelling of one of these.

    Raises:
        UsageError: the course has no level of that name.
    """
    names = play.stops[: play.n_levels]
    exact, by_fold = level_names(play.course) if play.course else ({own: n for n, own in enumerate(names)}, {})
    alike = by_fold.get(folded(name)) or {n for n, own in enumerate(names) if folded(own) == folded(name)}
    if name not in exact and len(alike) != 1:
        raise UsageError(f"no level of the course is called {name!r}. Its levels: {', '.join(names[:40])}.")
    return exact[name] if name in exact else alike.pop()


def _planned(plan: Level | None) -> Row:
    if plan is None:
        return {}
    return {"target_clear": plan.target_clear, "par_seconds": plan.par_seconds, "chapter": plan.chapter, "knobs": plan.knobs}


def _beside(tries: Row, builds: dict[str, Row]) -> Row:
    """A level with its tries, in all and by build."""
    keys = ("level", "players", "settled", "try_clear", "try_clear_low", "try_clear_high", "p50")
    return {key: tries[key] for key in keys} | {"builds": builds}


def _spots(play: Play, level: int) -> list[Row]:
    """Where in the level players failed, for failures that say so."""
    table, around = play.attempts, play.around
    failed = play.counts[table.player] & (table.level == level) & table.ended(DIED, WAS_RESET)
    causes = [*play.gated.log.causes, None]
    return [
        {"x": float(x), "y": float(y), "cause": causes[cause]}
        for x, y, cause in zip(around.x[failed], around.y[failed], around.cause[failed].tolist(), strict=True)
        if not (np.isnan(x) or np.isnan(y))
    ]


def _first_questions(play: Play) -> Row:
    """What the first level has to do: how long to the first input, failure and clear, and who left before any input."""
    table = play.attempts
    here = play.counts[table.player] & (table.level == 0) & ~table.rerun
    begun = here & (table.number == 1)
    start = {
        int(p): (int(s), float(t))
        for p, s, t in zip(table.player[begun], table.session[begun], table.opened[begun], strict=True)
    }

    def first(outcomes: tuple[Outcome, ...]) -> float | None:
        found: dict[int, float] = {}
        for k in np.flatnonzero(here & table.ended(*outcomes)).tolist():
            player = int(table.player[k])
            if player in start and start[player][0] == table.session[k]:
                found.setdefault(player, float(table.closed[k]) - start[player][1])
        return median(np.array(list(found.values())))

    inputs = table.settling[begun]
    by_player = {int(player) for player in table.player[here & ~np.isnan(table.settling)]}
    tells = bool((~np.isnan(table.settling)).any())
    silent = set(start) - by_player
    gone = {player for player in silent if not (table.level[table.player == player] > 0).any()}
    return {
        "to_input": median(inputs[~np.isnan(inputs)]), "to_failure": first((DIED, WAS_RESET)), "to_clear": first((CLEARED,)),
        "left_before_input": len(gone) if tells else None, "players": len(start),
    }  # fmt: skip
