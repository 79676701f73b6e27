"""Going into a level: deaths, moves, clocks, one level, one session, groups, ratings, layouts, the course's draft."""

import json

import pytest

LEVELS = ["Mill Pond", "Low Arch", "Reed Gate"]
COURSE = "".join(f'[[level]]\nname = "{level}"\n' for level in LEVELS)
DEMO = ("wickwater/logs", "--course", "wickwater/course.toml")


def log_of(*events, session="s", **more):
    """Records from (time, event, level, fields) tuples."""
    return [
        {"session": session, "time": t, "event": e, **({"level": level} if level else {}), **f, **more}
        for t, e, level, f in events
    ]


SETBACK = log_of(
    (0.5, "start", "Mill Pond", {}),
    (10.5, "complete", "Mill Pond", {}),
    (11.5, "transition", "Mill Pond", {"to": "Low Arch"}),
    (12.5, "start", "Low Arch", {}),
    (14.5, "first_input", "Low Arch", {}),
    (17.5, "hit", "Low Arch", {}),
    (20.5, "death", "Low Arch", {"cause": "reeds", "progress": 1, "x": 3, "y": 4}),
    (21.5, "transition", "Low Arch", {"to": "Mill Pond"}),
    (22.5, "start", "Mill Pond", {}),
    (26.5, "complete", "Mill Pond", {}),
    (27.5, "transition", "Mill Pond", {"to": "Low Arch"}),
    (29.5, "start", "Low Arch", {}),
    (89.5, "complete", "Low Arch", {}),
    (95.5, "session_end", None, {"cause": "quit"}),
    player="Ada",
    role="newcomer",
)


@pytest.fixture
def setback(milepost):
    """The program with a small log: a death, a setback, a long silence, a clear."""
    milepost.write("course.toml", COURSE)
    milepost.write("log.jsonl", SETBACK)
    return milepost


WORDS = ("log.jsonl", "--course", "course.toml")


def test_deaths_and_moves(setback):
    """A death with its cause and place; a setback with what it cost."""
    arch = setback.json("deaths", *WORDS)["levels"][1]
    assert (arch["deaths"], arch["players"], arch["per_player_reached"], arch["most_bin"]) == (1, 1, 1.0, 9)
    assert arch["per_minute"] == pytest.approx(60 / 68)
    assert arch["causes"] == {"reeds": {key: arch[key] for key in arch["causes"]["reeds"]}}
    document = setback.json("moves", *WORDS)
    assert document["kinds"] == {"setback": 1, "advance": 2}
    assert [(m["from"], m["to"], m["kind"], m["count"], m["cost"]) for m in document["moves"]] == [
        ("Mill Pond", "Low Arch", "advance", 2, None),
        ("Low Arch", "Mill Pond", "setback", 1, 4.0),
    ]


def test_clocks(setback):
    """Time from the first input, and long silences cut short."""

    def half(*more):
        return setback.json("times", *WORDS, *more)["levels"][1]["p50"]

    assert half() == 68.0
    assert half("--idle-cap", "10") == 18.0
    assert half("--clock", "input") == 6.0  # the second attempt has no input
    arch = setback.json("times", *WORDS)["levels"][0]
    assert (arch["to_move_p50"], arch["to_start_p50"], arch["between_p50"]) == (1.0, 1.0, 2.0)


def test_hits_and_learning(setback):
    """The chance of the n-th try, and what would have cleared with fewer hits."""
    document = setback.json("attempts", *WORDS)
    assert [(step["n"], step["tries"], step["clears"]) for step in document["learning"]] == [(1, 2, 1), (2, 1, 1)]
    assert document["levels"][1]["allowed_hits"] == [{"hits": 0, "clears": 1, "tries": 2}, {"hits": 1, "clears": 1, "tries": 2}]


def test_level_page(setback):
    """One level in any spelling, with its neighbours, spots and sessions; a name that is none lists the levels."""
    document = setback.json("level", "low_arch", *WORDS)
    assert (document["level"], document["place"], document["funnel"]["cleared"]) == ("Low Arch", 2, 1)
    assert document["spots"] == [{"x": 3.0, "y": 4.0, "cause": "reeds"}]
    assert document["watch"][0]["from"] == 12.0
    first = setback.json("level", "Mill Pond", *WORDS)["first_level"]
    assert (first["to_clear"], first["left_before_input"]) == (10.0, 0)
    done = setback("level", "High Arch", *WORDS)
    assert (done.returncode, done.stdout) == (2, "")
    assert "Did you mean Low Arch?" in done.stderr


