"""Answers: counts, scales and means by hand, agreement against another library, levels that part by a planted difference."""

import csv
import io
import json

import numpy as np
import pytest
from scipy.stats import rankdata, spearmanr, t

from milepost.numerics.intervals import mean_interval
from milepost.numerics.ranks import DRAWS, SEED, Pairs, spearman, spearman_interval

LEVELS = ["Mill Pond", "Swan Bend", "Reed Gate", "Low Arch", "Long Lock", "Rope Walk"]
COURSE = "".join(f'[[level]]\nname = "{name}"\naliases = ["{name.lower().replace(" ", "_")}"]\n' for name in LEVELS)


def played(player, fails):
    """A session in which a player fails so often at each level before clearing it."""
    log, time = [], 0
    for level, count in zip(LEVELS, fails, strict=False):
        for n in range(count + 1):
            log.append(
                {"session": f"{player}-1", "player": player, "time": time, "event": "start" if not n else "retry", "level": level}
            )
            log.append(
                {"session": f"{player}-1", "time": time + 9, "event": "complete" if n == count else "death", "level": level}
            )
            time += 10
    return [*log, {"session": f"{player}-1", "time": time, "event": "session_end", "cause": "quit"}]


@pytest.fixture
def asked(milepost):
    """Runs `answers` on a log and a table of answers."""

    def run(log, rows, *words, order="", write=True):
        milepost.write("log.jsonl", log)
        milepost.write("course.toml", COURSE)
        text = io.StringIO()
        csv.writer(text).writerows([("player", "level", "question", "answer"), *rows])
        milepost.write("answers.csv", text.getvalue())
        milepost.write("milepost.toml", f'logs = ["log.jsonl"]\ncourse = "course.toml"\nanswers = "answers.csv"\n{order}')
        return milepost.json("answers", *words)

    run.program = milepost
    return run


HARD = '[answers."Hard?"]\norder = ["easy", "fair", "hard"]\nharder = "up"\n'


def test_counts_by_hand(asked):
    """The last answer counts, whatever spelling the level has; others than those in the order are listed; strangers are left out."""
    rows = [
        ("Ada", "Mill Pond", "Hard?", "hard"),
        ("Ada", "mill_pond", "Hard?", "Easy"),
        ("Bo", "mill pond", "Hard?", "fair"),
        ("Cass", "Mill Pond", "Hard?", "dunno"),
        ("Dot", "Mill Pond", "Hard?", "hard"),
        ("Ada", "", "Hard?", "fair"),
        ("Ada", "Nowhere", "Hard?", "fair"),
        ("Bo", "Low Arch", "Why?", "the beam"),
        ("Bo", "Low Arch", "Why?", ""),
    ]
    log = played("Ada", [0, 1]) + played("Bo", [2, 0, 0, 1]) + played("Cass", [1])
    document = asked(log, rows, order=HARD)
    hard, why = document["questions"]
    assert (hard["question"], hard["ordered"], hard["players"], why["ordered"]) == ("Hard?", True, 3, False)
    pond, whole = hard["levels"]
    assert (pond["level"], pond["n"], whole["level"], whole["n"]) == ("Mill Pond", 3, None, 1)
    assert [(one["answer"], one["n"]) for one in pond["distribution"]] == [("Easy", 1), ("fair", 1), ("dunno", 1)]
    assert pond["distribution"][0]["share"] == pytest.approx(1 / 3) and 0.05 < pond["distribution"][0]["share_low"] < 1 / 3
    assert pond["mean"] == 1.5 and (pond["mean_low"], pond["mean_high"]) == (1, 3), (
        "t of 1 degree of freedom reaches beyond the scale"
    )
    assert hard["listed"] == [{"level": "Mill Pond", "player": "Cass", "answer": "dunno"}]
    assert why["listed"] == [{"level": "Low Arch", "player": "Bo", "answer": "the beam"}] and why["agreement"] is None
    assert (document["players_not_counted"], document["unknown_levels"]) == (["Dot"], ["Nowhere"])
    assert "Low Arch: the beam 1." in asked.program("answers", COLUMNS="60").stdout, "whatever the width"
    assert hard["agreement"]["pairs"] == 2 and hard["agreement"]["rho"] == pytest.approx(1.0) and hard["agreement"]["low"] is None


