"""Watching logs that grow: only whole lines count, a restart goes on, and it ends when it is told to."""

import json
import signal
import subprocess
import time
from contextlib import suppress

import pytest

from driving import PROGRAM


def lines(records):
    """Records as JSON Lines."""
    return "".join(json.dumps(record) + "\n" for record in records)


def test_once_is_the_funnel(wickwater):
    """What it shows of logs that are all there is the funnel; the demo's last line is cut off, and waits."""
    words = ("wickwater/logs", "--course", "wickwater/course.toml")
    seen, funnel = wickwater.json("watch", *words, "--once"), wickwater.json("funnel", *words)
    assert funnel["findings"].pop("unreadable_record") == 1
    assert {key: seen[key] for key in funnel if key != "command"} == {
        key: value for key, value in funnel.items() if key != "command"
    }


def test_growing(milepost, small_log):
    """A half-written line waits; a restart with a state reads only what is new, and tells only new findings."""
    log = milepost.folder / milepost.write("logs/a.jsonl", lines(small_log[:4]) + '{"session": "a", "ti')
    seen = milepost.json("watch", "logs", "--once", "--state", "kept")
    assert seen["new_lines"] == 4 and seen["levels"][0]["cleared"] == 1
    log.write_text(lines([*small_log, {"session": "a", "time": 99, "event": "wave"}]))
    milepost.write("logs/b.jsonl", [{**small_log[0], "session": "c", "player": "Cy"}])
    seen = milepost.json("watch", "logs", "--once", "--state", "kept")
    assert seen["new_lines"] == len(small_log) + 1 - 4 + 1
    assert seen["players"] == 3 and seen["new_findings"]["unknown_event"] == 1
    straight = milepost.json("funnel", "logs")
    assert seen["levels"] == straight["levels"] and seen["findings"] == straight["findings"]
    seen = milepost.json("watch", "logs", "--once", "--state", "kept")
    assert seen["new_lines"] == 0 and seen["new_findings"] == {} and seen["levels"] == straight["levels"]
    assert milepost.json("funnel", "kept")["levels"] == straight["levels"]


def test_until_interrupted(milepost, small_log):
    """It shows the funnel again when records come, and an interrupt ends it with status 0 and no complaint."""
    log = milepost.folder / milepost.write("logs/a.jsonl", small_log[:4])
    command = [str(PROGRAM), "watch", "logs", "--interval", "0.05", "--state", "kept"]
    heeding = lambda: signal.signal(signal.SIGINT, signal.SIG_DFL)  # noqa: E731 - whoever runs the tests may ignore interrupts
    with subprocess.Popen(
        command, cwd=milepost.folder, stdout=subprocess.PIPE, stderr=subprocess.PIPE, text=True, preexec_fn=heeding
    ) as running:
        while "Mill Pond" not in running.stdout.readline():
            pass
        with log.open("a") as stream:
            stream.write(lines(small_log[4:]))
        while "Low Arch" not in running.stdout.readline():
            pass
        time.sleep(0.3)
        running.send_signal(signal.SIGINT)
        _, complaint = running.communicate(timeout=30)
        assert running.returncode == 0 and complaint == ""
    assert milepost.json("watch", "logs", "--once", "--state", "kept")["new_lines"] == 0


def test_nothing_to_watch(milepost, small_log):
    """No folder, a folder without records, a log that was cut: each is said in a line."""
    assert "no such folder" in milepost("watch", "gone", "--once").stderr
    (milepost.folder / "logs").mkdir()
    done = milepost("watch", "logs", "--once")
    assert done.returncode == 0 and "no record in logs yet" in done.stderr
    milepost.write("logs/a.jsonl", small_log)
    assert milepost("watch", "logs", "--once", "--state", "kept").returncode == 0
    milepost.write("logs/a.jsonl", small_log[:2])
    done = milepost("watch", "logs", "--once", "--state", "kept", "--format", "json")
    assert "all logs were read anew" in done.stderr
    assert json.loads(done.stdout)["levels"] == milepost.json("funnel", "logs")["levels"]


def looked(milepost, *more):
    """What watch shows now, and what a fresh funnel does."""
    shown = milepost.json("watch", "logs", "--once", *more)
    fresh = milepost.json("funnel", "logs")
    return [
        {key: document[key] for key in ("players", "sessions", "levels", "findings", "course")} for document in (shown, fresh)
    ]


def evening(name, player="p", ends="death"):
    return [
        {"session": name, "player": player, "time": n, "event": event, "level": "Mill Pond"}
        for n, event in ((0, "start"), (9, ends), (30, "start"), (40, "complete"))
    ]