def test_trace(setback):
    """A session attempt by attempt on a recording's clock; a player's name does as well; --all takes every session."""
    rows = setback.json("trace", "s", *WORDS, "--offset", "00:01:00")["levels"]
    assert [(row["level"], row["clock"], row["try"], row["rerun"], row["outcome"]) for row in rows] == [
        ("Mill Pond", 60.0, 1, False, "complete"),
        ("Low Arch", 72.0, 1, False, "death"),
        ("Mill Pond", 82.0, 2, True, "complete"),
        ("Low Arch", 89.0, 2, False, "complete"),
    ]
    assert setback.json("trace", "Ada", *WORDS)["levels"] == setback.json("trace", "--all", *WORDS)["levels"]
    assert "no session or player is called 'x'" in setback("trace", "x", *WORDS).stderr


def test_trace_record_by_record(setback):
    """Each record with what it did and what was found on it, those that are not used where their time puts them."""
    odd = [
        {"session": "s", "time": 22.5, "event": "start", "level": "Mill Pond", "player": "Ada"},
        {"session": "s", "time": 25, "event": "splash"},
    ]
    setback.write("log.jsonl", [*SETBACK[:9], *odd, *SETBACK[9:]])
    rows = setback.json("trace", "s", *WORDS, "--events")["records"]
    assert len(rows) == len(SETBACK) + 2 and [row["clock"] for row in rows] == sorted(row["clock"] for row in rows)
    did = {row["place"]: (row["event"], row["did"], row["used"], row["findings"]) for row in rows}
    assert did["log.jsonl:1"] == ("start", ["began try 1"], True, [])
    assert did["log.jsonl:7"] == ("death", ["ended try 1: died"], True, [])
    assert did["log.jsonl:8"] == ("transition", ["setback"], True, [])
    assert did["log.jsonl:10"] == ("start", [], False, ["repeated_start"])
    assert did["log.jsonl:11"] == ("splash", [], False, ["unknown_event"])
    assert did["log.jsonl:12"] == ("complete", ["ended a re-run: cleared"], True, [])
    shown = " ".join(setback("trace", "s", *WORDS, "--events", COLUMNS="160").stdout.split())
    assert "16 records, 2 of them not used" in shown and "repeated_start: dropped" in shown
    table = setback("trace", "s", *WORDS, "--events", "--format", "csv").stdout.splitlines()
    assert table[0].startswith("session,clock,event") and len(table) == 17
    setback.write("log.jsonl", [*SETBACK, *(one | {"session": "t"} for one in SETBACK)])
    assert "session" in setback("trace", "--all", *WORDS, "--events").stdout.split("Record by record")[1].splitlines()[1]


@pytest.mark.parametrize(
    ("where", "message"),
    [
        ("role", "is no condition"),
        ("mood=calm", "no such field or tag"),
        ("role=tester", "no session is left. Its values are: newcomer"),
        ("role>much", "after > comes a number"),
    ],
)
def test_conditions_that_cannot_be(setback, where, message):
    """A condition that is none, or leaves nobody, says so and what there is."""
    done = setback("funnel", *WORDS, "--where", where)
    assert (done.returncode, done.stdout, len(done.stderr.splitlines())) == (2, "", 1)
    assert message in done.stderr


def test_groups_are_cuts(wickwater):
    """Each group of --by is the log cut by --where, in JSON, CSV and the table."""
    for command in ("funnel", "times", "moves"):
        document = wickwater.json(command, *DEMO, "--by", "role")
        assert [group["value"] for group in document["groups"]] == ["maker", "newcomer", "regular"]
        for group in document["groups"]:
            alone = wickwater.json(command, *DEMO, "--where", f"role={group['value']}")
            assert {key: value for key, value in group.items() if key != "value"} == alone
    table = wickwater("funnel", *DEMO, "--by", "role").stdout
    assert "newcomer: n" in table
    assert "(100 %)" in table  # one maker alone is put in brackets
    assert wickwater("deaths", *DEMO, "--by", "build", "--format", "csv").stdout.startswith("build,level")
    assert "--by level: it differs from record to record" in wickwater("funnel", *DEMO, "--by", "level").stderr


def test_small_numbers_are_marked(wickwater):
    """A level with fewer players than asked for has a mark, and what it means is said."""
    shown = wickwater("attempts", *DEMO, "--where", "role=maker").stdout
    assert "Mill Pond *" in shown
    assert "* fewer than 5 players" in shown
    assert "Mill Pond *" not in wickwater("attempts", *DEMO).stdout


@pytest.mark.parametrize(
    "words",
    [
        ["deaths", *DEMO],
        ["moves", *DEMO],
        ["level", "Low Arch", *DEMO],
        ["trace", "maud-wick-1", *DEMO],
        ["trace", "--all", *DEMO],
    ],
    ids=["deaths", "moves", "level", "session", "strips"],
)
def test_figures_are_drawn(wickwater, words):
    """Each of these draws a picture."""
    done = wickwater(*words, "--figure", "one.svg")
    assert done.returncode == 0, done.stderr
    assert b"<svg" in (wickwater.folder / "one.svg").read_bytes()


