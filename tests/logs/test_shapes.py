"""Logs of other shapes, read through a map: the figures are those of the same play in our own form."""

import json

import pytest

from milepost.logs.mapping.map_usage import match_pattern
from one_play import PLAY, own_form

WORDS = {"death": "gescheitert", "complete": "geschafft", "reset": "neu gestartet"}
SHEET = """[input]
delimiter = ";"
[fields]
player = "Spieler"
session = "Sitzung"
level = "Stufe"
[rows]
each = "attempt"
started = "Beginn"
lasted = "Dauer (s)"
result = "Ergebnis"
[events]
geschafft = "complete"
gescheitert = "death"
"neu gestartet" = "reset"
abgebrochen = "quit"
"""


def figures(milepost, *words):
    found = {}
    for command, keys in (
        ("attempts", ("players", "settled", "clears", "p50", "first_try")),
        ("times", ("timed", "p50", "run_p50", "fail_p50")),
        ("funnel", ("reached", "cleared")),
    ):
        for row in milepost.json(command, *words)["levels"]:
            found[row["level"], command] = [row[key] if not isinstance(row[key], float) else round(row[key], 6) for key in keys]
    return found


@pytest.fixture
def expected(milepost):
    """By the same play in our own form, without the window, since the sheet has no repeats."""
    milepost.write("own.jsonl", own_form())
    return figures(milepost, "own.jsonl", "--repeat-window", "0.05")


def cell(number):
    return str(number).replace(".", ",")


def test_a_row_an_attempt(milepost, expected):
    rows = [";".join((p, s, level, cell(start), cell(lasted), WORDS[result])) for p, s, level, start, lasted, result in PLAY]
    milepost.write("sheet.csv", "\n".join(["Spieler;Sitzung;Stufe;Beginn;Dauer (s);Ergebnis", *rows]).encode("cp1252"))
    milepost.write("map.toml", SHEET)
    assert figures(milepost, "sheet.csv", "--map", "map.toml") == expected
    assert milepost("pack", "sheet.csv", "--map", "map.toml", "-o", "kept").returncode == 0
    assert figures(milepost, "kept") == expected, "what a store keeps needs no map any more"
    assert milepost.json("check", "sheet.csv", "--map", "map.toml")["records"] == 2 * len(PLAY)


@pytest.mark.parametrize(
    "times",
    [
        ["26.11.2026 10:00:00", "26.11.2026 10:00:20"],
        ["26.11.2026"] * 2,
        ["26.11.2026 10:00:00", ""],
        ["26.11.2026 10:00:00"] * 2,
    ],
)
def test_rows_are_laid_end_to_end(milepost, times):
    """Where times tie, lack or are mere dates, the order of the rows and their durations stand."""
    results = [("gescheitert", "8"), ("geschafft", "4")]
    rows = [f"Ada;1;Mill Pond;{time};{lasted};{result}" for time, (result, lasted) in zip(times, results, strict=True)]
    milepost.write("sheet.csv", "\n".join(["Spieler;Sitzung;Stufe;Beginn;Dauer (s);Ergebnis", *rows]))
    milepost.write("map.toml", SHEET.replace("[rows]", '[time]\nformat = "%d.%m.%Y %H:%M:%S"\nzone = "Europe/Berlin"\n[rows]'))
    rows = milepost.json("trace", "--all", "sheet.csv", "--map", "map.toml")["levels"]
    assert [(row["outcome"], row["active"]) for row in rows] == [("death", 8.0), ("complete", 4.0)]
    assert rows[1]["clock"] == pytest.approx(20.0 if times[0] < times[1] else 8.0)


