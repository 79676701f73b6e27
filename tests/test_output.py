"""Where output goes: never over what is read, through links, pipes and devices, and one line where it cannot go."""

import json
import os
import stat
import subprocess
import threading
from pathlib import Path

import pytest

from conftest import COURSE
from driving import PROGRAM


@pytest.fixture
def folder(milepost, small_log):
    """A log, a course, a map, a link to the log, and a store."""
    milepost.write("logs/a.jsonl", small_log)
    milepost.write("course.toml", COURSE)
    milepost.write("map.toml", '[time]\nunit = "s"\n')
    (milepost.folder / "link.jsonl").symlink_to("logs/a.jsonl")
    (milepost.folder / "hard.jsonl").hardlink_to(milepost.folder / "logs/a.jsonl")
    assert milepost("pack", "logs", "-o", "kept.store").returncode == 0
    return milepost


def everything(folder):
    return {path: path.read_bytes() for path in folder.rglob("*") if path.is_file()}


MEASURE = ("funnel", "logs", "--course", "course.toml", "--map", "map.toml")


@pytest.mark.parametrize(
    "words",
    [
        (*MEASURE, "-o", "logs/a.jsonl"),
        (*MEASURE, "-o", "link.jsonl"),
        (*MEASURE, "-o", "hard.jsonl"),
        (*MEASURE, "-o", "course.toml"),
        (*MEASURE, "--output", "map.toml"),
        (*MEASURE, "-o", "logs/../logs/a.jsonl"),
        (*MEASURE, "--format", "csv", "-o", "course.toml"),
        ("funnel", "logs", "-o", "kept.store/store.json"),
        ("funnel", "logs", "-o", "kept.store/new.txt"),
        ("funnel", "kept.store", "-o", "kept.store/records/x.txt"),
        ("convert", "logs", "-o", "logs/a.jsonl"),
        ("convert", "link.jsonl", "-o", "hard.jsonl"),
        ("watch", "logs", "--once", "-o", "logs/a.jsonl"),
        ("map", "logs/a.jsonl", "-o", "logs/a.jsonl"),
        ("course", "logs/a.jsonl", "-o", "logs/a.jsonl"),
        ("simulate", "--course", "course.toml", "-o", "course.toml"),
        ("simulate", "-o", "x.jsonl", "--truth", "x.jsonl"),
        ("simulate", "--course", "course.toml", "-o", "x", "--truth", "course.toml"),
        (*MEASURE, "-o", ""),
        (*MEASURE, "--figure", ""),
        ("trace", "--all", "logs/a.jsonl", "logs", "-o", "logs/a.jsonl"),
        ("report", "logs", "-o", "kept.store/report.html"),
        ("pack", "logs", "-o", "kept.store/records/inner"),
        ("pack", "logs", "-o", ""),
    ],
)
def test_nothing_that_is_read_is_written_over(folder, words):
    """An output is never an input, by whatever name, nor lies in a store: one line, status 2, and everything is as it was."""
    before = everything(folder.folder)
    done = folder(*words)
    assert (done.returncode, done.stdout, done.stderr.count("\n")) == (2, "", 1), done.stderr
    assert everything(folder.folder) == before


def test_links_modes_pipes_and_devices(folder):
    """A link stays one, a file keeps its mode, a pipe and a device are written to as they are."""
    target = folder.folder / "old.txt"
    target.write_text("old")
    target.chmod(0o640)
    (folder.folder / "to-old").symlink_to("old.txt")
    (folder.folder / "to-new").symlink_to("new.txt")
    for name in ("to-old", "to-new"):
        assert folder("funnel", "logs", "-o", name).returncode == 0
        assert (folder.folder / name).is_symlink() and "Funnel" in (folder.folder / name).read_text()
    assert stat.S_IMODE(target.stat().st_mode) == 0o640
    assert folder("funnel", "logs", "-o", "/dev/null").returncode == 0 and Path("/dev/null").is_char_device()
    os.mkfifo(folder.folder / "pipe")
    heard = []
    listener = threading.Thread(target=lambda: heard.append((folder.folder / "pipe").read_text()))
    listener.start()
    assert folder("funnel", "logs", "-o", "pipe", "--format", "json").returncode == 0
    listener.join()
    assert json.loads(heard[0])["command"] == "funnel" and stat.S_ISFIFO((folder.folder / "pipe").stat().st_mode)
    with (folder.folder / "shell.txt").open("w") as out:
        subprocess.run([PROGRAM, "funnel", "logs", "-o", "/dev/stdout"], cwd=folder.folder, stdout=out, check=True, timeout=100)
    assert "Funnel" in (folder.folder / "shell.txt").read_text()


