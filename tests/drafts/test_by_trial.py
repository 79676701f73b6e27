"""Maps drafted by trial: foreign logs drawn at random, in words that no list knows, are read as they were played."""

import json
import os
import random
import re
import sys
from contextlib import suppress
from pathlib import Path

import pytest

from thoroughness import some_always, some_rows_always

sys.path.insert(0, str(Path(__file__).parents[2] / "benchmarks"))
from foreign import try_one
from foreign_logs import SHAPES, drawn
from foreign_texts import MORE_SHAPES

from milepost.drafts.event_labels import CLEARS, ENDS, FAILS, INSIDE, OPENS, LabelSearch
from milepost.drafts.line_patterns import draft_patterns
from milepost.drafts.sampled_table import read_times
from milepost.vocabulary import EVENTS


@pytest.mark.parametrize("number", some_always(range(len(SHAPES))))
def test_each_shape(number, tmp_path, monkeypatch):
    """A random log of each shape is read exactly."""
    monkeypatch.chdir(tmp_path)
    shape = list(SHAPES)[number]
    try:
        kind = try_one(910_004 + number, shape)[2]
    finally:
        os.chdir(tmp_path)
    assert kind == "exact", (shape, kind)


@pytest.mark.parametrize("shape", some_always(MORE_SHAPES))
def test_texts_trees_and_sheets(shape, tmp_path, monkeypatch):
    """Texts, trees and sheets as people and engines write them are read in words that no list knows."""
    monkeypatch.chdir(tmp_path)
    try:
        assert try_one(930_101, shape)[2] == "exact"
    finally:
        os.chdir(tmp_path)


SHEET = """tester,map,outcome,time
Ada,Mill Pond,lost,21.5
Ada,Mill Pond,won,14
Ada,Low Arch,won,30.5
Ada,Salt Steps,lost,12
Ada,Salt Steps,won,25
Bo,Mill Pond,won,18
Bo,Low Arch,lost,33
Bo,Low Arch,lost,9.5
Bo,Low Arch,went home,20
Cass,Mill Pond,went home,41
Dorrit,Mill Pond,won,16
Dorrit,Low Arch,lost,28
Dorrit,Low Arch,won,11
Dorrit,Salt Steps,won,35
"""


@pytest.mark.parametrize("order", ["by player", "by level"])
@pytest.mark.parametrize("columns", [4, 3])
def test_a_small_sheet(milepost, order, columns):
    """What headings say is believed where a sheet is as good the other way round; a time that does not rise is how long a try
    took; a try that was left is one."""
    head, *rows = ([*line.split(",")][:columns] for line in SHEET.splitlines())
    rows = rows if order == "by player" else sorted(rows, key=lambda row: ("Mill Pond", "Low Arch", "Salt Steps").index(row[1]))
    milepost.write("sheet.csv", "\n".join(",".join(row) for row in [head, *rows]) + "\n")
    assert milepost("map", "sheet.csv", "-o", "map.toml").returncode == 0
    text = (milepost.folder / "map.toml").read_text()
    assert '"went home" = "quit"' in text and ('lasted = "time"' in text) == (columns == 4)
    rows = milepost.json("funnel", "sheet.csv", "--map", "map.toml")["levels"]
    told = [(row["level"], row["reached"], row["cleared"], row["stopped_quit"]) for row in rows]
    assert told == [("Mill Pond", 4, 3, 1), ("Low Arch", 3, 2, 1), ("Salt Steps", 2, 2, 0)]
    tries = milepost.json("times", "sheet.csv", "--map", "map.toml")
    timed = [(row["timed"], row["untimed"], row["runs"], row["betweens"] > 0) for row in tries["levels"]]
    known = [(4, 0, 3, True), (3, 0, 2, True), (2, 0, 2, False)]
    assert timed == known if columns == 4 else timed == [(0, 4, 0, False), (0, 3, 0, False), (0, 2, 0, False)]
    assert not {"outcome_without_start", "implied_retry"} & tries["findings"].keys(), "each row is a try by itself"


