"""Runs: where they begin and end, how far they get, and what comes of playing again."""

import json
from itertools import groupby
from math import exp, log, sqrt

import pytest

from conftest import Program
from driving import installed

LEVELS = ["Jetty Dash", "Fog Bank", "Harbour Bell"]
COURSE = "".join(f'[[level]]\nname = "{level}"\n' for level in LEVELS)
WORDS = ("log.jsonl", "--course", "course.toml")


@pytest.fixture(scope="module")
def race(tmp_path_factory):
    """The program in a folder with the demo of a race; what was printed is in its `shown`."""
    program = Program(tmp_path_factory.mktemp("race"))
    done = installed(["demo", "--which", "race"], program.folder, COLUMNS="100")
    assert done.returncode == 0, done.stderr
    program.shown = done.stdout
    return program


def test_the_demo(race):
    """It unpacks, and runs what is about runs."""
    assert all(text in race.shown for text in ("Runs: how far they get", "Runs by run.lantern", "Funnel of runs"))


def test_the_reach_curve_of_a_short_script(race):
    """Straight from the records, run by run: who got how far, how it ended, and the product over levels of who went on."""
    document = race.json("runs", "race/logs", "--course", "race/course.toml")
    records = [json.loads(line) for line in (race.folder / "race/logs/race.jsonl").read_text().splitlines()]
    names, runs = document["course"]["levels"], []
    for session, own in groupby(sorted(records, key=lambda r: (r["session"], r["time"])), key=lambda r: r["session"]):
        for record in own:
            if record["event"] == "run_start":
                runs.append({"player": session, "furthest": -1, "cause": None, "cleared": set(), "levels": set()})
            elif record["event"] in ("run_end", "session_end") and runs and runs[-1]["cause"] is None:
                runs[-1]["cause"] = record["cause"]
            elif "level" in record:
                runs[-1]["furthest"] = max(runs[-1]["furthest"], names.index(record["level"]))
                runs[-1]["levels"].add(record["level"])
                runs[-1]["cleared"] |= {record["level"]} if record["event"] == "complete" else set()
    runs, share, influence = [run for run in runs if run["furthest"] >= 0], 1.0, {}
    assert document["runs"] == len(runs) == sum(document["ends"].values())
    for place, row in enumerate(document["levels"]):
        here = [run for run in runs if run["furthest"] >= place]
        ended = [run for run in here if run["furthest"] == place and run["cause"] not in ("won", "time_up", "crash", "unknown")]
        assert row["reached"] == sum(row["level"] in run["levels"] for run in runs)
        assert row["cleared"] == sum(row["level"] in run["cleared"] for run in runs)
        assert {cause: n for cause, n in row["ended"].items() if n} == counted(
            run["cause"] for run in here if run["furthest"] == place
        )
        assert row["share"] == pytest.approx(share)
        if 0 < share < 1:
            half = 1.959963984540054 * sqrt(sum(value**2 for value in influence.values())) / abs(log(share))
            assert (row["share_low"], row["share_high"]) == pytest.approx((share ** exp(half), share ** exp(-half)))
        for run in here:
            moved = ((run in ended) - len(ended) / len(here)) / (len(here) - len(ended))
            influence[run["player"]] = influence.get(run["player"], 0.0) + moved
        share *= 1 - len(ended) / len(here)


def counted(values):
    found = {}
    for value in values:
        found[value] = found.get(value, 0) + 1
    return found


def run(session, *levels, begin=0.0, player=None, **more):
    """The records of tries: a level with `!` is failed, one with `?` left open, else cleared."""
    out, time = [], begin
    for level in levels:
        base = {"session": session, "player": player or session, "level": level.strip("!?")}
        out += [base | {"time": time, "event": "start"}]
        if not level.endswith("?"):
            out.append(base | {"time": time + 10.3, "event": "death" if level.endswith("!") else "complete"})
        time += 20
    return [*out, {"session": session, "time": time, **more}] if more else out


def runs(milepost, log, course="", *more):
    milepost.write("log.jsonl", log)
    milepost.write("course.toml", course + COURSE)
    return milepost.json("runs", *WORDS, *more)


