"""What needs nothing but counts: the same documents as of the whole log, however it lies and whatever is left out of it."""

import json
from time import sleep

import numpy as np
import pandas as pd
import pytest

import milepost as api
from milepost.api import COUNTED
from milepost.cli.main import main
from milepost.course.course import read_course
from milepost.difficulty.spikes import Spikes
from milepost.difficulty.whatif import WhatIf
from milepost.errors import AttemptsGoneError, LogError
from milepost.folder.player_table import read_players
from milepost.logs.interface import Sessions
from milepost.logs.store.pack_store import Into, Layout, pack
from milepost.measures.attempts import AttemptsToClear, TryCounts
from milepost.measures.cells import WatchOfLevels
from milepost.measures.coverage import Coverage
from milepost.measures.deaths import Deaths
from milepost.measures.funnel import Funnel
from milepost.measures.interface import table_of
from milepost.measures.layouts import Layouts
from milepost.measures.leaving import Leaving
from milepost.measures.moves import Moves
from milepost.measures.ratings import Ratings
from milepost.measures.raw import FunnelWithRaw
from milepost.measures.run_lengths import RunsMeasure
from milepost.measures.times import TimeInLevel
from milepost.open_log import open_log
from milepost.partitions import memory_parts, partitioned_log, partitioned_source
from milepost.partitions.execution import ExecutionPlan, LogRequest, Work
from milepost.partitions.executors import workers
from milepost.partitions.partitioned_source import load_parts
from milepost.playback.attempt_filters import parse_conditions
from milepost.playback.play import with_attempts
from milepost.playback.tallies import Tallies, finding_counts
from milepost.progress import SILENT
from milepost.reports.build_document import build_document, needs_of
from milepost.reports.registry import MEASURES as REGISTRY
from milepost.rules import ReplayRules
from random_logs import COURSE, as_text, as_toml, random_log, with_odd_players
from thoroughness import some_rows_always

MEASURES = (
    FunnelWithRaw(Funnel()),
    AttemptsToClear(),
    TimeInLevel(),
    Deaths(arrival=2.0),
    Moves(),
    Spikes(3),
    Coverage(3),
    Layouts(2),
    Leaving(),
    Leaving("censor"),
    RunsMeasure(),
)
BY_COURSE = (Ratings(), WhatIf(("Low Arch.difficulty=0.5",)))  # which needs levels of its own, or bands
BANDS = """
[[band]]
name = "one lantern"
from = 0.0
to = 0.5

[[band]]
name = "two lanterns"
from = 0.6
to = 1.0
"""


@pytest.fixture(scope="module")
def folder(tmp_path_factory):
    """A log of many players with faults, debug sessions, tags and lines that cannot be read, its course, and a table of players."""
    folder, lines = tmp_path_factory.mktemp("counted"), []
    for seed in range(40):
        for record in with_odd_players(random_log(seed), seed, together=False):
            if not isinstance(record, dict) or "session" not in record:
                lines.append(record)
                continue
            own = {"session": f"{seed}-{record['session']}", "boat": seed % 3, "rowed": seed % 7 + 0.5}
            own |= {"player": f"{seed}-{record['player']}"} if record.get("player") else {}
            own |= {"debug": True} if seed % 11 == 3 else {}
            own |= {"layout": f"L{seed % 2}"} if seed % 3 else {}
            own |= {"collected": seed % 5, "available": 5, "rating": "one lantern"} if record.get("event") == "complete" else {}
            lines.append(record | own)
            if seed % 5 == 3:
                lines.append({"session": own["session"], "event": "death"} | ({"debug": True} if seed % 11 == 3 else {}))
    (folder / "log.jsonl").write_text(as_text(lines), encoding="utf-8")
    (folder / "course.toml").write_text(as_toml(COURSE) + BANDS)
    (folder / "players.csv").write_text("player,role,boat\n" + "".join(f"{n}-Ada Wick,tester,{n % 2}\n" for n in range(40)))
    pack([str(folder / "log.jsonl")], Into(folder / "store", layout=Layout(7, 10_000)))
    return folder


def asked_of(folder, given, rules, where, jobs):
    """The log with what is asked of it."""
    course = read_course(folder / "course.toml") if given else None
    players = read_players(folder / "players.csv")
    return LogRequest(
        [str(folder / "log.jsonl")],
        course,
        rules,
        conditions=parse_conditions(where, course)[0],
        players=players,
        work=Work(jobs=jobs),
    )


@pytest.fixture(autouse=True)
def counted_however_small(monkeypatch):
    """Logs are counted part by part, be they as small as these."""
    monkeypatch.setattr(partitioned_source, "SMALL", 0)


