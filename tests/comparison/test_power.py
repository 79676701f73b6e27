"""How many players a question takes, by the program."""

import pytest

from thoroughness import some_always

DEMO = ("wickwater/logs", "--course", "wickwater/course.toml")
KEYS = {"level", "question", "change", "players", "power", "power_low", "power_high", "players_for_80"}


@pytest.mark.parametrize("question", some_always(["spike", "compare", "drop-off"], 2))
def test_more_is_told_sooner(wickwater, question):
    """More players, or a larger change, are told more often; the interval holds the figure; 80 % is reached where it says."""
    size = 12 if question == "drop-off" else 1
    document = wickwater.json("power", *DEMO, "--change", size, "--question", question)
    assert document["pilot_players"] == 49 and all(
        row["players"] == 49 and row["question"] == question for row in document["levels"]
    )
    larger = wickwater.json("power", *DEMO, "--change", 2 * size, "--question", question)
    for row, other in zip(document["levels"], larger["levels"], strict=True):
        assert (
            set(row) >= KEYS and 0 <= row["power_low"] <= row["power"] <= row["power_high"] <= 1 and row["power"] < other["power"]
        )
        assert row["curve"] == sorted(row["curve"])
    name, needed = document["levels"][5]["level"], document["levels"][5]["players_for_80"]
    alone = wickwater.json("power", *DEMO, "--change", size, "--question", question, "--level", name.upper(), "--players", needed)
    assert set(alone) >= KEYS and 0.8 <= alone["power"] < 0.83 and alone["level"] == name and len(alone["levels"]) == 1


@pytest.mark.thorough
def test_the_rule_of_thumb(wickwater):
    """Some 120 players a build over the change squared, from a third of that at hard levels to three times at easy ones."""
    for change in (0.7, 1.4):
        needed = sorted(row["players_for_80"] for row in wickwater.json("power", *DEMO, "--change", change)["levels"])
        assert 40 / change**2 < needed[0] and needed[-1] < 360 / change**2 and 70 < needed[12] * change**2 < 170


def test_without_a_pilot(wickwater):
    """From the course's targets, and said so; a harder level is told as an easier one is, within what chance gives."""
    words = ("power", "--course", "wickwater/course.toml", "--change")
    document = wickwater.json(*words, "1")
    assert document["pilot_players"] is None and document["levels"][0]["players"] == 40
    assert "There is no pilot" in wickwater(*words, "1", "--level", "Mill Pond").stdout
    easier = wickwater.json(*words, "-1")
    assert easier["levels"][0]["power"] < document["levels"][0]["power"], "an easy level that gets easier tells less"


def test_forms_and_picture(wickwater):
    words = ("power", *DEMO, "--change", "1", "--level", "Low Arch")
    assert "Low Arch" in wickwater(*words, "--format", "csv").stdout
    shown = wickwater("power", *DEMO, "--change", "1", "--figure", "power.png")
    assert shown.returncode == 0 and "Low Arch" in shown.stdout
    assert wickwater.json(*words, "--memory", "1MB") == wickwater.json(*words)


@pytest.mark.parametrize(
    ("words", "said"),
    [
        (["--change", "1"], "name a pilot log, or a course with targets"),
        ([*DEMO, "--change", "0"], "no size of a change"),
        ([*DEMO, "--change", "1", "--level", "Nowhere"], "no level of the course is called"),
        ([*DEMO], "--change"),
        (["--course", "wickwater/course.toml", "--change", "9", "--question", "drop-off"], "only be told from a pilot log"),
        (["--course", "bare.toml", "--change", "1"], "has no target_clear below 1"),
    ],
)
def test_what_cannot_be(wickwater, words, said):
    wickwater.write("bare.toml", '[[level]]\nname = "A"\n')
    done = wickwater("power", *words)
    assert done.returncode == 2 and done.stderr.count("\n") == 1 and said in done.stderr