def test_phrases_of_an_engine():
    """A phrase of one word or several is what happened; lines that speak of something else are a kind of their own."""
    lines = []
    for n in range(24):
        for said in ("BeginPlay", "Objective reached", "Boat lost"):
            lines.append(f"[00:{n:02d}:07] Lock: {said} at 'Arch{n % 4}' by p{n % 5}")
        lines.append(f"[00:{n:02d}:09] Water: pool over budget by {n} MB")
    records = [match.groupdict() for line in lines for pattern in draft_patterns(lines) if (match := re.fullmatch(pattern, line))]
    assert len(records) == len(lines)
    played = [own for own in records if own.get("at")]
    assert {own["lock"] for own in played} == {"BeginPlay", "Objective reached", "Boat lost"} and len(played) == 72
    assert {own["by"] for own in played} == {f"p{n}" for n in range(5)}


def session(*tries):
    """The words of one session: per try, whether it was cleared."""
    events, level = [], 0
    for cleared in tries:
        events += [(0, level), (1, level), (2 if cleared else 3, level)]
        level += cleared
    return [*events, (4, -1)]


def test_words_are_told_by_where_they_stand():
    """No word is known: openings, failures, clears and ends are told by what follows them."""
    sessions = [session(n % 2, 1, 0, 1, n % 3 == 0, 1, 1) for n in range(12)]
    labelling = LabelSearch(sessions, 5, {}).best()
    assert labelling.labels == (OPENS, INSIDE, CLEARS, FAILS, ENDS)
    assert labelling.clears == sum(word == 2 for own in sessions for word, _ in own) and labelling.clears_followed == 1.0


def test_what_is_said_of_a_word_wins():
    """A label that a user fixed stays, whatever explains more."""
    sessions = [session(0, 1, 1, 0, 1) for _ in range(8)]
    assert LabelSearch(sessions, 5, {}, fixed={1: OPENS, 0: INSIDE}).best().labels[:2] == (INSIDE, OPENS)


@pytest.mark.parametrize(
    ("written", "kind", "seconds"),
    [
        (("0:00:02", "1:00:02,5"), "clock", 3600.5),
        (("02.03.2026 17:30:02", "02.03.2026 17:31:02"), "local", 60),
        (("03/02/2026 05:30:02 PM", "03/02/2026 06:30:02 PM"), "local", 3600),
        (("2026-03-02T17:30:02Z", "2026-03-02T17:30:03.5+00:00"), "stamp", 1.5),
        (("17,25", "18,75"), "number", 1.5),
        (("Mar 02 17:30:02", "Mar 02 17:30:12"), "local", 10),
    ],
)
def test_how_times_are_written(written, kind, seconds):
    times, form = read_times(written)
    assert form.kind == kind and times[1] - times[0] == pytest.approx(seconds)


def test_patterns_of_lines_that_are_alike():
    """What is the same in all lines of a kind stays; what varies is a column, called by the word before it."""
    lines = [f"[{n}.5] tester p{n % 3} {word} gate {n % 4}" for n in range(20) for word in ("fell", "passed")]
    patterns = draft_patterns(lines)
    assert patterns == [r"\[(?P<time>\S+?)\]\s+tester\s+(?P<tester>\S+?)\s+(?P<word>\S+?)\s+gate\s+(?P<gate>\S+?)\s*"]


def test_a_draft_says_what_it_explains(milepost):
    """The score, the next best, and each line's reason stand in the map; what is set beforehand is followed."""
    log, _ = drawn(15, milepost.folder, "events")
    done = milepost("map", *log.names)
    assert done.returncode == 0 and "# Score " in done.stdout and "% of records used" in done.stdout
    level, death = log.roles["level"], log.roles["death"]
    done = milepost("map", *log.names, "--set", f"level={level}", "--set", f"{death}=reset")
    assert f'"{level}"' in done.stdout and '"reset"' in done.stdout
    for wrong in ("level", "unit=weeks", "fall=tumble"):
        done = milepost("map", *log.names, "--set", wrong)
        assert done.returncode == 2 and len(done.stderr.splitlines()) == 1, wrong


