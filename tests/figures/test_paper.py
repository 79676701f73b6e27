"""What figures are drawn on, by the program: forms, sizes, light and dark, and what is said of sizes that are none."""

import re

import pytest

DEMO = ("wickwater/logs", "--course", "wickwater/course.toml")
CHANGE = ("--set", "Low Arch.target_clear=0.75")
MEASURES = {"funnel": (), "attempts": (), "times": (), "deaths": (), "moves": (), "spikes": (), "whatif": CHANGE}


def png_size(data):
    """Width and height from a PNG's header."""
    assert data.startswith(b"\x89PNG")
    return int.from_bytes(data[16:20], "big"), int.from_bytes(data[20:24], "big")


@pytest.mark.parametrize("command", MEASURES)
def test_every_measure(wickwater, command):
    """An SVG with its text as text, the flagged level's name among it."""
    assert wickwater(command, *DEMO, *MEASURES[command], "--figure", f"paper-{command}.svg").returncode == 0
    drawn = (wickwater.folder / f"paper-{command}.svg").read_text(encoding="utf-8")
    assert "Low Arch" in drawn and re.search(r"<text[^>]*>", drawn)


def test_every_form(wickwater):
    """PNG of the size asked for, SVG and PDF; a PDF the same bytes again."""
    files = [wickwater.folder / f"form.{form}" for form in ("png", "svg", "pdf")]
    written = []
    for path in (*files, files[2]):
        assert wickwater("times", *DEMO, "--size", "1000x500", "--figure", path.name).returncode == 0
        written.append(path.read_bytes())
    assert written[2] == written[3]
    assert png_size(written[0]) == (1000, 500) and written[2].startswith(b"%PDF")


@pytest.mark.parametrize("size", ["1280", "10x10", "500x900", "9000x800", "axb", "1280x", "-5x400"])
def test_sizes_that_are_none(milepost, small_log, size):
    """One line that says what a size is, status 2, and no file."""
    milepost.write("log.jsonl", small_log)
    done = milepost("funnel", "log.jsonl", f"--size={size}", "--figure", "f.png")
    assert done.returncode == 2 and "is no size such as 1280x800" in done.stderr and done.stderr.count("\n") == 1
    assert not (milepost.folder / "f.png").exists()


def test_two_players_can_be_drawn(milepost, small_log):
    """Nothing but a few attempts: every figure is drawn and says how little there is."""
    milepost.write("log.jsonl", small_log)
    for command in ("attempts", "times", "spikes"):
        done = milepost(command, "log.jsonl", "--figure", f"{command}.svg")
        assert done.returncode == 0, done.stderr
    assert "Too few players" in (milepost.folder / "attempts.svg").read_text()
    assert "Too few players" in (milepost.folder / "times.svg").read_text()
