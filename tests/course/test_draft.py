"""Drafted courses: levels renamed between builds are one, and what is not told to be one stays two."""

import tomllib

import pytest

BEFORE = ["Mill Pond", "Reed Gate", "Low Arch", "Salt Steps"]


def played(build, levels, players=3):
    """Players of a build who clear its levels in order."""
    return [
        {
            "session": f"{build}-{n}",
            "player": f"{build}-{n}",
            "build": build,
            "time": 10.0 * place + n + 5 * done,
            "event": event,
            "level": level,
        }
        for n in range(players)
        for place, level in enumerate(levels)
        for done, event in enumerate(("start", "complete"))
    ]


def drafted(milepost, records):
    milepost.write("log.jsonl", records)
    assert milepost("course", "log.jsonl", "-o", "draft.toml").returncode == 0
    text = (milepost.folder / "draft.toml").read_text()
    return {level["name"]: level.get("aliases", []) for level in tomllib.loads(text)["level"]}, text


@pytest.mark.parametrize(
    ("after", "aliases"),
    [
        (["Mill Pond", "reed_2", "Low Arch", "Salt Steps"], {"reed_2": ["Reed Gate"]}),
        (["pond", "Reed Gate", "Low Arch", "steps"], {"pond": ["Mill Pond"], "steps": ["Salt Steps"]}),
        (["Mill Pond", "reed_2", "arch_2", "Salt Steps"], {"reed_2": ["Reed Gate"], "arch_2": ["Low Arch"]}),
        (["Mill Pond", "Low Arch", "Salt Steps"], {}),  # taken out
        (["Mill Pond", "Reed Gate", "Eel Run", "Low Arch", "Salt Steps"], {}),  # put in
        (["Mill Pond", "Eel Run", "Bell Bridge", "Low Arch", "Salt Steps"], {}),  # one for two: nobody can tell
        (["Cooper's Cut", "Eel Run", "Bell Bridge"], {}),  # nothing in common
    ],
    ids=lambda own: "-".join(own)[:30],
)
def test_renamed_between_builds(milepost, after, aliases):
    """As many new names as old ones between levels that stayed are renamings, in order."""
    found, text = drafted(milepost, played("0.9", BEFORE) + played("0.10", after))
    old = {name for names in aliases.values() for name in names}
    assert found == {name: aliases.get(name, []) for name in {*BEFORE, *after} - old}
    for new, (old,) in aliases.items():
        assert f'"{old}" of build "0.9" stands where "{new}" of build "0.10" does' in text
        assert f'measured as "{old}": 3 players' in text


def test_two_that_meet_are_two(milepost):
    """Where any build has both names they are two levels; a chain of names is one."""
    later = [level.replace("Reed Gate", "reed_2") for level in BEFORE]
    both = [*BEFORE[:2], "reed_2", *BEFORE[2:]]
    assert "reed_2" in drafted(milepost, played("1", BEFORE) + played("2", later) + played("3", both))[0]
    last = [level.replace("Reed Gate", "reed_3") for level in BEFORE]
    chain = drafted(milepost, played("1", BEFORE) + played("2", later) + played("3", last))[0]
    assert sorted(chain["reed_3"]) == ["Reed Gate", "reed_2"] and "reed_2" not in chain
    ends = [*BEFORE[:2], "reed_3", *BEFORE[2:]]  # the first and the last of a chain
    chain = drafted(milepost, played("1", BEFORE) + played("2", later) + played("3", last) + played("4", ends))[0]
    assert len(chain) == 5 and {"Reed Gate", "reed_3"} <= set(chain)


def test_renamed_and_back(milepost):
    """The name of the latest build stays, wherever else it stood before."""
    later = [level.replace("Reed Gate", "reed_2") for level in BEFORE]
    found = drafted(milepost, played("1", BEFORE) + played("2", later) + played("3", BEFORE))[0]
    assert found == {level: ["reed_2"] if level == "Reed Gate" else [] for level in BEFORE}


def test_hostile_builds(milepost):
    """A build's name stays within its comment."""
    after = [level.replace("Reed Gate", "reed_2") for level in BEFORE]
    found, _ = drafted(milepost, played("1\n[[level]]\nname = 'x'", BEFORE) + played("2", after))
    assert found["reed_2"] == ["Reed Gate"] and "x" not in found


def test_the_demo(wickwater):
    """The names of the demo's older build are those that its course gives as aliases."""
    assert wickwater("course", "wickwater/logs", "-o", "draft.toml").returncode == 0
    shipped = tomllib.loads((wickwater.folder / "wickwater/course.toml").read_text())["level"]
    draft = {
        level["name"]: level.get("aliases", []) for level in tomllib.loads((wickwater.folder / "draft.toml").read_text())["level"]
    }
    assert {level["name"] for level in shipped} == set(draft)
    assert all({*level.get("aliases", [])} <= {*draft[level["name"]]} for level in shipped)


def test_knobs_that_the_log_tells(milepost):
    """What all starts of a level say, and those of others do not, is a knob: drafted, and known to have changed between builds."""
    log = []
    for build, boats in (("0.7", {"Mill Pond": 3, "Low Arch": 5}), ("0.8", {"Mill Pond": 3, "Low Arch": 8})):
        for n in range(6):
            base = {"session": f"{build}-{n}", "player": f"P{n}-{build}", "build": build}
            for place, (level, count) in enumerate(boats.items()):
                start = {"boats": count, "lit": level == "Low Arch", "commit": build, "oil": 3, "seed": n}
                log += [
                    base | {"time": 50 * place, "event": "start", "level": level} | start,
                    base | {"time": 50 * place + 20 + n, "event": "complete", "level": level},
                ]
    milepost.write("log.jsonl", log)
    drafted = tomllib.loads(milepost("course", "log.jsonl").stdout)
    assert [level["knobs"] for level in drafted["level"]] == [{"boats": 3, "lit": False}, {"boats": 8, "lit": True}]
    rows = milepost.json("compare", "log.jsonl")["levels"]
    assert [row["knobs"] for row in rows] == [[], [{"knob": "boats", "from": 5, "to": 8, "harder": None}]]
    milepost.write("course.toml", '[harder]\nboats = "up"\n[[level]]\nname = "Mill Pond"\n[[level]]\nname = "Low Arch"\n')
    assert milepost.json("compare", "log.jsonl", "--course", "course.toml")["levels"][1]["knobs"][0]["harder"] is True