def test_nothing_to_be_understood(milepost):
    """No map is made up of columns that say nothing of play: status 2, and the columns that there are."""
    rows = "".join(f"{n},{n * 7 % 5},x\n" for n in range(40))
    milepost.write("numbers.csv", "a,b,c\n" + rows)
    done = milepost("map", "numbers.csv")
    assert done.returncode == 2 and not done.stdout and "no way was found to read this log" in done.stderr
    assert milepost("init", "numbers.csv").returncode == 2 and not (milepost.folder / "milepost.toml").exists()


def test_the_folder_of_a_foreign_log(milepost):
    """`init` drafts map and course, and ends with the funnel's first levels; a map that is given is copied."""
    log, play = drawn(11, milepost.folder, "results without starts")
    done = milepost("init", *log.names, "-o", "one")
    assert done.returncode == 0, done.stderr
    assert "The funnel begins so:" in done.stdout and "players reached it" in done.stdout
    done = milepost("init", *log.names, "-o", "two", "--map", "one/map.toml")
    assert (
        done.returncode == 0 and (milepost.folder / "two/map.toml").read_text() == (milepost.folder / "one/map.toml").read_text()
    )
    assert play.levels


@pytest.mark.parametrize("seed", [2701, 2702, 2703])
def test_a_log_of_ours_is_taken_as_it_is(milepost, seed):
    """Its words mean what they say, whatever else would explain as much; its map changes no figure."""
    assert milepost("simulate", "--seed", str(seed), "--players", "14", "--faults", "-o", "log.jsonl").returncode == 0
    assert milepost("map", "log.jsonl", "-o", "map.toml").returncode == 0
    text = (milepost.folder / "map.toml").read_text(encoding="utf-8")
    events = text.partition("[events]")[2].strip().splitlines()[1:]
    assert events and all(line.startswith("#") for line in events), text
    for command in ("funnel", "attempts", "times"):
        plain, mapped = (milepost.json(command, "log.jsonl", *more)["levels"] for more in ((), ("--map", "map.toml")))
        assert plain == mapped, command


def test_one_word_of_another(milepost):
    """In a log of ours one word is called otherwise: the draft says what it means, and a folder reads the log through it."""
    assert milepost("simulate", "--seed", "2720", "--players", "20", "-o", "ours.jsonl").returncode == 0
    ours = (milepost.folder / "ours.jsonl").read_text(encoding="utf-8")
    milepost.write("log.jsonl", re.sub(r'"event": ?"death"', '"event": "sank"', ours))
    assert milepost("init", "log.jsonl", "-o", "folder").returncode == 0
    assert '"sank" = "death"' in (milepost.folder / "folder/map.toml").read_text(encoding="utf-8")
    assert milepost("init", "ours.jsonl", "-o", "plain").returncode == 0 and not (milepost.folder / "plain/map.toml").exists()
    found = milepost.json("attempts", "log.jsonl", "--map", "folder/map.toml")["levels"]
    assert found == milepost.json("attempts", "ours.jsonl")["levels"]


def test_a_word_of_one_record_is_not_guessed(milepost):
    """Nor is anything made of events that are no words."""
    lines = [
        {"session": f"s{session}", "time": 60 * number + 20 * (event == "complete"), "event": event, "level": f"Weir {number}"}
        for session in range(12)
        for number in range(10)
        for event in ("start", "complete")
    ]
    lines += [
        {"session": "s1", "time": 700 + n, "event": word, "level": "Weir 2"}
        for n, word in enumerate((["start"], {"a": 1}, "flick"))
    ]
    milepost.write("log.jsonl", lines)
    text = milepost("map", "log.jsonl").stdout
    assert '# "flick" = "?"  # NOT GUESSED, 1 record' in text and '"flick" = "session_end"' not in text


