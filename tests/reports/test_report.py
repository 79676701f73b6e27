"""The report's files: numbers that equal the commands', names that cannot break it, pseudonyms, and the forms it comes in."""

import json
import re
from hashlib import sha256

import pytest

from milepost.wording import percent
from reports.page import Page

DEMO = ("wickwater/logs", "--course", "wickwater/course.toml")
COMMANDS = ("funnel", "attempts", "times", "deaths", "moves", "spikes", "coverage", "ratings")
HOSTILE = [
    '</script><script>alert("lock")</script>',
    '"><img src=x onerror=alert(1)>',
    "{{ 7 * 7 }} {% raw %}",
    "\u202eevil\x1b[31m\x00",
    "]]></style><svg onload=alert(2)>",
    "$\\sum$ & <b>",
    "= 1 + 1",
]


@pytest.fixture(scope="session")
def told(wickwater):
    """The demo's report as a page."""
    assert wickwater("report", *DEMO, "-o", "report.html").returncode == 0
    return Page((wickwater.folder / "report.html").read_text(encoding="utf-8"))


def hostile_log():
    """Players, levels, causes and builds with names that try to get out of the page."""
    records = []
    for n in range(6):
        for place, level in enumerate(HOSTILE):
            common = {"session": f"{HOSTILE[n]}{n}", "player": HOSTILE[n], "level": level, "build": HOSTILE[0]}
            records += [
                {**common, "time": 100 * place, "event": "start"},
                {**common, "time": 100 * place + 9, "event": "death", "cause": HOSTILE[place], "progress": 0.5},
                {**common, "time": 100 * place + 10, "event": "retry"},
                {**common, "time": 100 * place + 30 + n, "event": "complete"},
            ]
    return records


def test_json_is_every_command(wickwater):
    """Each part of the JSON report is the document that the command gives by itself."""
    assert wickwater("report", *DEMO, "-o", "all.json").returncode == 0
    whole = json.loads((wickwater.folder / "all.json").read_text())
    for command in COMMANDS:
        assert whole[command] == wickwater.json(command, *DEMO), command
    assert whole["check"] == wickwater.json("check", *DEMO)
    assert whole["layouts"] is None or whole["layouts"] == wickwater.json("layouts", *DEMO)


def test_numbers_of_the_page(wickwater, told):
    """The numbers in the page's tables are those of the commands."""
    funnel = wickwater.json("funnel", *DEMO)["levels"]
    shown = told.columns("funnel")
    assert shown["level"] == [row["level"] for row in funnel]
    assert shown["reached"] == [str(row["reached"]) for row in funnel]
    assert shown["drop-off"] == [percent(row["drop_off"]) for row in funnel]
    attempts = wickwater.json("attempts", *DEMO)["levels"]
    assert told.columns("attempts")["tries"] == [str(row["settled"]) for row in attempts]
    spikes = wickwater.json("spikes", *DEMO)
    assert told.columns("spikes")["verdict"] == ["" if row["kind"] == "none" else row["kind"] for row in spikes["levels"]]
    deaths = wickwater.json("deaths", *DEMO)["levels"][5]
    assert told.columns("level-6")["deaths"] == [str(own["deaths"]) for own in deaths["causes"].values()]
    said = "".join(told.text)
    assert all(sentence in said for sentence in spikes["sentences"])


def test_findings_in_order(wickwater):
    """As text, the three levels to fix come first, the costliest first, with how sure that is."""
    said = " ".join(wickwater("report", *DEMO).stdout.split())
    first, second, third = (
        said.index(name) for name in ("1. Low Arch is harder", "2. Glass Basin is harder", "3. Salt Steps begins")
    )
    assert first < second < third < said.index("Where players stop")
    assert said.count("strong evidence") == 4
    assert "What to watch" in said and "What cannot be said" in said and "▲ spike" in said


def test_how_it_was_made(wickwater, told):
    """The page has the command, the versions, and the checksum of each file that went in."""
    said = "".join(told.text)
    for name in ("logs/evening-1.jsonl", "logs/evening-2.jsonl", "course.toml"):
        assert sha256((wickwater.folder / "wickwater" / name).read_bytes()).hexdigest() in said
    assert "milepost report wickwater/logs --course wickwater/course.toml -o report.html" in said


def test_pictures_say_what_they_show(told):
    """Every picture has a text alternative; no two elements have one id."""
    pictures = [attrs for tag, attrs in told.elements if tag == "svg"]
    assert len(pictures) >= 7 and all(attrs["role"] == "img" and attrs["aria-label"] for attrs in pictures)
    named = [attrs["id"] for _, attrs in told.elements if "id" in attrs]
    assert len(named) == len(set(named))


def test_nothing_from_outside(told):
    """No address leads out of the page."""
    for _, attrs in told.elements:
        for name in ("src", "href", "xlink:href", "data", "action"):
            assert attrs.get(name, "#").startswith("#")
    assert not re.search(r"url\((?!#)", "".join(str(attrs.get("style")) for _, attrs in told.elements))


