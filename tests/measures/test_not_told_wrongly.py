"""Sentences that were wrong where a log lacks what they rest on: transitions, loads that fail, runs, ends of the game, floors."""

import random

LEVELS = ["Mill Pond", "Low Arch", "Long Lock"]


def evening(player, moves=True, fails_at=None, end="time_up", credits=True, deaths=1):
    """One session through three levels, with or without transitions; the load after one level may fail."""
    lines, clock = [], 0
    for n, level in enumerate(LEVELS):
        base = {"session": f"s{player}", "level": level}
        for outcome in ["death"] * deaths + ["complete"]:
            lines += [base | {"time": clock, "event": "start"}, base | {"time": clock + 20 + player, "event": outcome}]
            clock += 50
        if moves:
            to = LEVELS[n + 1] if n < 2 else "credits" if credits else None
            lines.append(base | {"time": clock, "event": "transition", "to": to})
        if fails_at == level:
            break
    return [*lines, {"session": f"s{player}", "time": clock + 9, "event": "session_end", "cause": end}]


def test_moves_without_transitions(milepost):
    """Starts one after the other are moves, where the log has no transitions."""
    milepost.write("log.jsonl", [line for n in range(8) for line in evening(n, moves=False)])
    document = milepost.json("coverage", "log.jsonl")
    assert [row["went_on"] for row in document["levels"]] == [8, 8, 0] and document["moves_hardly_tested"] == []
    milepost.write("log.jsonl", [line for n in range(8) for line in evening(n)])
    assert milepost.json("coverage", "log.jsonl")["levels"] == document["levels"]


def test_loads_that_fail(milepost):
    """Moves that never arrive are said, and not that every move was well tested."""
    milepost.write(
        "log.jsonl", [line for n in range(8) for line in evening(n, fails_at="Mill Pond" if n < 3 else None, end="quit")]
    )
    assert [row["never_there"] for row in milepost.json("coverage", "log.jsonl")["levels"]] == [3, 0, 0]
    shown = " ".join(milepost("coverage", "log.jsonl").stdout.split())
    assert (
        "Mill Pond: 3 of 8 players who moved on never tried the next level. Did it load?" in shown and "well tested" not in shown
    )


def test_the_end_of_the_game_is_no_failed_move(milepost):
    """Where most winners go after the last level is the end; a level that never starts is a failed move all the same."""
    lines = [line for n in range(8) for line in evening(n, end="quit")]
    milepost.write("log.jsonl", lines)
    assert "failed_transition" not in [row["code"] for row in milepost.json("check", "log.jsonl")["suspects"]]
    lost = [line for n in range(8, 12) for line in evening(n, fails_at="Low Arch", end="quit")]
    milepost.write("log.jsonl", lines + lost)
    (row,) = [row for row in milepost.json("check", "log.jsonl")["suspects"] if row["code"] == "failed_transition"]
    assert row["levels"] == ["Low Arch"] and row["count"] == 4


def test_a_game_without_runs(milepost):
    """It is said first that sessions are told as runs."""
    lines = [line for n in range(6) for line in evening(n)]
    milepost.write("log.jsonl", lines)
    assert not milepost.json("runs", "log.jsonl")["marked"] and "No run is marked" in milepost("runs", "log.jsonl").stdout
    milepost.write("log.jsonl", [{"session": "s0", "time": 0, "event": "run_start"}, *lines])
    assert milepost.json("runs", "log.jsonl")["marked"] and "No run is marked" not in milepost("runs", "log.jsonl").stdout


def test_answers_on_a_scale_with_a_floor(milepost):
    """A level that nobody calls hard is not felt harder than it plays, and no interval leaves the scale."""
    rng, lines, answers = random.Random(4), [], ["player,level,question,answer"]
    levels = [f"Lock {n}" for n in range(6)]
    for player in range(27):
        clock = 0
        for n, level in enumerate(levels):
            for outcome in ["death"] * rng.choice([0, 0, n]) + ["complete"]:
                base = {"session": f"p{player}", "level": level}
                lines += [base | {"time": clock, "event": "start"}, base | {"time": clock + 30, "event": outcome}]
                clock += 40
            said = ("fair" if player < 12 else "easy") if n == 0 else "easy" if player < 26 else "fair"
            answers.append(f"p{player},{level},How hard was it?,{said}")
    milepost.write("logs/log.jsonl", lines)
    milepost.write("answers.csv", "\n".join(answers) + "\n")
    order = '[answers."How hard was it?"]\norder = ["easy", "fair", "hard"]\nharder = "up"\n'
    milepost.write("milepost.toml", 'logs = ["logs"]\nanswers = "answers.csv"\n' + order)
    (question,) = milepost.json("answers")["questions"]
    assert "felt harder than it plays" not in [one["reading"] for one in question["apart"]]
    assert all(row["mean_low"] >= 1 and row["mean_high"] <= 3 for row in question["levels"] if row["mean_low"] is not None)