def test_a_scale_of_numbers(asked):
    """Numbers are a scale, also with decimal commas, and with one answer in five that is none."""
    log = [one for name in ("a", "b", "c", "d", "e") for one in played(name, [1])]
    rows = [(name, "Mill Pond", "Fun?", answer) for name, answer in zip("abcde", ["3", "3,5", "4", "5", "n/a"], strict=True)]
    (question,) = asked(log, rows)["questions"]
    assert (
        question["ordered"] and question["levels"][0]["mean"] == pytest.approx(3.875) and question["listed"][0]["answer"] == "n/a"
    )
    rows[0] = ("a", "Mill Pond", "Fun?", "some")
    (question,) = asked(log, rows)["questions"]
    assert not question["ordered"] and len(question["listed"]) == 5 and question["levels"][0]["mean"] is None
    (question,) = asked(log, rows, "--order", "Fun?=3,3.5,4,5")["questions"]
    assert question["ordered"] and question["levels"][0]["distribution"][0]["answer"] == "4"


def test_agreement_is_spearmans(asked):
    """Over pairs of player and level, against settled tries; the interval is that of players drawn again and again."""
    rng = np.random.default_rng(7)
    fails = rng.integers(0, 5, (12, 6))
    names = [f"p{n:02d}" for n in range(12)]
    felt = np.clip(fails + rng.integers(-2, 3, fails.shape), 0, 5)
    log = [one for name, row in zip(names, fails, strict=True) for one in played(name, row)]
    rows = [
        (names[p], LEVELS[q], "How hard, 0 to 5?", str(felt[p, q])) for p in range(12) for q in range(6) if rng.random() < 0.8
    ]
    (question,) = asked(log, rows)["questions"]
    place = {name: n for n, name in enumerate(names)}
    pairs = [(int(answer), fails[place[p], LEVELS.index(q)] + 1, p) for p, q, _, answer in rows]
    one, other = (np.array([pair[k] for pair in pairs], dtype=float) for k in (0, 1))
    assert question["agreement"]["pairs"] == len(pairs)
    assert question["agreement"]["rho"] == pytest.approx(spearmanr(one, other).statistic, abs=1e-12)
    codes = {}
    owner = np.array([codes.setdefault(pair[2], len(codes)) for pair in pairs])
    draw, rhos = np.random.default_rng(SEED), []
    for _ in range(DRAWS):
        chosen = draw.integers(0, len(codes), len(codes))
        rows_of = np.concatenate([np.flatnonzero(owner == code) for code in chosen])
        rhos.append(np.corrcoef(rankdata(one[rows_of]), rankdata(other[rows_of]))[0, 1])
    assert [question["agreement"][end] for end in ("low", "high")] == pytest.approx(np.quantile(rhos, [0.025, 0.975]), abs=1e-9)


def test_an_interval_knows_that_players_answer_often():
    """Pairs of few players, each of whom says the same again and again, tell less than their number would."""
    rng = np.random.default_rng(3)
    owner = np.repeat(np.arange(8), 20)
    one = np.repeat(rng.normal(size=8), 20)
    other = one + np.repeat(rng.normal(size=8), 20)
    few = spearman_interval(Pairs(one, other, owner))
    many = spearman_interval(Pairs(one, other, np.arange(160)))
    assert few[1] - few[0] > 2 * (many[1] - many[0])
    assert spearman(Pairs(np.ones(4), np.arange(4.0), np.arange(4))) is None and spearman_interval(
        Pairs(one[:2], other[:2], owner[:2])
    ) == (None, None)
    assert mean_interval(np.array([2.0, 2.0, 2.0])) == (None, None)


