"""Each suspect is found where it stands, and not in a log without it; known faults are labelled."""

import json

import pytest

from milepost.audit.exclusions import ACTS
from milepost.vocabulary import SUSPECTS

LEVELS = ["Mill Pond", "Swan Bend", "Low Arch"]
COURSE = "".join(f'[[level]]\nname = "{level}"\n' for level in LEVELS)


def played(session, clears=LEVELS, step=20.0, **more):
    """A session that clears levels one after the other, with inputs, one failure each."""
    time, records = 0.0, [{"session": session, "time": 0.0, "event": "session_start", **more}]

    def log(seconds, event, **fields):
        nonlocal time
        time += seconds + 0.013  # or all times would be whole seconds
        records.append({"session": session, "time": round(time, 3), "event": event, **fields})

    for place, level in enumerate(clears):
        log(2, "start", level=level)
        log(1, "first_input", level=level)
        log(step, "death", level=level, cause="reeds")
        log(1, "retry", level=level)
        log(1, "first_input", level=level)
        log(step + place, "complete", level=level, collected=3, available=3)
        if level != clears[-1]:
            log(1, "transition", level=level, to=clears[place + 1])
    log(3, "session_end", cause="quit")
    return records


def crowd(**more):
    """Eight players, nothing odd."""
    return [record for n in range(8) for record in played(f"s{n}", player=f"P{n}", step=20.0 + n, **more)]


def edited(change):
    """The crowd with the last session changed record by record; a change gives the records in its place."""
    return [out for record in crowd() for out in (change(record) if record["session"] == "s7" else [record])]


def where(event, *out, level="Low Arch", **more):
    """A change of the records of one event at one level."""

    def change(record):
        return [record | more, *out] if record["event"] == event and record.get("level") == level else [record]

    return change


def resets(record):
    more = [record | {"event": "reset", "time": record["time"] + 2 + n / 60} for n in range(6)]
    return [record, *more] if record["event"] == "retry" and record["level"] == "Low Arch" else [record]


def ending(record):
    """The last level leads on to one that only says that the game is won."""
    if record["event"] != "complete" or record["level"] != "Low Arch":
        return [record]
    move = {"session": "s7", "time": record["time"] + 0.5, "event": "transition", "level": "Low Arch", "to": "Ending"}
    return [record, move, {"session": "s7", "time": record["time"] + 1, "event": "start", "level": "Ending"}]


def stamped(number, minute):
    return [
        r | {"time": f"2026-03-01T10:{minute + int(r['time']) // 60:02d}:{r['time'] % 60:09.6f}Z"}
        for r in played(f"t{number}", player="P9")
    ]


def stopped(*more, inputs=True):
    """A session that comes as far as a try at Low Arch, and what is logged after that; nothing of its outcome."""
    before = played("x", LEVELS)[: 17 if inputs else 16]
    return before + [{"session": "x", "level": "Low Arch", **one} for one in more]


LAMP = {"event": "checkpoint", "progress": 0.3, "time": 99}


def as_reset(record):
    return record | {"event": "reset"} if record["event"] == "death" else record