CHANGES = {
    "a later file with an earlier name": lambda m: m.write("logs/a.jsonl", evening("early", ends="complete")),
    "a longer file in its place": lambda m: m.write(
        "logs/b.jsonl", evening("other") + evening("more", "q") + evening("third", "r")
    ),
    "rewritten at the same size": lambda m: m.write(
        "logs/b.jsonl", (m.folder / "logs/b.jsonl").read_text().replace("death", "reset")
    ),
    "a shorter file in its place": lambda m: m.write("logs/b.jsonl", evening("first")[:2]),
    "a line of over a mebibyte": lambda m: m.write(
        "logs/c.jsonl", '{"session": "' + "x" * (1 << 20) + '", "time": 1, "event": "start", "level": "Mill Pond"}\n'
    ),
    "grown": lambda m: m.write(
        "logs/b.jsonl", (m.folder / "logs/b.jsonl").read_text() + "".join(json.dumps(r) + "\n" for r in evening("last"))
    ),
    "a session in two files": lambda m: m.write("logs/a.jsonl", evening("first")[:1]),
    "a file by another name": lambda m: (m.folder / "logs/b.jsonl").rename(m.folder / "logs/z.jsonl"),
}


@pytest.mark.parametrize("change", CHANGES)
def test_watch_says_what_a_fresh_look_says(milepost, change):
    """Whatever happens to the files between two looks, with what was read kept in a store or in the same run."""
    milepost.write("logs/b.jsonl", evening("first") + evening("second"))
    watching = subprocess.Popen(
        [PROGRAM, "watch", "logs", "--format", "json", "--interval", "0.2", "-o", "shown.json"],
        cwd=milepost.folder,
        stderr=subprocess.DEVNULL,
    )
    try:
        assert looked(milepost, "--state", "kept")[0] == looked(milepost)[1]
        wait_for(lambda: json.loads((milepost.folder / "shown.json").read_text())["sessions"] == 2)
        CHANGES[change](milepost)
        shown, fresh = looked(milepost, "--state", "kept")
        assert shown == fresh
        assert looked(milepost, "--state", "kept")[0] == fresh
        wait_for(lambda: json.loads((milepost.folder / "shown.json").read_text())["levels"] == fresh["levels"])
    finally:
        watching.kill()
        watching.wait()


def wait_for(holds):
    """Wait until something holds."""
    for _ in range(150):
        with suppress(OSError, ValueError):
            if holds():
                return
        time.sleep(0.1)
    assert holds()


def test_pack_and_watch_share_a_store(milepost):
    """What the one has read the other does not read again, in either order."""
    milepost.write("logs/a.jsonl", evening("first"))
    assert milepost.json("watch", "logs", "--once", "--state", "kept")["sessions"] == 1
    milepost.write("logs/b.jsonl", evening("second"))
    assert "4 records packed" in milepost("pack", "logs", "-o", "kept", "--add").stderr
    document = milepost.json("watch", "logs", "--once", "--state", "kept")
    assert (document["sessions"], document["new_lines"], document["findings"]) == (
        2,
        0,
        milepost.json("funnel", "logs")["findings"],
    )
    assert "0 records packed" in milepost("pack", "logs", "-o", "kept", "--add").stderr


def test_a_folder_is_watched_as_it_is_asked(milepost, small_log):
    """Conditions, what is left out, the table of players and all logs of the folder's file count as in a fresh funnel."""
    milepost.write("one/a.jsonl", small_log)
    milepost.write(
        "two/b.jsonl",
        [line | {"session": line["session"] + "2", "player": f"{line.get('player', 'Ada')}2"} for line in small_log],
    )
    milepost.write("two/c.jsonl", [line | {"session": "d", "player": "Di"} for line in small_log])
    milepost.write("players.csv", "player,role\nAda,maker\nBo,tester\nAda2,tester\nBo2,tester\nDi,tester\n")
    toml = 'logs = ["one", "two"]\nplayers = "players.csv"\nwhere = ["role!=maker"]\nexclude = ["overlapping_sessions"]\n'
    milepost.write("milepost.toml", toml)
    fresh, seen = milepost.json("funnel"), milepost.json("watch", "--once")
    assert fresh["players"] == 4 and {key: seen[key] for key in fresh if key != "command"} == {
        key: fresh[key] for key in fresh if key != "command"
    }
    fresh, seen = (milepost.json(*words, "--no-where", "--where", "role=maker") for words in (("funnel",), ("watch", "--once")))
    assert seen["levels"] == fresh["levels"] and seen["players"] == 1
    milepost.write("two/d.csv", "session,time,event\na,1,session_start\n")
    done = milepost("watch", "--once")
    assert done.returncode == 2 and "two/d.csv: is no plain file of JSON Lines" in done.stderr