def test_the_levels_that_part(asked):
    """A level that is felt far harder than it plays is named so, and one that is felt easier; levels alike are not named."""
    rng = np.random.default_rng(5)
    names = [f"p{n:02d}" for n in range(30)]
    fails = rng.poisson([0.3, 0.4, 0.5, 2.5, 0.6, 2.5], (30, 6))
    beyond = np.array([0, 0, 3, 0, 0, -3])
    log = [one for name, row in zip(names, fails, strict=True) for one in played(name, row)]
    rows = [
        (names[p], LEVELS[q], "Hard?", str(int(np.clip(3 + fails[p, q] + beyond[q] + rng.integers(-1, 2), 0, 9))))
        for p in range(30)
        for q in range(6)
    ]
    (question,) = asked(log, rows, order='[answers."Hard?"]\nharder = "up"\n')["questions"]
    assert {one["level"]: one["reading"] for one in question["apart"]} == {
        "Reed Gate": "felt harder than it plays",
        "Rope Walk": "felt easier than it plays",
    }
    assert all(not one["gap_low"] <= 0 <= one["gap_high"] for one in question["apart"])
    (turned,) = asked(log, [(*row[:3], str(9 - int(row[3]))) for row in rows], order='[answers."Hard?"]\nharder = "down"\n')[
        "questions"
    ]
    assert {one["level"]: one["reading"] for one in turned["apart"]} == {
        one["level"]: one["reading"] for one in question["apart"]
    }
    (plain,) = asked(log, rows)["questions"]
    assert {one["reading"] for one in plain["apart"]} == {
        f"answered {way} than its tries lead one to expect" for way in ("higher", "lower")
    }
    shown = asked.program("answers").stdout
    assert "Reed Gate: answered higher than its tries" in shown and "rank correlation" in shown
    assert asked.program("answers", "--figure", "a.png").returncode == 0


@pytest.mark.parametrize(
    ("words", "why"),
    [
        (["--answers", "gone.csv"], "gone.csv: the table cannot be read"),
        (["--order", "Hard"], "--order Hard: write the question"),
        (["--no-folder", "log.jsonl"], "there is no table of answers"),
    ],
)
def test_what_cannot_be_done(asked, words, why):
    """It is said in a line."""
    asked(played("Ada", [1]), [("Ada", "Mill Pond", "Hard?", "1")])
    done = asked.program("answers", *words)
    assert done.returncode == 2 and why in done.stderr


SEVERAL = """[answers."Was war neu?"]
same_as = "What was new?"
translations = { Schleuse = "a lock", Glocken = "bells" }
separator = ","
[answers."What was new?"]
separator = ","
"""


def test_several_answers_in_a_cell_and_languages(asked):
    """Cells are parted and translated; shares are of the players who answered, each of whom may give several."""
    log = played("Ada", [0]) + played("Bo", [1]) + played("Cass", [2])
    rows = [
        ("Ada", "Mill Pond", "What was new?", "a lock, bells"),
        ("Bo", "Mill Pond", "Was war neu?", "Glocken,  schleuse ,Glocken"),
        ("Cass", "Mill Pond", "Was war neu?", "nichts"),
    ]
    (question,) = asked(log, rows, order=SEVERAL)["questions"]
    (pond,) = question["levels"]
    assert (question["question"], question["players"], pond["n"]) == ("What was new?", 3, 3)
    assert {one["answer"]: (one["n"], one["share"]) for one in pond["distribution"]} == {
        "a lock": (2, pytest.approx(2 / 3)),
        "bells": (2, pytest.approx(2 / 3)),
        "nichts": (1, pytest.approx(1 / 3)),
    }


@pytest.mark.parametrize(
    ("order", "said"),
    [
        ('[answers."A?"]\nsame_as = "A?"\n', "same_as"),
        ('[answers."A?"]\ntranslations = { ja = "yes" }\n', "toml:4: answers.A?.translations: has to be beside same_as"),
        ('[answers."A?"]\nseparator = 3\n', "a text"),
        ('[answers."A?"]\nsame_as = "B?"\n[answers."B?"]\nsame_as = "C?"\n', "same as a further one"),
    ],
)
def test_questions_that_cannot_be(asked, order, said):
    """One line with the file and the line, and status 2."""
    asked.program.write("milepost.toml", f'logs = ["log.jsonl"]\nanswers = "answers.csv"\n{order}')
    asked.program.write("answers.csv", "player,level,question,answer\n")
    asked.program.write("log.jsonl", played("Ada", [0]))
    done = asked.program("answers")
    assert done.returncode == 2 and "milepost.toml:" in done.stderr and said in done.stderr and done.stderr.count("\n") == 1


THEMES = 'theme,words,pattern\nlight,"oil, lantern*",\nsound,,bells?|loud\n'


