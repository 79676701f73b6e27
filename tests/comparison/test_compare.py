"""Two builds side by side, by the program: on the demo, and on small logs worked out by hand."""

import csv
import io
import json

import pytest

import milepost as milepost_api

DEMO = ("wickwater/logs", "wickwater/next", "--course", "wickwater/course.toml")
NEXT = ("--course-to", "wickwater/next/course.toml")


@pytest.fixture(scope="module")
def compared(wickwater):
    return wickwater.json("compare", *DEMO, *NEXT)


def by_level(document):
    return {row["level"]: row for row in document["levels"]}


def session(name, build, *steps, player=None, **more):
    """Steps are levels that are cleared, or with a minus before them, failed; with a plus, entered by a transition and cleared."""
    lines, time, before = (
        [{"session": name, "time": 0, "event": "session_start", "player": player or name, "build": build, **more}],
        1,
        None,
    )
    for step in steps:
        level = step.lstrip("-")
        if before is not None and before != level:
            lines.append({"session": name, "time": time, "event": "transition", "level": before, "to": level})
        lines.append({"session": name, "time": time + 1, "event": "start", "level": level})
        lines.append(
            {"session": name, "time": time + 11, "event": "death" if step.startswith("-") else "complete", "level": level}
        )
        time, before = time + 20, level
    return [*lines, {"session": name, "time": time, "event": "session_end", "cause": "time_up"}]


def course(*names, **more):
    text = "".join(f'[[level]]\nname = "{name}"\n{more.get(name.replace(" ", "_"), "")}' for name in names)
    return more.get("head", "") + text


def many(build, *steps, count=8, first=0, **more):
    return [
        line
        for n in range(first, first + count)
        for line in session(f"{build}-{n}", build, *steps, player=f"{build} player {n}", **more)
    ]


def test_the_demo_teaches_it(compared):
    """A mended level, one harder by mistake, all moved by the steering, players who came back."""
    rows = by_level(compared)
    assert (rows["Low Arch"]["verdict"], rows["Salt Steps"]["verdict"]) == ("easier", "harder")
    assert {row["verdict"] for name, row in rows.items() if name not in ("Low Arch", "Salt Steps")} <= {"same", "no_telling"}
    assert (
        rows["Low Arch"]["delta_low"] < -2.1 < rows["Low Arch"]["delta_high"]
        and rows["Salt Steps"]["delta_low"] < 1.9 < rows["Salt Steps"]["delta_high"]
    )
    assert [knob["knob"] for knob in rows["Low Arch"]["knobs"]] == ["arch_width"] and rows["Low Arch"]["knobs"][0][
        "harder"
    ] is False
    assert (rows["Low Arch"]["cause"], rows["Salt Steps"]["cause"], rows["Mill Pond"]["cause"]) == ("likely", "likely", None)
    shift = compared["shift"]
    assert shift["low"] < -0.5 < shift["high"] < 0 and shift["reading"] == "game_or_players" and shift["players_both"] == 16
    assert compared["compared"]["chosen"] and (compared["compared"]["before"], compared["compared"]["after"]) == ("0.8", "0.9")
    assert compared["left_out"]["other_builds"] == 26 and compared["left_out"]["no_build"] == 0


def test_sentences_first(wickwater):
    """What got easier, what harder, whether all moved, and how many players would tell."""
    said = wickwater("compare", *DEMO, *NEXT, COLUMNS="200").stdout
    for text in (
        "Low Arch got easier: of 10 first tries, ",
        "Salt Steps got harder",
        "All levels got easier",
        "cannot tell the two apart",
        "would take",
        "▲ harder",
        "▼ easier",
        "0.8 and 0.9 appeared last",
    ):
        assert text in said
    assert said.index("Low Arch got easier") < said.index("Salt Steps got harder") < said.index("All levels got easier")