def test_hostile_names(milepost):
    """Names from the log are text wherever they stand; no element, attribute or template of theirs comes to life."""
    milepost.write("log.jsonl", hostile_log())
    for name in ("r.html", "r.md"):
        done = milepost("report", "log.jsonl", "-o", name)
        assert done.returncode == 0, done.stderr
    text = (milepost.folder / "r.html").read_text(encoding="utf-8")
    page = Page(text)
    assert [tag for tag, _ in page.elements].count("script") == 1
    assert not [attrs for tag, attrs in page.elements if tag == "img" or any(name.startswith("on") for name in attrs)]
    assert HOSTILE[0] in "".join(page.text) and HOSTILE[2] in "".join(page.text)
    assert not set(text) & {"\u202e", "\x1b", "\x00"}
    assert "<img" not in (milepost.folder / "r.md").read_text(encoding="utf-8").replace("\\<", "")


def test_pseudonyms(wickwater):
    """Without names: none of them in any form, and the same player has the same pseudonym in another log."""
    names = set()
    for path in (wickwater.folder / "wickwater" / "logs").iterdir():
        for line in path.read_text(encoding="utf-8").splitlines():
            if line.startswith("{") and line.endswith("}"):
                record = json.loads(line)
                names |= {record.get("player"), record.get("session")} - {None, ""}
    assert wickwater("report", *DEMO, "--anonymous", "-o", "anonymous.html").returncode == 0
    text = (wickwater.folder / "anonymous.html").read_text(encoding="utf-8")
    assert not [name for name in names if name in text]
    assert "evening" not in text and "session-" in text
    made = "whom.json"
    assert wickwater("report", *DEMO, "--where", "player!=maud", "--anonymous", "-o", made).returncode == 0
    text = (wickwater.folder / made).read_text()
    assert "maud" not in text
    one = json.loads(text)["watch"]
    other = wickwater.json("report", "wickwater/logs/evening-1.jsonl", "--course", DEMO[2], "--anonymous")["watch"]
    players = [{own["player"] for level in watch for own in level} for watch in (one, other)]
    assert players[0] & players[1]


def test_forms(wickwater):
    """Markdown has its pictures beside it."""
    (wickwater.folder / "one").mkdir(exist_ok=True)
    done = wickwater("report", *DEMO, "--where", "role=newcomer", "-o", "one/r.md")
    assert done.returncode == 0 and not done.stdout, done.stderr
    text = (wickwater.folder / "one" / "r.md").read_text(encoding="utf-8")
    linked = re.findall(r"\]\(([^)]+\.png)\)", text)
    assert len(linked) == 9 and all((wickwater.folder / "one" / name).exists() for name in linked)


def test_a_log_of_nothing_much(milepost, small_log):
    """Two players, or no play at all: a report comes out, and claims nothing."""
    milepost.write("log.jsonl", small_log)
    milepost.write("empty.jsonl", small_log[-1:])
    for log, names in (("log.jsonl", ["r.html"]), ("empty.jsonl", ["r.pdf", "r.json", "r.html"])):
        for name in names:
            done = milepost("report", log, "-o", name)
            assert done.returncode == 0, done.stderr
        assert "Too early to judge" in (milepost.folder / "r.html").read_text(encoding="utf-8")
    assert (milepost.folder / "r.pdf").read_bytes().startswith(b"%PDF")
    before = (milepost.folder / "r.html").read_bytes()
    assert milepost("report", "empty.jsonl", "-o", "r.html").returncode == 0
    assert (milepost.folder / "r.html").read_bytes() == before, "a page comes out the same again"


def test_unusable(milepost, small_log):
    """An ending that is no form, a folder that is not there: one line, status 2, no file."""
    milepost.write("log.jsonl", small_log)
    for target, said in (("r.docx", "ends in .html, .md, .json or .pdf"), ("gone/r.html", "cannot be written")):
        done = milepost("report", "log.jsonl", "-o", target)
        assert done.returncode == 2 and said in done.stderr and done.stderr.count("\n") == 1
    done = milepost("report", "log.jsonl", "--size", "10x10", "-o", "r.pdf")
    assert done.returncode == 2 and "is no size" in done.stderr
    assert sorted(path.name for path in milepost.folder.iterdir()) == ["log.jsonl"]


@pytest.mark.thorough
def test_a_big_course_is_a_small_page(milepost):
    """200 levels make a page of less than 3 MB."""
    assert (
        milepost("simulate", "--shape", "rising", "--levels", "200", "--players", "12", "--output", "log.jsonl").returncode == 0
    )
    done = milepost("report", "log.jsonl", "-o", "r.html")
    assert done.returncode == 0, done.stderr
    assert (milepost.folder / "r.html").stat().st_size < 3e6
