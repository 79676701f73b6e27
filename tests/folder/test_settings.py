"""milepost.toml: what it says is taken, in the right order, and mistakes in it are one line each."""

import json
import os
from pathlib import Path

import pytest

from conftest import COURSE, Program

LITERAL = """logs = ["logs"]                # all paths are relative to this file
course = "course.toml"
map = "map.toml"
players = "players.csv"
answers = "answers.csv"
notes = "notes.csv"
recordings = "recordings.csv"
where = ["role!=maker"]
exclude = ["stuck"]
[replay]
repeat_window = 0.25
[answers."How hard was it?"]
order = ["easy", "fair", "hard"]
[targets]
kept_at_end = 0.6
strong_spikes = 0
"""


@pytest.fixture
def folder(milepost, small_log):
    """The program in a playtest folder with a log and a course."""
    milepost.write("logs/evening.jsonl", [{**one, "role": "maker" if one["session"] == "b" else "tester"} for one in small_log])
    milepost.write("course.toml", COURSE)
    milepost.write("milepost.toml", 'logs = ["logs"]\ncourse = "course.toml"\n')
    return milepost


def players(program, *words):
    return program.json("funnel", *words)["players"]


def test_from_anywhere_inside(folder):
    """The file is found from folders below, and paths in it are its own."""
    deep = folder.folder / "a folder" / "in a folder"
    deep.mkdir(parents=True)
    here, there = folder.json("funnel"), Program(deep).json("funnel")
    assert here["levels"] == there["levels"] and here["course"]["levels"] == ["Mill Pond", "Low Arch"]
    assert here["settings"] == {"file": "milepost.toml", "taken": {"logs": ["logs"], "course": "course.toml"}}
    assert there["settings"]["file"] == str(Path("../../milepost.toml"))


def test_the_nearest_counts(folder):
    """Of a folder within a folder, the inner one's file alone is read."""
    folder.write("inner/milepost.toml", 'logs = ["../logs"]\n')
    document = Program(folder.folder / "inner").json("funnel")
    assert document["settings"]["taken"] == {"logs": ["../logs"]} and document["course"]["inferred"]


def test_every_output_says_what_was_taken(folder):
    """A table in its last line, Markdown too, CSV on standard error; nothing where nothing was."""
    said = "Taken from milepost.toml: the log (logs) and the course (course.toml)."
    assert folder("moves").stdout.splitlines()[-1] == said
    narrow = folder("funnel", COLUMNS="60").stdout
    assert "Not shown at this width" in narrow and " ".join(narrow.split()).endswith(said), "below whatever else is said"
    assert said in folder("times", "--format", "markdown").stdout.replace("\\", "")
    done = folder("times", "--format", "csv")
    assert said in done.stderr and said not in done.stdout
    assert "Taken from milepost.toml: the log (logs)." in folder("pack", "-o", "store").stderr
    assert "settings" not in folder.json("funnel", "logs", "--course", "course.toml", "--no-folder")


def test_conditions_are_added(folder):
    """Those of the file and of the command line hold together; each can be emptied, and the file passed over."""
    assert players(folder) == 2
    folder.write("milepost.toml", 'logs = ["logs"]\ncourse = "course.toml"\nwhere = ["role!=maker"]\nexclude = ["stuck"]\n')
    assert players(folder) == 1
    assert players(folder, "--where", "player=Ada") == 1
    assert folder("funnel", "--where", "player=b").returncode == 2
    assert players(folder, "--no-where", "--where", "player=Bo") == 1
    assert players(folder, "--no-where") == 2
    assert folder.json("funnel")["excluded"]["codes"] == ["stuck"]
    assert folder.json("funnel", "--exclude", "idle_span")["excluded"]["codes"] == ["stuck", "idle_span"]
    assert "excluded" not in folder.json("funnel", "--no-exclude")
    assert players(folder, "logs", "--no-folder") == 2


def test_a_log_on_the_command_line(folder, small_log):
    """It takes the place of the file's logs, and of these alone; a session's name that is a path is one."""
    folder.write("other.jsonl", [one for one in small_log if one["session"] == "a"])
    document = folder.json("funnel", "other.jsonl")
    assert document["players"] == 1 and document["settings"]["taken"] == {"course": "course.toml"}
    assert [one["session"] for one in folder.json("trace", "other.jsonl")["traced"]] == ["a"]
    assert [one["session"] for one in folder.json("trace", "b")["traced"]] == ["b"]
    assert len(folder.json("trace", "--all", "logs")["traced"]) == 2