def ends(document):
    return {cause: count for cause, count in document["ends"].items() if count}


A, B, C = LEVELS


def test_without_any_mark_a_session_is_a_run(milepost):
    """Two sessions of one player are two runs; a report says nothing of such runs."""
    log = run("s1", A, f"{B}!", player="Ada", event="session_end", cause="quit") + run(
        "s2", A, B, C, player="Ada", event="session_end", cause="quit"
    )
    document = runs(milepost, log)
    assert (document["runs"], document["players"], ends(document)) == (2, 1, {"quit": 1, "won": 1})
    assert [row["number"] for row in document["by_number"]] == [1, 2] and document["to_first_win"]["p50"] == 2
    milepost("report", *WORDS, "-o", "report.json")
    assert json.loads((milepost.folder / "report.json").read_text())["runs"] is None


def test_ends_alone(milepost):
    """After an end the next level event begins the next run, also in another session; an end closes what is open."""
    log = run("s1", f"{A}?", event="run_end", cause="failed") + run("s1", A, f"{B}?", begin=50, event="run_end", cause="won")
    log += run("s1", f"{A}?", begin=120, event="session_end", cause="time_up")
    document = runs(milepost, log)
    assert (document["runs"], ends(document)) == (3, {"failed": 1, "won": 1, "time_up": 1})
    assert [row["ended"]["failed"] for row in document["levels"]] == [1, 0, 0]
    assert [(row["number"], row["furthest_p50"], row["won"], row["again"]) for row in document["by_number"]] == [
        (1, 1.0, 0, 1.0),
        (2, 2.0, 1, None),
        (3, 1.0, 0, None),
    ]
    tries = milepost.json("attempts", *WORDS)["levels"]
    assert [(row["settled"], row["clears"]) for row in tries] == [(2, 1), (1, 1), (0, 0)]
    assert milepost.json("deaths", *WORDS)["levels"][0]["causes"] == {}  # the end's cause is the run's


def test_beginnings(milepost):
    """Play after a game over is no play until a run begins anew; tags of the beginning are the run's."""
    begin = [
        {"session": "s1", "player": "Ada", "time": t, "event": "run_start", "hero": hero}
        for t, hero in ((0, "fox"), (100, "owl"))
    ]
    log = [
        begin[0],
        *run("s1", A, f"{B}!", begin=1, player="Ada"),
        {"session": "s1", "time": 40, "event": "run_end", "cause": "failed"},
        *run("s1", B, begin=50, player="Ada"),
        begin[1],
        *run("s1", A, begin=101, player="Ada", event="session_end", cause="quit"),
    ]
    document = runs(milepost, log)
    assert (document["runs"], ends(document), document["findings"]["after_end"]) == (2, {"failed": 1, "quit": 1}, 2)
    assert [row["reached"] for row in document["levels"]] == [2, 1, 0]
    groups = milepost.json("runs", *WORDS, "--by", "run.hero")["groups"]
    assert [(group["value"], group["runs"], [row["reached"] for row in group["levels"]]) for group in groups] == [
        ("fox", 1, [1, 1, 0]),
        ("owl", 1, [1, 0, 0]),
    ]
    assert milepost.json("attempts", *WORDS, "--where", "run.hero=owl", "--per", "run")["levels"][0]["settled"] == 1
    unknown = milepost("runs", *WORDS, "--by", "run.villain")
    assert unknown.returncode == 2 and "no run_start of the log says villain. They say: run.hero" in unknown.stderr
    assert "fox: 1 run by 1 player; owl: 1 run by 1 player." in milepost("runs", *WORDS, "--by", "run.hero").stdout


