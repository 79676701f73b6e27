"""Parts of the report by themselves: sentences, strips, the table, how it is made."""

import pytest

from milepost.cleaning.anonymous import number_file, pseudonym
from milepost.difficulty.spike_sentences import word_spike, word_unjudged
from milepost.difficulty.whatif import difficulty_for_chance, project_retention
from milepost.reports.summary import course_strip, strip_of_verdicts, word_verdict
from milepost.wording import spark


def judged(level="Low Arch", kind="spike", evidence="strong", **more):
    """A row of `spikes`."""
    return {
        "level": level,
        "kind": kind,
        "evidence": evidence,
        "players": 31,
        "expected_chance": 0.75,
        "first_try": 0.33,
        "chance": 0.3,
        "cost": 6.0,
        "lost": 7,
        "reached": 31,
        "cost_low": 3.0,
        "cost_high": 9.4,
        "quitting": "spike",
        "changes": [],
        "players_needed": 40,
        "odds_ratio": 2.5,
    } | more


def test_a_sentence():
    """As a colleague would say it, with how many players, how sure, and what it costs."""
    assert word_spike(judged(), 48, "tries") == (
        "Low Arch is harder than its surroundings: 33 % of first tries clear; the levels around it lead one to expect 75 %. "
        "31 players, strong evidence. 7 of the 31 who reached it were lost there; had it been like its surroundings, about 6 more of 48 players would still be playing "
        "at the end (3 to 9). They also quit more here than around it."
    )
    said = word_spike(
        judged(
            cost=1.2,
            quitting="none",
            changes=[
                {"knob": "reeds", "from": 2, "to": 8, "times_usual": 6.2},
                {"knob": "barges", "from": 0, "to": 1, "times_usual": None},
            ],
        ),
        48,
        "tries",
    )
    assert "about 1 more of 48 players" in said and "By quitting alone it does not stand out." in said
    assert said.endswith("reeds goes from 2 to 8, 6 times its usual step. barges goes from 0 to 1, new here.")
    assert "lost" not in word_spike(judged(kind="dip"), 48, "tries")
    assert "Nobody was lost there" in word_spike(
        judged(lost=0), 48, "tries"
    ) and "1 of the 31 who reached it was lost" in word_spike(judged(lost=1), 48, "tries")
    assert "more of" not in word_spike(judged(cost=-0.2, cost_low=-0.4, cost_high=1.2), 48, "tries")
    hint = word_spike(judged(evidence="weak", q_value=0.68), 48, "tries")
    assert hint.startswith("Low Arch may be harder than its surroundings: ")
    assert "31 players; a hint: about 7 in 10 such hints are chance." in hint
    assert "2.5 times as long" in word_spike(judged(), 48, "time")
    assert word_spike(judged(kind="none"), 48, "tries") is None


@pytest.mark.parametrize(
    ("few", "start"),
    [(1, "Level 0 cannot be judged"), (5, "Level 0, Level 1, Level 2 and 2 more levels cannot"), (6, "No level can be judged")],
)
def test_what_cannot_be_judged(few, start):
    """Which levels, and how many players it would take."""
    rows = [judged(f"Level {n}", "none", "too_few" if n < few else "none") for n in range(6)]
    (said,) = word_unjudged(rows, "tries")
    assert said.startswith(start) and "about 40 players at a level" in said
    assert word_unjudged([judged()], "tries") == []


def test_strips():
    """A column a level, marks at the place of what stands out; nothing for a course that no line holds."""
    rows = [judged(f"Level {n}", "spike" if n == 2 else "none") for n in range(4)]
    assert strip_of_verdicts(rows) == "stands out       ▲     ▲ spike"
    funnel = [{"retention": 1 - n / 8} for n in range(4)]
    tries = [{"try_clear": None if n == 1 else 0.5} for n in range(4)]
    report = {"funnel": {"levels": funnel}, "attempts": {"levels": tries}, "spikes": {"levels": rows}}
    (view,) = course_strip(report)
    assert view.notes[0] == "still there  ██▇▇▆▆▅▅  62 % at the end"
    assert view.notes[1].rstrip() == "a try clears ▄▄  ▄▄▄▄"
    assert course_strip(report | {"funnel": {"levels": funnel * 40}}) == []


def test_spark():
    """Heights in eighths; a little is never nothing, nothing is not a little, and a gap is a gap."""
    assert spark([0, 0.001, 0.5, 1, None, 2]) == "_▁▄█ █"


def test_verdicts_in_words():
    """Kind and evidence; few players say so."""
    assert word_verdict(judged()) == "spike, strong"
    assert word_verdict(judged(kind="none", evidence="none")) == ""
    assert word_verdict(judged(kind="none", evidence="too_few")) == "too few to tell"


def test_plan_as_retention():
    """Harder levels keep fewer; without quitting nobody is lost but who never clears."""
    model = {"skill_sd": 0.9, "learning": 0.4, "quit_per_failure": 0.05}
    easy, hard = (project_retention(model, [difficulty_for_chance(chance)] * 6) for chance in (0.9, 0.5))
    assert all(a > b for a, b in zip(easy, hard, strict=True)) and hard == sorted(hard, reverse=True)
    assert project_retention(model | {"quit_per_failure": 0.0}, [0.0])[0] == pytest.approx(1.0, abs=1e-5)
    assert difficulty_for_chance(0.5) == 0 and difficulty_for_chance(0.2) > 0


def test_pseudonyms_are_stable():
    """The same name gives the same pseudonym, another another; a file keeps only what it is."""
    assert pseudonym("player", "Ada") == pseudonym("player", "Ada") != pseudonym("player", "ada")
    assert pseudonym("player", "\ud800").startswith("player-")
    assert number_file("/home/ada/maud.jsonl.gz", 1) == "file-2.jsonl.gz" and number_file("standard input", 0) == "file-1"