def test_what_wins(folder):
    """Argument, file, map, built-in: a second death after 0.4 s is a repeat by the first of them that says so."""
    log = [{"session": "s", "time": t, "event": e, "level": "Mill Pond"} for t, e in ((0, "start"), (9, "death"), (9.4, "death"))]
    folder.write("logs/evening.jsonl", log)
    folder.write("map.toml", "[replay]\nrepeat_window = 0.1\n")

    def repeats(text, *words):
        folder.write("milepost.toml", text)
        return folder.json("check", *words)["findings"].get("repeated_death", 0)

    base = 'logs = ["logs"]\ncourse = "course.toml"\nmap = "map.toml"\n'
    own = base + "[replay]\nrepeat_window = 0.5\n"
    assert [repeats(base), repeats(own), repeats(own, "--repeat-window", "0.2")] == [0, 1, 0]
    folder.write("map.toml", "[replay]\nrepeat_window = 0.6\n")
    assert [repeats(base), repeats(base + "[replay]\nrepeat_window = 0.3\n")] == [1, 0]
    folder.write("milepost.toml", own)
    assert folder.json("funnel")["settings"]["taken"]["replay"] == {"repeat_window": 0.5}
    assert "replay" not in folder.json("funnel", "--repeat-window", "0.1")["settings"]["taken"]


MISTAKES = {
    'logs = ["logs"]\ncurse = "x"': ":2: curse: there is no such key. Did you mean course?",
    "logs = 3": ":1: logs: has to be a list of texts, not 3",
    "[replay]\nrepeat_windw = 1": ":2: replay.repeat_windw: there is no such key. Did you mean repeat_window?",
    "[replay]\nimplied_complete = 1": ":2: replay.implied_complete: has to be true or false",
    "[replay]\ninstant = -1": ":2: replay.instant: has to be a number from 0 up",
    'where = ["role"]': ":1: where: 'role' is no condition",
    'exclude = ["stuk"]': ":1: exclude: stuk: leaving that out does nothing. Did you mean stuck?",
    'course = "no.toml"': ":1: course: there is no file 'no.toml'",
    'course = ["course.toml"]': ":1: course: has to be the name of a file",
    "[targets]\nkept_at_end = 60": ":2: targets.kept_at_end: has to be a number from 0 to 1",
    '[targets]\nfindings = "big"': ":2: targets.findings: has to be low, medium or high",
    "[targets]\nspikes = 0": ":2: targets.spikes: there is no such key",
    "targets = 3": ":1: targets: has to be a table",
    '[answers."Was it hard?"]\norder = ["yes"]': ":2: answers.Was it hard?.order: has to be a list of different answers",
    '[answers."Was it hard?"]\norder = ["a", "a"]': "a list of different answers, the least first, not ['a', 'a'].",
    '[answers."Was it hard?"]\norder = 3': ":2: answers.Was it hard?.order: has to be a list of texts, not 3.",
    '[answers."Was it hard?"]\nharder = "more"': ":2: answers.Was it hard?.harder: has to be",
    "[answers]\nwhat = 3": ":2: answers.what: has to be a table such as",
    "logs = [": "/milepost.toml: the file of the playtest folder is not TOML (",
}


@pytest.mark.parametrize("text", MISTAKES)
def test_a_mistake_is_one_line(folder, text):
    """It names file, line and key, and what would do; the status is 2."""
    folder.write("milepost.toml", text + "\n")
    done = folder("funnel")
    assert (done.returncode, done.stdout) == (2, "") and done.stderr.count("\n") == 1
    assert MISTAKES[text] in done.stderr


def test_a_table_that_is_too_large(folder):
    """It is refused, with what is allowed and what such tables are for; a log belongs elsewhere."""
    with (folder.folder / "players.csv").open("wb") as table:
        table.truncate((64 << 20) + 1)
    folder.write("milepost.toml", 'logs = ["logs"]\nplayers = "players.csv"\n')
    done = folder("players")
    assert (done.returncode, done.stdout) == (2, "") and done.stderr.endswith(
        "players.csv: is larger than 64 MB. Such a table has a row for each player, answer or note.\n"
    )


