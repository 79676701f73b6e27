"""Points of labellings: the same in however many stays a session is played, and never more than a bound says."""

import random

import pytest

from milepost.drafts import label_points
from milepost.drafts.event_labels import LabelSearch
from milepost.drafts.label_points import CLEARS, FAILS, LEAVES, NO_LEVEL, UNEXPLAINED, LabelPoints

WORDS = 6


def drawn_sessions(draw):
    """Sessions of words at levels, mostly some in a row at one level, some at none."""
    sessions = []
    for _ in range(draw.randint(1, 4)):
        session, level = [], 0
        for _ in range(draw.randint(1, 40)):
            level = draw.randrange(4) if draw.random() < 0.3 else level
            session.append((draw.randrange(WORDS), NO_LEVEL if draw.random() < 0.1 else level))
        sessions.append(session)
    return sessions


def drawn_labels(draw):
    return [draw.randint(0, UNEXPLAINED) for _ in range(WORDS)]


@pytest.mark.parametrize("seed", range(30))
def test_stays_do_not_matter(seed, monkeypatch):
    draw = random.Random(seed)
    sessions, known = drawn_sessions(draw), {0: draw.randint(0, UNEXPLAINED)}
    points = []
    for fewest in (1, 5, 1000):
        monkeypatch.setattr(label_points, "_FEWEST_IN_STAY", fewest)
        points.append(LabelPoints(sessions, WORDS, known, False))
    for labels in [drawn_labels(draw) for _ in range(20)]:
        first, second, whole = (one.points(labels) for one in points)
        assert first == pytest.approx(whole, abs=1e-12) and second == pytest.approx(whole, abs=1e-12)


@pytest.mark.parametrize("rows", [False, True])
@pytest.mark.parametrize("seed", range(15))
def test_a_bound_is_kept(seed, rows):
    draw = random.Random(seed)
    sessions, known = drawn_sessions(draw), {1: draw.randint(0, UNEXPLAINED)}
    exact, bounded = LabelPoints(sessions, WORDS, known, rows), LabelPoints(sessions, WORDS, known, rows)
    for _ in range(60):
        labels, least = drawn_labels(draw), draw.uniform(-1, 0.6)
        points = exact.points(labels)
        found = bounded.points(labels, least)
        assert found == points if points > least else found in (points, least)


def test_a_clear_that_most_players_end_with_is_doubted():
    """A word that the next level follows is a clear; where it is most often a player's last, it may as well be how players leave."""
    passed, failed, left = 0, 1, 2

    def played(levels, end=None):
        rows = [(word, level) for level in range(levels) for word in (failed, passed)][1:]
        return rows if end is None else [*rows, (left, levels), *end]

    sessions = [played(8) for _ in range(12)] + [played(n % 5 + 1, []) for n in range(6)]
    goes_on = [played(n, [(passed, level) for level in range(n + 1, 8)]) for n in (2, 4, 5)]
    found = LabelSearch([*sessions, *goes_on], 3, {}, rows=True).best()
    assert found.labels == (CLEARS, FAILS, CLEARS) and found.doubts == {left: LEAVES}
    found = LabelSearch([*sessions[:12], *goes_on * 4], 3, {}, rows=True).best()
    assert found.labels == (CLEARS, FAILS, CLEARS) and left not in found.doubts