@pytest.mark.parametrize("packed", [False, True])
@pytest.mark.parametrize(
    ("given", "rules", "where"),
    some_rows_always(
        [
            (True, ReplayRules(), ()),
            (False, ReplayRules(), ("role=tester",)),
            (True, ReplayRules(keep_debug=True, implied_complete=True), ("level!=Low Arch",)),
            (False, ReplayRules(keep_debug=True), ("event=death", "boat<2", "sitting=1")),
        ]
    ),
)
def test_same_documents(folder, monkeypatch, packed, given, rules, where):
    """Of each measure; few parts wait at a time, and nobody makes the list of all sessions of a store without conditions."""
    monkeypatch.setattr(memory_parts, "_BLOCK", 150)
    monkeypatch.setattr(memory_parts, "_BLOCKS", 1 << 20)
    monkeypatch.setattr(partitioned_log, "_AT_ONCE", 3)
    asked = asked_of(folder, given, rules, where, 2)
    source = str(folder / "store") if packed else asked.names[0]
    parts = load_parts(LogRequest(**{**vars(asked), "names": [source]}), ExecutionPlan(held=not packed, packed=packed))
    whole = open_log(LogRequest(**{**vars(asked), "work": Work()})).play()
    if packed and not where:
        monkeypatch.setattr(partitioned_source, "bare_log", lambda *_: pytest.fail("a list of all sessions was made"))
    measures = MEASURES + (BY_COURSE if given else ())
    counted = parts.compute_from_counts(None, lambda play: play, needs_of(measures))
    assert len(parts.parted.parts) > 5 and len(whole.attempts) > 20
    for measure in measures:
        ours, theirs = (build_document("x", play, table_of(play, measure)) for play in (counted, whole))
        assert json.dumps(ours) == json.dumps(theirs)