def test_ends_and_unknown_results(milepost):
    """Quit ends a session in its last row only; an empty or unknown result is left, and counted."""
    rows = ["Ada;1;Mill Pond;0;5;abgebrochen", "Ada;1;Low Arch;10;5;?", "Ada;1;Low Arch;20;5;", "Ada;1;Low Arch;30;5;abgebrochen"]
    milepost.write("sheet.csv", "\n".join(["Spieler;Sitzung;Stufe;Beginn;Dauer (s);Ergebnis", *rows]))
    milepost.write("map.toml", SHEET)
    assert [row["outcome"] for row in milepost.json("trace", "--all", "sheet.csv", "--map", "map.toml")["levels"]] == [
        "left",
        "left",
        "left",
        "quit",
    ]
    assert milepost.json("check", "sheet.csv", "--map", "map.toml")["findings"]["row_without_result"] == 2


def test_nested_arrays(milepost, expected):
    """Two deep, inner fields winning; what is no array, or no record in one, is refused with its line."""
    sessions = {}
    for line in own_form():
        sessions.setdefault((line["player"], line["session"]), []).append(
            {k: line[k] for k in ("time", "event", "level")} | {"id": f"e{len(sessions)}-{line['time']}"}
        )
    record = [{"player": p, "id": p, "runs": [{"id": s, "steps": steps}]} for (p, s), steps in sessions.items()]
    milepost.write("log.json", json.dumps(record))
    milepost.write("map.toml", '[rows]\nexplode = ["runs", "steps"]\n[fields]\nsession = "runs.id"\n')
    assert figures(milepost, "log.json", "--map", "map.toml", "--repeat-window", "0.05") == expected
    milepost.write("odd.jsonl", [record[0], {"player": "x", "runs": 7}, {"player": "y", "runs": [{"id": "z", "steps": [3]}]}])
    found = milepost.json("check", "odd.jsonl", "--map", "map.toml")
    assert found["findings"]["unreadable_record"] == 2 and any(
        "odd.jsonl:2 (runs is no array)" in place for place in found["details"][0]["places"]
    )
    milepost.write("wrong.toml", '[rows]\nexplode = "rounds"\n')
    done = milepost("funnel", "log.json", "--map", "wrong.toml")
    assert done.returncode == 2 and "no record has the array 'rounds'" in done.stderr and "wrong.toml" in done.stderr


def test_arrays_in_selected_rows(milepost, expected):
    """What a query selects from a file, or from two, may hold the records in arrays."""
    sessions = {}
    for line in own_form():
        sessions.setdefault((line["player"], line["session"]), []).append({k: line[k] for k in ("time", "event", "level")})
    records = [{"player": p, "session": s, "steps": steps} for (p, s), steps in sessions.items()]
    milepost.write("log.jsonl", [{"name": "nobody", **record} for record in records])
    milepost.write("map.toml", '[input]\nselect = "SELECT * EXCLUDE (name) FROM log"\n[rows]\nexplode = "steps"\n')
    assert figures(milepost, "log.jsonl", "--map", "map.toml", "--repeat-window", "0.05") == expected
    milepost.write("two/first.jsonl", records[:1])
    milepost.write("two/rest.jsonl", records[1:])
    milepost.write(
        "map.toml", '[input]\nselect = "SELECT * FROM first UNION ALL SELECT * FROM rest"\n[rows]\nexplode = "steps"\n'
    )
    assert figures(milepost, "two", "--map", "map.toml", "--repeat-window", "0.05") == expected


@pytest.mark.parametrize(
    ("pattern", "column", "level"),
    [
        ("* tries", "Mill Pond tries", "Mill Pond"),
        ("tries of *", "tries of Low Arch", "Low Arch"),
        ("L*_n", "L7_n", "7"),
        ("aa*aa", "aaa", None),  # too short to hold both ends
        ("aa*aa", "aaaa", None),
        ("* tries", "Mill Pond seconds", None),
    ],
)
def test_columns_that_fit_a_pattern(pattern, column, level):
    assert match_pattern(pattern, column) == level


def test_fields_that_hold(milepost, expected):
    """The level is said once and holds until it changes, within its session."""
    lines, before = [], {}
    for line in own_form():
        lines.append({k: v for k, v in line.items() if k != "level" or before.get(line["session"]) != v})
        before[line["session"]] = line["level"]
    milepost.write("log.jsonl", lines)
    milepost.write("map.toml", '[rows]\ncarry = ["level"]\n')
    assert figures(milepost, "log.jsonl", "--map", "map.toml", "--repeat-window", "0.05") == expected


