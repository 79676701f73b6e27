"""The replay's rules one by one, each on the shortest log that shows it.

A log is written as `time event level` steps; the attempts expected as `level outcome seconds`, with `?` for a duration that is
not known; then the findings.
"""

import json

import pytest

from milepost.course.course import read_course
from milepost.logs.read import read
from milepost.playback.replay import replay_log
from milepost.playback.tallies import Tallies, finding_counts
from milepost.rules import ReplayRules
from milepost.vocabulary import MOVE_KINDS, OUTCOMES

COURSE = "".join(f'[[level]]\nname = "{name}"\n' for name in "ABCD") + "\n"


def records(text, session="s"):
    """The records that a compact log stands for; `A>B` is a transition, `!` an actor that is not the player."""
    for step in text.split("; "):
        time, event, *rest = step.split()
        record = {"session": session, "time": float(time), "event": event.rstrip("!")}
        if event.endswith("!"):
            record["actor"] = "crate"
        for word in rest:
            if ">" in word:
                record["level"], _, record["to"] = word.partition(">")
            elif "=" in word:
                key, _, value = word.partition("=")
                record[key] = float(value) if key == "progress" else value
            else:
                record["level"] = word
        yield {key: value for key, value in record.items() if value != ""}


def play(tmp_path, *texts, course=True, **rules):
    """A play of compact logs, a session each, all of one player."""
    lines = [r | {"player": "P"} for n, text in enumerate(texts) for r in records(text, f"s{n}")]
    (tmp_path / "log.jsonl").write_text("".join(json.dumps(line) + "\n" for line in lines))
    (tmp_path / "course.toml").write_text('places = ["menu"]\n' + COURSE)
    plan = read_course(tmp_path / "course.toml") if course else None
    return replay_log(read([str(tmp_path / "log.jsonl")]), plan, ReplayRules(**rules))


def attempts(found):
    """Attempts in the compact form."""
    table = found.attempts
    return [
        f"{found.stops[level]} {outcome} {'?' if seconds != seconds else format(seconds, 'g')}"
        for level, outcome, seconds in zip(table.level, (OUTCOMES[code] for code in table.outcome), table.active, strict=True)
    ]


