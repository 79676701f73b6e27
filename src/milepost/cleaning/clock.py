"""Builds that log whole seconds only, and the order of records and sessions."""

from __future__ import annotations

import numpy as np

from milepost.arrays import Column, Floats, Ints
from milepost.cleaning.survey import Survey, stamped_sessions
from milepost.logs.interface import Records, Sessions
from milepost.numerics.whole_numbers import stable_order

COARSE_SHARE = 0.99
COARSE_RECORDS = 10
_NO_STAMP = np.iinfo(np.int64).max


def coarse_builds(survey: Survey) -> frozenset[str | None]:
    """The builds whose clock counts whole seconds only."""
    return frozenset(
        build
        for build, records in survey.clocked.items()
        if records >= COARSE_RECORDS and survey.whole[build] >= COARSE_SHARE * records
    )


def replay_order(records: Records, left: Ints, n_sessions: int) -> tuple[Ints, Ints]:
    """Order the records left, per session by `seq` where all have one, else by time; ties in log order.

    Args:
        records: the log's records.
        left: their numbers, rising.
        n_sessions: the number of sessions.

    Returns:
        The record numbers in order (sessions one after the other), and those whose clock runs backwards.
    """
    logged = left[stable_order(chosen(records.session, left))]  # session by session, as logged
    session, time = records.session[logged], records.time[logged]
    same = session[1:] == session[:-1]
    if not records.has_seq.any():
        back = same & (time[1:] < time[:-1])
        return _sorted(logged, session, (time,), session[1:][back], n_sessions), logged[1:][back]
    without = np.bincount(session[~records.has_seq[logged]], minlength=n_sessions)
    by_seq = (without == 0)[session]
    seq, time = np.where(by_seq, records.seq[logged], 0), np.where(by_seq, 0.0, time)
    back = same & ((time[1:] < time[:-1]) | ((time[1:] == time[:-1]) & (seq[1:] < seq[:-1])))
    ordered = _sorted(logged, session, (seq, time), session[1:][back], n_sessions)
    judged = np.where(by_seq, ordered, logged)  # seq order, or log order where there is no seq
    return ordered, judged[1:][same & (np.diff(records.time[judged]) < 0)]


def _sorted(logged: Ints, session: Ints, keys: tuple[Column, ...], out_of_order: Ints, n_sessions: int) -> Ints:
    """The records with those of some sessions sorted by the last key first, ties as logged; few logs have any such session."""
    odd = np.zeros(n_sessions, np.bool_)
    odd[out_of_order] = True
    rows = np.flatnonzero(odd[session])
    ordered = logged.copy()
    ordered[rows] = logged[rows[np.lexsort((logged[rows], *(key[rows] for key in keys), session[rows]))]]
    return ordered


def chosen(column: Column, rows: Ints) -> Column:
    """Some rows of a column, rising; the column itself where that is all of them."""
    return column if len(rows) == len(column) else column[rows]


def session_order(sessions: Sessions, player: Ints, first_time: Floats, own: Ints | None = None) -> Ints:
    """Sessions by player, players by first appearance; a player's sessions by their first time stamp.

    Where any session of the player has numeric times, the player's sessions stay in order of first appearance.

    Args:
        sessions: the log's sessions, by first appearance.
        player: per session, its player's number.
        first_time: per session, seconds from its epoch to its first record in replay order.
        own: the sessions that are put in order, where not all are.
    """
    own = np.arange(len(player)) if own is None else own
    stamped = stamped_sessions(sessions)
    numeric = np.bincount(player[~stamped], minlength=player.max() + 1 if len(player) else 0) > 0
    by_stamp = stamped[own] & ~numeric[player[own]]
    moments = [(sessions.epoch[number] or 0) + round(first_time[number] * 1e9) for number in own[by_stamp].tolist()]
    if any(abs(moment) >= _NO_STAMP for moment in moments):  # years too far off for 64 bits: their ranks do as well
        rank = {moment: place for place, moment in enumerate(sorted(set(moments)))}
        moments = [rank[moment] for moment in moments]
    stamp = np.full(len(own), _NO_STAMP)
    stamp[by_stamp] = np.array(moments, dtype=np.int64)
    return own[np.lexsort((own, stamp, player[own]))]