ODD = {
    "time_unit": [r | {"time": r["time"] * 1000} for r in crowd()],
    "similar_names": edited(lambda r: [r | {"level": "Low Arch v2"}] if r.get("level") == "Low Arch" else [r]),
    "misnamed_target": edited(lambda r: [r | {"to": "Low Arhc"}] if r.get("to") == "Low Arch" else [r]),
    "past_the_end": edited(ending),
    "untagged_skip": crowd()
    + [
        {"session": "x", "time": 0, "event": "start", "level": "Mill Pond"},
        {"session": "x", "time": 5, "event": "transition", "level": "Mill Pond", "to": "Low Arch"},
        {"session": "x", "time": 6, "event": "start", "level": "Low Arch"},
    ],
    "start_override": crowd() + played("x", ["Low Arch"]),
    "passed_level": crowd()
    + played("x", ["Mill Pond"])[:-1]
    + [
        {"session": "x", "time": 60, "event": "transition", "level": "Mill Pond", "to": "Swan Bend"},
        {"session": "x", "time": 60.1, "event": "transition", "level": "Swan Bend", "to": "Low Arch"},
        {"session": "x", "time": 61, "event": "start", "level": "Low Arch"},
    ],
    "carried_over": edited(where("complete", collected=1)),
    "unprompted_reset": edited(
        lambda r: [r | {"event": "reset"}] if r["event"] == "death" else [] if r["event"] == "first_input" else [r]
    ),
    "reset_burst": edited(resets),
    "doubled_logic": edited(lambda r: [r, r | {"time": r["time"] + 0.3}]),
    "vanished_event": crowd(build="b1")
    + [r for n in range(9) for r in played(f"n{n}", player=f"N{n}", build="b2") if r["event"] != "retry"],
    "death_before_input": edited(lambda r: [] if r["event"] == "first_input" and r["level"] == "Low Arch" else [r]),
    "stuck": crowd() + played("x")[:4] + [{"session": "x", "time": 90, "event": "session_end", "cause": "quit"}],
    "stuck_in_level": crowd() + stopped(LAMP) + [{"session": "x", "time": 190, "event": "session_end", "cause": "quit"}],
    "stuck_at_start": crowd() + stopped(inputs=False) + [{"session": "x", "time": 190, "event": "session_end", "cause": "quit"}],
    "input_under_overlay": edited(lambda r: [r | {"overlays": 1}] if r["event"] == "first_input" else [r]),
    "reset_without_actor": edited(lambda r: [as_reset(r) | ({} if r.get("level") == "Low Arch" else {"actor": "player"})]),
    "makers_in": edited(lambda r: [r | {"role": "Developer"}]),
    "idle_span": edited(lambda r: [r | {"time": r["time"] + 500 * (r["event"] == "session_end" or r["time"] > 160)}]),
    "overlapping_sessions": stamped(1, 0) + stamped(2, 1),
    "uncleared_level": [r for r in crowd() if r.get("level") != "Low Arch" or r["event"] not in ("complete",)],
}


@pytest.mark.parametrize("code", ODD)
def test_found_where_it_stands(milepost, code):
    """The log made odd in one way has the suspect, with its count, sessions and a sentence."""
    milepost.write("course.toml", COURSE)
    milepost.write("log.jsonl", ODD[code])
    document = milepost.json("check", "log.jsonl", "--course", "course.toml")
    found = [row for row in document["suspects"] if row["code"] == code]
    assert found, document["suspects"]
    assert all(row["count"] > 0 and row["sessions"] > 0 and row["why"] for row in found)
    assert code in milepost("check", "log.jsonl", "--course", "course.toml").stdout


STAY = [{"event": "bump", "x": 4.0, "y": 2.0, "time": 120 + 3.1 * n} for n in range(6)]
ON_AND_ON = [{"event": "hit", "time": 120 + 31 * n} for n in range(5)]


@pytest.mark.parametrize(
    ("log", "said"),
    [
        (stopped(*STAY), "the same record at the same place"),
        (stopped(*STAY[:3]), None),
        (stopped(*(one | {"x": 4.0 + n} for n, one in enumerate(STAY))), None),
        ([*stopped(*STAY), {"session": "x", "time": 150, "event": "session_end", "cause": "time_up"}], None),
        ([*stopped(LAMP), {"session": "x", "time": 140, "event": "session_end", "cause": "quit"}], None),
        ([*stopped(LAMP), {"session": "x", "time": 190, "event": "session_end", "cause": "quit"}], "nothing more was logged"),
        (stopped({"event": "pause", "time": 99}) + [{"session": "x", "time": 190, "event": "session_end"}], None),
    ],
)
def test_stuck_told_from_quit(milepost, log, said):
    """By what came last, with and without a logged end: not where time was up, play was paused, or others take as long."""
    milepost.write("course.toml", COURSE)
    milepost.write("log.jsonl", crowd() + log)
    words = ("log.jsonl", "--course", "course.toml")
    found = [row for row in milepost.json("check", *words)["suspects"] if row["code"] == "stuck_in_level"]
    assert [row["levels"] for row in found] == ([["Low Arch"]] if said else [])
    row = milepost.json("funnel", *words, "--exclude", "stuck_in_level")["levels"][2] if said else None
    assert row is None or (said in found[0]["why"] and (row["stopped_fault"], row["lost"]) == (1, 0))


