"""A log map is held against the log: what it names and the log has not is said, and refused where nothing can be read without it."""

import json

import pytest

MAP = """
[fields]
session = "run"
player = "who"
time = "clock"
event = "what"
level = "where"
x = "pos_x"
cause = {from = "why", default = "unknown"}
[time]
zone = "UTC"
[events]
begin = "start"
won = "complete"
lost = "death"
"""


def rows(*without):
    """A foreign log, without some of its columns."""
    lines = []
    for n in range(6):
        for minute, word in ((0, "begin"), (1, "won")):
            row = {
                "run": f"r{n}",
                "who": f"p{n % 3}",
                "clock": f"2026-03-01 10:{n}{minute}:00",
                "what": word,
                "where": "Mill Pond",
                "pos_x": 3,
            }
            lines.append({name: value for name, value in row.items() if name not in without})
    return lines


@pytest.mark.parametrize(
    ("column", "field"), [("run", "session"), ("who", "player"), ("clock", "time"), ("what", "event"), ("where", "level")]
)
@pytest.mark.parametrize("command", [("check",), ("funnel",), ("funnel", "--jobs", "2"), ("convert", "-o", "x.csv")])
def test_a_column_that_no_record_has(milepost, column, field, command):
    """For session, player, time, event and level: status 2, with its name, the map, the key and the nearest columns."""
    milepost.write("log.jsonl", rows())
    milepost.write("map.toml", MAP.replace(f'"{column}"', f'"{column}s"'))
    done = milepost(command[0], "log.jsonl", "--map", "map.toml", *command[1:])
    assert (done.returncode, done.stdout, done.stderr.count("\n")) == (2, "", 1)
    assert f"map.toml: fields.{field}: no record has the column '{column}s'" in done.stderr and column in done.stderr
    assert not (milepost.folder / "x.csv").exists()


def test_notes_on_a_map(milepost):
    """Any other column is a note; words that nobody logs, conversions that failed, records without an event are counted."""
    lines = rows("pos_x", "why")
    lines[1]["clock"] = "at noon"
    del lines[3]["what"]
    milepost.write("log.jsonl", lines)
    milepost.write("map.toml", MAP)
    found = milepost.json("check", "log.jsonl", "--map", "map.toml")["map"]
    assert found == {
        "missing_column": [{"field": "x", "column": "pos_x"}],
        "unused_words": ["lost"],
        "failed_conversions": {"time": 1},
        "records_without_event": 1,
        "records_ignored": 0,
    }
    shown = " ".join(milepost("check", "log.jsonl", "--map", "map.toml").stdout.split())
    for part in (
        "missing_column: no record has the column pos_x",
        "that no record has: lost.",
        "1 value could not be converted to time",
        "1 record makes no event",
    ):
        assert part in shown
    for more in ((), ("--jobs", "2")):  # as a whole, and in parts
        assert "no record has the column pos_x" in milepost("funnel", "log.jsonl", "--map", "map.toml", *more).stderr


def test_sessions_by_gaps_go_on_over_files(milepost):
    """Where a map cuts sessions by gaps, a player's second evening in another file is another session, not the first one again."""
    milepost.write("map.toml", MAP.replace('session = "run"\n', "") + "[session]\ngap_minutes = 30\n")
    for evening in (1, 2):
        milepost.write(
            f"logs/{evening}.jsonl",
            [row | {"clock": row["clock"].replace("03-01", f"03-0{evening}"), "who": "p"} for row in rows("run")],
        )
    assert milepost.json("check", "logs", "--map", "map.toml")["sessions"] == 2


HEADER, ROW = "session;time;event;level;Größe\n", "s;0;start;Mühlteich;3\n"


def test_a_table_in_another_encoding(milepost):
    """A header that is not UTF-8 loses no column: the encoding that it seems to be is said, and read when the map says it."""
    text = HEADER + ROW * 3 + "t;5;start;Unter der Brücke, wo die Fähre anlegt;3\n" * 5
    milepost.write("log.csv", text.encode("cp1252"))
    done = milepost("funnel", "log.csv")
    assert (done.returncode, done.stderr.count("\n")) == (
        2,
        1,
    ) and "log.csv:1: the header is not UTF-8; it seems to be " in done.stderr
    milepost.write("map.toml", '[input]\nencoding = "cp1252"\n')
    assert "Mühlteich" in json.dumps(milepost.json("funnel", "log.csv", "--map", "map.toml"), ensure_ascii=False)
    milepost.write("map.toml", '[input]\nencoding = "nonsense"\n')
    assert "input.encoding must be the name of an encoding" in milepost("funnel", "log.csv", "--map", "map.toml").stderr


@pytest.mark.parametrize(("score", "clears"), [(1.5, 6), (1.7, 0)])
def test_a_condition_on_a_number_with_a_fraction(milepost, score, clears):
    """It fits that number, and no other with a fraction."""
    milepost.write("log.jsonl", [row | {"score": score} for row in rows()])
    milepost.write("map.toml", MAP.replace('won = "complete"', 'won = { event = "complete", when = { score = 1.5 } }'))
    assert milepost.json("check", "log.jsonl", "--map", "map.toml")["events"].get("complete", 0) == clears


def test_nothing_is_told_of_what_never_failed(milepost):
    """A time that was converted, and a name made of a number, are no conversions that failed."""
    milepost.write("log.jsonl", [row | {"where": 7} for row in rows()])
    milepost.write("map.toml", MAP.replace('level = "where"', 'level = {from = "where", format = "lock {n}"}'))
    assert "lock 7" in milepost("funnel", "log.jsonl", "--map", "map.toml").stdout
    assert "could not be converted" not in milepost("check", "log.jsonl", "--map", "map.toml").stdout
