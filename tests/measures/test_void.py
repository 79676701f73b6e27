"""Void attempts: out of every figure about trying and of nothing else, in random logs as a naive replay has it, and by hand."""

from contextlib import suppress

import pytest

from conftest import COURSE as SMALL
from milepost import api
from milepost.course.course import read_course
from milepost.errors import UsageError
from milepost.logs.read import read
from milepost.measures.attempts import AttemptsToClear
from milepost.measures.deaths import Deaths
from milepost.measures.funnel import Funnel
from milepost.measures.times import TimeInLevel
from milepost.open_log import open_log
from milepost.partitions.execution import LogRequest
from milepost.playback.attempt_filters import parse_conditions
from milepost.rules import ReplayRules
from oracle import measures as naive
from oracle.comparing import same
from oracle.replay import replay as naive_replay
from random_logs import COURSE, as_text, as_toml, as_values, random_log, renamed

BY_NUMBER = {
    "first_try",
    "first_try_low",
    "first_try_high",
    "p10",
    "p25",
    "p50",
    "p50_low",
    "p50_high",
    "p75",
    "p90",
    "distribution",
}


def instant(attempt, play):
    coarse = next(one["coarse"] for one in play["sessions"] if one["name"] == attempt["session"])
    quick = attempt["active"] is not None and attempt["active"] < 0.5 - 1e-9
    return attempt["outcome"] == "complete" and quick and not coarse


def passed(attempt, play):
    return any(move["kind"] == "passed" and move["record"] is attempt["close"] for move in play["moves"])


def weak(attempt, play):
    """Whether an attempt did not begin with less than two of health."""
    opening = attempt["open"]
    health = opening.get("health") if opening["event"] in ("start", "retry") else None
    return health is None or health >= 2


def without_skips(lines, play):
    gone = {session["name"] for session in play["sessions"] if session["cause"] == "skip"}
    return [line for line in lines if not (isinstance(line, dict) and line.get("session") in gone)]


def logs(first, count=30):
    """Random logs of four parts, whose starts say something that does not hang together with the rest."""
    for seed in range(count):
        lines = [line for part in range(4) for line in renamed(random_log(first + 4 * seed + part), part)]
        yield [
            line | {"health": place % 4} if line["event"] in ("start", "retry") and place % 7 else line
            for place, line in enumerate(lines)
        ]


def ours(path, course, exclude=(), conditions=()):
    sessions, attempts = parse_conditions(conditions, course)
    return open_log(
        LogRequest([str(path)], course, ReplayRules(), conditions=sessions, of_attempts=attempts, exclude=exclude)
    ).play()


def assert_same(play, expected, but=frozenset()):
    for measure, theirs in (
        (Funnel(), naive.funnel),
        (AttemptsToClear(), naive.attempts),
        (TimeInLevel(), naive.times),
        (Deaths(), naive.deaths),
    ):
        by_level = {row["level"]: row for row in theirs(expected)}
        for row in measure(play).rows:
            wanted = {key: value for key, value in by_level[row["level"]].items() if key not in but}
            assert same(row, wanted), (row, wanted)


@pytest.fixture
def course(tmp_path):
    (tmp_path / "course.toml").write_text(as_toml(COURSE))
    return read_course(tmp_path / "course.toml")


VOID = {
    "instant_clear": (instant, 5),
    "passed_level": (passed, 0),
}  # and how many are found at least: visits as short go by themselves


@pytest.mark.parametrize("code", VOID)
def test_suspects_left_out(tmp_path, course, code):
    """Each figure is that of a naive replay whose attempts of that kind are void."""
    void, least = VOID[code]
    voided = 0
    for lines in logs(20_000):
        (tmp_path / "log.jsonl").write_text(as_text(lines))
        play = ours(tmp_path / "log.jsonl", course, (code,))
        assert_same(play, naive.Play(naive_replay(as_values(lines), COURSE), void=void))
        voided += int(play.attempts.void.sum())
    assert voided >= least