END = "; 99.5 session_end cause=quit"
RULES = {
    "a start opens, a complete closes": ("0.5 start A; 9.5 complete A", ["A complete 9"], {}),
    "a start again at once is dropped": ("0.5 start A; 0.7 start A; 9.5 complete A", ["A complete 9"], {"repeated_start": 1}),
    "on the window's edge it is still at once": (
        "0.5 start A; 0.75 retry A; 9.5 complete A",
        ["A complete 9"],
        {"repeated_start": 1},
    ),
    "a later start closes as reset": ("0.5 start A; 5.5 start A; 9.5 complete A", ["A reset 5", "A complete 4"], {}),
    "a death waits for a retry": ("0.5 start A; 5.5 death A; 6.5 retry A; 9.5 complete A", ["A death 5", "A complete 3"], {}),
    "a death again at once is dropped": (
        "0.5 start A; 5.5 death A; 5.6 death A; 6.5 retry A; 9.5 complete A",
        ["A death 5", "A complete 3"],
        {"repeated_death": 1},
    ),
    "a later death implies a retry": ("0.5 start A; 5.5 death A; 8.5 death A", ["A death 5", "A death 3"], {"implied_retry": 1}),
    "a reset after a death is part of it": (
        "0.5 start A; 5.5 death A; 7.5 reset A; 9.5 complete A",
        ["A death 5", "A complete 2"],
        {"implied_retry": 1},
    ),
    "a clear that fires on is one clear": (
        "0.5 start A; 9.5 complete A; 9.6 complete A; 20.5 complete A",
        ["A complete 9"],
        {"repeated_complete": 2},
    ),
    "a death after the clear is dropped": (
        "0.5 start A; 9.5 complete A; 9.9 death A",
        ["A complete 9"],
        {"death_after_complete": 1},
    ),
    "a reset after the clear waits for a try": (
        "0.5 start A; 9.5 complete A; 12.5 reset A; 15.5 complete A",
        ["A complete 9", "A complete 3"],
        {"implied_retry": 1},
    ),
    "play begun elsewhere leaves": (
        "0.5 start A; 5.5 start B; 9.5 complete B",
        ["A left 5", "B complete 4"],
        {"start_while_playing": 1},
    ),
    "a retry without a start is a start": ("0.5 retry A; 9.5 complete A", ["A complete 9"], {"retry_without_start": 1}),
    "an outcome after a transition implies a start": (
        "0.5 start A; 9.5 complete A; 10.5 transition A>B; 15.5 death B",
        ["A complete 9", "B death 5"],
        {"implied_start": 1},
    ),
    "a reset after a transition does too": (
        "0.5 start A; 9.5 complete A; 10.5 transition A>B; 15.5 reset B",
        ["A complete 9", "B reset 5"],
        {"implied_start": 1},
    ),
    "an outcome out of nothing has no duration": ("0.5 death A", ["A death ?"], {"outcome_without_start": 1}),
    "a reset out of nothing opens a visit": (
        "0.5 reset A; 4.5 complete A",
        ["A complete 4"],
        {"reset_without_start": 1, "implied_retry": 1},
    ),
    "an echo of the last clear is dropped": (
        "0.5 start A; 9.5 complete A; 10.5 start B; 11.5 complete A; 15.5 complete B",
        ["A complete 9", "B complete 5"],
        {"repeated_complete": 1},
    ),
    "a run-up is dropped": ("0.5 start A; 9.5 complete A; 9.6 complete B", ["A complete 9"], {"repeated_complete": 1}),
    "a clear too soon is named and counts": ("0.5 start A; 0.9 complete A", ["A complete 0.4"], {"instant_clear": 1}),
    "a failure as short as a flash is none": (
        "0.5 start A; 0.7 death A; 1.5 retry A; 9.5 complete A",
        ["A complete 8"],
        {"flash_attempt": 1},
    ),
    "a level left at once was not visited": (
        "0.5 start A; 0.6 transition A>B; 1.5 start B; 9.5 complete B",
        ["B complete 8"],
        {"flash_visit": 1},
    ),
    "a level put back by a fault is left": (
        "0.5 start A; 5.5 reset! A; 6.5 retry A; 9.5 complete A",
        ["A left 6", "A complete 3"],
        {"foreign_actor": 1, "fault_reset": 1},
    ),
    "not if the retry comes late": (
        "0.5 start A; 5.5 death! A; 7.6 retry A; 9.5 complete A",
        ["A reset 7.1", "A complete 1.9"],
        {"foreign_actor": 1},
    ),
    "a pause is no active time": ("0.5 start A; 2.5 pause A; 5.5 resume; 9.5 complete A", ["A complete 6"], {}),
    "a pause ends when the attempt does": (
        "0.5 start A; 2.5 pause A; 5.5 death A; 6.5 retry A; 7.5 resume A; 9.5 complete A",
        ["A death 2", "A complete 3"],
        {"no_effect": 1},
    ),
    "a second pause has no partner": (
        "0.5 start A; 2.5 pause A; 3.5 pause A; 5.5 resume A; 9.5 complete A",
        ["A complete 6"],
        {"unmatched_pause": 1},
    ),
    "a pause while down ends where another level begins": (
        "0.5 start A; 2.5 death A; 3.5 pause A; 10.5 reset B; 14.5 complete B",
        ["A death 2", "B complete 4"],
        {"reset_without_start": 1, "implied_retry": 1},
    ),
    "a pause while down goes on in the same level": (
        "0.5 start A; 2.5 death A; 3.5 pause A; 10.5 reset A; 14.5 resume A; 16.5 complete A",
        ["A death 2", "A complete 2"],
        {"implied_retry": 1},
    ),
    "a pause while down counts for an implied retry": (
        "0.5 start A; 2.5 death A; 3.5 pause A; 5.5 resume A; 9.5 complete A",
        ["A death 2", "A complete 5"],
        {"implied_retry": 1},
    ),
    "input elsewhere, or twice, has no effect": (
        "0.5 start A; 1.5 first_input B; 2.5 first_input A; 3.5 first_input A; 9.5 complete A",
        ["A complete 9"],
        {"no_effect": 2},
    ),
    "a level event at a place has no effect": ("0.5 start menu; 1.5 start A; 9.5 complete A", ["A complete 8"], {"no_effect": 1}),
    "an unknown level is kept": ("0.5 start X; 9.5 complete X", ["X complete 9"], {"unknown_level": 2}),
    "an unknown word is ignored": ("0.5 start A; 1.5 dance A; 9.5 complete A", ["A complete 9"], {"unknown_event": 1}),
    "time that runs backwards is put in order": ("5.5 complete A; 0.5 start A", ["A complete 5"], {"clock_backwards": 1}),
    "an equal record is dropped": ("0.5 start A; 9.5 complete A; 9.5 complete A", ["A complete 9"], {"duplicate_record": 1}),
    "a late transition is dropped": ("0.5 start B; 2.5 transition A>B; 9.5 complete B", ["B complete 9"], {"level_mismatch": 1}),
}