BANDS = '[[band]]\nname = "low"\nto = 0.5\n[[band]]\nname = "mid"\nfrom = 0.6\nto = 0.9\n[[band]]\nname = "top"\nfrom = 0.85\n'


def test_ratings(milepost):
    """Clears by band, what falls in none, what cannot be reached, and faults of the bands."""
    rows = [
        log_of(
            (0.5, "start", "Mill Pond", {}),
            (9.5, "complete", "Mill Pond", {"collected": n, "available": 2, "rating": "low"}),
            session=f"s{n}",
        )
        for n in range(3)
    ]
    milepost.write("log.jsonl", [record for own in rows for record in own])
    milepost.write("course.toml", COURSE + BANDS)
    document = milepost.json("ratings", *WORDS)
    pond = document["levels"][0]
    assert {name: own["clears"] for name, own in pond["ratings"].items()} == {"low": 1, "mid": 0, "top": 1}
    assert (pond["rated"], pond["no_band"], pond["unreachable"]) == (3, 1, ["mid"])
    assert (pond["logged"], pond["logged_otherwise"]) == (3, 2)
    assert len(document["faults"]) == 2
    milepost.write("course.toml", COURSE)
    assert "declares no bands" in milepost("ratings", *WORDS).stderr


def test_layouts(milepost):
    """Layouts of a level apart, the spread between them against that between levels, and few tries marked."""
    records = []
    for n in range(40):
        hard = n % 2
        end = "death" if hard and n % 5 else "complete"
        records += log_of((0.5, "start", "Mill Pond", {"seed": hard}), (9.5, end, "Mill Pond", {}), session=f"s{n}")
    records += log_of((0.5, "start", "Low Arch", {"layout": "rare"}), (9.5, "complete", "Low Arch", {}), session="t")
    milepost.write("log.jsonl", records)
    milepost.write("course.toml", COURSE)
    document = milepost.json("layouts", *WORDS)
    assert [(r["level"], r["layout"], r["tries"], r["clears"], r["enough"]) for r in document["levels"]] == [
        ("Mill Pond", "0", 20, 20, True),
        ("Mill Pond", "1", 20, 4, True),
        ("Low Arch", "rare", 1, 1, False),
    ]
    assert document["between_layouts"] > 0.4
    assert document["worst"][0]["layout"] == "1"


def test_coverage_and_course(milepost):
    """What was hardly tested; open levels and notes are shown; a draft of a course can be read again."""
    milepost.write("log.jsonl", SETBACK)
    milepost.write("course.toml", COURSE + 'open = true\nnote = "not built yet"\n')
    document = milepost.json("coverage", *WORDS)
    assert document["hardly_tested"] == LEVELS
    assert document["levels"][1]["minutes_to_reach"] == pytest.approx(0.2)
    shown = milepost("funnel", *WORDS).stdout
    assert "No way to clear yet: Reed Gate." in shown
    assert "Reed Gate: not built yet" in shown
    assert milepost("course", "log.jsonl", "--name", "Wickwater", "--output", "draft.toml").returncode == 0
    assert milepost.json("funnel", "log.jsonl", "--course", "draft.toml")["course"]["levels"] == LEVELS[:2]


def test_questions_of_an_analyst(wickwater):
    """On the demo: what kills in the hardest level and where, what to watch at which minute, who stops there."""
    page = wickwater.json("level", "Low Arch", *DEMO)
    assert page["deaths"]["causes"]["reeds"]["deaths"] > 20
    assert page["watch"][0]["to"] > page["watch"][0]["from"] > 0
    roles = wickwater.json("funnel", *DEMO, "--by", "role")["groups"]
    assert all(next(row for row in group["levels"] if row["level"] == "Low Arch")["reached"] >= 0 for group in roles)
    sittings = json.loads(wickwater("attempts", *DEMO, "--by", "sitting", "--format", "json").stdout)
    assert [group["value"] for group in sittings["groups"]] == ["1", "2"]


VIEWED = [
    ["check"],
    ["funnel", "--raw"],
    ["attempts"],
    ["times"],
    ["deaths"],
    ["moves"],
    ["spikes"],
    ["coverage"],
    ["ratings"],
    ["whatif", "--set", "Low Arch.difficulty=0"],
    ["funnel", "--by", "platform"],
    ["deaths", "--by", "sitting"],
]


