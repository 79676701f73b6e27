"""Attempts that say nothing of trying: those left out as suspect, and those that are not asked for."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from milepost.arrays import Bools, Ints
from milepost.cleaning.exclusion import Exclusion, Places, Span
from milepost.playback.attempt_tables import Ends
from milepost.playback.numbering import numbered_tries
from milepost.playback.play import P, Play
from milepost.vocabulary import CLEARED, END_FAULT


def without(play: P, exclusion: Exclusion) -> P:
    """The play with attempts void, or taken for clears, and ends taken for no decisions, as an exclusion says."""
    table = play.attempts
    outcome, end = table.outcome.copy(), play.end.codes.copy()
    outcome[_standing_at(play, exclusion.cleared)] = CLEARED
    void = _standing_at(play, exclusion.void)
    names = play.gated.log.sessions.name
    end[[name in exclusion.faults for name in names]] = END_FAULT
    number, rerun = numbered_tries(table.player, table.level, outcome == CLEARED, void)
    attempts = replace(table, outcome=outcome, void=void, number=number, rerun=rerun)
    gated = replace(play.gated, exclusion=exclusion)
    return replace(play, gated=gated, attempts=attempts, end=Ends(end), known=dict(play.known))


def looking_at(play: P, fits: Bools, asked: str) -> P:
    """The play with an eye on some of its attempts only; they keep the numbers that they have among all."""
    attempts = replace(play.attempts, aside=play.attempts.aside | ~fits)
    return replace(play, attempts=attempts, asked=(*play.asked, asked), known=dict(play.known))


def spans(play: Play, rows: Ints) -> list[Span]:
    """Return the places where attempts open and close in their sessions' order of replay."""
    table, begins = play.attempts, play.gated.bounds
    begun = begins[table.session[rows]]
    return list(zip((table.opened_at[rows] - begun).tolist(), (table.closed_at[rows] - begun).tolist(), strict=True))


def _standing_at(play: Play, places: Places) -> Bools:
    """Return the attempts at some places of their sessions."""
    found = np.zeros(len(play.attempts), np.bool_)
    numbers = {name: session for session, name in enumerate(play.gated.log.sessions.name) if name in places}
    if not numbers:
        return found
    table = play.attempts
    rows = np.flatnonzero(np.isin(table.session, list(numbers.values())))
    wanted = {session: places[name] for name, session in numbers.items()}
    own = zip(spans(play, rows), table.session[rows].tolist(), strict=True)
    found[rows] = [span in wanted[session] for span, session in own]
    return found