@pytest.mark.parametrize("rule", RULES)
def test_rule(tmp_path, rule):
    """The attempts and the findings are those that the rule says."""
    text, expected, findings = RULES[rule]
    found = play(tmp_path, text + END)
    assert attempts(found) == expected
    assert finding_counts(found) == findings


MOVES = {
    "advance": ("0.5 start A; 9.5 complete A; 10.5 transition A>B", ["advance"], {}),
    "advance without a clear": ("0.5 start A; 9.5 transition A>B", ["advance"], {"advance_without_clear": 1}),
    "exit": ("0.5 start A; 9.5 transition A>menu; 11.5 transition menu>A", ["exit", "entry"], {}),
    "exit to nowhere": ("0.5 start A; 9.5 transition A", ["exit"], {}),
    "repeat": ("0.5 start A; 9.5 transition A>A", ["repeat"], {}),
    "setback": ("0.5 start B; 9.5 transition B>A", ["setback"], {}),
    "passed at once": ("0.5 start A; 0.6 transition A>B", ["passed"], {"flash_visit": 1}),
    "passed by a double transition": (
        "0.5 start A; 9.5 complete A; 10.5 transition A>B; 10.6 transition B>C",
        ["advance", "passed"],
        {"double_transition": 1},
    ),
    "return": (
        "0.5 start C; 5.5 complete C; 6.5 transition C>A; 7.5 start A; 9.5 complete A; 10.5 transition A>C",
        ["setback", "return"],
        {},
    ),
    "skip": ("0.5 start A; 9.5 complete A; 10.5 transition A>C; 11.5 start C", ["skip"], {"after_skip": 2}),
    "the same again at once": (
        "0.5 start A; 9.5 complete A; 10.5 transition A>B; 10.6 transition A>B",
        ["advance"],
        {"repeated_transition": 1},
    ),
    "from a level that is not the current one": (
        "0.5 start A; 9.5 complete A; 10.5 transition B>C",
        ["skip"],
        {"level_mismatch": 1, "after_skip": 1},
    ),
}


@pytest.mark.parametrize("name", MOVES)
def test_move(tmp_path, name):
    """The kinds of the transitions, and what is found on them."""
    text, kinds, findings = MOVES[name]
    found = play(tmp_path, text + END)
    assert [MOVE_KINDS[kind] for kind in found.moves.kind] == kinds
    assert finding_counts(found) == findings


def test_shortcuts_may_be_kept(tmp_path):
    """With shortcuts kept, what follows a skip is play; without a course there is none."""
    text = "0.5 start A; 9.5 complete A; 10.5 transition A>C; 11.5 start C; 15.5 complete C" + END
    assert attempts(play(tmp_path, text)) == ["A complete 9"]
    assert attempts(play(tmp_path, text, keep_shortcuts=True)) == ["A complete 9", "C complete 4"]
    inferred = play(tmp_path, text, course=False)
    assert [MOVE_KINDS[kind] for kind in inferred.moves.kind] == ["advance"]