def test_a_plain_log_of_ours_with_one_word_of_another(milepost):
    """Nine records in ten need not be ours: where a third are of one other word, the folder reads them through a map as well."""
    lines = []
    for session in range(20):
        for number in range(24):
            level, base = f"Weir {number // 2}", {"session": f"s{session}", "time": 40.0 * number}
            lines += [base | {"event": "start", "level": level}]
            lines += [base | {"time": 40.0 * number + 20, "event": "sank" if number % 2 == 0 else "complete", "level": level}]
    milepost.write("log.jsonl", "".join(json.dumps(line) + "\n" for line in lines))
    assert milepost("init", "log.jsonl", "-o", "folder").returncode == 0
    rows = milepost.json("attempts", "log.jsonl", "--map", "folder/map.toml")["levels"]
    assert [(row["settled"], row["clears"]) for row in rows] == [(40, 20)] * 12


@pytest.mark.parametrize("seed", [2711])
def test_a_rich_log_in_words_that_nobody_knows(wickwater, milepost, seed):
    """Thirteen words of events, and numbers, levels and causes beside them, all called anything: what the log does says which."""
    draw = random.Random(seed)
    words = ["".join(draw.choice("bdgklmnprstvz") + draw.choice("aeiou") for _ in range(3)) for _ in range(200)]
    called = dict(zip((*EVENTS, "session", "time", "event", "level"), dict.fromkeys(words), strict=False))
    lines = []
    log = (wickwater.folder / "wickwater/logs/evening-1.jsonl").read_text(encoding="utf-8").splitlines()[:2800]
    milepost.write("ours.jsonl", "\n".join(log))
    for line in log:
        with suppress(ValueError):
            record = {called.get(name, name): value for name, value in json.loads(line).items()}
            record[called["event"]] = called.get(record.get(called["event"]), "zz")
            lines.append(json.dumps(record))
    milepost.write("log.jsonl", "\n".join(lines))
    assert milepost("map", "log.jsonl", "-o", "map.toml").returncode == 0
    for command, keys in (("funnel", ("level", "reached", "cleared")), ("attempts", ("level", "players", "settled", "clears"))):
        ours = milepost.json(command, "ours.jsonl")["levels"]
        theirs = milepost.json(command, "log.jsonl", "--map", "map.toml")["levels"]
        assert [[row[key] for key in keys] for row in theirs] == [[row[key] for key in keys] for row in ours]


@pytest.mark.parametrize(("seed", "gone"), some_rows_always([(19, "resume"), (9, ""), (8, "checkpoint hit")]))
def test_simulated_logs_in_words_that_nobody_knows(milepost, seed, gone):
    """Players who come back are told by a name that stands once a session; what stands within tries neither opens nor ends them."""
    assert milepost("simulate", "--seed", seed, "--players", 16, "--faults", "-o", "whole.jsonl").returncode == 0
    draw, records = random.Random(seed), []
    for line in (milepost.folder / "whole.jsonl").read_text(encoding="utf-8").splitlines():
        with suppress(ValueError):
            records.append(json.loads(line))
    records = [one for one in records if one.get("event") in EVENTS and one["event"] not in gone.split()]
    names = {name for one in records for name in one if name != "debug"}
    words = dict.fromkeys("".join(draw.choice("bdgklmnprstvz") + draw.choice("aeiou") for _ in range(3)) for _ in range(200))
    called = dict(zip((*EVENTS, *sorted(names)), words, strict=False))
    milepost.write("ours.jsonl", records)
    theirs = [{called.get(name, name): value for name, value in one.items()} for one in records]
    milepost.write("theirs.jsonl", [one | {called["event"]: called[one[called["event"]]]} for one in theirs])
    assert milepost("map", "theirs.jsonl", "-o", "map.toml").returncode == 0
    ours, theirs = (milepost.json("funnel", *more)["levels"] for more in (("ours.jsonl",), ("theirs.jsonl", "--map", "map.toml")))
    keys = ("level", "reached", "cleared")
    assert [[row[key] for key in keys] for row in theirs] == [[row[key] for key in keys] for row in ours]


