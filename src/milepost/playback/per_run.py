"""Numbers of attempts and first clears begun anew in each run."""

from __future__ import annotations

from dataclasses import replace

from milepost.errors import UsageError
from milepost.playback.numbering import numbered_tries
from milepost.playback.play import Play
from milepost.playback.runs import runs_of
from milepost.vocabulary import CLEARED


def counted_per(play: Play, per: str) -> Play:
    """The play counted per `player`, as it is, or per `run`.

    Raises:
        UsageError: it is to be counted per something else.
    """
    if per not in ("player", "run"):
        raise UsageError(f"per={per!r}: give 'player' or 'run'.")
    if per == "player":
        return play
    table, run = play.attempts, runs_of(play).of_attempt
    number, rerun = numbered_tries(run, table.level, table.ended(CLEARED), table.void)
    return replace(play, attempts=replace(table, number=number, rerun=rerun), units=run, known=dict(play.known))