def test_sessions_as_worth_watching(tmp_path, monkeypatch):
    """Of sessions that are alike in all that counts the first of the log are named, however many debug sessions a part has."""
    monkeypatch.setattr(memory_parts, "_BLOCK", 20)
    monkeypatch.setattr(memory_parts, "_BLOCKS", 1 << 20)
    lines = [
        {"session": f"s{n:02}", "player": f"p{n:02}", "time": time, "event": event, "level": "Mill Pond"}
        | ({"debug": True} if n % 7 < (n // 7) % 7 else {})
        for n in range(56)
        for time, event in ((0, "start"), (5, "death"), (6, "start"), (9, "death"), (10, "session_end"))
    ]
    (tmp_path / "log.jsonl").write_text(as_text(lines), encoding="utf-8")
    request = LogRequest([str(tmp_path / "log.jsonl")], None, ReplayRules(), work=Work(jobs=1))
    parts = load_parts(request, ExecutionPlan(held=True))
    counted = parts.compute_from_counts(None, lambda play: play.sums(WatchOfLevels), (*needs_of([Funnel()]), WatchOfLevels))
    whole = open_log(request).play().sums(WatchOfLevels)
    named = [[candidate.watched["session"] for candidate in level] for level in whole.candidates]
    assert len(parts.parted.parts) > 3 and len(named[0]) == 3
    assert [[candidate.watched["session"] for candidate in level] for level in counted.candidates] == named


def test_what_was_not_counted_is_told(folder):
    """Whoever asks for it, or for attempts, is told; no figure is made of nothing."""
    parts = load_parts(asked_of(folder, True, ReplayRules(), (), 2), ExecutionPlan(held=True))
    counted = parts.compute_from_counts(None, lambda play: play, needs_of([Funnel()]))
    assert Funnel()(counted).rows[0]["reached"] > 10 and counted.summary(Tallies).records > 1000
    for ask in (AttemptsToClear(), lambda play: play.sums(TryCounts), with_attempts):
        with pytest.raises(AttemptsGoneError):
            ask(counted)


def test_one_count_for_all_ways(folder, monkeypatch):
    """Threads and one after the other, large parts and small: the same bits."""
    said = set()
    for jobs, block in ((1, 50), (2, 400), (3, 1 << 20)):
        monkeypatch.setattr(memory_parts, "_BLOCK", block)
        monkeypatch.setattr(memory_parts, "_BLOCKS", 1 << 20)
        parts = load_parts(asked_of(folder, True, ReplayRules(), (), jobs), ExecutionPlan(held=True))
        counted = parts.compute_from_counts(None, lambda play: play, needs_of(MEASURES))
        said.add(json.dumps([measure(counted).rows for measure in MEASURES]))
    assert len(said) == 1


@pytest.mark.parametrize("words", [("funnel",), ("times", "--idle-cap", "3"), ("report", "--only", "deaths,moves,coverage")])
def test_commands(milepost, folder, words):
    """As they are run, with the log in parts and without; a measure that needs attempts takes them along."""
    more, milepost.folder = ("--course", "course.toml"), folder
    for command in (words, ("report", "--only", "deaths,spikes")):
        first = milepost.json(*command, "log.jsonl", *more)
        second = milepost.json(*command, "log.jsonl", *more, "--jobs", "2")
        for one in (first, second):
            one.pop("made", None)
        assert first == second


def test_nothing_is_left_of_the_records(folder):
    """Once a log was counted, nobody holds its records."""
    parts = load_parts(asked_of(folder, True, ReplayRules(), (), 2), ExecutionPlan(held=True))
    assert parts.compute_from_counts(None, lambda play: play.sums(TryCounts).tries.total, needs_of([AttemptsToClear()]))
    assert not parts.parted.parts[0].pieces


def test_each_part_knows_its_own_sessions_only(folder):
    """Of a store and of a held log: as many as have records in it, in the order of the whole, and with its numbers."""
    for name, way in (("store", ExecutionPlan(packed=True)), ("log.jsonl", ExecutionPlan(held=True))):
        asked = LogRequest(
            **{**vars(asked_of(folder, True, ReplayRules(), (), 1)), "names": [str(folder / name)], "players": None}
        )
        parted = partitioned_source.load_parts(asked, way).parted
        seen = 0
        for part in parted.parts:
            log = part.by_itself()
            own, whole = log.numbers, part.log()
            assert isinstance(log.sessions, Sessions) and set(np.unique(log.records.session)) == set(range(len(own)))
            assert np.array_equal(own[log.records.session], whole.records.session)
            for field, values in vars(log.sessions).items():
                assert values == [getattr(whole.sessions, field)[code] for code in own.tolist()], field
            seen += len(own)
        assert seen == len(parted.log.sessions.name)


def test_in_a_notebook(folder):
    """Counted at any size, and asked as a play is; who asks for more, or asks more of it, is told."""
    log, course = folder / "log.jsonl", folder / "course.toml"
    play, counted = api.replay(log, course=course), api.count(log, course=course, jobs=2)
    for name in (name for name in COUNTED if name != "whatif"):
        pd.testing.assert_frame_equal(getattr(api, name)(counted), getattr(api, name)(play))
    change = "Low Arch.difficulty=1"
    pd.testing.assert_frame_equal(api.whatif(counted, change), api.whatif(play, change))
    assert set(COUNTED) == {name for name, entry in REGISTRY.items() if hasattr(entry.measure, "SUMS")}
    for ask in (
        lambda: api.count(log, measures=["check"]),
        lambda: api.times(counted, clock="input"),
        lambda: api.funnel(counted, per="run"),
        lambda: api.deaths(api.count(log, measures=["funnel"], jobs=2)),
    ):
        with pytest.raises(api.MilePostError):
            ask()


def test_a_measure_that_forgets_what_it_needs(folder, monkeypatch, capsys):
    """It is an error that is told, and no measure that the log has nothing for."""
    monkeypatch.setattr(Deaths, "SUMS", ())
    words = [
        "report",
        str(folder / "log.jsonl"),
        "--course",
        str(folder / "course.toml"),
        "--only",
        "deaths,moves",
        "--jobs",
        "2",
    ]
    assert main([*words, "--no-folder"]) == 2
    said = capsys.readouterr()
    assert "only counts were kept" in said.err and not said.out


@pytest.mark.parametrize("jobs", [1, 3])
def test_one_by_one_in_order(jobs):
    """Whoever is ready first; an error comes in its turn, and what has not begun is not begun."""
    begun = []

    def work(number):
        begun.append(number)
        if number == 4:
            raise LogError("the fourth")
        sleep(0.05 if number == 0 else 0.005)
        return number

    seen = []
    with pytest.raises(LogError, match="the fourth"), workers(jobs, None) as who:
        seen.extend(who.run_each(work, [(number,) for number in range(200)], SILENT))
    assert seen == [0, 1, 2, 3] and len(begun) < 200


def test_no_name_hides_what_was_refused(folder):
    """Sessions that are left out take their unreadable records with them, whether people have pseudonyms or not."""
    parts = load_parts(asked_of(folder, True, ReplayRules(), (), 1), ExecutionPlan(held=True))
    hidden = load_parts(asked_of(folder, True, ReplayRules(), (), 1), ExecutionPlan(held=True)).without_names()
    named, unnamed = (own.compute_from_counts(None, finding_counts, needs_of([])) for own in (parts, hidden))
    assert named == unnamed and named["unreadable_record"]