def test_sessions_left_out(tmp_path, course):
    """Without sessions that skip, the log is as if these had not been."""
    gone = 0
    for lines in logs(30_000):
        (tmp_path / "log.jsonl").write_text(as_text(lines))
        log = read([str(tmp_path / "log.jsonl")])
        first = naive_replay(as_values(lines), COURSE)
        left = without_skips(lines, first)
        skipping = {session["name"] for session in first["sessions"] if session["cause"] == "skip"}
        if not set(log.sessions.name) - skipping:
            continue
        play = ours(tmp_path / "log.jsonl", course, ("untagged_skip",))
        if not any(session["coarse"] for session in first["sessions"]):  # clocks are judged by all sessions of a build
            assert_same(play, naive.Play(naive_replay(as_values(left), COURSE)))
        gone += len(skipping)
    assert gone > 10


def test_conditions_on_attempts(tmp_path, course):
    """Figures that stand are those of the attempts that fit; figures by number are not given; who went where stays."""
    for lines in logs(40_000):
        (tmp_path / "log.jsonl").write_text(as_text(lines))
        if not any(line.get("health", 9) < 2 for line in lines):
            continue
        play = None
        with suppress(UsageError):  # where such a start opened no attempt
            play = ours(tmp_path / "log.jsonl", course, conditions=["start.health<2"])
        if play is None:
            continue
        expected = naive.Play(naive_replay(as_values(lines), COURSE), void=weak)
        assert_same(play, expected, BY_NUMBER)
        for row in AttemptsToClear()(play).rows:
            assert row["first_try"] is None and row["p50"] is None and row["distribution"] == []


LOG = [
    {"session": "a", "player": "Ada", "time": 0, "event": "start", "level": "Mill Pond", "oil": 3},
    {"session": "a", "time": 8, "event": "death", "level": "Mill Pond"},
    {"session": "a", "time": 9, "event": "retry", "level": "Mill Pond", "oil": 1},
    {"session": "a", "time": 9.2, "event": "complete", "level": "Mill Pond"},
    {"session": "a", "time": 10, "event": "start", "level": "Mill Pond", "oil": 3},
    {"session": "a", "time": 20, "event": "complete", "level": "Mill Pond"},
    {"session": "a", "time": 21, "event": "session_end", "cause": "quit"},
    {"session": "b", "player": "Bo", "time": 0, "event": "start", "level": "Mill Pond", "oil": 3},
    {"session": "b", "time": 6, "event": "complete", "level": "Mill Pond"},
    {"session": "b", "time": 7, "event": "session_end", "cause": "quit"},
]


def test_a_void_clear_by_hand(milepost):
    """Ada's only first clear is void: cut off after one try and eight seconds, and what comes later is a re-run; reach stays."""
    milepost.write("log.jsonl", LOG)
    milepost.write("course.toml", SMALL)
    words = ("log.jsonl", "--course", "course.toml", "--exclude", "instant_clear")
    document = milepost.json("attempts", *words)
    row = document["levels"][0]
    assert (row["reached"], row["players"], row["settled"], row["clears"], row["void"]) == (2, 2, 2, 1, 1)
    assert row["p50"] == 1 and row["distribution"] == [{"k": 1, "at_risk": 2, "cleared": 1, "survival": 0.5}]
    excluded = {"codes": ["instant_clear"], "void": 1, "sessions": 0, "cuts": 0, "ends": 0, "clears": 0}
    assert {key: value for key, value in document["excluded"].items() if key != "moved"} == excluded
    assert document["left_out"]["excluded_sessions"] == 0
    times = milepost.json("times", *words)["levels"][0]
    assert (times["clears"], times["censored"], times["p25"], times["p50"]) == (1, 1, 6.0, 6.0)
    funnel = milepost.json("funnel", *words)["levels"][0]
    assert (funnel["reached"], funnel["cleared"], funnel["lost"]) == (2, 2, 2)
    trace = milepost.json("trace", "a", *words)["levels"]
    assert [(one["try"], one["void"], one["rerun"]) for one in trace] == [
        (1, False, False),
        (None, True, False),
        (2, False, True),
    ]
    assert "Left out as suspect (instant_clear): 1 try. That changes" in " ".join(milepost("attempts", *words).stdout.split())


