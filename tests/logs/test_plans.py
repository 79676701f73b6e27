"""Courses and maps with any value in any place: read, or refused in a line that names the file and the key."""

import copy
import random

import pytest
import tomlkit

from milepost.audit.suspects import RULES
from milepost.course.course import read_course
from milepost.errors import MilePostError
from milepost.logs.mapping.logmap import read_map
from milepost.vocabulary import SUSPECTS

COURSE = {
    "name": "Wickwater",
    "places": ["menu"],
    "harder": {"reeds": "up"},
    "band": [{"name": "a", "from": 0.0, "to": 0.5}],
    "known_fault": [{"code": "stuck", "level": "A", "build": "1", "note": "x"}],
    "level": [
        {
            "name": "A",
            "aliases": ["b"],
            "chapter": "c",
            "par_seconds": 40,
            "target_clear": 0.5,
            "open": True,
            "note": "n",
            "knobs": {"k": 1},
        },
        {"name": "B", "target_clear": [0.1, 0.5]},
    ],
}
MAP = {
    "fields": {
        "session": "s",
        "time": {"from": ["a", "b"], "join": "-"},
        "x": {"value": 3},
        "level": {"from": "l", "format": "level-{n:02d}", "default": "z"},
    },
    "time": {"unit": "frames", "rate": 60, "zone": "UTC", "format": "%d"},
    "session": {"gap_minutes": 3},
    "events": {"a": "start", "b": {"event": "death", "cause": "x", "when": {"q": [1, 2]}}, "c": [{"event": "hit"}]},
    "replay": {"repeat_window": 0.2, "instant": 0.5, "implied_complete": True},
    "input": {"format": "csv", "query": "x", "delimiter": ",", "encoding": "cp1252"},
}
ODD = [
    1,
    -1,
    0,
    1.5,
    "",
    "x",
    [],
    [1],
    {},
    {"a": 1},
    True,
    [[]],
    float("nan"),
    float("inf"),
    "\u0000",
    [{"name": 1}],
    10**30,
    "1e400",
]


def paths(value, before=()):
    yield before
    for key, own in value.items() if isinstance(value, dict) else enumerate(value) if isinstance(value, list) else ():
        yield from paths(own, (*before, key))


def test_any_value_in_any_place(tmp_path):
    """Read, or refused with the file's name; never anything else."""
    path, refused = tmp_path / "plan.toml", 0
    for seed in range(350):
        rng = random.Random(seed)
        plan, read = (COURSE, read_course) if seed % 2 else (MAP, read_map)
        plan = copy.deepcopy(plan)
        *way, last = rng.choice([place for place in paths(plan) if place])
        inner = plan
        for key in way:
            inner = inner[key]
        inner[last] = copy.deepcopy(rng.choice(ODD))
        path.write_text(tomlkit.dumps(plan))
        said = what_is_wrong(read, path)
        assert said is None or (str(path) in said and "\n" not in said)
        refused += said is not None
    assert refused > 200


def what_is_wrong(read, path):
    try:
        read(path)
    except MilePostError as error:
        return str(error)
    return None


@pytest.mark.parametrize(
    ("text", "said"),
    [
        (
            '[[level]]\nname = "A"\n[[known_fault]]\ncode = "stuk"',
            "known_fault 1: code: nothing that check finds is called 'stuk'. Write stuck",
        ),
        ('[[level]]\nname = "A"\npar_seconds = "long"', "level 1 (A): par_seconds"),
        ('band = 3\n[[level]]\nname = "A"', "band is no list"),
    ],
)
def test_what_is_wrong_in_a_course(milepost, small_log, text, said):
    """The file, the key, and what would do."""
    milepost.write("log.jsonl", small_log)
    milepost.write("course.toml", text)
    done = milepost("check", "log.jsonl", "--course", "course.toml")
    assert (done.returncode, done.stderr.count("\n")) == (2, 1) and f"course.toml: {said}" in done.stderr


@pytest.mark.parametrize(
    ("text", "said"),
    [
        ("[time]\nunit = [1]", "time.unit must be one of"),
        ("[replay]\nrepeat_window = -1", "replay.repeat_window must be a number of seconds from 0 up"),
        ("[replay]\ninstant = nan", "replay.instant must be"),
        ("[events]\na = {event = [1]}", "events.a must be"),
        ("[fields]\nlevel = {from = 7}", "fields.level.from must be a column or a list of columns"),
    ],
)
def test_what_is_wrong_in_a_map(milepost, small_log, text, said):
    """The file, the key, and what would do."""
    milepost.write("log.jsonl", small_log)
    milepost.write("map.toml", text)
    done = milepost("check", "log.jsonl", "--map", "map.toml")
    assert (done.returncode, done.stderr.count("\n")) == (2, 1) and f"map.toml: {said}" in done.stderr


def test_every_suspect_can_be_declared_known():
    """The list of codes is that of the rules."""
    assert [rule.__name__ for rule in RULES] == list(SUSPECTS)


@pytest.mark.parametrize(
    "names",
    [
        ['A "quoted" arch', "back\\slash", "tab\there"],
        ["line\nbreak", "\u202eturned", "\x85next", "ü"],
        ["\ud800", "=1+1", "[x]"],
    ],
)
def test_drafts_of_odd_names(milepost, names):
    """A drafted course and a drafted map are TOML that reads, whatever the levels and columns are called."""
    milepost.write(
        "log.jsonl", [{"session": "s", "time": n, "event": "start", "level": name, name: 1} for n, name in enumerate(names)]
    )
    for command in (
        ("course", "log.jsonl", "--name", names[0], "-o", "draft.toml"),
        ("map", "log.jsonl", "-o", "draft-map.toml"),
    ):
        assert milepost(*command).returncode == 0
    drafted = read_course(milepost.folder / "draft.toml")
    assert len(drafted.levels) == len(names)
    assert [level.name for level in drafted.levels] == [name.encode("utf-8", "backslashreplace").decode() for name in names]
    read_map(milepost.folder / "draft-map.toml")
