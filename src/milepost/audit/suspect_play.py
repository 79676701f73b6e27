"""Suspects in the play: skips, what is carried over, resets and deaths that nobody played for, levels nobody clears."""

from __future__ import annotations

import numpy as np

from milepost.arrays import Bools, Floats, Ints
from milepost.audit.evidence import Evidence, Suspect, attempt_of_records
from milepost.audit.record_checks import RecordRows
from milepost.measures.moves import started_back_mask
from milepost.numerics.whole_numbers import count_values, distinct
from milepost.playback.attempt_tables import AroundAttempts, AttemptTable
from milepost.playback.play import Play
from milepost.vocabulary import CLEARED, COMPLETE, CRASH, DIED, END_SKIP, END_TIME_UP, N_SETTLED, PASSED, RETRY, START, WAS_RESET

FEW = 5  # fewer players or clears than this prove nothing
_ALL_NEEDED = 0.8  # share of clears with everything collected from which all seems to be needed
_FAR_FASTER = 0.25  # of the next fastest clear
_STUCK_SECONDS, _STUCK_TIMES = 10.0, 5.0


def untagged_skip(evidence: Evidence) -> list[Suspect]:
    """Sessions that jumped over levels without being tagged as debug."""
    sessions = np.flatnonzero(evidence.play.end.by(END_SKIP))
    if not len(sessions):
        return []
    moves = evidence.play.moves
    last = [moves.target[moves.session == session][-1] for session in sessions]
    why = "jumped over levels never played, as test aids do; what follows is left out. If it was one, tag it debug"
    return [Suspect("untagged_skip", evidence.names(np.array(last)), len(sessions), frozenset(sessions.tolist()), why)]


def start_override(evidence: Evidence) -> list[Suspect]:
    """Players whose first attempt of all is not in the first level."""
    table = evidence.play.attempts
    first = np.ones(len(table), np.bool_)
    first[1:] = np.diff(table.player) != 0
    gated = evidence.play.gated
    if gated.orders.is_line:
        late = table.level > 0
    else:
        late = gated.legs(table.player, table.level) > gated.orders.next_leg[gated.order_of_player[table.player], -1]
    rows = first & late & (table.level < evidence.play.n_levels)
    why = "the player's first attempt of all is here: a saved game, or a start set by hand"
    return evidence.suspect("start_override", rows, why)


def jumped_start(evidence: Evidence) -> list[Suspect]:
    """Bare starts beyond the next level not yet tried, in sessions without transitions; a player's first is `start_override`."""
    play, table = evidence.play, evidence.play.attempts
    place, gated = play.gated.legs(table.player, table.level), play.gated
    far = table.player * (play.n_levels + 2)  # so that what one player reached says nothing of the next one
    furthest = np.full(len(table), -1)
    if len(table) > 1:
        same_player = np.diff(table.player) == 0
        furthest[1:][same_player] = (np.maximum.accumulate(place + far) - far)[:-1][same_player]
    moving = np.zeros(len(play.gated.player), np.bool_)
    moving[play.moves.session] = True
    beyond = place > gated.orders.next_leg[gated.order_of_player[table.player], furthest]
    rows = (play.around.begun_as == START) & (furthest >= 0) & beyond & ~moving[table.session]
    return evidence.suspect("jumped_start", rows, "started beyond the next level not yet tried, and the log has no way there")


def fallen_back(evidence: Evidence) -> list[Suspect]:
    """Bare starts at an earlier level than the one just tried and not cleared, in sessions without transitions."""
    why = "started at an earlier level than the one just failed: was the player sent back?"
    return evidence.suspect("fallen_back", started_back_mask(evidence.play), why)