def test_forms_agree(wickwater, compared):
    """CSV has the same figures, flat; a store and work over parts say the same as the logs."""
    rows = list(csv.DictReader(io.StringIO(wickwater("compare", *DEMO, *NEXT, "--format", "csv").stdout)))
    assert [row["level"] for row in rows] == [row["level"] for row in compared["levels"]]
    one = by_level(compared)["Low Arch"]
    flat = next(row for row in rows if row["level"] == "Low Arch")
    assert (int(flat["from_players"]), float(flat["to_difficulty"])) == (one["from"]["players"], one["to"]["difficulty"])
    assert wickwater("pack", *DEMO[:2], "-o", "both.store").returncode == 0
    for words in (("both.store", *DEMO[2:]), (*DEMO, "--memory", "1MB")):
        assert wickwater.json("compare", *words, *NEXT) == compared
    assert wickwater("compare", *DEMO, *NEXT, "--figure", "compare.png").returncode == 0


def test_a_removed_level_is_no_skip(milepost):
    """Each build is replayed by its own order, with one course file that says who has what, with two, and with none."""
    milepost.write("log.jsonl", many("0.7", "A", "B", "C", "D") + many("0.8", "A", "C", "D", "E"))
    milepost.write("one.toml", course("A", "B", "C", "D", "E", B='not_in = ["0.8"]\n', E='builds = ["0.8"]\n'))
    milepost.write(
        "listed.toml", '[order]\n"0.7" = ["A", "B", "C", "D"]\n"0.8" = ["A", "C", "D", "E"]\n' + course("A", "B", "C", "D", "E")
    )
    milepost.write("old.toml", course("A", "B", "C", "D"))
    milepost.write("new.toml", course("A", "C", "D", "E"))
    for words in (
        ["--course", "one.toml"],
        ["--course", "listed.toml"],
        ["--course-from", "old.toml", "--course-to", "new.toml"],
        [],
    ):
        document = milepost.json("compare", "log.jsonl", *words)
        rows = by_level(document)
        assert {name: row["status"] for name, row in rows.items()} == {
            "A": "both",
            "B": "removed",
            "C": "both",
            "D": "both",
            "E": "added",
        }
        assert [row["level"] for row in document["levels"]] == ["A", "B", "C", "D", "E"]
        assert all(row["to"]["players"] == 8 for name, row in rows.items() if name != "B") and rows["B"]["to"] is None
        assert rows["B"]["verdict"] is None and document["kept_at_end"]["to"] == 1.0
    for words in (["--course", "one.toml"], ["--course", "listed.toml"]):
        levels = {row["level"]: row for row in milepost.json("funnel", "log.jsonl", *words)["levels"]}
        assert (levels["A"]["reached"], levels["B"]["reached"], levels["D"]["reached"], levels["E"]["cleared"]) == (16, 8, 16, 8)
        assert sum(row["stopped"] for row in levels.values()) == 0 and sum(row["stopped_skip"] for row in levels.values()) == 0
        assert milepost.json("moves", "log.jsonl", *words)["kinds"] == {"advance": 48}
        grouped = milepost.json("funnel", "log.jsonl", *words, "--by", "build")["groups"]
        assert [[row["level"] for row in group["levels"]] for group in grouped] == [["A", "B", "C", "D"], ["A", "C", "D", "E"]]


def test_moved_and_renamed(milepost):
    milepost.write("log.jsonl", many("0.7", "Pond", "B", "C", "D") + many("0.8", "B", "C", "D", "Mill Pond"))
    milepost.write("old.toml", course("Pond", "B", "C", "D"))
    milepost.write("new.toml", course("B", "C", "D", "Mill Pond", Mill_Pond='aliases = ["Pond"]\n'))
    rows = by_level(milepost.json("compare", "log.jsonl", "--course-from", "old.toml", "--course-to", "new.toml"))
    assert (rows["Mill Pond"]["moved"], rows["Mill Pond"]["renamed"], rows["Mill Pond"]["from"]["level"]) == (True, True, "Pond")
    assert not any(rows[name]["moved"] or rows[name]["renamed"] for name in "BCD")


