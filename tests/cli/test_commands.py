"""The commands on files: what they print, where it goes, and what they say of input that cannot be used."""

import csv
import gzip
import io
import json
import re

import pytest
import zstandard

from conftest import COURSE
from driving import installed
from milepost.cli import reporting
from milepost.cli.main import all_commands, build_parser
from milepost.demo.unpack import unpack

MEASURES = ("funnel", "attempts", "times", "spikes")
TITLES = ("the log", "who takes part", "output", "replay", "large logs")


def test_alone_it_says_what_to_do_first(milepost):
    """Without a command the program points at the demo and at a first command."""
    done = milepost()
    assert done.returncode == 0
    assert "milepost demo" in done.stdout


@pytest.mark.parametrize("command", ["demo", *MEASURES])
def test_help_lists_a_commands_own_options_first(milepost, command):
    """Groups of common options come after those of the command alone; the list of all commands has each in one group."""
    own, *common = milepost(command, "--help").stdout.partition("\noptions:")[2].split("\n\n")
    assert "--help" in own and not {"--course FILE", "--where", "--format {", "--quiet"} & set(own.split("  "))
    assert all(group.split(":")[0] in TITLES or group.startswith("example") for group in common)
    listed = milepost("--help").stdout
    assert len(re.findall(rf"^  {command}( |$)", listed, re.M)) == 1 and listed.index("Begin:") < listed.index("Tell the team:")


@pytest.mark.parametrize("command", ["demo", *MEASURES])
def test_help_has_an_example(milepost, command):
    """Every command's help ends in an example of itself."""
    assert f"example: milepost {command}" in milepost(command, "--help").stdout


def test_no_more_of_the_command_line_than_is_needed():
    """A command that is named has all its options, and nothing else is built; whatever is no command is held against all."""

    def built(*words):
        return build_parser(words)._subparsers._group_actions[0].choices

    whole = built()
    assert list(whole) == list(all_commands())
    for name, parser in whole.items():
        for words in ((name,), ("--verbose", name, "--help")):
            assert {one: own.format_help() for one, own in built(*words).items()} == {name: parser.format_help()}
    for words in ((), ("--help",), ("--version",), ("funnels",), ("--help", "funnel")):
        assert len(built(*words)) == len(whole)


def test_small_log(milepost, small_log):
    """The figures of a log that can be counted by hand."""
    milepost.write("log.jsonl", small_log)
    milepost.write("course.toml", COURSE)
    words = ("log.jsonl", "--course", "course.toml")
    document = milepost.json("funnel", *words)
    assert document["command"] == "funnel"
    assert document["course"] == {"levels": ["Mill Pond", "Low Arch"], "inferred": False}
    assert (document["players"], document["sessions"]) == (2, 2)
    assert document["left_out"] == {"debug_sessions": 0, "players_without_attempt": 0}
    assert document["findings"] == {"repeated_complete": 1}
    pond, arch = document["levels"]
    assert (pond["reached"], pond["cleared"], pond["moved_on"], pond["stopped_time_up"]) == (2, 2, 1, 1)
    assert (arch["reached"], arch["stopped_quit"], arch["stopped_mid_attempt"], arch["drop_off"]) == (1, 1, 1, 1.0)
    pond = milepost.json("attempts", *words)["levels"][0]
    assert (pond["first_try"], pond["settled"], pond["p50"], pond["p75"]) == (0.5, 3, 1, 2)
    pond = milepost.json("times", *words)["levels"][0]
    assert (pond["p50"], pond["p90"], pond["run_p50"], pond["between_p50"]) == (9.0, 15.0, 9.5, 2.0)


def test_raw_beside_clean(milepost, small_log):
    """--raw counts records as they stand."""
    milepost.write("log.jsonl", small_log)
    pond = milepost.json("funnel", "log.jsonl", "--raw")["levels"][0]
    assert (pond["raw_reached"], pond["raw_cleared"], pond["raw_tries"]) == (2, 2, 3)


@pytest.mark.parametrize("command", MEASURES)
def test_formats_agree(wickwater, command):
    """CSV has the JSON's rows, Markdown and table a line a level; a file gets the same bytes as standard output."""
    words = (command, "wickwater/logs", "--course", "wickwater/course.toml")
    rows = wickwater.json(*words)["levels"]
    parsed = list(csv.DictReader(io.StringIO(wickwater(*words, "--format", "csv").stdout)))
    assert [row["level"] for row in parsed] == [row["level"] for row in rows]
    for row, text in zip(rows, parsed, strict=True):
        numbers = {key: value for key, value in row.items() if type(value) in (int, float)}
        assert {key: float(text[key]) for key in numbers} == numbers
    for form in ("markdown", "table"):
        shown = wickwater(*words, "--format", form).stdout
        assert all(row["level"].split("'")[0] in shown for row in rows)
        assert wickwater(*words, "--format", form, "--output", "out.txt").stdout == ""
        assert (wickwater.folder / "out.txt").read_text(encoding="utf-8") == shown