def failed_transition(evidence: Evidence) -> list[Suspect]:
    """Transitions after which nothing more comes: to a name that nobody knows, or to a level that never starts."""
    play = evidence.play
    moves, gated = play.moves, play.gated
    last = gated.bounds[1:] - 1 - ~play.endless
    target = moves.target
    level = (target >= 0) & ~np.append(gated.stops.is_place, False)[target]
    rows = (moves.at == last[moves.session]) & level & ~play.end.of(moves.session).by(END_TIME_UP)
    rows &= ~_ends_the_game(play)
    if not rows.any():
        return []
    why = "the game went on to somewhere, and nothing more came: did it get there?"
    return [
        Suspect(
            "failed_transition", evidence.names(moves.origin[rows]), int(rows.sum()), frozenset(moves.session[rows].tolist()), why
        )
    ]


def _ends_the_game(play: Play) -> Bools:
    """Return a mask of the moves from a cleared level of the last leg that most players make there: the end of the game."""
    moves, last = play.moves, play.gated.last_leg[play.moves.player]
    width = len(play.stops) + 1
    done = play.attempts.ended(CLEARED)
    cleared = distinct(play.attempts.player[done] * width + play.attempts.level[done])
    origin = np.minimum(moves.origin, max(0, play.n_levels - 1))
    at_end = (moves.origin < play.n_levels) & (play.gated.legs(moves.player, origin) == last)
    won = at_end & (last >= 0) & np.isin(moves.player * width + moves.origin, cleared) & (moves.target >= 0)
    count = max(1, len(play.gated.players))
    targets, players = count_values(distinct(moves.target[won] * count + moves.player[won]) // count)
    ends: Bools = won & np.isin(moves.target, targets[2 * players > len(distinct(moves.player[won]))])
    return ends


def crash_at_clear(evidence: Evidence) -> list[Suspect]:
    """Attempts that end in a crash with everything done: were they cleared?"""
    table, around = evidence.play.attempts, evidence.play.around
    done = (table.progress >= 1) | ((around.available > 0) & (around.collected >= around.available))
    return evidence.suspect("crash_at_clear", table.ended(CRASH) & done, "crashed with everything done: was it cleared?")


def passed_level(evidence: Evidence) -> list[Suspect]:
    """Levels that the game passed through without their being played."""
    moves = evidence.play.moves
    passed = moves.kind == PASSED
    if not passed.any():
        return []
    closed = np.flatnonzero(np.isin(evidence.play.attempts.closed_at, moves.at[passed]))
    return [
        Suspect(
            "passed_level",
            evidence.names(moves.origin[passed]),
            int(passed.sum()),
            frozenset(moves.session[passed].tolist()),
            "passed through at once, as when one contact advances two levels; not counted as played",
            attempts=closed,
        )
    ]


def carried_over(evidence: Evidence) -> list[Suspect]:
    """State that seems to be kept from an earlier try or level."""
    why = "pick-ups are already counted at the start of a try"
    suspects = evidence.by_rows("carried_over", evidence.signs.preloaded, why)
    table = evidence.play.attempts
    cleared = table.ended(CLEARED)
    early = np.zeros(len(table), np.bool_)
    fast = np.zeros(len(table), np.bool_)
    for level in distinct(table.level[cleared]):
        rows = np.flatnonzero(cleared & (table.level == level))
        early[rows] = _short_of_all(evidence.play.around, rows)
        fast[rows] = _far_faster(table.active[rows])
    suspects += evidence.suspect("carried_over", early, "cleared with fewer pick-ups than there are, where others need all")
    return suspects + evidence.suspect("carried_over", fast, "cleared far faster than by anybody else; was it already solved?")


def _short_of_all(around: AroundAttempts, rows: Ints) -> Bools:
    """Per clear, whether it came with pick-ups missing while nearly all others have them all."""
    collected, available = around.collected[rows], around.available[rows]
    known = ~np.isnan(collected) & (available > 0) & (around.ended_as[rows] == COMPLETE)
    short: Bools = known & (collected < available)
    with_all = known.sum() - short.sum()
    if known.sum() < FEW or with_all < _ALL_NEEDED * known.sum():
        return np.zeros(len(rows), np.bool_)
    return short


def _far_faster(active: Floats) -> Bools:
    """Per clear, whether it took less than a quarter of the time of the next fastest."""
    known = np.sort(active[~np.isnan(active)])
    if len(known) < FEW or known[0] >= _FAR_FASTER * known[1]:
        return np.zeros(len(active), np.bool_)
    fastest: Bools = active == known[0]
    return fastest


def unprompted_reset(evidence: Evidence) -> list[Suspect]:
    """Resets in tries without any input: nobody failed, and no player asked for it."""
    table = evidence.play.attempts
    if not evidence.logs_inputs:
        return []
    rows = table.ended(WAS_RESET) & np.isnan(table.settling) & _logged_itself(evidence, table)
    return evidence.suspect("unprompted_reset", rows, "reset before any input: nobody failed, and no player's hand was there")


def _logged_itself(evidence: Evidence, table: AttemptTable) -> Bools:
    """Return a mask of the attempts that a logged start or retry of their own opened."""
    return np.isin(evidence.play.around.begun_as, (START, RETRY)) & ~np.isnan(table.active)


def death_before_input(evidence: Evidence) -> list[Suspect]:
    """Deaths in tries without any input: there was no chance to act."""
    table = evidence.play.attempts
    if not evidence.logs_inputs:
        return []
    rows = table.ended(DIED) & np.isnan(table.settling) & _logged_itself(evidence, table)
    return evidence.suspect("death_before_input", rows, "died before any input: there was no chance to act")


def stuck(evidence: Evidence) -> list[Suspect]:
    """Failures followed by nothing but the end, long after the game puts a player back as a rule."""
    table = evidence.play.attempts
    failed = table.ended(DIED, WAS_RESET)
    gap = np.full(len(table), np.nan)
    if len(table) > 1:
        same = np.diff(table.session) == 0
        gap[:-1][same] = (table.opened[1:] - table.closed[:-1])[same]
    usual = gap[failed & ~np.isnan(gap)]
    limit = max(_STUCK_SECONDS, _STUCK_TIMES * float(np.median(usual)) if len(usual) else 0.0)
    silent = failed & np.isnan(gap) & (evidence.play.around.silence > limit)
    why = f"a failure, then nothing for over {limit:.0f} s until the session's end: was the player put back?"
    return evidence.suspect("stuck", silent, why)


_STUCK_AS_LONG = 3.0  # times as long as nine in ten tries take
_STUCK_AT_LEAST = 30.0  # seconds
_SAME, _SAME_SECONDS = 5, 10.0  # records of one word at one place, and the seconds that they span


def stuck_in_level(evidence: Evidence) -> list[Suspect]:
    """Sessions that end within an attempt in a way that a player who is stuck would leave, and a player who quits would not."""
    ends, limit = evidence.signs.endings, _far_longer(evidence.play.attempts, evidence.play.n_levels)
    limits = limit[ends.level]
    silent = ~ends.alone & (ends.silence > limits)
    why = "nothing more was logged, for three times as long as nine in ten tries take there, until the session's end"
    suspects = _ended_so(evidence, "stuck_in_level", silent, f"{why}: stuck, or gone?")
    same = ~silent & (ends.same >= _SAME) & (ends.lasted >= _SAME_SECONDS)
    why = "the same record at the same place, again and again, until the session's end: stuck there?"
    suspects += _ended_so(evidence, "stuck_in_level", same, why)
    return suspects + _no_progress(evidence, limits, silent | same)


def _no_progress(evidence: Evidence, limit: Floats, explained: Bools) -> list[Suspect]:
    """Return last attempts, not told already, far longer than others take and without progress, where others make some."""
    ends, table = evidence.signs.endings, evidence.play.attempts
    settled = np.flatnonzero((table.outcome < N_SETTLED) & (table.level < evidence.play.n_levels))
    tries, with_progress = (
        np.bincount(table.level[rows], minlength=len(evidence.play.stops) + 1)
        for rows in (settled, settled[table.progress[settled] > 0])
    )
    tells = ((with_progress > 0) & (2 * with_progress >= tries))[ends.level]
    last = attempt_of_records(evidence.play, ends.session, ends.place)
    long = (last >= 0) & (table.active[last] > limit) & ~(table.progress[last] > 0)
    why = "no progress, for three times as long as nine in ten tries take there, and then the end: stuck?"
    return _ended_so(evidence, "stuck_in_level", tells & long & ~explained & ~ends.alone, why)


def stuck_at_start(evidence: Evidence) -> list[Suspect]:
    """Sessions whose last attempt has its opening alone, long before the end, in a log of first inputs."""
    ends, settling = evidence.signs.endings, evidence.play.attempts.settling
    if not evidence.logs_inputs:
        return []
    limit = max(_STUCK_SECONDS, _STUCK_TIMES * float(np.nanmedian(settling)))
    why = f"playable, then no input for over {limit:.0f} s until the session's end: did it take any?"
    return _ended_so(evidence, "stuck_at_start", ends.alone & (ends.silence > limit), why)


def _ended_so(evidence: Evidence, code: str, chosen: Bools, why: str) -> list[Suspect]:
    ends = evidence.signs.endings
    return evidence.by_rows(code, RecordRows(ends.session[chosen], ends.level[chosen], ends.place[chosen]), why)


def _far_longer(table: AttemptTable, n_levels: int) -> Floats:
    """Per stop, and after them for none, seconds far beyond what tries take there; no such number where too few were settled."""
    limit = np.full(max(n_levels, int(table.level.max(initial=0)) + 1) + 1, np.inf)
    settled = (table.outcome < N_SETTLED) & ~np.isnan(table.active)
    for level in distinct(table.level[settled]).tolist():
        active = table.active[settled & (table.level == level)]
        if len(active) >= FEW:
            limit[level] = max(_STUCK_AT_LEAST, _STUCK_AS_LONG * float(np.quantile(active, 0.9)))
    return limit


def input_under_overlay(evidence: Evidence) -> list[Suspect]:
    """First inputs while something lay over the game."""
    why = "the first input came while play was paused, or under an open overlay: whom did it reach?"
    return evidence.by_rows("input_under_overlay", evidence.signs.covered, why)


def reset_without_actor(evidence: Evidence) -> list[Suspect]:
    """Resets that do not say who set them off, in sessions where others do, and in a log where most do."""
    nobodys, acted = evidence.signs.nobodys, evidence.signs.acted
    if len(nobodys.session) >= acted:
        return []
    why = f"resets that do not say who set them off, as {acted:,} others do: the player, or the game?"
    return evidence.by_rows("reset_without_actor", nobodys, why)


def uncleared_level(evidence: Evidence) -> list[Suspect]:
    """Levels that nobody cleared in a build, though enough players tried."""
    table = evidence.play.attempts
    codes: dict[str, int] = {}
    build = np.array([codes.setdefault(name, len(codes)) for name in evidence.builds], dtype=np.int64)
    suspects, closed = [], ~evidence.play.gated.open_levels
    for name, code in codes.items():
        of_build = build[table.session] == code
        cleared = set(table.level[of_build & table.ended(CLEARED)].tolist())
        for level in distinct(table.level[of_build]).tolist():
            rows = of_build & (table.level == level)
            players = len(distinct(table.player[rows]))
            if level not in cleared and players >= FEW and level < len(closed) and closed[level]:
                where = f" in build {name}" if name else ""
                why = f"none of {players} players cleared it{where}: can it be cleared?"
                suspects.append(
                    Suspect(
                        "uncleared_level",
                        [evidence.play.stops[level]],
                        players,
                        frozenset(table.session[rows].tolist()),
                        why,
                        [name] if name else [],
                    )
                )
    return suspects