def test_tries_begin_anew(milepost):
    """A player's first clear in the second build counts, whatever was cleared in the first."""
    log = [
        line
        for n in range(6)
        for build in ("0.7", "0.8")
        for line in session(f"{n}-{build}", build, "-A", "A", "B", player=f"p{n}")
    ]
    milepost.write("log.jsonl", log)
    milepost.write("course.toml", course("A", "B"))
    document = milepost.json("compare", "log.jsonl", "--course", "course.toml")
    row = by_level(document)["A"]
    assert row["from"]["tries"] == row["to"]["tries"] == 12 and row["attempts_ratio"] == 1.0
    assert (
        document["players"] == 6 and document["players_from"] == document["players_to"] == document["shift"]["players_both"] == 6
    )


def test_a_level_that_nobody_clears_any_more(milepost):
    """It is harder with an open end, whatever the model says; five players at least."""
    for count, verdict in ((6, "harder"), (4, "no_telling")):
        milepost.write("log.jsonl", many("0.7", "A", "-B", "B", "C", "D") + many("0.8", "A", "-B", "-B", count=count))
        milepost.write("course.toml", course("A", "B", "C", "D"))
        row = by_level(milepost.json("compare", "log.jsonl", "--course", "course.toml"))["B"]
        assert row["verdict"] == verdict
        assert (row["change_high"] is None) == (verdict == "harder")


def test_kept_at_the_end_and_drop_off_by_hand(milepost):
    """Of ten who reach it, four are lost in the one build and one in the other."""

    def build(name, lost):
        return [
            line | ({"cause": "quit"} if line["event"] == "session_end" and n < lost else {})
            for n in range(10)
            for line in session(f"{name}{n}", name, "A", *(["-B"] if n < lost else ["B"]), player=f"{name}{n}")
        ]

    milepost.write("log.jsonl", build("0.7", 4) + build("0.8", 1))
    milepost.write("course.toml", course("A", "B"))
    document = milepost.json("compare", "log.jsonl", "--course", "course.toml")
    row = by_level(document)["B"]
    assert row["drop_off_change"] == pytest.approx(-0.3) and row["drop_off_change_low"] < -0.3 < row["drop_off_change_high"]
    assert (document["kept_at_end"]["from"], document["kept_at_end"]["to"]) == (pytest.approx(0.6), pytest.approx(0.9))


def test_causes_and_words_that_came_or_went(milepost):
    def build(name, cause, hits):
        lines = []
        for n in range(12):
            own = session(f"{name}{n}", name, "-A", "A", "B", "C", player=f"{name}{n}")
            own[2]["cause"] = cause
            extra = [{"session": f"{name}{n}", "time": 5, "event": "hit", "level": "A"}] * 2 if hits else []
            lines += [*own[:2], *[e | {"time": 4 + k} for k, e in enumerate(extra)], *own[2:]]
        return lines

    milepost.write("log.jsonl", build("0.7", "reeds", True) + build("0.8", "low beam", False))
    milepost.write("course.toml", course("A", "B", "C"))
    row = by_level(milepost.json("compare", "log.jsonl", "--course", "course.toml"))["A"]
    assert {(one["cause"], one["change"], one["from"], one["to"]) for one in row["causes"]} == {
        ("reeds", "went", 12, 0),
        ("low beam", "came", 0, 12),
    }
    assert [(one["event"], one["never_in"]) for one in row["words"]] == [("hit", "0.8")]
    calm = by_level(milepost.json("compare", "log.jsonl", "--course", "course.toml"))["B"]
    assert calm["causes"] == [] and calm["words"] == [] and calm["cause"] is None


