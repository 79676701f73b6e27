"""Lines of text, names of files, workbooks, words that are ignored, and cells with words, read through a map."""

import json

import pytest

from one_play import own_form

LINES = """[input]
lines = ['''(?P<time>\\S+) (?P<session>\\S+) (?P<event>\\w+) at (?P<level>.*)''', '''(?P<time>\\S+) (?P<pairs>.*)''']
"""


@pytest.fixture
def play(milepost):
    """Records of a small play, and the funnel of them."""
    milepost.write("own.jsonl", own_form())
    return [json.loads(line) for line in (milepost.folder / "own.jsonl").read_text().splitlines()]


def funnel(milepost, *words):
    return [(row["level"], row["reached"], row["cleared"]) for row in milepost.json("funnel", *words)["levels"]]


def test_lines_by_patterns(milepost, play):
    """The first pattern that fits a line makes its record; a group called pairs is cut up; other lines are none of the log."""
    lines = ["something else"]
    for number, one in enumerate(play):
        rest = " ".join(f"{key}={json.dumps(value)}" for key, value in one.items() if key != "time")
        plain = number % 2 and set(one) == {"session", "time", "event", "level"}
        lines.append(f"{one['time']} {one['session']} {one['event']} at {one['level']}" if plain else f"{one['time']} {rest}")
    milepost.write("log.txt", "\n".join(lines))
    milepost.write("map.toml", LINES)
    assert funnel(milepost, "log.txt", "--map", "map.toml") == funnel(milepost, "own.jsonl")
    milepost.write("map.toml", LINES.replace("(?P<time>\\S+) (?P<pairs>.*)", "(?P<time>\\d+)"))
    milepost.write("odd.txt", "nothing\nof the kind\n")
    done = milepost("funnel", "odd.txt", "--map", "map.toml")
    assert done.returncode == 2 and "odd.txt:1: no line fits" in done.stderr


@pytest.mark.parametrize("lines", ["'('", "'no groups'", "[1]"])
def test_patterns_that_are_none(milepost, play, lines):
    milepost.write("map.toml", f"[input]\nlines = {lines}\n")
    done = milepost("funnel", "own.jsonl", "--map", "map.toml")
    assert done.returncode == 2 and "input.lines must be" in done.stderr and len(done.stderr.splitlines()) == 1


def test_the_name_of_a_file_is_a_column(milepost, play):
    """Of its name and its folder a pattern takes what it finds; several files of one session belong together."""
    for one in play:
        name = f"night/{one['session']}_log.jsonl"
        rest = {key: value for key, value in one.items() if key != "session"}
        before = (milepost.folder / name).read_text() if (milepost.folder / name).exists() else ""
        milepost.write(name, before + json.dumps(rest) + "\n")
    milepost.write("map.toml", '[fields]\nsession = { from = "source.name", pattern = "(.*)_log" }\nbuild = "source.folder"\n')
    assert funnel(milepost, "night", "--map", "map.toml") == funnel(milepost, "own.jsonl")
    assert milepost.json("trace", play[0]["session"], "night", "--map", "map.toml")["traced"][0]["build"] == "night"
    with (milepost.folder / name).open("a") as file:
        file.write("no record\n")
    (place,) = [
        one for one in milepost.json("check", "night", "--map", "map.toml")["details"] if one["code"] == "unreadable_record"
    ]
    assert f"_log.jsonl:{before.count(chr(10)) + 2} " in place["places"][0], "a line that is no record has its number"
    milepost.write("map.toml", '[fields]\nsession = { from = "source.name", pattern = "no group" }\n')
    assert "fields.session.pattern must be" in milepost("funnel", "night", "--map", "map.toml").stderr


def test_files_are_tables_of_a_query(milepost, play):
    """Several files: each is a table under its name; a database's tables are joined by its own query."""
    about = {one["session"]: one.get("player") for one in play}
    milepost.write("events.jsonl", [{**one, "player": None} for one in play])
    milepost.write("people.jsonl", [{"sid": name, "who": f"{player or name}"} for name, player in about.items()])
    query = "SELECT e.* EXCLUDE (player), p.who AS player FROM events e LEFT JOIN people p ON e.session = p.sid"
    milepost.write("map.toml", f'[input]\nselect = "{query}"\n')
    found = milepost.json("funnel", "events.jsonl", "people.jsonl", "--map", "map.toml")
    assert found["players"] == len({about[name] or name for name in about})


