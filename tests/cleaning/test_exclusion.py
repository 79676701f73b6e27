"""What is left out of a log, by the names of its sessions, so that it holds for whatever part of the log is replayed."""

import numpy as np
import pytest

from milepost.cleaning.selection import Exclusion
from milepost.logs.read import read
from milepost.playback.attempt_filters import look_at, spans
from milepost.playback.replay import replay_log
from milepost.rules import ReplayRules
from milepost.vocabulary import END_FAULT, END_SKIP

RULES = ReplayRules()


@pytest.fixture
def log(milepost):
    records = []
    for session in ("a", "b"):
        for n, outcome in enumerate(("death", "complete", "complete")):
            base = {"session": session, "level": "Mill Pond" if n < 2 else "Low Arch"}
            records += [base | {"time": 20 * n, "event": "start"}, base | {"time": 20 * n + 7.5, "event": outcome}]
        records.append({"session": session, "time": 70, "event": "session_end", "cause": "quit"})
    milepost.write("log.jsonl", records)
    return read([str(milepost.folder / "log.jsonl")])


def test_nothing_left_out_changes_nothing(log):
    plain, same = replay_log(log, None, RULES), replay_log(log, None, RULES, exclusion=Exclusion())
    for name, column in vars(plain.attempts).items():
        assert np.array_equal(column, getattr(same.attempts, name), equal_nan=column.dtype.kind == "f"), name
    assert not Exclusion().replays and Exclusion().keeps(log).all()


def test_each_way(log):
    """A session goes, another is cut, an attempt is void, one counts as cleared, and an end is no decision."""
    gone = replay_log(log, None, RULES, exclusion=Exclusion(sessions=frozenset({"a"})))
    assert gone.gated.log.sessions.name == ["b"] and len(gone.attempts) == 3
    cut = replay_log(log, None, RULES, exclusion=Exclusion(cuts={"a": 3}))
    assert len(cut.attempts) == 5 and cut.end.codes.tolist()[0] == END_SKIP and cut.attempts.outcome.tolist()[:2] == [1, 3]
    void = replay_log(log, None, RULES, exclusion=Exclusion(void={"a": frozenset({(0, 1)}), "nobody": frozenset({(0, 1)})}))
    assert void.attempts.void.tolist() == [True, *[False] * 5] and void.attempts.number.tolist() == [0, 1, 1, 1, 2, 1]
    cleared = replay_log(log, None, RULES, exclusion=Exclusion(cleared={"b": frozenset({(0, 1)})}))
    assert cleared.attempts.outcome.tolist()[3] == 0 and cleared.attempts.rerun.tolist() == [False] * 4 + [True, False]
    fault = replay_log(log, None, RULES, exclusion=Exclusion(faults=frozenset({"b"})))
    assert fault.end.codes.tolist()[1] == END_FAULT != fault.end.codes.tolist()[0]


def test_clocks_stay_as_they_were_judged(log):
    """Whether a clock counts whole seconds is known from before, so that places hold."""
    play = replay_log(log, None, RULES, exclusion=Exclusion(coarse=frozenset({"b"})))
    assert play.gated.coarse.tolist() == [False, True]


def test_spans_and_looks(log):
    """Attempts by where they stand in their session; looking at some keeps the numbers that they have among all."""
    play = replay_log(log, None, RULES)
    assert spans(play, np.arange(6)) == [(0, 1), (2, 3), (4, 5)] * 2
    some = look_at(look_at(play, play.attempts.number == 2, "second tries"), play.attempts.player == 0, "the first player")
    assert (
        some.attempts.taken.tolist() == [False, True, *[False] * 4]
        and some.attempts.number.tolist() == play.attempts.number.tolist()
    )
    assert some.conditions == ("second tries", "the first player") and not play.conditions