def test_other_keys_and_groups(wickwater):
    document = wickwater.json("compare", *DEMO, "--key", "role", "--from", "newcomer", "--to", "regular", "--where", "build=0.9")
    assert document["compared"]["key"] == "role" and document["players"] == 60
    grouped = wickwater.json("spikes", *DEMO, "--by", "platform")
    assert {pair["group"] for pair in grouped["compared"]} == {"handheld", "tablet"}


def test_looks_ask_for_more(wickwater, compared):
    often = by_level(wickwater.json("compare", *DEMO, *NEXT, "--looks", "1000000000"))
    assert (
        often["Salt Steps"]["verdict"] == "no_telling"
        and often["Salt Steps"]["q_value"] == by_level(compared)["Salt Steps"]["q_value"]
    )


@pytest.mark.parametrize(
    ("words", "said"),
    [
        (["--from", "0.6"], "no session has build '0.6'"),
        (["--from", "0.8", "--to", "0.8"], "cannot be compared with itself"),
        (["--key", "colour"], "the log has no colour"),
        (["--untouched", "Nowhere"], "no level of both builds is called so"),
        (["--looks", "0"], "no whole number from 1 up"),
        (["--course-to", "missing.toml"], "missing.toml"),
        (["--course-to", "wickwater/next/course.toml", "-o", "wickwater/next/course.toml"], "would be lost"),
    ],
)
def test_what_cannot_be(wickwater, words, said):
    done = wickwater("compare", *DEMO, *words)
    assert done.returncode == 2 and done.stderr.count("\n") == 1 and said in done.stderr


@pytest.mark.parametrize(
    ("text", "said"),
    [
        ('[order]\n"0.7" = ["A", "Z"]\n', "order.0.7: no level is called 'Z'"),
        ('[order]\n"0.7" = ["A", "A"]\n', "stands there twice"),
        ("order = 3\n", "order is a table of builds"),
        ('[order]\n"0.7" = []\n', "has no level"),
    ],
)
def test_orders_that_make_no_sense(milepost, small_log, text, said):
    milepost.write("log.jsonl", small_log)
    milepost.write("course.toml", text + course("A", "B"))
    done = milepost("funnel", "log.jsonl", "--course", "course.toml")
    assert done.returncode == 2 and said in done.stderr and "course.toml" in done.stderr


def test_logs_of_nothing_much(milepost, small_log):
    """One build, none, or two without a try in common: said, or shown, and no traceback."""
    milepost.write("none.jsonl", small_log)
    milepost.write("one.jsonl", many("0.7", "A"))
    milepost.write("apart.jsonl", many("0.7", "A", count=2) + many("0.8", "B", count=2))
    assert "the log has no build" in milepost("compare", "none.jsonl").stderr
    assert "there is nothing to compare it with" in milepost("compare", "one.jsonl").stderr
    document = milepost.json("compare", "apart.jsonl")
    assert document["shift"]["size"] is None and {row["status"] for row in document["levels"]} == {"removed", "added"}
    assert json.loads(milepost("report", "one.jsonl", "--format", "json", "-o", "r.json").stdout or "{}") == {}
    assert json.loads((milepost.folder / "r.json").read_text())["compare"] is None
    assert milepost("report", "apart.jsonl", "-o", "r.html").returncode == 0


def test_what_is_left_out_in_a_notebook(wickwater):
    """A comparison within a play leaves out what the play did, on both sides, as the command does."""
    logs, course = str(wickwater.folder / "wickwater/logs"), wickwater.folder / "wickwater/course.toml"
    told = []
    for codes in ((), ("untagged_skip",)):
        play = milepost_api.replay([logs], course, exclude=codes, every_record=True)
        more = ("--exclude", *codes) if codes else ()
        rows = wickwater.json("compare", "wickwater/logs", *DEMO[2:], *more)["levels"]
        told.append([row["delta"] for row in rows])
        assert milepost_api.compare(play)["delta"].tolist() == pytest.approx(told[-1])
    assert told[0] != told[1]