def test_a_group_by_hand(milepost):
    """Groups by what a start said; absent is one of its own, and who went where has none."""
    milepost.write("log.jsonl", LOG)
    milepost.write("course.toml", SMALL)
    words = ("log.jsonl", "--course", "course.toml")
    groups = milepost.json("attempts", *words, "--by", "start.oil")
    found = [
        (group["value"], group["levels"][0]["settled"], group["levels"][0]["clears"], group["levels"][0]["void"])
        for group in groups["groups"]
    ]
    assert found == [("1", 1, 1, 3), ("3", 2, 1, 1)] and groups["cuts"] == []
    assert milepost.json("deaths", *words, "--where", "start.oil=3")["levels"][0]["deaths"] == 1
    times = [milepost.json("times", *words, "--where", f"start.oil={oil}")["levels"][0] for oil in (1, 3)]
    assert [(row["reached"], row["timed"], row["clears"], row["censored"]) for row in times] == [(2, 1, 1, 0), (2, 2, 1, 1)]
    refused = milepost("funnel", *words, "--by", "start.oil")
    assert refused.returncode == 2 and "where players went is the same" in refused.stderr
    told = milepost("funnel", *words, "--where", "start.oil=1")
    assert told.returncode == 0 and "start.oil=1 is passed over" in told.stderr
    nobody = milepost("attempts", *words, "--where", "start.oil=7")
    assert nobody.returncode == 2 and "no attempt is left. Its values are: 1, 3." in nobody.stderr
    unknown = milepost("attempts", *words, "--where", "start.lamp=7")
    assert unknown.returncode == 2 and "start.oil" in unknown.stderr


def test_quarters_by_hand(milepost):
    """More than eight numbers are cut at their quarters, (low, high], and the output says where."""
    log = []
    for n in range(1, 13):
        one = {"session": f"s{n}", "player": f"p{n}", "level": "Mill Pond"}
        log += [one | {"time": 0, "event": "start", "speed": n}, one | {"time": 9, "event": "complete"}]
    milepost.write("log.jsonl", log)
    milepost.write("course.toml", SMALL)
    groups = milepost.json("attempts", "log.jsonl", "--course", "course.toml", "--by", "start.speed")
    assert groups["cuts"] == [3.75, 6.5, 9.25]
    assert [(group["value"], group["levels"][0]["settled"]) for group in groups["groups"]] == [
        ("up to 3.75", 3),
        ("over 3.75 up to 6.5", 3),
        ("over 6.5 up to 9.25", 3),
        ("over 9.25", 3),
    ]


def test_a_code_that_does_nothing(milepost):
    """It is refused with the list of those that act."""
    milepost.write("log.jsonl", LOG)
    done = milepost("attempts", "log.jsonl", "--exclude", "idle_spans")
    assert done.returncode == 2 and "Did you mean idle_span?" in done.stderr and "jumped_start" in done.stderr


def ends(cause, **more):
    """Three players fail and clear; the last one fails, and the session ends in some way."""
    log = []
    for n in range(3):
        base = {"session": f"s{n}", "player": f"P{n}"}
        for level, at in (("Mill Pond", 0), ("Low Arch", 100)):
            here = base | {"level": level}
            log += [
                here | {"time": at, "event": "start"},
                here | {"time": at + 9.5, "event": "death"},
                here | {"time": at + 11, "event": "retry"},
            ]
            if (n, level) != (2, "Low Arch"):
                log.append(here | {"time": at + 40 + n, "event": "complete"})
        log += more.get("last", []) if n == 2 else []
        log.append(base | {"time": 400 + n, "event": "session_end", "cause": cause if n == 2 else "quit"})
    return log


def funnel_of(milepost, log, *more):
    milepost.write("log.jsonl", log)
    milepost.write("course.toml", SMALL)
    return milepost.json("funnel", "log.jsonl", "--course", "course.toml", *more)["levels"][1]