def test_words_that_are_ignored(milepost, play):
    """Records of such a word are no part of the log, and are counted."""
    extra = [{**play[0], "time": 3 + n, "event": "ping"} for n in range(5)]
    milepost.write("more.jsonl", [*play, *extra])
    milepost.write("map.toml", '[events]\nping = "ignore"\n')
    assert funnel(milepost, "more.jsonl", "--map", "map.toml") == funnel(milepost, "own.jsonl")
    check = milepost.json("check", "more.jsonl", "--map", "map.toml")
    assert check["map"]["records_ignored"] == 5 and "unknown_event" not in check["findings"]


def test_a_workbook(milepost, play):
    """A sheet is read as a table, below its title; a sheet that is not there is named."""
    openpyxl = pytest.importorskip("openpyxl")
    pytest.importorskip("python_calamine")
    names = list(dict.fromkeys(name for one in play for name in one))
    book = openpyxl.Workbook()
    for row in [["An evening"], names, *([one.get(name) for name in names] for one in play)]:
        book.active.append(row)
    book.save(milepost.folder / "log.xlsx")
    assert funnel(milepost, "log.xlsx") == funnel(milepost, "own.jsonl")
    assert funnel(milepost, "log.xlsx::Sheet") == funnel(milepost, "own.jsonl")
    assert "no sheet 'Other'" in milepost("funnel", "log.xlsx::Other").stderr
    data = (milepost.folder / "log.xlsx").read_bytes()
    milepost.write("half.xlsx", data[: len(data) // 2])
    done = milepost("funnel", "half.xlsx")
    assert done.returncode == 2 and len(done.stderr.splitlines()) == 1 and "half.xlsx" in done.stderr


def test_cells_with_words(milepost):
    """A number of tries with a word behind it is what the map says of the word; a dash is nothing."""
    milepost.write("wide.csv", "player,L1,L2,L3\nAda,1,5 DNF,-\nBo,2,3,1\nTotal,3,8,1\n")
    milepost.write(
        "map.toml",
        '[fields]\nplayer = "player"\n[rows]\neach = "player"\nlevels = "L*"\ncell = "tries"\n[events]\nDNF = "quit"\n',
    )
    assert funnel(milepost, "wide.csv", "--map", "map.toml") == [("L1", 2, 2), ("L2", 2, 1), ("L3", 1, 1)]


def test_clock_times(milepost, play):
    """Hours, minutes and seconds, and decimal commas, are times."""
    rows = ["session;time;event;level"]
    for one in play:
        minutes, seconds = divmod(one["time"], 60)
        clock = f"0:{int(minutes):02d}:{seconds:06.3f}".replace(".", ",")
        rows.append(f"{one['session']};{clock};{one['event']};{one.get('level', '')}")
    milepost.write("log.csv", "\n".join(rows))
    milepost.write("map.toml", '[fields]\ntime = "time"\n')
    times = [row["run_p50"] for row in milepost.json("times", "log.csv", "--map", "map.toml")["levels"]]
    assert times == pytest.approx([row["run_p50"] for row in milepost.json("times", "own.jsonl")["levels"]])


def test_days_with_a_decimal_comma(milepost, play):
    """The unit of a map holds for numbers with a comma, too."""
    rows = ["session;time;event;level"]
    for one in play:
        days = f"{46_000 + one['time'] / 86_400:.10f}".replace(".", ",")
        rows.append(f"{one['session']};{days};{one['event']};{one.get('level', '')}")
    milepost.write("log.csv", "\n".join(rows))
    milepost.write("map.toml", '[fields]\ntime = "time"\n[time]\nunit = "days"\n')
    times = [row["run_p50"] for row in milepost.json("times", "log.csv", "--map", "map.toml")["levels"]]
    assert times == pytest.approx([row["run_p50"] for row in milepost.json("times", "own.jsonl")["levels"]], abs=1e-3)


def test_rows_with_a_number_of_their_own(milepost):
    """A column called id tells rows apart, not the two records that are made of each; the same row twice is one."""
    rows = [f"{n},Ada,L{n // 2},{10 * n},{10 * n + 7},{'won' if n % 2 else 'lost'}" for n in range(6)]
    milepost.write("log.csv", "\n".join(["id,player,level,from,to,result", *rows, rows[-1]]))
    milepost.write(
        "map.toml",
        '[fields]\nplayer = "player"\nlevel = "level"\n[rows]\neach = "attempt"\nstarted = "from"\nended = "to"\n'
        'result = "result"\n[events]\nwon = "complete"\nlost = "death"\n',
    )
    assert funnel(milepost, "log.csv", "--map", "map.toml") == [("L0", 1, 1), ("L1", 1, 1), ("L2", 1, 1)]
    rows = [f"{n},Ada,L{n},{n + 1},yes" for n in range(3)]
    milepost.write("stays.csv", "\n".join(["id,player,level,tries,cleared", *rows]))
    milepost.write("map.toml", '[rows]\neach = "stay"\ntries = "tries"\ncleared = "cleared"\n')
    levels = milepost.json("attempts", "stays.csv", "--map", "map.toml")["levels"]
    assert [level["settled"] for level in levels] == [1, 2, 3]


def test_a_table_below_its_title(milepost, play):
    """The header is the first line with more than half of the cells filled; a table of two columns has no title."""
    names = ["session", "time", "event", "level"]
    rows = [";".join(str(one.get(name, "")) for name in names) for one in play]
    milepost.write("log.csv", "\n".join(["An evening at the lock;;;", ";;;", ";".join(names), *rows]))
    assert funnel(milepost, "log.csv") == funnel(milepost, "own.jsonl")
    milepost.write("broken.csv", "\n".join(["An evening;;;", ";".join(names), "a;b;c;d;e", *rows]))
    assert "broken.csv:3 (5 cells" in milepost("check", "broken.csv", "--columns", "all").stdout


def nested(play):
    """The play as a document a session, its events in an array."""
    sessions = {}
    for one in play:
        sessions.setdefault(one["session"], []).append({key: value for key, value in one.items() if key != "session"})
    return [{"session": session, "events": events} for session, events in sessions.items()]


@pytest.mark.parametrize("form", ["yaml", "cbor"])
def test_streams_of_documents(milepost, play, form):
    """Each document is a record, or holds some; what is cut off or refers to itself is refused in a line."""
    library = pytest.importorskip({"yaml": "yaml", "cbor": "cbor2"}[form])
    documents = nested(play)
    data = library.safe_dump_all(documents).encode() if form == "yaml" else b"".join(map(library.dumps, documents))
    milepost.write(f"log.{form}", data)
    milepost.write("map.toml", '[rows]\nexplode = "events"\n')
    assert funnel(milepost, f"log.{form}", "--map", "map.toml") == funnel(milepost, "own.jsonl")
    milepost.write(f"plain.{form}", library.safe_dump(play).encode() if form == "yaml" else library.dumps(play))
    assert funnel(milepost, f"plain.{form}") == funnel(milepost, "own.jsonl")
    loop = b"a: &a [1, *a]\n" if form == "yaml" else b"\xd8\x1c\x81\xd8\x1d\x00"
    for name, odd in (("cut", data[: len(data) // 2] + (b'\n"' if form == "yaml" else b"")), ("loop", loop), ("none", b"")):
        milepost.write(f"{name}.{form}", odd)
        done = milepost("funnel", f"{name}.{form}")
        assert done.returncode == 2 and len(done.stderr.splitlines()) == 1 and f"{name}.{form}" in done.stderr, done.stderr


XML = {"log.xml": '<log><run session="{}">{}</run></log>', "spread.xml": "<log><run><session>{}</session>{}</run></log>"}


@pytest.mark.parametrize("name", list(XML))
def test_elements_at_a_path(milepost, play, name):
    """Attributes and texts of an element are its columns, and those of what it lies in; a path that leads nowhere is named."""
    runs = []
    for number, document in enumerate(nested(play)):
        rows = []
        for one in document["events"]:
            attributes = " ".join(f'{key}="{value}"' for key, value in one.items())
            texts = "".join(f"<{key}>{value}</{key}>" for key, value in one.items())
            rows.append(f"<event {attributes}/>" if number % 2 else f"<event>{texts}</event>")
        runs.append(XML[name].removeprefix("<log>").removesuffix("</log>").format(document["session"], "".join(rows)))
    milepost.write(name, f"<log>{''.join(runs)}</log>")
    milepost.write("map.toml", '[input]\nrecord = "run/event"\n')
    assert funnel(milepost, name, "--map", "map.toml") == funnel(milepost, "own.jsonl")
    milepost.write("map.toml", '[input]\nrecord = "walk/event"\n')
    assert "no element lies at 'walk/event'" in milepost("funnel", name, "--map", "map.toml").stderr
    milepost.write("cut.xml", (milepost.folder / name).read_bytes()[:-20])
    milepost.write("map.toml", '[input]\nrecord = "run/event"\n')
    done = milepost("funnel", "cut.xml", "--map", "map.toml")
    assert done.returncode == 2 and "cut.xml:1: not XML from here on" in done.stderr and len(done.stderr.splitlines()) == 1
    milepost.write("map.toml", '[input]\nrecord = "//"\n')
    assert "input.record must be the path of an element" in milepost("funnel", name, "--map", "map.toml").stderr
