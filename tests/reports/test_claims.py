"""Whatever a command claims of a log with a fault drawn at random is so: figures are those of the play, or the output says what it met.

The play is simulated here, so that who reached and cleared what, and how long that took, is known beforehand.
"""

import json
import math
import random
import statistics

import pytest

from thoroughness import some_always

FAR = 0.05  # a share that is off by more is wrong


class Evening:
    """Players through a course, with what they did as truth and as records."""

    def __init__(self, seed):
        self.rng = rng = random.Random(seed)
        self.levels = [f"{rng.choice(['Mill', 'Low', 'Reed', 'Long', 'Salt'])} {name}" for name in self.names(rng.randint(3, 9))]
        self.sessions, self.reached, self.cleared, self.seconds = [], {}, {}, {}
        for player in range(rng.randint(14, 40)):
            self.sessions.append(self.play(player))
        rng.random()

    def names(self, count):
        return [f"{self.rng.choice(['Pond', 'Arch', 'Gate', 'Lock', 'Steps'])} {n}" for n in range(1, count + 1)]

    def play(self, player):
        rng, skill, clock, lines = self.rng, self.rng.gauss(0, 0.7), 0.0, []
        own = {"session": f"s{player}", "player": f"Player {player}", "build": "1"}
        lines.append(own | {"time": 0.0, "event": "session_start"})
        for n, level in enumerate(self.levels):
            self.reached.setdefault(level, set()).add(player)
            spent, hardness = 0.0, -1.2 + 0.15 * n
            while True:
                begun = clock
                lines.append(own | {"time": clock, "event": "start", "level": level})
                lines.append(own | {"time": clock + 1.5, "event": "first_input", "level": level})
                clock += rng.uniform(8, 45)
                clear = rng.random() < 1 / (1 + math.exp(hardness - skill))
                lines.append(own | {"time": clock, "event": "complete" if clear else "death", "level": level})
                spent += clock - begun
                clock += rng.uniform(1.5, 5)
                if clear:
                    self.cleared.setdefault(level, set()).add(player)
                    self.seconds.setdefault(level, []).append(spent)
                    break
                if rng.random() < 0.06:
                    return [*lines, own | {"time": clock + 3, "event": "session_end", "cause": "quit"}]
            to = self.levels[n + 1] if n + 1 < len(self.levels) else None
            lines.append(own | {"time": clock, "event": "transition", "level": level, "to": to})
            clock += rng.uniform(1, 3)
        return [*lines, own | {"time": clock, "event": "session_end", "cause": "finished"}]

    def records(self):
        return [line for session in self.sessions for line in session]


def _some(share, change):
    """A fault on some records, each with a chance."""
    return lambda evening, lines: [
        new for line in lines for new in (change(evening, line) if evening.rng.random() < share else [line])
    ]


def _unit(factor, whole=False):
    def act(evening, lines):
        return [line | {"time": round(line["time"] * factor) if whole else line["time"] * factor} for line in lines]

    return act


def _words(**words):
    return lambda evening, lines: [line | {"event": words.get(line["event"], line["event"])} for line in lines]


def _shuffled(evening, lines):
    lines = list(lines)
    evening.rng.shuffle(lines)
    return lines


def _after_end(evening, lines):
    extra = [
        {"session": line["session"], "time": line["time"] + 9, "event": "hit", "level": evening.levels[0]}
        for line in lines
        if line["event"] == "session_end"
    ]
    return [*lines, *extra * 6]


def _skips(evening, lines):
    """Test aids: some sessions begin with a jump to the end."""
    aided = {f"s{n}" for n in range(len(evening.sessions)) if n % 3 == 0}
    first, last = evening.levels[0], evening.levels[-1]
    out = []
    for line in lines:
        out.append(line)
        if line["session"] in aided and line["event"] == "session_start":
            out.append(line | {"event": "start", "level": first})
            out.append(line | {"event": "transition", "level": first, "to": last, "time": 0.1})
    return out


def _drop(share, events):
    return _some(share, lambda evening, line: [] if line["event"] in events else [line])