@pytest.mark.parametrize(
    "shell",
    [
        "funnel logs > /dev/full",
        "funnel logs --format json > /dev/full",
        "funnel logs >&-",
        "funnel - <&-",
        "> /dev/full",
        "demo --force > /dev/full",
        "funnel logs -o $(printf 'x%.0s' $(seq 300))",
        "funnel logs -o nowhere/x",
        "funnel logs -o /dev/full",
        "map logs/a.jsonl > /dev/full",
    ],
)
def test_outputs_that_cannot_be(folder, shell):
    """A full or closed output, a name too long: one line and status 2, which is never the gate's 1."""
    done = subprocess.run(["bash", "-c", f"'{PROGRAM}' {shell}"], cwd=folder.folder, capture_output=True, text=True, timeout=100)
    assert (done.returncode, done.stderr.count("\n")) == (2, 1), done.stderr
    assert "Traceback" not in done.stderr and "Exception" not in done.stderr


def test_a_reader_that_goes_away(folder):
    """A pipe that is closed early is no failure."""
    done = subprocess.run(
        ["bash", "-c", f"'{PROGRAM}' funnel logs | head -1"], cwd=folder.folder, capture_output=True, text=True, timeout=100
    )
    assert done.returncode == 0 and done.stderr == ""


def test_scratch_goes_with_the_program(folder, tmp_path_factory):
    """A program that is terminated leaves nothing in the temporary folder; one that finds it unwritable says so of it, not of the log."""
    scratch = tmp_path_factory.mktemp("scratch")
    os.mkfifo(folder.folder / "pipe")
    run = subprocess.Popen(
        [PROGRAM, "funnel", "pipe"], cwd=folder.folder, env={**os.environ, "TMPDIR": str(scratch)}, stderr=subprocess.PIPE
    )
    with (folder.folder / "pipe").open("w") as pipe:
        pipe.write("{}\n")
        pipe.flush()
        while not list(scratch.rglob("log")):
            assert run.poll() is None
        run.terminate()
        assert run.wait(60) == 143
    assert not list(scratch.iterdir()) and run.stderr.read() == b""


@pytest.mark.parametrize("words", ["funnel logs --memory 1MB", "convert logs -o x.csv", "funnel <(cat logs/b.jsonl)"])
def test_a_full_temporary_folder(folder, words):
    """Where there is no room for the moment's files, it is the temporary folder that is named, not the log."""
    folder.write(
        "logs/b.jsonl", "".join(f'{{"session": "s{n}", "time": {n}, "event": "hit", "tag": "{n:0200}"}}\n' for n in range(300))
    )
    shell = f"ulimit -f 4; '{PROGRAM}' {words}"
    own = {**os.environ, "PYTHONDONTWRITEBYTECODE": "1"}  # which would be cut off as well, and stay so
    done = subprocess.run(["bash", "-c", shell], cwd=folder.folder, env=own, capture_output=True, text=True, timeout=100)
    assert (done.returncode, done.stderr.count("\n")) == (2, 1), done.stderr
    assert "the temporary folder cannot be written" in done.stderr and "TMPDIR" in done.stderr


@pytest.mark.parametrize("name", ["moves.svg", "moves.PNG", "moves.pdf"])
def test_a_table_is_no_picture(milepost, small_log, name):
    """A text is not written under a picture's name; the sentence says what draws it."""
    done = milepost("moves", milepost.write("log.jsonl", small_log), "-o", name)
    assert done.returncode == 2 and f"--figure {name}" in done.stderr and not (milepost.folder / name).exists()
    assert milepost("moves", "log.jsonl", "--figure", name.lower()).returncode == 0