def test_answers_beside_their_questions(folder):
    """The name of the table and tables of questions together, which TOML forbids, are read as they are meant."""
    for name in ("map.toml", "players.csv", "answers.csv", "notes.csv", "recordings.csv"):
        folder.write(
            name,
            {"map.toml": "", "players.csv": "player,role\n"}.get(
                name, {"answers.csv": "player,question,answer\n", "notes.csv": "note\n"}.get(name, "session,file\n")
            ),
        )
    folder.write("milepost.toml", LITERAL)
    assert folder.json("funnel")["players"] == 1
    folder.write("milepost.toml", LITERAL.replace('"easy", "fair"', '"easy"') + "typo = 1\n")
    assert ":17: targets.typo" in folder("funnel").stderr


def test_tables_beside_logs_are_no_logs(folder, small_log):
    """Where logs and tables lie in one folder, the tables are not read as logs."""
    folder.write("one.jsonl", small_log)
    folder.write("players.csv", "player,age\nAda,over 35\n")
    folder.write("milepost.toml", 'logs = ["."]\nplayers = "players.csv"\n')
    (folder.folder / "logs/evening.jsonl").unlink()
    assert folder.json("check")["files"] == ["one.jsonl"]


def test_odd_places(folder, small_log):
    """Spaces and brackets in names, absolute paths, and a folder that may not be written."""
    odd = folder.folder / "play [test] 1"
    (odd / "my logs").mkdir(parents=True)
    (odd / "my logs" / "a.jsonl").write_text("".join(json.dumps(one) + "\n" for one in small_log))
    (odd / "milepost.toml").write_text(f'logs = ["my logs"]\ncourse = "{folder.folder}/course.toml"\n')
    odd.chmod(0o555)
    try:
        assert Program(odd).json("funnel")["players"] == 2
        done = Program(odd)("note", "x")
        assert done.returncode in (0, 2) and (os.geteuid() == 0 or "cannot be written" in done.stderr)
    finally:
        odd.chmod(0o755)


def test_nothing_that_is_read_is_written_over(folder):
    """An output that the folder names is refused."""
    assert "would be lost" in folder("funnel", "-o", "course.toml").stderr
    assert "would be lost" in folder("funnel", "-o", "milepost.toml").stderr


def test_without_a_folder(milepost):
    """Without one, and without a log, what to do is said."""
    done = milepost("funnel")
    assert done.returncode == 2 and "milepost init LOG makes one" in done.stderr
    milepost.write("milepost.toml", "")
    assert "names no logs" in milepost("funnel").stderr


def test_logs_at_addresses(folder):
    """An address in the file is no path beside it."""
    address = (folder.folder / "logs/evening.jsonl").as_uri()
    folder.write("milepost.toml", f'logs = ["{address}"]\ncourse = "course.toml"\n')
    document = Program(folder.folder / "logs").json("funnel")
    assert document["players"] == 2 and document["settings"]["taken"]["logs"] == [address]


def test_tables_at_addresses(folder):
    """A table of players at an address is read as one beside the file is."""
    folder.write("people.csv", "player,device\nAda,pad\nCass,keys\n")
    shown = []
    for place in ("people.csv", (folder.folder / "people.csv").as_uri()):
        folder.write("milepost.toml", f'logs = ["logs"]\nplayers = "{place}"\n')
        shown.append(folder.json("check")["players_table"])
    assert all(table["file"].endswith("people.csv") and table["only_in_table"] for table in shown)
    assert shown[0]["only_in_table"] == shown[1]["only_in_table"] and shown[0]["only_in_log"] == shown[1]["only_in_log"]


def test_commands_that_write_no_table(folder):
    """Packing, converting, drafting and watching take the folder's logs, too."""
    for words in (
        ["pack", "-o", "a.store"],
        ["convert", "-o", "all.csv"],
        ["course", "-o", "draft.toml"],
        ["map", "-o", "draft-map.toml"],
        ["watch", "--once"],
    ):
        done = folder(*words)
        assert done.returncode == 0 and "the log (logs)" in done.stderr + done.stdout, done.stderr
    assert folder("pack", "--no-folder", "-o", "b.store").returncode == 2
    assert "name a log, or go into a playtest folder" in folder("watch", "--no-folder", "--once").stderr