def test_an_end_that_was_no_decision(milepost):
    """A player who was stuck has not left: it counts as a fault, and nobody is lost; so with a move that failed."""
    stuck = ends("quit", last=[{"session": "s2", "player": "P2", "level": "Low Arch", "time": 130, "event": "death"}])
    row = funnel_of(milepost, stuck)
    assert (row["stopped_quit"], row["stopped_fault"], row["lost"]) == (1, 0, 1)
    row = funnel_of(milepost, stuck, "--exclude", "stuck")
    assert (row["stopped_quit"], row["stopped_fault"], row["lost"], row["retention"]) == (0, 1, 0, 1.0)
    move = [{"session": "s2", "player": "P2", "level": "Low Arch", "time": 130, "event": "transition", "to": "Reed Gate"}]
    row = funnel_of(milepost, ends("quit", last=move), "--exclude", "failed_transition")
    assert (row["stopped_fault"], row["lost"]) == (1, 0)


def test_a_crash_at_the_clear_is_a_clear(milepost):
    """It counts as cleared everywhere, and the player has not stopped."""
    crash = ends(
        "crash", last=[{"session": "s2", "player": "P2", "level": "Low Arch", "time": 130, "event": "checkpoint", "progress": 1}]
    )
    assert [funnel_of(milepost, crash, *more)["cleared"] for more in ((), ("--exclude", "crash_at_clear"))] == [2, 3]
    words = ("log.jsonl", "--course", "course.toml", "--exclude", "crash_at_clear")
    tries = milepost.json("attempts", *words)
    assert (tries["levels"][1]["clears"], tries["levels"][1]["void"], tries["excluded"]["clears"]) == (3, 0, 1)
    assert "1 crash with everything done counts as cleared." in " ".join(milepost("attempts", *words).stdout.split())


def test_cut_at_a_jump(milepost):
    """What comes after a start that jumps is left out, as after a skip."""
    log = [
        {"session": f"s{n}", "player": f"P{n}", "level": level, "time": time, "event": event}
        for n in range(2)
        for level, time, event in (
            ("Mill Pond", 0, "start"),
            ("Mill Pond", 20, "complete"),
            ("Swan Bend" if n else "Low Arch", 30, "start"),
            ("Swan Bend" if n else "Low Arch", 50.5, "complete"),
        )
    ]
    milepost.write("log.jsonl", log)
    milepost.write(
        "course.toml",
        'name = "Wickwater"\n' + "".join(f'[[level]]\nname = "{n}"\n' for n in ("Mill Pond", "Swan Bend", "Low Arch")),
    )
    words = ("log.jsonl", "--course", "course.toml", "--exclude", "jumped_start")
    document = milepost.json("funnel", *words)
    assert [row["reached"] for row in document["levels"]] == [2, 1, 0]
    assert (
        document["levels"][0]["stopped_skip"] == 1
        and document["findings"]["after_skip"] == 2
        and document["excluded"]["cuts"] == 1
    )


def test_the_later_of_two_at_once(milepost):
    """Of two sessions of one player at the same time, the later one goes; of a start by hand, the player's first."""
    log = [
        {"session": f"s{n}", "player": "Ada", "level": "Mill Pond", "time": f"2026-03-01T10:0{n}:{at:06.3f}Z", "event": event}
        for n in range(2)
        for at, event in ((0.5, "start"), (59.1, "complete"))
    ]
    log[1]["time"] = "2026-03-01T10:05:00.100Z"
    milepost.write("log.jsonl", log)
    milepost.write("course.toml", SMALL)
    document = milepost.json("attempts", "log.jsonl", "--course", "course.toml", "--exclude", "overlapping_sessions")
    assert (document["sessions"], document["left_out"]["excluded_sessions"]) == (1, 1)
    assert document["levels"][0]["clears"] == 1