def test_no_progress_in_a_long_time(milepost):
    """Far longer than others, without the progress that they make; where nobody's progress is logged, it is just slow."""
    told = [r | ({"progress": 0.5} if r["event"] == "death" else {}) for r in crowd()]
    milepost.write("course.toml", COURSE)
    for log, found in ((told + stopped(*ON_AND_ON), ["no progress"]), (crowd() + stopped(*ON_AND_ON), [])):
        milepost.write("log.jsonl", log)
        rows = milepost.json("check", "log.jsonl", "--course", "course.toml")["suspects"]
        assert [row["why"][:11] for row in rows if row["code"] == "stuck_in_level"] == found


def test_values_kept_from_the_level_before(milepost):
    """A start that says what the level before said is told so."""
    goal = {"Mill Pond": 3, "Swan Bend": 5, "Low Arch": 7}
    log = [r | ({"goal": goal[r["level"]]} if r["event"] in ("start", "retry") else {}) for r in crowd()]
    odd = [r | ({"goal": 5} if r["session"] == "s7" and r["event"] == "start" and r["level"] == "Low Arch" else {}) for r in log]
    milepost.write("course.toml", COURSE)
    milepost.write("log.jsonl", odd)
    (row,) = [
        row for row in milepost.json("check", "log.jsonl", "--course", "course.toml")["suspects"] if row["levels"] == ["Low Arch"]
    ]
    assert row["code"] == "drifting_start" and "all of these as at the level before" in row["why"]


def test_a_maker_is_not_named(milepost):
    """What a tag says beside the word that tells a maker may be a name, and stays out of an anonymous report."""
    milepost.write("log.jsonl", edited(lambda r: [r | {"role": "Developer (Tansy)"}]))
    said = next(row["why"] for row in milepost.json("check", "log.jsonl")["suspects"] if row["code"] == "makers_in")
    assert said.startswith("role says developer:") and "ansy" not in said


def test_nothing_odd(milepost):
    """A clean log has no suspects and no findings, and cleaning moves nothing but who is lost."""
    milepost.write("course.toml", COURSE)
    milepost.write("log.jsonl", crowd(build="b1"))
    document = milepost.json("check", "log.jsonl", "--course", "course.toml", "--strict", "low")
    assert (document["suspects"], document["details"], document["moved"]) == ([], [], [])
    shown = milepost("check", "log.jsonl", "--course", "course.toml").stdout
    assert "What was found: nothing" in shown
    assert "Repairs do not change a figure" in shown


@pytest.mark.parametrize(
    ("to", "meant"),
    [
        ("Low Arhc", "Low Arch"),
        ("LOW  ARCHES", "Low Arch"),
        ("Swan Bent", "Swan Bend"),
        ("Lock 12", None),
        ("Harbour", None),
        ("Boathouse", None),
    ],
)
@pytest.mark.parametrize("declared", [True, False])
def test_a_slip_in_a_target_names_the_level(milepost, to, meant, declared):
    """With a course or without; a number that differs, a place and another word are no slip."""
    levels = [*LEVELS, "Lock 1"]
    milepost.write("course.toml", 'places = ["Boathouse"]\n' + "".join(f'[[level]]\nname = "{level}"\n' for level in levels))
    logged = [r for n in range(8) for r in played(f"s{n}", levels, player=f"P{n}", step=20.0 + n)]
    milepost.write("log.jsonl", [r | {"to": to} if r["session"] == "s7" and r.get("to") == "Low Arch" else r for r in logged])
    rows = milepost.json("check", "log.jsonl", *(["--course", "course.toml"] if declared else []))["suspects"]
    found = [row for row in rows if row["code"] == "misnamed_target"]
    assert [row["levels"] for row in found] == ([[meant]] if meant else [])
    assert not found or (found[0]["count"], found[0]["sessions"]) == (1, 1)