@pytest.mark.parametrize("width", [60, 100])
def test_tables_fit(wickwater, width):
    """A table in a pipe is no wider than asked, has no styles, and says what was left out and found."""
    for command in MEASURES:
        shown = wickwater(command, "wickwater/logs", "--course", "wickwater/course.toml", COLUMNS=str(width)).stdout
        assert max(map(len, shown.splitlines())) <= width
        assert "\x1b" not in shown
        assert "49 players in" in shown
        assert "1 debug session and 1 player without an attempt" in " ".join(shown.split())


def test_demo_shows_its_commands(milepost):
    """The demo prints each command before its output, and the printed command gives that output again."""
    done = installed(["demo"], milepost.folder, COLUMNS="100")
    assert done.returncode == 0, done.stderr
    command = next(line for line in done.stdout.splitlines() if line.startswith("$ milepost attempts"))
    assert milepost(*command.split()[2:]).stdout in done.stdout
    assert (milepost.folder / "wickwater/funnel.png").stat().st_size > 10_000


def test_demo_keeps_what_is_there(wickwater):
    """The demo writes over nothing unless told to."""
    done = wickwater("demo")
    assert (done.returncode, done.stdout) == (2, "")
    assert "already there" in done.stderr
    unpack(wickwater.folder / "race", force=True, which="race")
    (wickwater.folder / "race/course.toml").write_text("")
    assert wickwater("demo", "--which", "race").returncode == 2
    assert wickwater("demo", "--which", "race", "--force").returncode == 0
    assert (wickwater.folder / "race/course.toml").read_text()


def test_many_files_are_one_log(milepost, small_log):
    """Files, folders, globs, standard input, packed or not, in any cut: the same figures."""
    whole = "".join(json.dumps(record) + "\n" for record in small_log)
    first, second = "".join(whole.splitlines(True)[:4]), "".join(whole.splitlines(True)[4:])
    milepost.write("whole.jsonl", whole)
    milepost.write("logs/1.jsonl.gz", gzip.compress(first.encode()))
    milepost.write("logs/deep/2.ndjson.zst", zstandard.compress(second.encode()))
    milepost.write("logs/notes.txt", "no log")
    expected = milepost.json("funnel", "whole.jsonl")
    assert milepost.json("funnel", "logs") == expected
    assert milepost.json("funnel", "logs/*.gz", "logs/**/*.zst") == expected
    assert milepost.json("funnel", "-", stdin=whole) == expected
    assert milepost.json("funnel", "whole.jsonl", "./whole.jsonl") == expected


def test_bad_lines_are_counted_and_the_rest_used(milepost, small_log):
    """Broken lines are findings; blank lines are nothing; a byte order mark does no harm."""
    lines = [json.dumps(record) for record in small_log]
    text = "\ufeff" + lines[0] + "\n\n{broken\n[1]\n" + "\r\n".join(lines[1:]) + '\n{"session": "a", "ti'
    milepost.write("log.jsonl", text)
    milepost.write("clean.jsonl", small_log)
    found, clean = milepost.json("times", "log.jsonl"), milepost.json("times", "clean.jsonl")
    assert found["findings"] == {"unreadable_record": 3, **clean["findings"]}
    assert found["levels"] == clean["levels"]


BAD_COURSES = {
    "course.toml: the course has no levels": 'name = "Wickwater"\n',
    "'Mill Pond' is given twice": COURSE + '[[level]]\nname = "Mill Pond"\n',
    "'pond' is given twice": '[[level]]\nname = "A"\naliases = ["pond"]\n[[level]]\nname = "B"\naliases = ["pond"]\n',
    "level 2: has no name": '[[level]]\nname = "A"\n[[level]]\n',
    "is not TOML": "[[level\n",
    "target_clear: must be a number from 0 to 1, not 85": '[[level]]\nname = "A"\ntarget_clear = 85\n',
    "is a place and a level": 'places = ["A"]\n[[level]]\nname = "A"\n',
}


@pytest.mark.parametrize("message", BAD_COURSES)
def test_courses_that_cannot_be_used(milepost, small_log, message):
    """A bad course is one line that says where and what, with status 2."""
    milepost.write("log.jsonl", small_log)
    milepost.write("course.toml", BAD_COURSES[message])
    assert_refused(milepost("funnel", "log.jsonl", "--course", "course.toml"), message)