@pytest.mark.parametrize("form", ["jsonl", "csv", "parquet"])
def test_a_query_over_any_format(milepost, expected, form):
    rows = [
        {"who": p, "sitting": s, "stage": level, "began": start, "took": lasted, "how": result}
        for p, s, level, start, lasted, result in PLAY
    ]
    if form == "jsonl":
        milepost.write("log.jsonl", rows)
    elif form == "csv":
        milepost.write("log.csv", "\n".join([",".join(rows[0]), *(",".join(map(str, row.values())) for row in rows)]))
    else:
        import pandas

        pandas.DataFrame(rows).to_parquet(milepost.folder / "log.parquet")
    query = (
        "SELECT who AS player, sitting AS session, stage AS level, CAST(began AS DOUBLE) + unnest([0, CAST(took AS DOUBLE)]) AS time, "
        "unnest(['start', how]) AS event FROM log"
    )
    milepost.write("map.toml", f'[input]\nselect = "{query}"\n')
    assert figures(milepost, f"log.{form}", "--map", "map.toml", "--repeat-window", "0.05") == expected


@pytest.mark.parametrize(
    "query",
    [
        "SELECT * FROM read_csv('secret.csv')",
        "SELECT * FROM 'secret.csv'",
        "COPY log TO 'out.csv'",
        "INSTALL httpfs",
        "SELECT * FROM nowhere",
        "SELEKT",
        "SET enable_external_access = true",
    ],
)
def test_a_query_reaches_nothing_else(milepost, small_log, query):
    milepost.write("secret.csv", "a,b\n1,2\n")
    milepost.write("log.jsonl", small_log)
    milepost.write("map.toml", f'[input]\nselect = "{query}"\n')
    done = milepost("funnel", "log.jsonl", "--map", "map.toml")
    assert done.returncode == 2 and done.stderr.count("\n") == 1 and "map.toml: input.select: " in done.stderr, done.stderr
    assert not (milepost.folder / "out.csv").exists()


@pytest.mark.parametrize(
    ("text", "said"),
    [
        ("[rows]\nexplode = 3\n", "rows.explode must be"),
        ('[rows]\ncarry = ["time"]\n', "time cannot hold"),
        ('[rows]\neach = "week"\n', "rows.each must be"),
        ('[rows]\neach = "attempt"\n', "rows.result: name the column"),
        ('[rows]\nresult = "x"\n', "goes with each"),
        ("[input]\nselect = 5\n", "input.select must be"),
        ('[rows]\neach = "attempt"\nresult = "x"\n[events]\nw = "start"\n', "events.w must be"),
        ('[rows]\neach = "attempt"\nresult = "nix"\n', "no record has the column 'nix'"),
    ],
)
def test_maps_that_make_no_sense(milepost, small_log, text, said):
    milepost.write("log.jsonl", small_log)
    milepost.write("map.toml", text)
    done = milepost("funnel", "log.jsonl", "--map", "map.toml")
    assert done.returncode == 2 and done.stderr.count("\n") == 1 and said in done.stderr, done.stderr


def test_such_a_log_is_not_followed(milepost, small_log):
    milepost.write("logs/log.jsonl", small_log)
    milepost.write("map.toml", '[rows]\nexplode = "x"\n')
    assert "cannot be followed" in milepost("watch", "logs", "--map", "map.toml", "--once").stderr


STAYS = [
    ("Ada", "Mill Pond", 3, 40.0, "yes"),
    ("Ada", "Low Arch", 2, 25.5, "no"),
    ("Bo", "Mill Pond", 1, 12.0, "yes"),
    ("Bo", "Low Arch", 0, "", ""),
]