def test_nothing_left(milepost):
    """Where all sessions would go, that is said."""
    milepost.write(
        "log.jsonl", [{"session": "a", "level": "Low Arch", "time": t, "event": e} for t, e in ((0, "start"), (9.5, "complete"))]
    )
    milepost.write("course.toml", SMALL)
    done = milepost("funnel", "log.jsonl", "--course", "course.toml", "--exclude", "start_override")
    assert done.returncode == 2 and "no session is left. Leave less out." in done.stderr


@pytest.mark.parametrize("code", ["stuck", "instant_clear", "untagged_skip", "start_override", "idle_span", "jumped_start"])
def test_in_parts(wickwater, code):
    """Work over parts leaves out the same."""
    words = ("wickwater/logs", "--course", "wickwater/course.toml", "--exclude", code)
    for command in ("attempts", "funnel"):
        assert wickwater.json(command, *words, "--memory", "300MB") == wickwater.json(command, *words)


def test_attributes_in_parts(wickwater):
    """What starts said is known of a log that was replayed in parts."""
    words = ("attempts", "wickwater/logs", "--course", "wickwater/course.toml")
    for more in (("--by", "start.oil"), ("--where", "start.oil=3"), ("--where", "end.oil>=1"), ("--where", "end.cause=reeds")):
        assert wickwater.json(*words, *more, "--memory", "300MB") == wickwater.json(*words, *more)


def test_what_it_moves_is_said_under_the_table(milepost):
    """As check said beforehand."""
    milepost.write("log.jsonl", LOG)
    milepost.write("course.toml", SMALL)
    words = ("log.jsonl", "--course", "course.toml")
    moved = milepost.json("attempts", *words, "--exclude", "instant_clear")["excluded"]["moved"]
    assert {(one["figure"], one["with"], one["without"]) for one in moved} == {("try_clear", 2 / 3, 0.5)}
    shown = " ".join(milepost("attempts", *words, "--exclude", "instant_clear").stdout.split())
    assert "1 try. That changes 1 figure at 1 level: the chance that a try clears at Mill Pond from 67 % to 50 %." in shown
    assert (
        milepost.json("attempts", *words, "--exclude", "instant_clear", "--by", "player")["groups"][0]["excluded"]["moved"]
        is None
    )


def test_fallen_back_without_transitions(milepost):
    """A start at an earlier level after failing a later one is a suspect, and can be left out; a log of runs has none."""
    tries = [("Mill Pond", "complete"), ("Low Arch", "death"), ("Mill Pond", "complete"), ("Low Arch", "complete")]
    log = [
        {"session": "a", "time": 20 * n + (7.5 if kind != "start" else 0), "event": kind, "level": level}
        for n, (level, outcome) in enumerate(tries)
        for kind in ("start", outcome)
    ]
    milepost.write("log.jsonl", log)
    milepost.write("course.toml", SMALL)
    words = ("log.jsonl", "--course", "course.toml")

    def found():
        return [row["levels"] for row in milepost.json("check", *words)["suspects"] if row["code"] == "fallen_back"]

    assert found() == [["Mill Pond"]]
    assert [row["void"] for row in milepost.json("attempts", *words, "--exclude", "fallen_back")["levels"]] == [1, 0]
    back = [{"from": "Low Arch", "to": "Mill Pond", "count": 1, "players": 1}]
    assert milepost.json("moves", *words)["started_back"] == back
    assert "setback by a start" in milepost("moves", *words).stdout
    assert milepost("moves", *words, "--figure", "moves.svg").returncode == 0
    assert "1 start at an earlier level" in (milepost.folder / "moves.svg").read_text()
    milepost.write("course.toml", 'run_starts_at = "Mill Pond"\n' + SMALL)
    assert found() == milepost.json("moves", *words)["started_back"] == []