BAD_CALLS = {
    "gone.jsonl: no such file or folder": ["gone.jsonl"],
    "no/*.jsonl: no file matches": ["no/*.jsonl"],
    "empty: no log in this folder": ["empty"],
    "blank.jsonl: the log is empty": ["blank.jsonl"],
    "broken.jsonl:2: not JSON": ["broken.jsonl"],
    "cut.jsonl.gz:": ["cut.jsonl.gz"],
    "cut.jsonl.zst:": ["cut.jsonl.zst"],
    "empty: is a folder. Give the course file": ["log.jsonl", "--course", "empty"],
    "gone.toml: the course cannot be read": ["log.jsonl", "--course", "gone.toml"],
    "gone.toml: the log map cannot be read": ["log.jsonl", "--map", "gone.toml"],
    "empty: is a folder. Name a file": ["log.jsonl", "--output", "empty"],
    "gone/out.json: cannot be written": ["log.jsonl", "--output", "gone/out.json"],
    "f.gif: a figure's name ends in": ["log.jsonl", "--figure", "f.gif"],
    "gone/f.png: cannot be written": ["log.jsonl", "--figure", "gone/f.png"],
    "is no number of seconds": ["log.jsonl", "--repeat-window", "-1"],
    "invalid choice": ["log.jsonl", "--format", "html"],
    "name a log, or go into a playtest folder": [],
}


@pytest.mark.parametrize("message", BAD_CALLS)
def test_calls_that_cannot_be_done(milepost, small_log, message):
    """Bad input is one line on standard error, status 2, nothing on standard output and no file left behind."""
    milepost.write("log.jsonl", small_log)
    (milepost.folder / "empty").mkdir()
    milepost.write("blank.jsonl", "\n\n")
    milepost.write("broken.jsonl", "\n{broken\n")
    text = "".join(json.dumps({**record, "n": n}) + "\n" for n in range(400) for record in small_log).encode()
    milepost.write("cut.jsonl.gz", gzip.compress(text)[:2000])
    milepost.write("cut.jsonl.zst", zstandard.compress(text)[:500])
    before = {path for path in milepost.folder.rglob("*")}
    assert_refused(milepost("funnel", *BAD_CALLS[message]), message)
    assert {path for path in milepost.folder.rglob("*")} == before


def assert_refused(done, message):
    assert done.returncode == 2, done
    assert done.stdout == ""
    assert message in done.stderr
    assert len(done.stderr.splitlines()) == 1
    assert "Traceback" not in done.stderr


def test_names_from_logs_do_no_harm(milepost):
    """Escapes and controls in names are shown, not obeyed; CSV cells start no formula; JSON has them as they are."""
    name = "=cmd\x1b[31m\u202ered\n"
    milepost.write("log.jsonl", [{"session": "s", "time": 0, "event": "start", "level": name}])
    for form in ("table", "markdown", "csv"):
        shown = milepost("funnel", "log.jsonl", "--format", form).stdout
        assert "\x1b" not in shown
        assert "\u202e" not in shown
    assert "\n'=cmd" in milepost("funnel", "log.jsonl", "--format", "csv").stdout
    assert milepost.json("funnel", "log.jsonl")["levels"][0]["level"] == name


def test_replay_settings(milepost, small_log):
    """Settings of the map apply, and options win over them."""
    log = [*small_log[:8], {**small_log[8], "time": 0.4}, *small_log[9:]]
    milepost.write("log.jsonl", log)
    milepost.write("map.toml", "[replay]\ninstant = 0.3\n")
    assert "instant_clear" in milepost.json("funnel", "log.jsonl")["findings"]
    assert "instant_clear" not in milepost.json("funnel", "log.jsonl", "--map", "map.toml")["findings"]
    both = milepost.json("funnel", "log.jsonl", "--map", "map.toml", "--instant", "0.5")
    assert "instant_clear" in both["findings"]


def test_debug_sessions(milepost, small_log):
    """Debug sessions are left out, findings and all, unless kept."""
    log = [{**record, "debug": "TRUE"} if record["session"] == "b" else record for record in small_log]
    milepost.write("log.jsonl", [*log, {"session": "b", "event": "start"}])
    dropped, kept = milepost.json("funnel", "log.jsonl"), milepost.json("funnel", "log.jsonl", "--debug", "keep")
    assert (dropped["players"], dropped["left_out"]["debug_sessions"], dropped["findings"]) == (1, 1, {})
    assert (kept["players"], kept["left_out"]["debug_sessions"], len(kept["findings"])) == (2, 0, 2)


def test_nobody_played_a_level_of_the_course(milepost, small_log):
    """A log without an attempt in the course gives rows without figures, and counts who was left out."""
    milepost.write("log.jsonl", small_log)
    milepost.write("course.toml", '[[level]]\nname = "Glass Basin"\n')
    for command in MEASURES:
        document = milepost.json(command, "log.jsonl", "--course", "course.toml")
        assert (document["players"], document["left_out"]["players_without_attempt"]) == (0, 2)
        assert milepost(command, "log.jsonl", "--course", "course.toml").returncode == 0


def test_every_form_of_a_report_is_written():
    """What a file's name may end in before the work is what somebody writes after it."""
    assert set(reporting._FORMS) == reporting.FORMS