def test_an_outcome_right_after_the_end(milepost):
    """It belongs to the attempt that the end closed: its cause and place are the outcome's, and no second one is made."""
    log = [
        *run("s1", f"{A}?"),
        {"session": "s1", "time": 9.2, "event": "run_end", "cause": "failed"},
        {"session": "s1", "time": 9.3, "event": "death", "level": A, "cause": "barge", "progress": 0.4},
    ]
    document = runs(milepost, log)
    row = milepost.json("deaths", *WORDS)["levels"][0]
    assert (document["runs"], row["deaths"], list(row["causes"]), row["progress"][4]) == (1, 1, ["barge"], 1)
    late = [*log[:2], log[2] | {"time": 9.6}]
    assert (
        runs(milepost, late, 'run_starts_at = "Jetty Dash"\n')["findings"].get("after_end") is None
    )  # it begins another one there
    assert runs(milepost, [{"session": "s1", "time": -1, "event": "run_start"}, *late])["findings"]["after_end"] == 1


def test_a_level_at_which_runs_begin(milepost):
    """Each attempt there that follows one elsewhere begins a run; a move there is a restart; ends are by the last attempt."""
    log = run("s1", A, f"{B}!") + [{"session": "s1", "time": 45, "event": "transition", "level": B, "to": A}]
    log += run("s1", f"{A}!", A, B, begin=50) + run("s1", f"{A}!", begin=120, event="session_end", cause="quit")
    document = runs(milepost, log, 'run_starts_at = "Jetty Dash"\n')
    assert (document["runs"], ends(document)) == (3, {"failed": 1, "abandoned": 1, "quit": 1})
    assert milepost.json("moves", *WORDS)["kinds"] == {"restart": 1}
    assert runs(milepost, log, 'run_starts_at = "Jetty Dash"\nrun_starts_on = "start"\n')["runs"] == 4
    assert (
        json.loads(milepost("report", *WORDS, "-o", "r.json") and (milepost.folder / "r.json").read_text())["runs"]["runs"] == 4
    )


def test_over_sessions(milepost):
    """A run goes on over sessions until the next begins, and ends by the cause of the last of them."""
    starts = [{"session": s, "player": "Ada", "time": 0, "event": "run_start"} for s in ("s1", "s3")]
    log = [
        starts[0],
        *run("s1", A, begin=1, player="Ada", event="session_end", cause="time_up"),
        *run("s2", f"{B}!", player="Ada", event="session_end", cause="crash"),
        starts[1],
        *run("s3", A, begin=1, player="Ada", event="session_end", cause="quit"),
    ]
    document = runs(milepost, log)
    assert (document["runs"], ends(document), [row["reached"] for row in document["levels"]]) == (
        2,
        {"crash": 1, "quit": 1},
        [2, 1, 0],
    )
    assert [row["share"] for row in document["levels"]] == [1.0, 0.5, 0.5]  # the crash cuts a run short: it was at risk there
    assert document["by_number"][0]["seconds_p50"] == pytest.approx(20.6)


def test_per_run(milepost):
    """Numbers of tries and first clears begin anew in each run; intervals know that runs cluster in players."""
    log = [
        r
        for n in range(4)
        for t in (0, 100)
        for r in [
            {"session": f"s{n}", "time": t, "event": "run_start"},
            *run(f"s{n}", f"{A}!", A, begin=t + 1, event="run_end", cause="abandoned"),
        ]
    ]
    runs(milepost, log)
    rows = [milepost.json("attempts", *WORDS, *more)["levels"][0] for more in ((), ("--per", "run"))]
    assert [(row["players"], row["settled"], row["clears"], row["p50"]) for row in rows] == [(4, 8, 4, 2), (8, 16, 8, 2)]
    assert milepost.json("attempts", *WORDS, "--per", "run")["per"] == "run"
    funnel = milepost.json("funnel", *WORDS, "--per", "run")
    assert (funnel["runs"], funnel["levels"][0]["reached"], funnel["levels"][0]["ended_abandoned"]) == (8, 8, 8)
    assert "lost" not in funnel["levels"][0] and "stopped" not in funnel["levels"][0]
    assert milepost.json("times", *WORDS, "--per", "run")["levels"][0]["clears"] == 8
    assert milepost.json("spikes", *WORDS, "--per", "run")["levels"][0]["tries"] == 16
    for option in (("--by", "session"), ("--figure", "f.png"), ("--raw",)):
        done = milepost("funnel", *WORDS, "--per", "run", *option)
        assert done.returncode == 2 and "does not go with --per run" in done.stderr