def test_themes(asked):
    """By words and patterns, with count, interval and two quotations with their moments; what fits none is listed."""
    log = [one for n in range(4) for one in played(f"P{n}", [1, 2])]
    said = ["more oil", "Lanterns and BELLS", "a map", "oiled planks, too loud"]
    rows = [(f"P{n}", "Swan Bend", "Why?", text) for n, text in enumerate(said)] + [("P0", "", "Why?", "no lanterns")]
    asked.program.write("themes.csv", THEMES)
    document = asked(log, rows, "--themes", "themes.csv")
    (question,) = document["questions"]
    light, sound, whole = question["themes"]
    assert (light["theme"], light["level"], light["n"], light["of"]) == ("light", "Swan Bend", 2, 4)
    assert (sound["theme"], sound["n"], whole["level"], whole["n"], whole["of"]) == ("sound", 2, None, 1, 1)
    assert light["share_low"] < 0.5 < light["share_high"]
    assert light["quotations"][0] == {"player": "P0", "answer": "more oil", "session": "P0-1", "clock": 40.0}
    assert whole["quotations"][0]["session"] is None
    assert [one["answer"] for one in question["of_no_theme"]] == ["a map"]
    shown = " ".join(asked.program("answers", "--themes", "themes.csv").stdout.split())
    assert (
        "Swan Bend, light: 2 of 4 (15–85 %), such as “more oil” (P0, P0-1 at 0:40)" in shown and "Of no theme: “a map”" in shown
    )
    for text, why in (
        ("theme,words\n,oil\n", "a name"),
        ("theme,words\na,oil\na,x\n", "two rows"),
        ("theme,pattern\na,(\n", "no pattern"),
        ("theme\na\n", "neither"),
    ):
        asked.program.write("themes.csv", text)
        done = asked.program("answers", "--themes", "themes.csv")
        assert done.returncode == 2 and "themes.csv:" in done.stderr and why in done.stderr


def builds(before, after, players=12):
    """A log of two builds with other players in each, and what they answered at Mill Pond."""
    log, rows = [], []
    for build, answers in (("1", before), ("2", after)):
        for n in range(players):
            name = f"{build}-{n}"
            log += [one | {"build": build} for one in played(name, [n % 3])]
            rows.append((name, "Mill Pond", "Hard?", answers[n % len(answers)]))
    return log, rows


def test_answers_of_two_builds(asked):
    """Side by side with their change; a change of all answers is told, the same answers are not; groups stand beside each other."""
    log, rows = builds(["hard", "fair"], ["easy", "fair"])
    asked(log, rows, order=HARD)
    (row,) = asked.program.json("compare")["answers"]
    assert (row["from"]["n"], row["from"]["mean"], row["to"]["mean"], row["change"]) == (12, 2.5, 1.5, -1.0)
    welch = 1.0 / (2 * 0.25 * 12 / 11 / 12) ** 0.5
    assert row["verdict"] == "lower" and row["p_value"] == pytest.approx(2 * t.sf(welch, 22)) and row["high"] < 0
    assert "Changed: Mill Pond lower." in " ".join(asked.program("compare").stdout.split())
    for more in ((), ("--anonymous",)):
        asked.program("report", *more, "-o", "r.json")
        (told,) = json.loads((asked.program.folder / "r.json").read_text())["compare"]["answers"]
        assert told == row
    groups = asked.program.json("answers", "--by", "build")["groups"]
    assert [group["levels"][0]["mean"] for group in groups] == [2.5, 1.5]
    assert "Hard?" in asked.program("answers", "--by", "build").stdout
    asked(*builds(["hard", "fair"], ["fair", "hard"]), order=HARD)
    assert asked.program.json("compare")["answers"][0]["verdict"] == "no_telling"


def test_answers_since_a_report(asked):
    """Against an earlier report of the same test: what came is what changed; a report without answers is refused."""
    log, rows = builds(["easy", "fair"], ["hard", "hard"])
    asked([one for one in log if one["session"].startswith("1")], rows, order=HARD)
    assert asked.program("report", "-o", "old.json").returncode == 0
    (row,) = asked(log, rows, "--since", "old.json", order=HARD)["since"]
    assert (row["from"]["n"], row["to"]["n"], row["verdict"]) == (12, 24, "higher")
    assert "Since that report" in asked.program("answers", "--since", "old.json").stdout
    asked.program.write("milepost.toml", 'logs = ["log.jsonl"]\ncourse = "course.toml"\n')
    assert asked.program("report", "-o", "none.json").returncode == 0
    done = asked.program("answers", "--answers", "answers.csv", "--since", "none.json")
    assert done.returncode == 2 and "has no answers" in done.stderr