def test_sessions_one_after_the_other_do_not_overlap(milepost):
    """Two sessions of one player that follow each other are no suspect."""
    milepost.write("log.jsonl", stamped(1, 0) + stamped(2, 20))
    assert "overlapping_sessions" not in {row["code"] for row in milepost.json("check", "log.jsonl")["suspects"]}


def test_known_faults_and_the_gate(milepost):
    """What is declared in the course is labelled, and --strict passes over it; what is not, hits the gate."""
    known = '[[known_fault]]\ncode = "{}"\nnote = "mended in b2"\n'
    milepost.write("log.jsonl", ODD["stuck"] + [{"session": "s0", "time": 1, "event": "dance"}])
    words = ("check", "log.jsonl", "--course", "course.toml")
    milepost.write("course.toml", COURSE)
    assert [milepost(*words, "--strict", weight).returncode for weight in ("low", "medium", "high")] == [1, 1, 0]
    milepost.write("course.toml", COURSE + known.format("stuck") + known.format("unknown_event"))
    assert milepost(*words, "--strict", "low").returncode == 0
    document = milepost.json(*words)
    assert {row["known"] for row in document["suspects"] + document["details"]} == {"mended in b2"}
    assert "Known: mended in b2" in " ".join(milepost(*words).stdout.split())
    milepost.write("course.toml", COURSE + '[[known_fault]]\nlevel = "Low Arch"\n')
    assert "has the texts code" in milepost(*words).stderr


def test_places_and_what_moved(milepost):
    """The first three places of a finding are named, and a level that repeats inflate is shown raw and clean."""
    doubled = [out for r in crowd() for out in ([r, r | {"time": r["time"] + 0.1}] if r["event"] == "start" else [r])]
    milepost.write("log.jsonl", doubled)
    document = json.loads(milepost("check", "log.jsonl", "--format", "json", "--output", "-").stdout)
    (detail,) = [row for row in document["details"] if row["code"] == "repeated_start"]
    assert (detail["count"], detail["sessions"], detail["places"][0]) == (24, 8, "log.jsonl:3")
    assert len(detail["places"]) == 3
    assert [(row["level"], row["p50"], row["raw_p50"]) for row in document["moved"]] == [(level, 2, 3.0) for level in LEVELS]


def suspects(milepost, log, course=None):
    milepost.write("log.jsonl", log)
    words = ["log.jsonl"]
    if course:
        milepost.write("course.toml", "".join(f'[[level]]\nname = "{name}"\n' for name in course))
        words += ["--course", "course.toml"]
    return {one["code"]: one for one in milepost.json("check", *words)["suspects"]}


def line(time, event, level=None, session="s", **more):
    return {"session": session, "time": time, "event": event, **({"level": level} if level else {}), **more}


def test_a_transition_that_led_nowhere(milepost):
    """The game went on, and nothing more came; not where the time was up, nor where the target is played or a place."""
    begun = [line(0, "start", "A"), line(9, "complete", "A")]
    for target, cause, odd in (("B", "quit", True), ("Bx", None, True), ("B", "time_up", False), (None, "quit", False)):
        end = [line(12, "session_end", cause=cause)] if cause else []
        found = suspects(milepost, [*begun, line(10, "transition", "A", to=target), *end], "AB")
        assert ("failed_transition" in found) == odd, (target, cause)
        if odd:
            assert (found["failed_transition"]["levels"], found["failed_transition"]["count"]) == (["A"], 1)
    assert "failed_transition" not in suspects(
        milepost, [*begun, line(10, "transition", "A", to="B"), line(11, "start", "B")], "AB"
    )