@pytest.mark.parametrize(
    ("lines", "said"),
    [
        ('run_starts_at = "Jety Dash"', "Write 'Jetty Dash'"),
        ('run_starts_on = "start"', "beside run_starts_at"),
        ('run_starts_at = "Jetty Dash"\nrun_starts_on = "retry"', "beside run_starts_at"),
        ("endless = 1", "endless must be true or false"),
    ],
)
def test_rules_that_cannot_be(milepost, lines, said):
    """One line that says what would do."""
    milepost.write("log.jsonl", run("s1", A))
    milepost.write("course.toml", lines + "\n" + COURSE)
    done = milepost("runs", *WORDS)
    assert done.returncode == 2 and said in done.stderr


def test_runs_in_parts(race):
    """Work over parts gives the same."""
    words = ("race/logs", "--course", "race/course.toml")
    for command in (("runs",), ("funnel", "--per", "run"), ("attempts", "--per", "run"), ("runs", "--by", "run.lantern")):
        assert race.json(command[0], *words, *command[1:], "--memory", "300MB") == race.json(command[0], *words, *command[1:])


def test_a_course_without_an_end(milepost):
    """Levels that it does not have follow in natural order; nobody stops or is lost, and it is said whose furthest each is."""
    levels = [*LEVELS, *(f"Deep {n}" for n in range(1, 12))]
    log = [r for n in range(6) for r in run(f"s{n}", *levels[: 3 + 2 * n], event="session_end", cause="quit")]
    milepost.write("log.jsonl", log)
    milepost.write("course.toml", "endless = true\n" + COURSE)
    document = milepost.json("funnel", *WORDS)
    assert document["course"]["levels"] == levels[:13] and "unknown_level" not in document["findings"]
    assert [row["reached"] for row in document["levels"]][:5] == [6, 6, 6, 5, 5]
    assert [row["ended_here"] for row in document["levels"]][:6] == [0, 0, 1, 0, 1, 0]
    gone = [key for key in document["levels"][0] if key.startswith(("stopped", "lost", "drop_off", "retention"))]
    assert len(gone) == 21 and all(row[key] is None for row in document["levels"] for key in gone)
    assert milepost.json("runs", *WORDS)["ends"]["won"] == 0
    assert "there is no last level" not in milepost("funnel", *WORDS, "--figure", "f.png").stderr
    for form in ("report.md", "report.json"):
        done = milepost("report", *WORDS, "-o", form)
        assert done.returncode == 0, done.stderr
    assert "The course has no end" in (milepost.folder / "report.md").read_text()
    for command in ("check", "attempts", "times", "deaths", "spikes", "moves", "coverage"):
        assert milepost(command, *WORDS).returncode == 0
    assert milepost("level", "Deep 3", *WORDS).returncode == 0
    assert milepost.json("funnel", *WORDS, "--memory", "300MB") == document


def test_the_funnel_is_one_of_players(race):
    """Counted per run, too: who reached a level and was lost there is a player, so that a share has one kind of thing above and below."""
    words = ("race/logs", "--course", "race/course.toml")
    players, runs = (race.json("spikes", *words, *more)["levels"] for more in ((), ("--per", "run")))
    assert [(row["reached"], row["lost"]) for row in runs] == [(row["reached"], row["lost"]) for row in players]
    assert runs[0]["reached"] == 22 and runs[4]["tries"] > players[4]["tries"]


def test_who_cleared_it_before_has_not_left_there(milepost):
    """A last run that fails at a level which an earlier one cleared is no leaving of that level for good."""
    log = run("s1", f"{A}!", A, event="run_end", cause="abandoned") + run(
        "s1", f"{A}!", begin=60, event="session_end", cause="quit"
    )
    runs(milepost, log + run("s2", f"{A}!", event="session_end", cause="quit"))
    watch = milepost.json("level", A, *WORDS)["watch"]
    assert [(one["player"], one["left"]) for one in watch] == [("s2", True)], "s1, who cleared it at once, has little to show"
