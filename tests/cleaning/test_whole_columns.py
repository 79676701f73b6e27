"""Rules that work on whole columns at once, against the same rules one record at a time."""

from itertools import pairwise

import numpy as np
from hypothesis import given, settings
from hypothesis.strategies import booleans, floats, integers, lists, tuples

from milepost.audit.record_checks import _LAG_STEP, _TWINS, InOrder, find_doubled_sessions
from milepost.cleaning.gate import _mask_repeats
from milepost.cleaning.survey import replay_order
from milepost.playback.infer import count_precedence


class Columns:
    """Records with the columns that an order needs."""

    def __init__(self, rows):
        self.session = np.array([row[0] for row in rows], dtype=np.int64)
        self.time = np.array([row[1] for row in rows], dtype=np.float64)
        self.seq = np.array([row[2] for row in rows], dtype=np.int64)
        self.has_seq = np.array([row[3] for row in rows], dtype=np.bool_)


ROWS = lists(tuples(integers(0, 3), integers(0, 6).map(float), integers(0, 4), booleans()), max_size=40)


@given(ROWS, booleans())
@settings(max_examples=200)
def test_replay_order(rows, all_numbered):
    """Per session by seq where all have one, else by time; ties as logged; backwards is judged in seq or log order."""
    rows = [(s, t, q, has or all_numbered) for s, t, q, has in rows]
    left = [n for n in range(len(rows)) if n % 7 != 3]
    ordered, backwards = replay_order(Columns(rows), np.array(left, dtype=np.int64), 4)
    expected, found = [], []
    for session in range(4):
        own = [n for n in left if rows[n][0] == session]
        numbered = all(rows[n][3] for n in own)
        played = sorted(own, key=lambda n: (rows[n][2] if numbered else rows[n][1], n))
        expected += played
        found += [b for a, b in pairwise(played if numbered else own) if rows[b][1] < rows[a][1]]
    assert ordered.tolist() == expected
    assert sorted(backwards.tolist()) == sorted(found)


@given(lists(tuples(integers(0, 3), integers(-2, 2) | integers(-(2**63), 2**63 - 1)), max_size=60))
@settings(max_examples=200)
def test_seen_before(pairs):
    """A value that stands earlier in its session, however large."""
    seen, expected = set(), []
    for pair in pairs:
        expected.append(pair in seen)
        seen.add(pair)
    session, value = (np.array([pair[n] for pair in pairs], dtype=np.int64) for n in (0, 1))
    assert _mask_repeats(session, value).tolist() == expected


@given(lists(tuples(integers(0, 5), integers(0, 4)), max_size=60))
def test_who_was_where_first(tries):
    """Per pair of levels, how many players attempted the one before the other."""
    tries = sorted(tries, key=lambda pair: pair[0])
    seen = count_precedence(
        np.array([p for p, _ in tries], dtype=np.int64), np.array([level for _, level in tries], dtype=np.int64)
    )
    firsts = {}
    for n, (player, level) in enumerate(tries):
        firsts.setdefault(player, {}).setdefault(level, n)
    for i, a in enumerate(seen.levels.tolist()):
        for j, b in enumerate(seen.levels.tolist()):
            assert seen.before[i, j] == sum(a in own and b in own and own[a] < own[b] for own in firsts.values())


@given(
    lists(tuples(integers(0, 2), integers(-1, 3), integers(-1, 2), floats(0, 5).map(lambda t: round(t, 2))), max_size=50),
    integers(0, 2),
)
@settings(max_examples=150)
def test_common_lags(rows, doubled):
    """The lag at which nearly every event of a session is repeated, session by session."""
    rows += [(s, e, level, t + 0.5) for s, e, level, t in rows if s == doubled]
    rows = sorted(rows, key=lambda row: (row[0], row[3]))
    seen = InOrder(
        *(np.array([row[n] for row in rows], dtype=np.int64) for n in range(3)),
        np.array([row[3] for row in rows]),
        np.zeros(3, np.int64),
    )
    length = np.bincount(seen.session, minlength=3)
    found = find_doubled_sessions(seen, length)
    expected = {}
    for session in range(3):
        by_kind = {}
        for event, level, time in zip(
            *(column[seen.session == session].tolist() for column in (seen.event, seen.level, seen.time)), strict=True
        ):
            by_kind.setdefault((event, level), []).append(time)
        steps = [round((b - a) / _LAG_STEP) for times in by_kind.values() for a, b in pairwise(sorted(times)) if b > a]
        if length[session] < 10 or not steps:
            continue
        best = min(set(steps), key=lambda step: (-steps.count(step), step))
        if sum(abs(step - best) <= 1 for step in steps) >= _TWINS * length[session] / 2:
            expected[session] = best * _LAG_STEP
    assert dict(zip(found.session.tolist(), found.lag.tolist(), strict=True)) == expected
