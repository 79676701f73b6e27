"""A store remembers what was replayed of it: the same figures without a record read, and none that rest on what has changed."""

import json
import shutil
from pathlib import Path
from zlib import crc32

import pytest

from milepost import kept_log, kept_plays, open_log
from milepost.cli.main import main
from milepost.difficulty.spikes import Spikes
from milepost.logs.store.pack_store import Into, Layout, pack
from milepost.measures.funnel import Funnel
from milepost.partitions import partitioned_source
from thoroughness import some_always

PLACE = "wickwater.store"
KEPT = Path(PLACE, "replayed")
COURSE = ("--course", "course.toml")


@pytest.fixture(scope="module")
def packed(wickwater, tmp_path_factory):
    """The demo's logs in a store of few parts, and its courses."""
    folder = tmp_path_factory.mktemp("packed")
    for name in ("course.toml", "next/course.toml", "low-arch.png"):
        (folder / name.replace("/", "-")).write_bytes((wickwater.folder / "wickwater" / name).read_bytes())
    logs = sorted(str(path) for path in (wickwater.folder / "wickwater").glob("logs/*"))
    pack(logs, Into(folder / PLACE, layout=Layout(4)))
    return folder, logs


@pytest.fixture
def told(wickwater, packed, tmp_path, monkeypatch, capsys):
    """What a command says of the demo's store, and how often records of it were read meanwhile."""
    monkeypatch.setattr(open_log, "REMEMBERED", 1)
    folder, logs = packed
    shutil.copytree(folder, tmp_path, dirs_exist_ok=True)
    monkeypatch.chdir(tmp_path)
    reads = []
    records_of = partitioned_source.records_of
    monkeypatch.setattr(partitioned_source, "records_of", lambda *given: reads.append(1) or records_of(*given))

    def ask(*words, store=PLACE):
        reads.clear()
        capsys.readouterr()
        assert main([words[0], store, *words[1:], "--format", "json"]) == 0
        said = json.loads(capsys.readouterr().out)
        return {name: value for name, value in said.items() if name not in ("made", "settings")}, len(reads)

    ask.logs, ask.next_log = logs, str(wickwater.folder / "wickwater/next/evening-3.jsonl")
    return ask


@pytest.mark.parametrize(
    "words",
    some_always(
        [
            ("report", *COURSE),
            ("attempts",),
            ("funnel", *COURSE, "--where", "build!=0.7", "--unknown-end", "censor"),
            ("report", *COURSE, "--anonymous", "--only", "funnel,check"),
            ("times", *COURSE, "--idle-cap", "5", "--clock", "input"),
            ("check", *COURSE, "--exclude", "untagged_skip"),
            ("moves", *COURSE, "--where", "start.health>0"),
            ("deaths", *COURSE, "--by", "build"),
            ("runs", *COURSE, "--repeat-window", "0.5"),
        ],
        2,
    ),
    ids=" ".join,
)
def test_the_same_figures(told, monkeypatch, words):
    """Asked twice, and asked of a store that is read as a whole."""
    monkeypatch.setattr(open_log, "REMEMBERED", 1 << 40)
    whole, _ = told(*words)
    monkeypatch.setattr(open_log, "REMEMBERED", 1)
    first, read = told(*words)
    again, read_again = told(*words)
    assert first == again == whole
    if "--by" not in words and "--exclude" not in words:  # groups and what is left out are replayed by themselves
        assert read and not read_again


def test_what_came_after_is_asked_of_what_was_kept(told):
    """One replay answers whatever is asked of it next, also what looks at records."""
    assert told("funnel", *COURSE)[1]
    for command in ("report", "check", "spikes", "moves", "runs", "deaths"):
        read = told(command, *COURSE)[1]
        assert not read or command == "report"  # what leaving out would move is replayed, once
    assert not told("check", *COURSE)[1] and not told("report", *COURSE)[1]


def test_what_was_measured_is_not_measured_again(told, monkeypatch):
    """Each measure with its own settings; what is asked of it otherwise is measured."""
    first = [told("funnel", *COURSE), told("spikes", *COURSE), told("check", *COURSE)]

    def broken(*given):
        pytest.fail("measured again")

    monkeypatch.setattr(Funnel, "__call__", broken)
    monkeypatch.setattr(Spikes, "__call__", broken)
    assert [told(name, *COURSE)[0] for name in ("funnel", "spikes", "check")] == [said for said, _ in first]
    with pytest.raises(pytest.fail.Exception):
        told("funnel", *COURSE, "--unknown-end", "censor")


def test_another_question_is_another_answer(told):
    """Other courses, rules, sessions and players are replayed anew."""
    asked = [(), ("--course", "next-course.toml"), COURSE, (*COURSE, "--instant", "3"), (*COURSE, "--where", "build=0.8")]
    said = []
    for more in asked:
        answer, read = told("funnel", *more)
        said.append(answer)
        assert read
    assert [told("funnel", *more) for more in asked] == [(one, 0) for one in said]
    with Path("course.toml").open("a") as out:
        out.write('[[level]]\nname = "Beyond the Weir"\n')
    assert told("funnel", *COURSE)[1]


