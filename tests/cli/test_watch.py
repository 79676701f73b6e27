"""Watching logs that grow: only whole lines count, a restart goes on, and it ends when it is told to."""

import json
import signal
import subprocess
import time

from driving import PROGRAM


def lines(records):
    """Records as JSON Lines."""
    return "".join(json.dumps(record) + "\n" for record in records)


def test_once_is_the_funnel(wickwater):
    """What it shows of logs that are all there is the funnel; the demo's last line is cut off, and waits."""
    words = ("wickwater/logs", "--course", "wickwater/course.toml")
    seen, funnel = wickwater.json("watch", *words, "--once"), wickwater.json("funnel", *words)
    assert funnel["findings"].pop("unreadable_record") == 1
    assert {key: seen[key] for key in funnel if key != "command"} == {key: value for key, value in funnel.items() if key != "command"}


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
    with subprocess.Popen(command, cwd=milepost.folder, stdout=subprocess.PIPE, stderr=subprocess.PIPE, text=True,
                          preexec_fn=heeding) as running:  # fmt: skip
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
