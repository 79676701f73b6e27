"""Mile Post: playtest logs to funnels, attempts to clear, time in level and difficulty spikes.

The same powers as the command line, for a notebook::

    import milepost

    playtest = milepost.open("wickwater")
    playtest.funnel()
    playtest.figure("spikes")

or, without a playtest folder::

    play = milepost.replay(["logs/"], course="course.toml")
    milepost.funnel(play)
"""

from __future__ import annotations

from typing import TYPE_CHECKING

from milepost.errors import MilePostError
from milepost.rules import ReplayRules
from milepost.version import __version__

if TYPE_CHECKING:
    from milepost.api import (
        answers,
        attempts,
        check,
        compare,
        count,
        coverage,
        deaths,
        funnel,
        knobs,
        layouts,
        leaving,
        level,
        moves,
        players,
        ratings,
        replay,
        runs,
        sections,
        spikes,
        targets,
        times,
        trace,
        trend,
        whatif,
    )
    from milepost.figures.inline import figure
    from milepost.playtest import open_playtest as open

__all__ = [
    "MilePostError",
    "ReplayRules",
    "__version__",
    "answers",
    "attempts",
    "check",
    "compare",
    "count",
    "coverage",
    "deaths",
    "figure",
    "funnel",
    "knobs",
    "layouts",
    "leaving",
    "level",
    "moves",
    "open",
    "players",
    "ratings",
    "replay",
    "runs",
    "sections",
    "spikes",
    "targets",
    "times",
    "trace",
    "trend",
    "whatif",
]


def __getattr__(name: str) -> object:
    """Import the calls when they are first used, so that starting costs little."""
    if name in __all__:
        from importlib import import_module

        if name == "open":
            return import_module("milepost.playtest").open_playtest
        return getattr(import_module("milepost.figures.inline" if name == "figure" else "milepost.api"), name)
    raise AttributeError(f"module 'milepost' has no attribute {name!r}")
