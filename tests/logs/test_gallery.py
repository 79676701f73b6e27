"""Foreign logs of one play: the drafted map of each reads it, and the figures are those of our own form, as far as it tells them."""

import sys
from pathlib import Path

import pytest

from milepost.logs.mapping.infer_events import infer_from_sequence

ROOT = Path(__file__).parents[2]
sys.path.insert(0, str(ROOT / "scripts"))
from gallery import LEVELS, course, gallery, own_form, tries, written  # noqa: E402

GALLERY = {foreign.name: foreign for foreign in gallery()}
TRIES = ("settled", "clears", "try_clear", "p50")


@pytest.fixture(scope="module")
def truth():
    """Per level, counted straight from the play: settled tries, clears, players, and the times of clears and of failures."""
    rows = []
    for place in range(len(LEVELS)):
        own = [one for one in tries() if one.place == place]
        clears = [one.lasted for one in own if one.outcome == "complete"]
        fails = [one.lasted for one in own if one.outcome == "death"]
        rows.append(
            {
                "settled": len(clears) + len(fails),
                "clears": len(clears),
                "reached": len({one.player for one in own}),
                "run_p50": middle(clears),
                "fail_p50": middle(fails),
            }
        )
    return rows


def middle(values):
    values = sorted(values)
    return (values[len(values) // 2] + values[(len(values) - 1) // 2]) / 2 if values else None


def shown_in_manual(name):
    """The map that docs/foreign-logs.md has for a log; that it is the drafted one, a test of its own says."""
    part = (ROOT / "docs/foreign-logs.md").read_text(encoding="utf-8").split(f"\n`{name}`")[1]
    return part.split("```toml\n")[1].split("```")[0]


def measured(milepost, name, *words):
    found = {}
    for command in ("attempts", "times", "funnel"):
        for place, row in enumerate(milepost.json(command, name, *words)["levels"]):
            found.setdefault(place, {}).update({f"{command}.{key}": value for key, value in row.items()})
    return list(found.values())


def test_our_own_form(milepost, truth):
    """It gives what was counted."""
    milepost.write("own.jsonl", own_form())
    milepost.write("course.toml", "".join(f'[[level]]\nname = "{level}"\n' for level in LEVELS))
    for row, known in zip(measured(milepost, "own.jsonl", "--course", "course.toml"), truth, strict=True):
        assert (row["attempts.settled"], row["attempts.clears"], row["funnel.reached"]) == (
            known["settled"],
            known["clears"],
            known["reached"],
        )
        assert (row["times.run_p50"], row["times.fail_p50"]) == pytest.approx((known["run_p50"], known["fail_p50"]))


@pytest.mark.parametrize("name", GALLERY)
def test_the_drafted_map_reads_it(milepost, name, truth):
    """With three lines changed by hand at most; the manual shows it."""
    foreign = GALLERY[name]
    written(foreign, milepost.folder)
    milepost.write("course.toml", course(foreign))
    milepost.write("own.jsonl", own_form())
    milepost.write("own.toml", "".join(f'[[level]]\nname = "{level}"\n' for level in LEVELS))
    assert len(foreign.edits) <= 3
    drafted = shown_in_manual(name)
    for line, instead in foreign.edits.items():
        assert line in drafted
        drafted = drafted.replace(line, instead)
    milepost.write("map.toml", drafted)
    own = measured(milepost, "own.jsonl", "--course", "own.toml")
    found = measured(milepost, name, "--course", "course.toml", "--map", "map.toml")
    assert len(found) == len(own) == len(LEVELS)
    for place, (row, wanted) in enumerate(zip(found, own, strict=True)):
        tells_all = "only cleared" not in foreign.knows
        for key in TRIES if tells_all else ("clears", "p50"):
            assert row[f"attempts.{key}"] == pytest.approx(wanted[f"attempts.{key}"]), (place, key)
        if "times" in foreign.knows:
            same = ("times.run_p50", "times.fail_p50", "times.p50", "funnel.reached", "funnel.cleared", "attempts.distribution")
            assert all(
                row[key] == (pytest.approx(wanted[key]) if isinstance(wanted[key], float) else wanted[key]) for key in same
            ), place
        elif not foreign.knows:
            assert row["times.run_p50"] == pytest.approx(wanted["times.run_p50"], abs=1.0)
        else:
            assert row["times.run_p50"] is row["times.fail_p50"] is None
            known = [one.lasted for one in tries() if one.place == place and one.outcome != "quit"]
            assert "stays" not in foreign.knows or row["times.spent"] in (0.0, pytest.approx(sum(known)))


@pytest.mark.thorough
def test_the_page_is_that_of_the_logs():
    """docs/foreign-logs.md shows the drafts as they are."""
    import make_gallery

    assert make_gallery.TARGET.read_text(encoding="utf-8") == make_gallery.page()


def noisy(every, again):
    """Words that say nothing, with more of them between."""
    return [
        (word, level)
        for level in ("a", "b", "c")
        for n in range(3)
        for word in (again if n else "go", *every, "yes" if n == 2 else "oops")
    ]


@pytest.mark.parametrize("again", ["go", "more"])
@pytest.mark.parametrize("every", [(), ("touch",), ("touch", "flag")])
def test_words_told_by_how_they_follow(every, again):
    """Openings, failures and clears are told; what comes in every try is not, and is asked for."""
    found = infer_from_sequence([noisy(every, again) for _ in range(4)])
    expected = {"go": "start", "oops": "death", "yes": "complete"} | ({"more": "retry"} if again == "more" else {})
    assert {word: meaning.ours for word, meaning in found.items()} == expected


def test_words_that_tell_nothing():
    """Of too few, and of those without any order, nothing is said."""
    assert infer_from_sequence([]) == {} and infer_from_sequence([[("go", "a"), ("yes", "a")]]) == {}
    found = infer_from_sequence([[(word, level) for level in "ab" for word in order] for order in ("xyz", "yzx", "zxy", "xzy")])
    assert "death" not in {meaning.ours for meaning in found.values()}


def test_arrays_and_screens_are_proven(milepost, small_log):
    """Arrays of plain values are no records, and a level that most records say holds for none but them."""
    milepost.write("log.jsonl", [{**record, "marks": [1, 2], "path": []} for record in small_log])
    assert "explode" not in milepost("map", "log.jsonl").stdout and "carry" not in milepost("map", "log.jsonl").stdout