FAULTS = {
    "none": lambda evening, lines: lines,
    "repeated": _some(0.2, lambda evening, line: [line, line | {"time": line["time"] + 0.1}]),
    "twice": _some(0.3, lambda evening, line: [line, dict(line)]),
    "doubled logic": lambda evening, lines: sorted(
        [*lines, *(line | {"time": line["time"] + 0.4} for line in lines)], key=lambda line: (line["session"], line["time"])
    ),
    "no starts": _drop(0.5, {"start"}),
    "no clears": _drop(1, {"complete"}),
    "few clears": _drop(0.4, {"complete"}),
    "no ends": _drop(1, {"session_end"}),
    "no transitions": _drop(1, {"transition"}),
    "words for clears": _words(complete="won"),
    "words for all": _words(
        start="begin", complete="won", death="lost", transition="go", first_input="input", session_start="hi", session_end="bye"
    ),
    "words for starts": _words(start="begin"),
    "milliseconds": _unit(1000, whole=True),
    "frames": _unit(60, whole=True),
    "days": _unit(1 / 86_400),
    "minutes": _unit(1 / 60),
    "midnight": lambda evening, lines: [line | {"time": (line["time"] + 86_200) % 86_400} for line in lines],
    "shuffled": _shuffled,
    "spelled": _some(
        0.4, lambda evening, line: [line | ({"level": line["level"].upper().replace(" ", "_")} if "level" in line else {})]
    ),
    "players spelled": _some(0.4, lambda evening, line: [line | {"player": line["player"].upper().replace(" ", "-")}]),
    "another player": _some(0.3, lambda evening, line: [line | {"player": "somebody"}]),
    "foreign": _some(0.4, lambda evening, line: [line | ({"actor": "crate"} if line["event"] in ("complete", "death") else {})]),
    "unknown levels": _some(0.2, lambda evening, line: [line | ({"level": f"{line['level']}x"} if "level" in line else {})]),
    "unreadable": _some(0.2, lambda evening, line: [{key: value for key, value in line.items() if key != "time"}]),
    "bad fields": _some(0.4, lambda evening, line: [line | {"progress": 7}]),
    "after the end": _after_end,
    "skips": _skips,
    "seconds only": _unit(1, whole=True),
    "no sessions": lambda evening, lines: [line | {"session": "all"} for line in lines],
}


def is_right(evening, document, times):
    """Whether reach, clears and median times are those of the play."""
    rows = {row["level"]: row for row in document["levels"]}
    players = len(evening.sessions)
    for level in evening.levels:
        row = rows.get(level)
        reached, cleared = len(evening.reached.get(level, ())), len(evening.cleared.get(level, ()))
        if (row is None and reached) or document["players"] != players:
            return False
        if row is not None and (abs(row["reached"] - reached) > FAR * players or abs(row["cleared"] - cleared) > FAR * players):
            return False
    first = statistics.median(evening.seconds[evening.levels[0]])
    own = next((row["p50"] for row in times["levels"] if row["level"] == evening.levels[0]), None)
    return own is not None and abs(own - first) <= 0.1 * first + 1.5


@pytest.mark.parametrize("seed", some_always(range(3), 2))
@pytest.mark.parametrize("fault", FAULTS)
def test_no_silent_wrong_figure(milepost, fault, seed):
    """A figure that is off is never without a word: a caution, a suspect, or a refusal."""
    evening = Evening(f"{fault} {seed}")
    lines = FAULTS[fault](evening, evening.records())
    milepost.write("log.jsonl", lines)
    milepost.write("course.toml", "".join(f"[[level]]\nname = {json.dumps(level)}\n" for level in evening.levels))
    words = ("log.jsonl", *(("--course", "course.toml") if seed % 2 else ()))
    funnel = milepost("funnel", *words, "--format", "json")
    if funnel.returncode:
        assert funnel.returncode == 2 and len(funnel.stderr.splitlines()) == 1
        return
    document = json.loads(funnel.stdout)
    right = is_right(evening, document, milepost.json("times", *words))
    said = {one["code"] for one in document["cautions"]}
    assert right or said, (fault, document["findings"])
    if fault in ("none", "midnight", "shuffled", "players spelled", "no transitions", "no ends"):
        assert right, (fault, document["findings"])
    _check_says_so(milepost, words, evening, document)


def _check_says_so(milepost, words, evening, document):
    """What `check` claims of repairs and of who was left out is what its own figures say."""
    check, shown = milepost.json("check", *words), " ".join(milepost("check", *words).stdout.split())
    assert check["used"] + check["reported"] == check["records"]
    assert ("Repairs do not change a figure" in shown) == (not check["moved"])
    for row in check["details"]:
        assert row["session_share"] is None or 0 <= row["session_share"] <= 1
        assert row["weight"] == "high" or row["count"] <= 0.05 * check["records"] or row["code"] not in TAKEN, row
    nobody = not any(document["left_out"].values())
    assert ("Nobody was left out" in shown) == nobody
    total = sum(row["reached"] for row in document["levels"])
    assert ("well tested" not in milepost("coverage", *words).stdout) or total


TAKEN = {
    "after_end",
    "after_skip",
    "unknown_event",
    "unreadable_record",
    "bad_field",
    "unknown_level",
    "duplicate_record",
    "foreign_actor",
    "no_effect",
    "repeated_start",
    "repeated_complete",
}