@pytest.mark.parametrize("words", VIEWED, ids=[" ".join(words[:2]) for words in VIEWED])
def test_views_read_well_anywhere(wickwater, words):
    """At 60 columns, in ASCII and in Markdown: lines fit, nothing is cut, no style leaks into a pipe."""
    for width in (60,):
        shown = wickwater(words[0], *DEMO, *words[1:], COLUMNS=str(width)).stdout
        assert max(map(len, shown.splitlines())) <= max(width, 80 if "--by" in words else 0)
        assert "\x1b" not in shown
        assert "49 players" in " ".join(shown.split()) or "--by" in words
    plain = wickwater(words[0], *DEMO, *words[1:], PYTHONIOENCODING="ascii").stdout
    assert plain.isascii()
    assert "\\u" not in plain
    markdown = wickwater(words[0], *DEMO, *words[1:], "--format", "markdown").stdout
    tables = [line for line in markdown.splitlines() if line.startswith("|")]
    assert len({line.replace("\\|", "").count("|") for line in tables}) <= 3
    assert markdown.startswith("## ")


def test_one_session_is_read_aloud(wickwater):
    """A trace names clock, level, try, length and end of every attempt, and how the session ended."""
    shown = wickwater("trace", "maud-wick-1", *DEMO).stdout
    rows = wickwater.json("trace", "maud-wick-1", *DEMO)["levels"]
    assert len([line for line in shown.splitlines() if ":" in line[:7]]) >= len(rows)
    assert "The session ended at" in shown
    assert "player Maud Wick" in shown or "Player Maud Wick" in shown
    strips = wickwater("trace", "--all", *DEMO).stdout
    assert "✗ death" in strips
    assert len(strips.splitlines()) > 60


def test_what_is_marked_in_a_terminal(wickwater):
    """Colour only where it is asked for by a terminal: NO_COLOR and a pipe give the same text."""
    plain = wickwater("funnel", *DEMO).stdout
    assert wickwater("funnel", *DEMO, NO_COLOR="1").stdout == plain
    assert wickwater("funnel", *DEMO, TERM="dumb").stdout == plain


def test_first_level_has_its_own_questions(milepost):
    """How long to the first input, failure and clear, and who left before touching anything."""
    one = log_of(
        (0.5, "start", "Mill Pond", {}),
        (2.5, "first_input", "Mill Pond", {}),
        (6.5, "death", "Mill Pond", {}),
        (7.5, "retry", "Mill Pond", {}),
        (12.5, "complete", "Mill Pond", {}),
        session="a",
    )
    two = log_of((0.5, "start", "Mill Pond", {}), (30.5, "session_end", None, {"cause": "quit"}), session="b")
    milepost.write("log.jsonl", one + two)
    milepost.write("course.toml", COURSE)
    first = milepost.json("level", "Mill Pond", *WORDS)["first_level"]
    before = {"deaths_before_input": 0, "clears_before_input": 1, "without_input": 1, "left_before_input": 1}
    assert first == {"to_input": 2.0, "to_failure": 6.0, "to_clear": 12.0, **before, "players": 2}
    said = " ".join(milepost("level", "Mill Pond", *WORDS).stdout.split())
    assert "1 of 2 players never gave an input; 1 of them left" in said
    assert "Before any input: 0 deaths and 1 clear" in said


def test_deaths_on_arrival(milepost):
    """A death within the first moment is one on arrival; the moment can be set."""
    rows = log_of(
        (0.5, "start", "Mill Pond", {}),
        (1.25, "death", "Mill Pond", {}),
        (2.5, "retry", "Mill Pond", {}),
        (5.5, "death", "Mill Pond", {"cause": "crane"}),
        (6.5, "reset", "Mill Pond", {}),
    )
    milepost.write("log.jsonl", rows)
    milepost.write("course.toml", COURSE)
    pond = milepost.json("deaths", *WORDS)["levels"][0]
    assert (pond["deaths"], pond["on_arrival"], pond["without_cause"]) == (2, 1, 1)
    assert pond["failure_causes"] == {"crane": 1, "death without a cause": 1}
    assert milepost.json("deaths", *WORDS, "--arrival", "4")["levels"][0]["on_arrival"] == 2


def test_courses_with_bands_and_ways(milepost):
    """What a course says of bands, directions and ranges is checked, with the line that is wrong named."""
    milepost.write("log.jsonl", SETBACK)
    mistakes = {
        '[[band]]\nname = "x"\nfrom = 0.9\nto = 0.1\n': "must be below to",
        "[[band]]\nfrom = 0.1\n": "has no name",
        '[harder]\ncurrent = "sideways"\n': 'knobs with "up" or "down"',
        '[[level]]\nname = "E"\ntarget_clear = [0.9, 0.1]\n': "the lower first",
        '[[level]]\nname = "E"\nopen = "yes"\n': "open must be true or false",
        '[[level]]\nname = "E"\nnote = 5\n': "note must be text",
    }
    for text, message in mistakes.items():
        milepost.write("course.toml", COURSE + text)
        done = milepost("funnel", *WORDS)
        assert (done.returncode, done.stdout, len(done.stderr.splitlines())) == (2, "", 1)
        assert message in done.stderr