def test_what_deaths_say(milepost):
    """Of a loss to an opponent its tally, where deaths differ in it."""
    log = []
    for n, (cause, tally) in enumerate((("rival", 3), ("rival", 5), ("rival", 9), ("reeds", None))):
        base = {"session": f"s{n}", "level": "Mill Pond"}
        log += [
            base | {"time": 0, "event": "start"},
            base | {"time": 9.5, "event": "death", "cause": cause} | ({"rival_score": tally} if tally else {}),
        ]
    milepost.write("log.jsonl", log)
    milepost.write("course.toml", SMALL)
    row = milepost.json("deaths", "log.jsonl", "--course", "course.toml")["levels"][0]
    assert (
        row["causes"]["rival"]["said"] == {"rival_score": {"n": 3, "p50": 5.0}} == row["said"]
        and row["causes"]["reeds"]["said"] == {}
    )
    assert "rival 3 at rival_score 5" in " ".join(
        milepost("level", "Mill Pond", "log.jsonl", "--course", "course.toml").stdout.split()
    )


def test_the_call_leaves_out_and_looks_likewise(milepost):
    """`milepost.replay` takes the same codes and conditions as the command line."""
    milepost.write("log.jsonl", LOG)
    milepost.write("course.toml", SMALL)
    names = [str(milepost.folder / name) for name in ("log.jsonl", "course.toml")]
    play = api.replay(names[0], names[1], exclude=["instant_clear"], where=["start.oil=3"])
    assert api.attempts(play).loc["Mill Pond", ["settled", "clears", "void"]].tolist() == [2, 1, 1]
    assert api.spikes(play).loc["Mill Pond", "void"] == 1 and api.coverage(play).loc["Mill Pond", "void"] == 1
    assert api.attempts(api.replay(names[0], names[1], where=["player=Bo"])).loc["Mill Pond", "clears"] == 1
    with pytest.raises(UsageError, match="leaving that out does nothing"):
        api.replay(names[0], exclude=["coarse_clock"])
    with pytest.raises(UsageError, match="give 'player' or 'run'"):
        api.attempts(play, per="session")


def test_a_finding_that_can_be_left_out(milepost):
    """Check says of clears that came too soon, too, what leaving them out would move; of other findings it says nothing."""
    milepost.write("log.jsonl", [*LOG, {"session": "b", "time": 8, "event": "dance"}])
    milepost.write("course.toml", SMALL)
    words = ("check", "log.jsonl", "--course", "course.toml")
    rows = {row["code"]: row for row in milepost.json(*words)["details"]}
    assert rows["instant_clear"]["excluding"] == [{"level": "Mill Pond", "figure": "try_clear", "with": 2 / 3, "without": 0.5}]
    assert "excluding" not in rows["unknown_event"]
    assert "--exclude instant_clear would change 1 figure at 1 level: the chance that a try clears at Mill Pond" in " ".join(
        milepost(*words).stdout.split()
    )


def test_the_call_compares_without_what_is_left_out(milepost):
    """Void tries stay void in both builds."""
    log = [
        {**record, "session": f"{record['session']}{build}", "build": build, "player": f"{record['session']}{build}"}
        for build in ("0.7", "0.8")
        for record in LOG
    ]
    milepost.write("log.jsonl", log)
    milepost.write("course.toml", SMALL)
    names = [str(milepost.folder / name) for name in ("log.jsonl", "course.toml")]
    tries = {
        codes: api.compare(api.replay(*names, exclude=codes)).loc["Mill Pond", "to"]["tries"]
        for codes in ((), ("instant_clear",))
    }
    words = ("compare", "log.jsonl", "--course", "course.toml")
    assert tries == {
        codes: milepost.json(*words, *(("--exclude", *codes) if codes else ()))["levels"][0]["to"]["tries"] for codes in tries
    }
    assert tries == {(): 3, ("instant_clear",): 2}


def test_giving_up_is_counted_where_it_is_looked(wickwater):
    """Of some tries, those who gave up are the players who left after one of them: the groups add up to all, and none is lost twice."""
    words = ("spikes", "wickwater/logs", "--course", "wickwater/course.toml")
    some, rest = (wickwater.json(*words, "--where", f"start.oil{sign}3")["model"] for sign in ("=", "!="))
    whole = wickwater.json(*words)["model"]
    assert some["failures"] + rest["failures"] == whole["failures"] and 0 < some["lost"] + rest["lost"] <= whole["lost"]
    assert all(one["lost"] < one["failures"] for one in (some, rest))