def within_tries(faults, leaves):
    """Sessions of tries that open, are moved in, come half way, and fail or clear; a record or two of which are lost."""
    draw, sessions = random.Random(4), []
    for _ in range(14):
        records = []
        for level in range(12):
            word = 0
            while True:
                cleared = draw.random() < 0.7
                own = [word, 1, *([2] if cleared or draw.random() < 0.8 else []), 3 if cleared else 4]
                records += [(one, level) for one in own if one != 1 or draw.random() > faults]
                if cleared:
                    break
                word = 5
            records += [(one, level) for one in leaves]
        sessions.append(records)
    return sessions


@pytest.mark.parametrize("leaves", [(), (6,)])
def test_what_stands_within_every_try_ends_none(leaves):
    """Though opening and failing in turn would explain it as well."""
    labels = LabelSearch(within_tries(0.06, leaves), 6 + len(leaves), {}).best().labels
    assert labels[0] == labels[5] == OPENS and labels[1] == labels[2] == INSIDE, labels
    assert (labels[3], labels[4]) == (CLEARS, FAILS)


def test_a_number_of_the_session_is_no_chapter(milepost):
    """Sessions are called by their player and a number; who comes back goes on at the level where they left."""
    lines = []
    for player in range(16):
        for visit, levels in enumerate((range(2 + player % 5), range(2 + player % 5, 10)), 1):
            base = {"who": f"p{player:02d}-{visit}", "map": ""}
            for step, (level, word) in enumerate((level, word) for level in levels for word in ("levo", "kale", "nofo", "raqe")):
                lines.append(base | {"when": 90_000 * visit + 20 * step, "what": word, "map": f"Weir {level}"})
    milepost.write("log.jsonl", lines)
    text = milepost("map", "log.jsonl").stdout
    assert '\nlevel = "map"' in text, text


def test_a_level_that_is_none_of_ours(milepost):
    """Words and fields of ours say nothing where the field `level` is how loud a line is: what the log does says more."""
    lines = []
    for session in range(12):
        for number in range(20):
            place = f"Weir {number // 2}"
            time = 100.0 * number + session
            lines += [
                {"session": f"s{session}", "time": time, "event": "start", "level": "info", "where": place},
                {
                    "session": f"s{session}",
                    "time": time + 20,
                    "event": "death" if number % 2 == 0 else "complete",
                    "level": "info",
                },
            ]
            lines[-1]["where"] = place
        lines.append({"session": f"s{session}", "time": 3000.0, "event": "session_end", "level": "warning", "where": place})
    milepost.write("log.jsonl", "".join(json.dumps(line) + "\n" for line in lines))
    assert milepost("map", "log.jsonl", "-o", "map.toml").returncode == 0
    text = (milepost.folder / "map.toml").read_text(encoding="utf-8")
    assert re.search(r'^level = .*"where"', text, re.MULTILINE), text


def test_menus_are_places(milepost):
    """A name that nobody fails or clears at, and that stands between all others, is no level of the drafted course."""
    records = []
    for player in range(8):
        for place, level in enumerate(["Mill Pond", "Swan Bend", "Low Arch", "Long Lock"]):
            base = {"session": f"s{player}", "player": f"p{player}"}
            for step, (event, where) in enumerate([("start", level), ("complete", level), ("start", "Harbour Map")]):
                records.append({**base, "time": 100 * place + 10 * step, "event": event, "level": where})
    milepost.write("log.jsonl", records)
    assert milepost("init", "log.jsonl").returncode == 0
    course = (milepost.folder / "course.toml").read_text()
    assert 'places = ["Harbour Map"]' in course and course.count("[[level]]") == 4