def check_stays(milepost, *words):
    """Tries, clears and the time to clear as the sheet has them; what it cannot say is null."""
    tries = {row["level"]: row for row in milepost.json("attempts", *words)["levels"]}
    assert [
        (tries[name]["players"], tries[name]["settled"], tries[name]["clears"], tries[name]["p50"])
        for name in ("Mill Pond", "Low Arch")
    ] == [(2, 4, 2, 1), (1, 2, 0, None)]
    times = {row["level"]: row for row in milepost.json("times", *words)["levels"]}
    pond, arch = times["Mill Pond"], times["Low Arch"]
    assert (pond["timed"], pond["untimed"], pond["p50"], arch["timed"], arch["censored"]) == (2, 0, 12.0, 1, 1)
    assert all(row[key] is None for row in (pond, arch) for key in ("run_p50", "fail_p50", "settling_p50"))
    assert milepost.json("funnel", *words)["levels"][0]["cleared"] == 2
    assert milepost.json("check", *words)["findings"] == {"no_session_end": 2}


def test_a_row_a_stay(milepost):
    milepost.write("stays.csv", "\n".join(["who,where,tries,seconds,done", *(",".join(map(str, row)) for row in STAYS)]))
    milepost.write(
        "map.toml",
        '[fields]\nplayer = "who"\nlevel = "where"\n[rows]\neach = "stay"\ntries = "tries"\nseconds = "seconds"\ncleared = "done"\n',
    )
    check_stays(milepost, "stays.csv", "--map", "map.toml")
    milepost("pack", "stays.csv", "--map", "map.toml", "-o", "kept")
    check_stays(milepost, "kept")
    whole, parts = (milepost.json("times", "kept", *more)["levels"] for more in ((), ("--memory", "1MB")))
    assert whole == parts


def test_a_row_a_player(milepost):
    """Columns a level: with a pattern for each figure, or whole headers with one."""
    wide = "who,Mill Pond tries,Mill Pond time,Mill Pond ok,Low Arch tries,Low Arch time,Low Arch ok\nAda,3,40,yes,2,25.5,no\nBo,1,12,yes,,,\n"
    milepost.write("wide.csv", wide)
    milepost.write(
        "map.toml", '[fields]\nplayer = "who"\n[rows]\neach = "player"\ntries = "* tries"\nseconds = "* time"\ncleared = "* ok"\n'
    )
    check_stays(milepost, "wide.csv", "--map", "map.toml")
    milepost.write("tries.csv", "who,Level 1,Level 2\nAda,3,2\nBo,1,\n")
    milepost.write("levels.toml", '[fields]\nplayer = "who"\n[rows]\neach = "player"\nlevels = "Level *"\ncell = "tries"\n')
    found = milepost.json("attempts", "tries.csv", "--map", "levels.toml")["levels"]
    assert [(row["level"], row["players"], row["settled"], row["clears"]) for row in found] == [
        ("Level 1", 2, 4, 2),
        ("Level 2", 1, 2, 1),
    ], "a number of tries alone means cleared"
    assert all(
        row["p50"] is None and row["untimed"] == row["reached"]
        for row in milepost.json("times", "tries.csv", "--map", "levels.toml")["levels"]
    )


@pytest.mark.parametrize(
    ("text", "said"),
    [
        ('[rows]\neach = "stay"\n', "name a column for tries"),
        ('[rows]\neach = "player"\ntries = "tries"\n', "with one * in it"),
        ('[rows]\neach = "player"\nlevels = "L*"\n', "name levels and cell"),
        ('[rows]\neach = "player"\nlevels = "L*"\ncell = "score"\n', "rows.cell must be one of"),
        ('[rows]\neach = "stay"\nresult = "x"\n', "does not go with each"),
        ('[fields]\nplayer = "who"\n[rows]\neach = "player"\ntries = "Z*"\n', "no record has the column 'Z*'"),
    ],
)
def test_maps_of_stays_that_make_no_sense(milepost, text, said):
    milepost.write("wide.csv", "who,L1,L2\nAda,1,2\n")
    milepost.write("map.toml", text)
    done = milepost("funnel", "wide.csv", "--map", "map.toml")
    assert done.returncode == 2 and done.stderr.count("\n") == 1 and said in done.stderr, done.stderr
