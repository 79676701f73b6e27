"""Attempts that say nothing of trying: those left out as suspect, and those that are not asked for."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from milepost.arrays import Bools
from milepost.gate.exclusion import Exclusion, Places
from milepost.playback.numbering import numbered_tries
from milepost.playback.play import Play
from milepost.playback.tables import Ends
from milepost.vocabulary import CLEARED, END_FAULT


def without(play: Play, exclusion: Exclusion) -> Play:
    """The play with attempts void, or taken for clears, and ends taken for no decisions, as an exclusion says."""
    table = play.attempts
    outcome, end = table.outcome.copy(), play.end.codes.copy()
    outcome[_opened_at(play, exclusion.cleared)] = CLEARED
    void = _opened_at(play, exclusion.void)
    names = play.gated.log.sessions.name
    end[[name in exclusion.faults for name in names]] = END_FAULT
    number, rerun = numbered_tries(table.player, table.level, outcome == CLEARED, void)
    attempts = replace(table, outcome=outcome, void=void, number=number, rerun=rerun)
    gated = replace(play.gated, exclusion=exclusion)
    return replace(play, gated=gated, attempts=attempts, end=Ends(end), known=dict(play.known))


def looking_at(play: Play, fits: Bools, asked: str) -> Play:
    """The play with an eye on some of its attempts only; they keep the numbers that they have among all."""
    attempts = replace(play.attempts, aside=play.attempts.aside | ~fits)
    return replace(play, attempts=attempts, asked=(*play.asked, asked), known=dict(play.known))


def _opened_at(play: Play, places: Places) -> Bools:
    """Which attempts were opened by records at some places of their sessions."""
    found = np.zeros(len(play.attempts), np.bool_)
    numbers = {name: session for session, name in enumerate(play.gated.log.sessions.name) if name in places}
    if not numbers:
        return found
    table, begins = play.attempts, play.gated.bounds
    rows = np.flatnonzero(np.isin(table.session, list(numbers.values())))
    place = (table.opened_at[rows] - begins[table.session[rows]]).tolist()
    wanted = {session: places[name] for name, session in numbers.items()}
    found[rows] = [at in wanted[session] for at, session in zip(place, table.session[rows].tolist(), strict=True)]
    return found