def test_a_crash_at_the_clear(milepost):
    for more, odd in (
        ({"progress": 1}, True),
        ({"collected": 4, "available": 4}, True),
        ({"progress": 0.9}, False),
        ({"collected": 3, "available": 4}, False),
    ):
        log = [line(0, "start", "A"), line(9, "session_end", cause="crash", **more)]
        assert ("crash_at_clear" in suspects(milepost, log, "AB")) == odd, more


def test_a_jump_without_a_way(milepost):
    """From the first level to the third, in a log without transitions; the very first start is another suspect."""
    log = [
        line(0, "start", "A"),
        line(9, "complete", "A"),
        line(10, "start", "C"),
        line(19, "complete", "C"),
        line(20, "start", "D"),
    ]
    found = suspects(milepost, log, "ABCD")
    assert (found["jumped_start"]["levels"], found["jumped_start"]["count"]) == (["C"], 1)
    late = suspects(milepost, [line(0, "start", "C")], "ABCD")
    assert "jumped_start" not in late and "start_override" in late
    moved = [*log[:2], line(9.5, "transition", "A", to="C"), *log[2:]]
    assert "jumped_start" not in suspects(milepost, moved, "ABCD")


def test_a_storm_of_words(milepost):
    """More than four in a second of one word that is none of ours."""
    for count, odd in ((5, True), (4, False)):
        log = [line(0, "start", "A"), *(line(1 + 0.2 * n, "hint_shown", "A") for n in range(count)), line(9, "complete", "A")]
        found = suspects(milepost, log)
        assert ("overlay_storm" in found) == odd
        if odd:
            assert (found["overlay_storm"]["count"], found["overlay_storm"]["levels"]) == (5, ["A"])


@pytest.mark.parametrize("code", sorted(ODD.keys() & ACTS.keys()))
def test_leaving_it_out(milepost, code):
    """Each that can be left out takes something out, says so, and `check` said beforehand what it would move; then it moves that."""
    milepost.write("course.toml", COURSE)
    milepost.write("log.jsonl", ODD[code])
    words = ("log.jsonl", "--course", "course.toml")
    said = next(row["excluding"] for row in milepost.json("check", *words)["suspects"] if row["code"] == code)
    document = milepost.json("attempts", *words, "--exclude", code)
    out = document["excluded"]
    took = out["void"] + out["sessions"] + out["cuts"] + out["ends"]
    assert out["codes"] == [code] and (took > 0 or code in ("passed_level", "reset_burst")), (
        out
    )  # those leave no attempt by themselves
    assert out["moved"] == said
    assert f"({code})" in milepost("attempts", *words, "--exclude", code).stdout
    assert [row["code"] for row in milepost.json("check", *words, "--exclude", code)["suspects"]].count(
        code
    ) >= 1  # judged before


def test_what_does_nothing_is_refused(milepost):
    """The others have no such effect."""
    milepost.write("log.jsonl", crowd())
    for code in sorted(set(SUSPECTS) - ACTS.keys()):
        done = milepost("funnel", "log.jsonl", "--exclude", code)
        assert done.returncode == 2 and "leaving that out does nothing" in done.stderr


def test_pickups_kept_through_a_respawn(milepost):
    """A retry that begins with pick-ups counted is found, and void where it is left out."""
    milepost.write("course.toml", COURSE)
    milepost.write(
        "log.jsonl",
        edited(lambda r: [r | {"collected": 2, "available": 3}] if r["event"] == "retry" and r["level"] == "Low Arch" else [r]),
    )
    words = ("log.jsonl", "--course", "course.toml")
    (row,) = [row for row in milepost.json("check", *words)["suspects"] if row["code"] == "carried_over"]
    assert (row["count"], row["levels"]) == (1, ["Low Arch"])
    rows = milepost.json("attempts", *words, "--exclude", "carried_over")["levels"]
    assert [(own["settled"], own["clears"], own["void"]) for own in rows] == [(16, 8, 0), (16, 8, 0), (15, 7, 1)]
