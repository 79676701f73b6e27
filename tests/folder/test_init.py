"""`milepost init`: a folder from a log of our own form, from a foreign one, and from what is there already."""

import csv
import io
import sys
from pathlib import Path

import pytest

from conftest import COURSE, Program
from folder.test_answers import played

sys.path.insert(0, str(Path(__file__).parents[2] / "scripts"))
import gallery

WORDS = {"start": "level_begin", "retry": "respawn", "death": "player_died", "complete": "level_won", "session_end": "logout"}


def foreign():
    """A semicolon table with other names and words, times in milliseconds."""
    text = io.StringIO()
    rows = csv.writer(text, delimiter=";")
    rows.writerow(["sid", "user", "ts_ms", "action", "stage"])
    for n in range(8):
        for one in played(f"p{n}", [n % 3, 1, 0]):
            rows.writerow([one["session"], f"p{n}", int(one["time"] * 1000), WORDS[one["event"]], one.get("level", "")])
    return text.getvalue()


def test_a_log_of_our_own_form(milepost, small_log):
    """A course is drafted, no map; from then on a command alone does it."""
    milepost.write("logs/evening.jsonl", small_log)
    done = milepost("init", "logs")
    assert done.returncode == 0, done.stderr
    assert "Written in .: course.toml, notes.csv and milepost.toml." in done.stdout and "Look at these:" in done.stdout
    assert not (milepost.folder / "map.toml").exists()
    document = milepost.json("funnel")
    assert document["settings"]["taken"] == {"logs": ["logs"], "course": "course.toml"} and not document["course"]["inferred"]
    assert milepost("init", "logs").returncode == 2 and "--force" in milepost("init", "logs").stderr


def test_a_foreign_log(milepost):
    """A map is drafted, too, and used at once; the figures are those of the log in our form."""
    milepost.write("theirs.csv", foreign())
    milepost.write("ours.jsonl", [one for n in range(8) for one in played(f"p{n}", [n % 3, 1, 0])])
    done = milepost("init", "theirs.csv", "-o", "a game")
    assert done.returncode == 0 and "map.toml: how the log was understood" in done.stdout, done.stderr
    inside = Program(milepost.folder / "a game")
    assert 'logs = ["../theirs.csv"]' in (inside.folder / "milepost.toml").read_text()
    levels = [{key: row[key] for key in ("level", "reached", "cleared", "lost")} for row in inside.json("funnel")["levels"]]
    assert levels == [{key: row[key] for key in levels[0]} for row in milepost.json("funnel", "ours.jsonl")["levels"]]
    assert "answers" not in inside.json("funnel")["settings"]["taken"]


def test_what_is_there_is_kept(milepost, small_log):
    """A course, a map and tables that lie there already are used, and not written over."""
    milepost.write("logs/evening.jsonl", small_log)
    milepost.write("course.toml", COURSE)
    milepost.write("players.csv", "player,age\nAda,over 35\n")
    done = milepost("init", "logs")
    assert "There already, and used: course.toml and players.csv." in done.stdout
    assert (milepost.folder / "course.toml").read_text() == COURSE
    assert milepost.json("trace", "a")["traced"][0]["tags"]["age"] == "over 35"
    milepost.write("milepost.toml", "logs = 3")
    assert milepost("init", "logs", "--force").returncode == 0 and milepost("funnel").returncode == 0


@pytest.mark.parametrize(
    ("words", "why"),
    [
        ([], "name the log"),
        (["gone"], "gone"),
        (["-"], "standard input cannot be kept"),
        (["logs", "-o", "logs/evening.jsonl"], "would be lost"),
    ],
)
def test_what_cannot_be_done(milepost, small_log, words, why):
    """It is said in a line, and nothing is written."""
    milepost.write("logs/evening.jsonl", small_log)
    done = milepost(
        "init", *words, stdin="".join('{"session": "s", "time": 0, "event": "start", "level": "A"}\n') if "-" in words else None
    )
    assert done.returncode == 2 and why in done.stderr, done.stderr
    assert sorted(path.name for path in milepost.folder.iterdir()) == ["logs"]


GALLERY = {one.name: one for one in gallery.gallery()}


@pytest.mark.parametrize("name", list(GALLERY)[::3])  # the drafts of all are held to the page that shows them
def test_the_gallery(milepost, name):
    """A foreign log of the gallery becomes a folder whose funnel stands, with no line written by hand."""
    gallery.written(GALLERY[name], milepost.folder)
    assert milepost("init", name).returncode == 0
    document = milepost.json("funnel")
    assert (document["players"], len(document["levels"])) == (8, 5) and document["levels"][0]["cleared"] == 8


def test_a_map_decides_on_the_replay(milepost):
    """By a map that counts moving on as clearing, the drafted course tells of clears, as the folder's commands do."""
    moves = ((0, "Mill Pond"), (30, "Swan Bend"), (70, "Low Arch"))
    milepost.write(
        "theirs.jsonl",
        [{"sid": f"p{n}-1", "ts": time, "action": "stage_begin", "stage": stage} for n in range(8) for time, stage in moves],
    )
    milepost.write(
        "map.toml",
        '[fields]\nsession = "sid"\ntime = "ts"\nevent = "action"\nlevel = "stage"\n'
        '[events]\nstage_begin = "start"\n[replay]\nimplied_complete = true\n',
    )
    assert milepost("init", "theirs.jsonl").returncode == 0
    assert "# measured: 8 players, a try clears 100 %, median tries 1" in (milepost.folder / "course.toml").read_text()
    assert milepost.json("funnel")["levels"][0]["cleared"] == 8


def test_tables_beside_the_log_are_no_logs(milepost, small_log):
    """A folder that holds log and tables is begun in its place."""
    milepost.write("evening.jsonl", small_log)
    milepost.write("players.csv", "player,age\nAda,over 35\n")
    done = milepost("init", ".")
    assert done.returncode == 0 and done.stdout.startswith("Read: 11 records of 2 players"), done.stdout
    assert milepost.json("check")["files"] == ["evening.jsonl"]
