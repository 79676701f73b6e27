"""Groups side by side: figures, raw counts, layouts, and what a group cannot know of the others."""

import pytest

from conftest import COURSE


def log(**tags):
    """Ten players on two levels; each tag is given by the number of the player."""
    lines = []
    for n in range(10):
        at = {"session": f"s{n}", "player": f"p{n}"} | {name: value[n % len(value)] for name, value in tags.items()}
        lines += [
            at | {"time": 0, "event": "start", "level": "Mill Pond"},
            at | {"time": 9, "event": "complete" if n % 3 else "death", "level": "Mill Pond"},
            at | {"time": 20, "event": "session_end", "cause": "quit"},
        ]
    return lines


@pytest.fixture
def folder(milepost):
    milepost.write("log.jsonl", log(role=["new", "old"], layout=["a", "b", "c"], build=["1"]))
    milepost.write("course.toml", COURSE)
    return milepost


def test_a_figure_for_each_group(folder):
    """--by with --figure draws one a group, named after it."""
    assert folder("funnel", "log.jsonl", "--by", "role", "--figure", "out.png").returncode == 0
    assert sorted(path.name for path in folder.folder.glob("*.png")) == ["out-new.png", "out-old.png"]
    folder.write("odd.jsonl", log(role=["a/b", "a b", "", "ü/../x"]))
    assert folder("funnel", "odd.jsonl", "--by", "role", "--figure", "odd.svg").returncode == 0
    assert len(list(folder.folder.glob("odd-*.svg"))) == 4


def test_raw_counts_in_groups(folder):
    """--raw has its columns in the groups' table, too."""
    shown = folder("funnel", "log.jsonl", "--course", "course.toml", "--by", "role", "--raw", COLUMNS="200").stdout
    assert shown.count("raw reached") == 2
    plain = folder("funnel", "log.jsonl", "--by", "role", "--raw", "--format", "csv").stdout
    assert "raw_reached" in plain.splitlines()[0]


def test_layouts_in_groups(folder):
    """Layouts are told apart in groups as well."""
    done = folder("layouts", "log.jsonl", "--course", "course.toml", "--by", "role", "--min-players", "1")
    assert done.returncode == 0
    rows = [line.split() for line in done.stdout.splitlines() if line.startswith("Mill Pond")]
    assert [row[2] for row in rows] == ["a", "b", "c"]
    groups = folder.json("layouts", "log.jsonl", "--course", "course.toml", "--by", "role")["groups"]
    assert [sum(row["tries"] for row in group["levels"]) for group in groups] == [5, 5]


@pytest.mark.parametrize("option", ["--by", "--course", "--output", "--format", "--map"])
def test_an_option_given_twice(folder, option):
    """Of two values one would be passed over without a word: refused in a line."""
    value = {"--by": "role", "--course": "course.toml", "--format": "json"}.get(option, "x.txt")
    done = folder("funnel", "log.jsonl", option, value, option, value)
    if option == "--format":  # which only changes how it is shown
        assert done.returncode == 0
        return
    assert (done.returncode, done.stdout, done.stderr.count("\n")) == (2, "", 1) and f"{option} is given twice" in done.stderr


def test_players_in_several_groups(milepost):
    """A player who quit in one build and went on in the next is lost in the first one: the table says how many such players there are."""
    lines = []
    for n in range(8):
        for build in ("0.7", "0.8")[: 1 + (n < 3)]:
            at = {"session": f"s{n}-{build}", "player": f"p{n}", "build": build}
            lines += [
                at | {"time": 0, "event": "start", "level": "Mill Pond"},
                at | {"time": 9, "event": "session_end", "cause": "quit"},
            ]
    milepost.write("log.jsonl", lines)
    document = milepost.json("funnel", "log.jsonl", "--by", "build")
    assert document["players_in_several_groups"] == 3
    shown = " ".join(milepost("funnel", "log.jsonl", "--by", "build").stdout.split())
    assert "3 players stand in several groups, since build changes from one session to the next." in shown
    milepost.write("other.jsonl", log(role=["new", "old"]))
    assert "several groups" not in milepost("funnel", "other.jsonl", "--by", "role").stdout


ALIASED = COURSE.replace('"Low Arch"\n', '"Low Arch"\naliases = ["arch_01", "the arch"]\n')


@pytest.mark.parametrize("name", ["Low Arch", "arch_01", "ARCH-01", "low_arch", "the arch"])
def test_levels_by_any_of_their_names(milepost, name):
    """A condition, a level's page and a projection take a level by whatever name the course gives it, however a session spells it."""
    lines = []
    for n, spelling in enumerate(("Low Arch", "arch_01", "low-arch", "Mill Pond")):
        lines += [
            {"session": f"s{n}", "time": 0, "event": "start", "level": spelling},
            {"session": f"s{n}", "time": 5, "event": "death", "level": spelling},
        ]
    milepost.write("log.jsonl", lines)
    milepost.write("course.toml", ALIASED)
    more = ("log.jsonl", "--course", "course.toml")
    assert milepost.json("funnel", *more, "--where", f"level={name}")["sessions"] == 3
    assert milepost.json("funnel", *more, "--where", f"level!={name}")["sessions"] == 1
    assert milepost.json("funnel", *more, "--where", f"level={name}", "--jobs", "2")["sessions"] == 3
    assert milepost.json("level", name, *more)["level"] == "Low Arch"
    changed = milepost.json("whatif", *more, "--set", f"{name}.difficulty=-2")["levels"]
    assert [row["level"] for row in changed if row["changed"] == -2] == ["Low Arch"]


def test_minima_are_counts(milepost, small_log):
    """A negative minimum is refused."""
    milepost.write("log.jsonl", small_log)
    done = milepost("layouts", "log.jsonl", "--min-tries", "-3")
    assert (done.returncode, done.stderr.count("\n")) == (2, 1)