def test_an_addition_is_no_old_news(told):
    before, _ = told("funnel", *COURSE)
    assert main(["pack", "--add", told.next_log, "-o", PLACE]) == 0
    assert not KEPT.exists()
    after, read = told("funnel", *COURSE)
    assert read and after["players"] > before["players"]
    assert main(["pack", "--force", *told.logs, "-o", PLACE]) == 0
    again, read = told("funnel", *COURSE)
    assert read and again == before


def test_an_answer_is_given_again_without_the_play(told, monkeypatch):
    """Whatever the size of the log: what was said of it before is all that is looked at."""
    asked = [("funnel",), ("spikes",), ("times",), ("deaths",), ("attempts", "--per", "run"), ("funnel", "--by", "build")]
    said = [told(*words, *COURSE)[0] for words in asked]
    monkeypatch.setattr(kept_plays.PlayPlace, "play", lambda *given: pytest.fail("the play was looked at"))
    assert [told(*words, *COURSE)[0] for words in asked] == said
    for other in (("funnel", "--raw"), ("attempts",), ("deaths", "--arrival", "30"), ("times", "--clock", "input")):
        with pytest.raises(pytest.fail.Exception, match="looked at"):
            told(*other, *COURSE)


def test_a_report_answers_for_its_measures(told, monkeypatch):
    """What a report said of each measure is what its command says next, without a look at the play."""
    report, _ = told("report", *COURSE)
    monkeypatch.setattr(kept_plays.PlayPlace, "play", lambda *given: pytest.fail("the play was looked at"))
    for name in ("funnel", "times", "moves", "spikes"):
        assert told(name, *COURSE)[0]["levels"] == report[name]["levels"]


@pytest.mark.parametrize("name", ["play/tree.json", "play/columns.npz", "difficulty/tree.json", "document-*/tree.json"])
def test_damage_is_replayed(told, name):
    """What is not as it was laid down is thrown away, without a word, for nothing is lost."""
    whole, _ = told("spikes", *COURSE)
    (place,) = KEPT.iterdir()
    (damaged,) = place.glob(name)
    if not name.startswith("document"):  # which would answer by itself
        shutil.rmtree(next(place.glob("document-*")))
    with damaged.open("r+b") as out:
        out.seek(100)
        out.write(b"\0\1\2")
    again, _ = told("spikes", *COURSE)
    assert again == whole and told("spikes", *COURSE) == (whole, 0)


def test_what_cannot_be_believed_later_is_said(told, capsys):
    """A summary that is another thing than it was: one line, and the next question is replayed."""
    whole, _ = told("check", *COURSE)
    (place,) = KEPT.iterdir()
    text = (place / "play/tree.json").read_text()[8:].replace('"of":"Tallies"', '"of":"Path"')
    (place / "play/tree.json").write_text(f"{crc32(text.encode()):08x}{text}")
    assert main(["attempts", PLACE, *COURSE]) == 2  # which has not been asked before
    assert capsys.readouterr().err.count("\n") == 1 and not place.exists()
    assert told("check", *COURSE)[0] == whole


def test_a_store_that_cannot_be_written(told):
    """The answer is the same; it is only found anew each time."""
    KEPT.touch()
    first = told("funnel", *COURSE)
    assert first[1] and told("funnel", *COURSE) == first


def test_few_are_kept(told, monkeypatch):
    """What was asked for longest ago goes first, so that all of them take no more room than so much."""
    told("funnel", *COURSE, "--repeat-window", "0.1")
    size = sum(file.stat().st_size for file in KEPT.rglob("*") if file.is_file())
    monkeypatch.setattr(kept_log, "MOST_OF_STORE", int(2.5 * size))
    for window in ("0.2", "0.3"):
        told("funnel", *COURSE, "--repeat-window", window)
    assert len(list(KEPT.iterdir())) == 2
    assert not told("funnel", *COURSE, "--repeat-window", "0.3")[1] and told("funnel", *COURSE, "--repeat-window", "0.1")[1]


def test_whoever_changes_the_program_is_answered_anew(told, monkeypatch):
    told("funnel", *COURSE)
    monkeypatch.setattr(kept_plays, "_program", lambda: [["changed.py", 1, 2]])
    assert told("funnel", *COURSE)[1]


def test_of_a_store_too_large_for_its_attempts(told, monkeypatch):
    """Counts are all that is made of it, and the documents all that is kept; what needs attempts is replayed with them."""
    expected = [told("report", *COURSE, "--only", name)[0][name] for name in ("funnel", "deaths")]
    shutil.rmtree(KEPT)
    monkeypatch.setattr(kept_log, "memory_of_attempts", lambda records: 1 << 60)
    for name, whole in zip(("funnel", "deaths"), expected, strict=True):
        first, read = told(name, *COURSE)
        again, read_again = told(name, *COURSE)
        assert first == again == whole and read and not read_again
    assert [path.name.split("-")[1] for path in sorted(KEPT.glob("*/*"))] == ["deaths", "funnel"]
    assert told("funnel", *COURSE, "--where", "build=0.8")[1]
    assert told("check", *COURSE)[1] and not told("moves", *COURSE)[1]
