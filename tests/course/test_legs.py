"""Legs in the course file and in the outputs: what is refused, what is shown, what is drafted."""

import pytest

ROW = '[[level]]\nname = "{name}"\n{more}'


def course(*levels, more=""):
    return "".join(ROW.format(name=name, more="".join(f"{line}\n" for line in lines)) for name, *lines in levels) + more


DOCK, FORK = 'leg = "The docks"', 'leg = "The fork"'
OVER, UNDER = 'route = "over"', 'route = "under"'
HUB = [("Mill Pond",), ("Coal Dock", DOCK), ("Salt Dock", DOCK), ("Reed Maze", "optional = true"), ("Harbour Light",)]


@pytest.mark.parametrize(
    ("levels", "more", "why"),
    [
        ([("A", DOCK), ("B",), ("C", DOCK)], "", "'The docks' stands in two places"),
        ([("A", DOCK, OVER), ("B", FORK, OVER)], "", "route 'over' is in the leg 'The docks' already"),
        ([("A", DOCK, OVER, "optional = true"), ("B", DOCK)], "", "has optional levels alone"),
        ([("A", OVER), ("B",)], "", "has a route and no leg"),
        ([("A", DOCK), ("B", DOCK)], '[legs."The fork"]\nneeds = 1\n', "no level has this leg"),
        ([("A", DOCK), ("B", DOCK)], '[legs."The docks"]\nneeds = 0\n', "from 1 to 2"),
        ([("A", DOCK), ("B", DOCK, "optional = true")], '[legs."The docks"]\nneeds = 2\n', "from 1 to 1"),
        ([("A", DOCK, OVER), ("B", DOCK, UNDER)], '[legs."The docks"]\nneeds = 1\n', "does not go with routes"),
        ([("The docks",), ("B", DOCK)], "", "has the name of"),
        ([("A", "optional = true")], "", "every level is optional"),
        ([("A", "optional = 1"), ("B",)], "", "optional must be true or false"),
        ([("A", 'marks = ["x", "x"]'), ("B",)], "", "is there twice"),
        ([("A", DOCK), ("B", DOCK), ("C",)], '[order]\n"1" = ["A", "C", "B"]\n', "stands in two places"),
    ],
)
def test_what_is_refused(milepost, small_log, levels, more, why):
    """One line with the file and the level, and status 2."""
    milepost.write("log.jsonl", small_log)
    milepost.write("course.toml", course(*levels, more=more))
    done = milepost("funnel", "log.jsonl", "--course", "course.toml")
    assert done.returncode == 2 and why in done.stderr and "course.toml" in done.stderr, done.stderr
    assert len(done.stderr.splitlines()) == 1


def visit(player, order, quits=()):
    """A player's way through levels in some order, each cleared at once but those where the player quits."""
    base, clock = {"session": f"s{player}", "player": f"p{player}"}, 0
    for place, level in enumerate(order):
        if place:
            yield {**base, "time": clock, "event": "transition", "level": order[place - 1], "to": level}
        yield {**base, "time": clock + 1, "event": "start", "level": level}
        yield {**base, "time": clock + 20, "event": "death" if level in quits else "complete", "level": level}
        clock += 21
    yield {**base, "time": clock, "event": "session_end", "cause": "quit"}


def hub(count=40):
    """Half go to the salt dock first; some go to the maze; one in eight quits at the salt dock."""
    records = []
    for n in range(count):
        docks = ["Coal Dock", "Salt Dock"] if n % 2 else ["Salt Dock", "Coal Dock"]
        quits = n % 8 == 3
        way = ["Mill Pond", *docks[: 2 - quits * (not n % 2)]]
        records += visit(
            n, way if quits else [*way, *(["Reed Maze"] if n % 3 == 0 else []), "Harbour Light"], ("Salt Dock",) if quits else ()
        )
    return records


def test_a_hub_by_hand(milepost):
    """Nothing is cut; who could have gone, who went, where players stopped, and what each leg kept."""
    milepost.write("log.jsonl", hub())
    milepost.write("course.toml", course(*HUB))
    milepost.write("line.toml", course(*((name,) for name, *_ in HUB)))
    found = milepost.json("funnel", "log.jsonl", "--course", "course.toml")
    rows = {row["level"]: row for row in found["levels"]}
    assert "after_skip" not in found["findings"] and "level_mismatch" not in found["findings"]
    assert [rows[level]["reached"] for level in ("Mill Pond", "Coal Dock", "Salt Dock", "Harbour Light")] == [40, 40, 40, 35]
    assert (rows["Reed Maze"]["reached"], rows["Reed Maze"]["able"], rows["Reed Maze"]["optional"]) == (12, 40, True)
    assert rows["Reed Maze"]["leg"] == rows["Coal Dock"]["leg"] == "The docks"
    assert rows["Salt Dock"]["stopped_quit"] == 5 and rows["Salt Dock"]["retention"] == pytest.approx(35 / 40)
    legs = {leg["leg"]: leg for leg in found["legs"]}
    assert (legs["The docks"]["reached"], legs["The docks"]["done"], legs["The docks"]["lost"], legs["The docks"]["needs"]) == (
        40,
        35,
        5,
        2,
    )
    assert legs["The docks"]["first"] == {"Coal Dock": 20, "Salt Dock": 20, "Reed Maze": 0}
    shown = " ".join(milepost("funnel", "log.jsonl", "--course", "course.toml").stdout.split())
    assert "Legs: stretches" in shown and "The docks, off the way" in shown
    on_a_line = milepost("funnel", "log.jsonl", "--course", "line.toml").stdout
    assert on_a_line.split("\n")[0].count("come after a skip") == 1 and "milepost course drafts that" in " ".join(
        on_a_line.split()
    )
    moves = milepost.json("moves", "log.jsonl", "--course", "course.toml")["moves"]
    assert {row["kind"] for row in moves} == {"advance"}


def test_the_draft_of_a_hub(milepost):
    """Neighbours without an order share a leg, and what many pass by is off the way, each with its evidence."""
    milepost.write("log.jsonl", hub(60))
    draft = milepost("course", "log.jsonl").stdout
    assert draft.count('leg = "Leg 1"') == 2 and "tried both tried" in draft
    assert draft.count("optional = true") == 1 and "who got further never tried it" in draft
    milepost.write("course.toml", draft)
    assert "after_skip" not in milepost.json("funnel", "log.jsonl", "--course", "course.toml")["findings"]


def test_every_output_knows_legs(milepost):
    """All measures, the report and figures run on a course with legs; the head of each document has them."""
    milepost.write("log.jsonl", hub())
    milepost.write("course.toml", course(*HUB))
    for command in ("check", "funnel", "attempts", "times", "deaths", "moves", "spikes", "coverage", "sections", "leaving"):
        document = milepost.json(command, "log.jsonl", "--course", "course.toml")
        assert document["course"]["legs"][1]["optional"] == ["Reed Maze"], command
    for command in ("funnel", "spikes", "attempts"):
        assert milepost(command, "log.jsonl", "--course", "course.toml", "--figure", f"{command}.svg").returncode == 0
        assert "The docks, in any order" in (milepost.folder / f"{command}.svg").read_text()
    assert milepost("report", "log.jsonl", "--course", "course.toml", "-o", "report.html").returncode == 0