ENDS = [
    ("quit", "quit", "quit"),
    ("time_up", "time_up", "time_up"),
    ("crash", "crash", "crash"),
    ("finished", "left", "finished"),
    ("skip", "unknown", "unknown"),
    ("bored", "unknown", "unknown"),
]


@pytest.mark.parametrize(("cause", "outcome", "end"), ENDS)
def test_session_ends(tmp_path, cause, outcome, end):
    """The session's end closes an open attempt by its cause; records after it are dropped."""
    found = play(tmp_path, f"0.5 start A; 9.5 session_end cause={cause}; 10.5 start B")
    assert attempts(found) == [f"A {outcome} 9"]
    assert (found.end.name(0), finding_counts(found)) == (end, {"after_end": 1})


def test_a_session_without_an_end(tmp_path):
    """It ends at its last record, for a reason nobody knows."""
    found = play(tmp_path, "0.5 start A; 4.5 hit A")
    assert attempts(found) == ["A unknown 4"]
    assert finding_counts(found) == {"no_session_end": 1}
    assert found.attempts.hits.tolist() == [1]


def test_implied_completions(tmp_path):
    """In a log without completions, moving on to the next level clears, and finishing in the last does."""
    text = "0.5 start A; 5.5 transition A>B; 6.5 start B; 9.5 start C; 12.5 transition C>D; 13.5 start D; 20.5 session_end cause=finished"
    found = play(tmp_path, text, implied_complete=True)
    assert attempts(found) == ["A complete 5", "B complete 3", "C complete 3", "D complete 7"]
    assert finding_counts(found) == {"implied_complete": 4}
    assert attempts(play(tmp_path, text))[0] == "A left 5"


def test_numbers_go_on_over_sessions(tmp_path):
    """A player's attempts are numbered over sessions; after the first clear they are re-runs."""
    one = "0.5 start A; 5.5 death A" + END
    two = "0.5 start A; 5.5 complete A; 7.5 start A; 9.5 complete A" + END
    found = play(tmp_path, one, two)
    assert found.attempts.number.tolist() == [1, 2, 3]
    assert found.attempts.rerun.tolist() == [False, False, True]


def test_progress_and_settling(tmp_path):
    """The greatest progress of the attempt's own events counts, its opening's not; the first input settles."""
    text = "0.5 start A progress=0.9; 2.0 first_input A; 3.5 checkpoint A progress=0.4; 5.5 death A progress=0.3" + END
    found = play(tmp_path, text)
    assert found.attempts.progress.tolist() == [0.4]
    assert found.attempts.settling.tolist() == [1.5]


def test_whole_seconds_are_judged_by_order(tmp_path):
    """Where the clock counts whole seconds, only neighbours are repeats, and nothing is a flash or instant."""
    text = "; ".join(
        f"{n} {event} A"
        for n, event in [
            (0, "start"),
            (0, "death"),
            (1, "retry"),
            (1, "hit"),
            (1, "hit"),
            (1, "death"),
            (2, "retry"),
            (3, "death"),
            (3, "death"),
            (5, "retry"),
            (5, "complete"),
        ]
    )
    found = play(tmp_path, text + "; 9 session_end cause=quit")
    assert attempts(found) == ["A death 0", "A death 0", "A death 1", "A complete 0"]
    assert finding_counts(found) == {"coarse_clock": 1, "duplicate_record": 2}


def test_the_time_between_records(tmp_path):
    """The median of what lies between two records of a session, to a tenth; words outside the list are counted, each by itself."""
    steps = "; ".join(f"{time} hit A" for time in (0, 0.5, 1, 1.5, 60, 120))
    counts = play(tmp_path, steps + "; 121 bump A; 122 clang A; 123 clang A", "0 hit A").summary(Tallies)
    assert counts.gap == pytest.approx(0.5, rel=0.1)
    assert play(tmp_path, "0 hit A; 30 hit A; 60 hit A").summary(Tallies).gap == pytest.approx(30, rel=0.1)
    assert play(tmp_path, "0 hit A").summary(Tallies).gap is None
