"""Every sentence of every command over odd logs: none that nobody would say."""

import re

import pytest

START = {"session": "s", "time": 0, "event": "start", "level": "Mill Pond"}


def play(*events, session="s", cause=None, **more):
    lines = [{"session": session, "time": 7 * n, "event": event, "level": "Mill Pond", **more} for n, event in enumerate(events)]
    return [*lines, *([{"session": session, "time": 99, "event": "session_end", "cause": cause}] if cause else [])]


LOGS = {
    "nothing settled": play("start", "hit", cause="quit"),
    "only resets": [line for n in range(3) for line in play("start", "reset", "start", "reset", session=f"s{n}")],
    "only clears": [line for n in range(9) for line in play("start", "complete", session=f"s{n}", cause="quit")],
    "no level": [{"session": "s", "time": 1, "event": "session_start"}],
    "deaths without a place": [line for n in range(6) for line in play("start", "death", session=f"s{n}", cause="quit")],
    "one clear, one quit": play("start", "complete", session="a") + play("start", cause="quit", session="b"),
    "stuck": play("start", "complete", "start", "death", cause="quit") + [{"session": "s", "time": 400, "event": "session_end"}],
    "all put back": [
        line for n in range(12) for line in play("start", "death", "start", "complete", session=f"s{n}", cause="time_up")
    ],
}
COMMANDS = (
    "check",
    "funnel",
    "attempts",
    "times",
    "deaths",
    "moves",
    "spikes",
    "coverage",
    "report",
    "level Mill Pond",
    "trace --all",
    "funnel --by build",
)
UNSAID = [
    r"\?\.",
    r"– of",
    r"\b0 of 0\b",
    r"(\w+) \(\1\)",
    r"\bn 0\b",
    r"not known yet",
    r"\bNone\b",
    r"\bnan\b",
    r"[−-]0\b",
    r"\b1 (tries|players|levels|were)\b",
    r"\b(\w+), \1 and \1\b",
    r"none of 1\b",
    r"  +\.",
    r"\.\.",
    r"\(\)",
    r": \.",
    r"\b1 lost here were\b",
    r" ,",
]


@pytest.mark.parametrize("name", LOGS)
def test_no_sentence_that_nobody_would_say(milepost, name):
    """Read over what every command prints of an odd log."""
    milepost.write("log.jsonl", LOGS[name])
    for command in COMMANDS:
        words = ["level", "Mill Pond"] if command.startswith("level") else command.split()
        for width in ("80", "100", "200"):
            done = milepost(*words, "log.jsonl", COLUMNS=width)
            assert done.returncode in (0, 2)
            text = " ".join(done.stdout.split())
            for pattern in UNSAID:
                assert not re.search(pattern, text), (command, re.search(f".{{0,60}}{pattern}.{{0,30}}", text)[0])


def test_notes_stand_where_they_apply(milepost):
    """The footnote on few players, what `not yet` means, and findings of weight are said where there are any, and nowhere else."""
    many = [line for n in range(12) for line in play("start", "complete", session=f"s{n}", cause="quit")]
    milepost.write("many.jsonl", many)
    milepost.write("few.jsonl", many[:3])
    milepost.write("bad.jsonl", many + [{"session": f"s{n}"} for n in range(4)])
    for command, notes in (("attempts", ("* fewer than", "not yet")), ("funnel", ("* fewer than", "of high weight"))):
        assert not any(note in milepost(command, "many.jsonl").stdout for note in notes)
    assert "* fewer than 5 players" in milepost("funnel", "few.jsonl").stdout
    assert "unreadable_record: 4" in milepost("funnel", "bad.jsonl").stdout


def test_what_matters_stays(wickwater):
    """At 80 columns the funnel has who cleared and why people stopped, and spikes the plan and q; --columns chooses, or shows all."""
    more = ("wickwater/logs", "--course", "wickwater/course.toml")
    head = wickwater("funnel", *more, COLUMNS="80").stdout.splitlines()
    assert (
        head[1].split() == ["level", "reached", "cleared", "rate", "lost", "stopped", "here", "retention"]
        and max(map(len, head)) <= 80
    )
    judged = wickwater("spikes", *more, COLUMNS="80").stdout
    assert re.search(r"^level .* q +plan", judged, re.MULTILINE) and max(map(len, judged.splitlines())) <= 80
    chosen = wickwater("funnel", *more, "--columns", "Moved On,interval of drop-off", COLUMNS="80").stdout.splitlines()
    assert chosen[1].split() == ["level", "moved", "on", "95", "%"]
    every = wickwater("spikes", *more, "--columns", "all", COLUMNS="60").stdout
    assert {"players", "tries", "difficulty", "expected", "cost", "plan"} <= set(
        re.findall(r"\w+", every)
    ) and "Not shown" not in every
    done = wickwater("funnel", *more, "--columns", "nope")
    assert (done.returncode, done.stderr.count("\n")) == (
        2,
        1,
    ) and "There are: level, reached, cleared, clear rate" in done.stderr
    assert wickwater("funnel", *more, "--columns", "cleared", "--format", "json").returncode == 2


def test_one_unit_a_column(wickwater):
    """Times in a table are all in seconds, or all in minutes and seconds, and the latter is said."""
    shown = wickwater("times", "wickwater/logs", "--course", "wickwater/course.toml").stdout
    assert "Times are in minutes and seconds." in " ".join(shown.split()) and not re.search(r"\d s\b", shown)
