"""Work over parts of a log: the same figures as of the whole, wherever it is done and whatever happens to who does it."""

import json
import signal
import subprocess
import sys
import time

import pytest

import milepost as milepost_api
from conftest import Program
from milepost import engine, open_log
from milepost.cleaning.selection import parse_condition, select_sessions
from milepost.cli.main import main
from milepost.course.course import read_course
from milepost.errors import LogError, WorkError
from milepost.logs.columnar import file_chunks
from milepost.logs.columnar.file_chunks import Pieces, read_in_pieces
from milepost.logs.interface import ReadOptions
from milepost.logs.mapping.logmap import NO_MAP
from milepost.logs.read import read
from milepost.logs.records.builder import RecordBuilder
from milepost.logs.sources.files import Source
from milepost.logs.store.manifest import read_manifest
from milepost.logs.store.pack_store import Into, Layout, pack
from milepost.logs.store.store import groups_of_parts
from milepost.partitions import execution as work_module
from milepost.partitions import executors
from milepost.partitions.execution import ExecutionPlan, Work
from milepost.partitions.executors import InProcess, Workers
from milepost.partitions.partitioned_log import PartedLog
from milepost.partitions.partitioned_source import _drop_sessions, open_store, opened_store
from milepost.partitions.tasks import PartRequest
from milepost.playback import replay
from milepost.playback.replay import replay_log
from milepost.reports.full_report import whole_report
from milepost.rules import ReplayRules
from random_logs import COURSE, as_text, as_toml, random_log, with_odd_players
from thoroughness import some_always

DEMO = ("wickwater/logs", "--course", "wickwater/course.toml")


def written(folder, seeds, name="log.jsonl"):
    """Random logs of many players in one file, faults and unreadable lines among them."""
    lines = []
    for seed in seeds:
        for record in with_odd_players(random_log(seed), seed, together=False):
            own = (
                {key: f"{seed}-{record[key]}" for key in ("session", "player") if key in record}
                if isinstance(record, dict)
                else {}
            )
            lines.append(record | own if own else record)
    path = folder / name
    path.write_text(as_text(lines), encoding="utf-8")
    return path


@pytest.fixture
def course(tmp_path):
    """The course of the random logs."""
    (tmp_path / "course.toml").write_text(as_toml(COURSE))
    return read_course(tmp_path / "course.toml")


def packed(paths, folder, layout):
    """A store of some logs, added one after the other."""
    for n, path in enumerate(paths):
        pack([str(path)], Into(folder, "add" if n else "refuse", layout))
    return PartedLog(*open_store(folder))


class Told:
    """Writes down the steps that work tells of."""

    def __init__(self):
        self.steps = []

    def step(self, what, of=None):
        self.steps.append((what, of))

    def advance(self, amount):
        pass


def test_it_says_what_it_does(tmp_path, course):
    """Each step, and of how many parts it is."""
    log, told = packed([written(tmp_path, range(4))], tmp_path / "store", Layout(3, 100)), Told()
    for given in (course, None):
        log.play(PartRequest(given, ReplayRules()), Workers(InProcess()), told)
    steps, count = ["surveying parts", "replaying parts"], len(log.parts)
    assert count > 1
    assert told.steps == [(step, count) for step in (*steps, steps[0], "inferring the order of the levels", steps[1])]


def test_whoever_reads_a_store_reads_what_was_there(tmp_path, course):
    """A worker that opens a part after another log was added to the store still finds the store that it was told of."""
    first, second = (written(tmp_path, seeds, name) for seeds, name in ((range(4), "one.jsonl"), (range(4, 7), "two.jsonl")))
    log = packed([first], tmp_path / "store", Layout(3, 100))
    pack([str(second)], Into(tmp_path / "store", "add", Layout(3, 100)))
    for keeping in (opened_store, _drop_sessions):
        keeping.cache_clear()
    play = log.play(PartRequest(course, ReplayRules()), Workers(InProcess()))
    assert len(play.gated.log.sessions.name) == len(read([str(first)]).sessions.name)


def document(play, course):
    """All that is said of a play."""
    return json.loads(json.dumps(whole_report(play, 5, {})))


@pytest.mark.parametrize("rules", [ReplayRules(), ReplayRules(implied_complete=True, keep_debug=True)])
@pytest.mark.parametrize("given", some_always([True, False]))
def test_same_figures(tmp_path, course, given, rules):
    """Of random logs with faults: whole, and in parts that were packed in small pieces."""
    course = course if given else None
    path = written(tmp_path, range(40))
    parted = packed([path], tmp_path / "store", Layout(5, 20_000))
    assert len(parted.parts) == 5
    whole = document(replay_log(read([str(path)]), course, rules), course)
    assert document(parted.play(PartRequest(course, rules), Workers(InProcess())), course) == whole
    assert whole["check"]["details"]


def test_players_named_late(tmp_path):
    """A session whose player is named only in a later log: its part and the player's are replayed together."""
    player = {"player": "Ada"}
    first = [{"session": f"s{n}", "time": 1, "event": "start", "level": "Mill Pond"} for n in range(20)]
    second = [{"session": f"s{n}", "time": 5, "event": "complete", "level": "Mill Pond", **player} for n in range(20)]
    paths = [tmp_path / name for name in ("a.jsonl", "b.jsonl")]
    for path, records in zip(paths, (first, second), strict=True):
        path.write_text("".join(json.dumps(record) + "\n" for record in records))
    parted = packed(paths, tmp_path / "store", Layout(16))
    assert len(groups_of_parts(read_manifest(tmp_path / "store"))) == 1
    whole = replay_log(read([str(path) for path in paths]), None, ReplayRules())
    assert document(parted.play(PartRequest(None, ReplayRules()), Workers(InProcess())), None) == document(whole, None)


@pytest.mark.parametrize("text", ["cause=quit", "level!=Low Arch", "progress>0.5", "build=b1"])
def test_conditions(tmp_path, text):
    """Conditions on sessions, and on records that lie in whatever part."""
    path, condition = written(tmp_path, range(12)), (parse_condition(text),)
    parted, by_hand = packed([path], tmp_path / "store", Layout(4)), Workers(InProcess())
    wanted = PartRequest(None, ReplayRules(), parted.fitting(condition, by_hand))
    whole = replay_log(select_sessions(read([str(path)]), condition), None, ReplayRules())
    assert document(parted.play(wanted, by_hand), None) == document(whole, None)


@pytest.mark.parametrize("size", [300, 5000])
def test_pieces(tmp_path, size):
    """A file read in pieces: every record, every refusal, each at its line; a line that is too long included."""
    path = written(tmp_path, range(2))
    path.write_text(path.read_text() + '{"session": "' + "x" * (1 << 21) + '"}\n' + '{"session": "z", "time": 1, "event": "hit"}')
    ours, done = in_pieces(path, size)
    theirs = read([str(path)])
    assert ours.refused == theirs.refused and "longer than" in ours.refused[-1].reason
    assert vars(ours.sessions) == vars(theirs.sessions) and len(done) > 2
    assert_same_records(ours, theirs)


def in_pieces(path, size):
    """The log of a file that is read in pieces, and a note for each piece."""
    builder, done = RecordBuilder(), []
    builder.files.append(str(path))
    read_in_pieces(builder, Source(path), NO_MAP, ReadOptions(), Pieces(size, lambda: done.append(1), 2))
    return builder.log(), done


def assert_same_records(ours, theirs):
    for name in ("line", "session", "event", "likeness", "identity", "marks"):
        assert getattr(ours.records, name).tolist() == getattr(theirs.records, name).tolist()
    levels = [[*log.stops, None] for log in (ours, theirs)]
    of_ours, of_theirs = ([names[code] for code in log.records.level] for names, log in zip(levels, (ours, theirs), strict=True))
    assert of_ours == of_theirs


@pytest.mark.parametrize("spoiled", ['{"session": "z", "time": 1, "event": "hit", "x": "far"}', "", '{"session": "z"', "{}"])
def test_little_is_read_line_by_line(tmp_path, monkeypatch, spoiled):
    """A piece with something out of the ordinary is cut into small ones, of which the others are read at full speed."""
    monkeypatch.setattr(file_chunks, "SMALL", 2000)
    by_line, plain = [], file_chunks.add_line
    monkeypatch.setattr(file_chunks, "add_line", lambda line, number, sink: by_line.append(number) or plain(line, number, sink))
    path = written(tmp_path, range(6))
    lines = path.read_text().splitlines()
    lines[len(lines) // 2 : len(lines) // 2] = [spoiled, spoiled]
    path.write_text("\n".join(lines) + "\n")
    ours, theirs = in_pieces(path, 20_000)[0], read([str(path)])
    assert ours.refused == theirs.refused and len(by_line) < len(lines) / 2
    assert vars(ours.sessions) == vars(theirs.sessions)
    assert_same_records(ours, theirs)


@pytest.mark.parametrize("words", [("--memory", "100MB"), ("--jobs", "2", "--memory", "1GB")])
def test_from_the_command_line(wickwater, words):
    """The report of the demo, by two threads and with little memory."""
    plain, other = (wickwater.json("report", *DEMO, *more) for more in ((), words))
    assert plain.keys() == other.keys()
    assert all(other[name] == plain[name] for name in plain if name != "made")
    grouped = ("funnel", *DEMO, "--by", "build", "--where", "level=Low Arch")
    assert wickwater.json(*grouped, *words) == wickwater.json(*grouped)


def test_from_a_notebook(wickwater):
    """The same call with more threads and less memory."""
    names = (wickwater.folder / DEMO[0], wickwater.folder / DEMO[2])
    plain, other = milepost_api.replay(*names), milepost_api.replay(*names, jobs=2, memory=500 << 20)
    assert milepost_api.funnel(other, raw=True).equals(milepost_api.funnel(plain, raw=True))


def test_from_a_store(wickwater):
    """A store is taken as it is; logs beside it are not."""
    wickwater("pack", "wickwater/logs", "-o", "parts.store", "--force")
    stored = ("parts.store", "--course", "wickwater/course.toml")
    assert wickwater.json("attempts", *stored, "--jobs", "2") == wickwater.json("attempts", *DEMO)
    refused = wickwater("attempts", "parts.store", *DEMO, "--jobs", "2")
    assert refused.returncode == 2 and "pack --add" in refused.stderr
    assert wickwater("attempts", *stored, "--jobs", "0").returncode == 2


@pytest.mark.parametrize(
    "content", ["{broken\n[1]\n", "", '{"session": "s", "time": 1, "event": "start", "level": "A", "debug": true}\n']
)
def test_next_to_nothing(milepost, content):
    """A log without a usable record, or without anybody: what is said is what is said of the whole log."""
    milepost.write("log.jsonl", content)
    whole, parts = milepost("funnel", "log.jsonl"), milepost("funnel", "log.jsonl", "--memory", "100MB")
    assert (parts.returncode, parts.stdout, parts.stderr) == (whole.returncode, whole.stdout, whole.stderr)
    piped = milepost("funnel", "-", "--memory", "300MB", stdin=content)
    assert piped.returncode == 2 and "standard input" in piped.stderr


def test_a_large_store_is_parted_without_being_asked(tmp_path, monkeypatch, capsys):
    """From some number of records on; the figures stay, also with numbers that outgrow the files of before."""
    names = [str(written(tmp_path, range(n, n + 40), f"{n}.jsonl")) for n in (0, 40, 80, 120)]
    packed(names, tmp_path / "store", Layout(3))
    told = []
    for large in (1 << 50, 1):
        monkeypatch.setattr(open_log, "REMEMBERED", large)
        whole_logs = []
        monkeypatch.setattr(engine, "read", lambda *given, kept=whole_logs: kept.append(1) or read(*given))
        assert main(["report", str(tmp_path / "store"), "--format", "json"]) == 0
        told.append(json.loads(capsys.readouterr().out))
        assert bool(whole_logs) == (large > 1)
    assert {**told[0], "made": None} == {**told[1], "made": None}
    with pytest.raises(LogError, match="in the meantime"):
        opened_store(str(tmp_path / "store"), 4, "another stamp")


GIGABYTE = 1 << 30


WHOLE, HELD = ExecutionPlan(), ExecutionPlan(held=True)


@pytest.mark.parametrize(
    ("name", "size", "work", "own", "way"),
    [
        ("log.jsonl", 10, Work(), 16, WHOLE),
        ("log.jsonl", 10, Work(memory=GIGABYTE), 16, WHOLE),
        ("log.jsonl", 300, Work(), 16, HELD),
        ("log.jsonl", 300, Work(memory=GIGABYTE), 16, HELD),
        ("log.jsonl", 1100, Work(memory=GIGABYTE), 16, ExecutionPlan(packed=True, memory=GIGABYTE)),
        ("log.jsonl", 3000, Work(memory=20 * GIGABYTE), 16, WHOLE),
        ("log.jsonl", 12000, Work(), 16, ExecutionPlan(packed=True, memory=4 * GIGABYTE)),
        ("log.jsonl.gz", 10, Work(), 16, WHOLE),
        ("log.jsonl.gz", 300, Work(), 16, HELD),
        ("log.parquet", 300, Work(memory=2 * GIGABYTE), 16, ExecutionPlan(packed=True, memory=2 * GIGABYTE)),
        ("log.jsonl", 9000, Work(), None, HELD),
        ("log.jsonl", 10, Work(jobs=3), 16, HELD),
        ("log.jsonl", 10, Work(cluster="tcp://host:1"), 16, ExecutionPlan(packed=True)),
    ],
)
def test_parts_where_they_are_needed(tmp_path, monkeypatch, name, size, work, own, way):
    """A small log is replayed as a whole; a large one is held in parts, or packed where it would take too much of this machine."""
    with (tmp_path / name).open("wb") as log:
        log.truncate(size << 20)  # takes no room on disk
    monkeypatch.setattr(work_module, "memory_of_machine", lambda: own and own * GIGABYTE)
    assert work.plan([str(tmp_path / name)]) == way


def test_parts_of_what_has_no_size():
    """Standard input and addresses go in parts where that was said."""
    for name in ("-", "s3://wickwater/log.jsonl"):
        assert Work().plan([name]) == WHOLE and Work(jobs=2).plan([name]) == HELD
        assert Work(memory=GIGABYTE).plan([name]) == ExecutionPlan(packed=True, memory=GIGABYTE)


def test_memory_runs_out(monkeypatch, capsys, tmp_path):
    """One line that says what to do."""
    path = tmp_path / "log.jsonl"
    path.write_text("")
    monkeypatch.setattr(engine, "read", lambda *_: bytearray(1 << 62))
    assert main(["funnel", str(path)]) == 2
    assert "--memory" in capsys.readouterr().err


def test_without_the_extra(milepost, small_log, tmp_path):
    """A cluster without what it takes: the extra is named."""
    (tmp_path / "distributed.py").write_text("raise ImportError\n")
    done = milepost("funnel", milepost.write("log.jsonl", small_log), "--cluster", "tcp://127.0.0.1:9", PYTHONPATH=str(tmp_path))
    assert done.returncode == 2 and "milepost[cluster]" in done.stderr and done.stderr.count("\n") == 1


def test_a_cluster_without_workers(tmp_path, monkeypatch):
    """A scheduler that has no workers is waited for so long, and then it is said."""
    pytest.importorskip("distributed")
    monkeypatch.setattr(executors, "_WAIT", 2)
    known = tmp_path / "scheduler.json"
    scheduler = subprocess.Popen(
        [sys.executable, "-m", "dask", "scheduler", "--port", "0", "--no-dashboard", "--scheduler-file", str(known)],
        cwd=tmp_path,
        stdout=subprocess.DEVNULL,
        stderr=subprocess.DEVNULL,
    )
    try:
        while not known.exists():
            time.sleep(0.1)
        address = json.loads(known.read_text())["address"]
        with pytest.raises(WorkError, match="has had no workers for 2 s"), executors.workers(1, address):
            pass
    finally:
        scheduler.kill()
        scheduler.wait()


@pytest.fixture(scope="module")
def cluster(tmp_path_factory):
    """A scheduler with two workers, each a process of its own."""
    distributed = pytest.importorskip("distributed")
    folder = tmp_path_factory.mktemp("cluster")
    known = folder / "scheduler.json"
    dask = [sys.executable, "-m", "dask"]
    quiet = {"cwd": folder, "stdout": subprocess.DEVNULL, "stderr": subprocess.DEVNULL}
    scheduler = subprocess.Popen([*dask, "scheduler", "--port", "0", "--no-dashboard", "--scheduler-file", str(known)], **quiet)
    worker = [*dask, "worker", "--no-nanny", "--no-dashboard", "--nthreads", "1", "--scheduler-file", str(known)]
    workers = [subprocess.Popen([*worker, "--name", f"w{n}"], **quiet) for n in range(2)]
    while not known.exists():
        time.sleep(0.1)
    client = distributed.Client(scheduler_file=str(known), set_as_default=False, timeout=60)
    client.wait_for_workers(2, timeout=60)
    yield client, workers
    client.close()
    for process in (*workers, scheduler):
        process.kill()
        process.wait()


@pytest.mark.thorough
def test_on_a_cluster(wickwater, cluster):
    """The same figures to the last digit, also where a worker is killed in the middle."""
    client, workers = cluster
    plain, address = wickwater.json("report", *DEMO), client.scheduler.address
    assert wickwater.json("funnel", *DEMO, "--cluster", address)["levels"] == plain["funnel"]["levels"]

    wickwater("pack", "wickwater/logs", "-o", "cluster.store", "--force")
    command = [sys.executable, "-m", "milepost", "report", "cluster.store", *DEMO[1:], "--cluster", address, "-o", "there.json"]
    running = subprocess.Popen(command, cwd=wickwater.folder, stderr=subprocess.PIPE, text=True)
    doomed = next(place for place, one in client.scheduler_info()["workers"].items() if one["id"] == "w0")
    while running.poll() is None and not client.processing().get(doomed):
        time.sleep(0.01)
    workers[0].send_signal(signal.SIGKILL)
    assert running.wait(120) == 0, running.stderr.read()
    workers[0].wait()
    there = json.loads((wickwater.folder / "there.json").read_text())
    assert {**there, "made": plain["made"]} == plain


def test_no_cluster_there(milepost, small_log):
    """An address where no scheduler answers is one clear line."""
    done = milepost("funnel", milepost.write("log.jsonl", small_log), "--cluster", "tcp://127.0.0.1:9")
    assert done.returncode == 2 and done.stderr.count("\n") == 1
    assert "tcp://127.0.0.1:9" in done.stderr and "no scheduler answers" in done.stderr


def test_parts_of_a_large_log_are_compiled(tmp_path, monkeypatch):
    """Whether compiled code pays is asked of the whole log, not of each small part of it."""
    parted = packed([written(tmp_path, range(12))], tmp_path / "store", Layout(4))
    ways = []
    run = replay._run
    monkeypatch.setattr(
        replay,
        "_run",
        lambda gated, rules, inferred, progress, way: (
            ways.append(type(way)) or run(gated, rules, inferred, progress, replay._Plain())
        ),
    )
    rows = read_manifest(tmp_path / "store").rows
    for worthwhile, expected in ((rows // 2, replay._Compiled), (2 * rows, replay._Plain)):
        monkeypatch.setattr(replay, "_pays", lambda records, least=worthwhile: records >= least)
        ways.clear()
        parted.play(PartRequest(None, ReplayRules()), Workers(InProcess()))
        assert len(ways) > 4 and set(ways) == {expected}


@pytest.mark.parametrize("command", some_always(["spikes", "funnel", "attempts", "times"]))
def test_what_is_left_out_of_a_log_in_parts(wickwater, command):
    """Each suspect, and a promise that makes tries void, is left out of a log in parts as of the whole."""
    inside = Program(wickwater.folder / "wickwater")
    promise = '\n[[promise]]\non = "start"\nthat = "oil >= 3"\notherwise = "void"\n'
    inside.write("void.toml", (inside.folder / "course.toml").read_text(encoding="utf-8") + promise)
    for more in (("--exclude", "untagged_skip"), ("--exclude", "broken_promise"), ("--course", "void.toml")):
        whole, parted = (inside.json(command, *more, *jobs) for jobs in ((), ("--jobs", "2")))
        assert parted == whole and ("excluded" in whole)


@pytest.mark.parametrize("command", some_always(["funnel", "attempts"]))
def test_what_is_left_out_of_a_large_store(milepost, command, monkeypatch):
    """The same of a store that remembers, whatever was asked of it before."""
    monkeypatch.setattr(open_log, "REMEMBERED", 1)
    done = milepost("simulate", "--players", "60", "--faults", "-o", "log.jsonl")
    assert done.returncode == 0, done.stderr
    assert milepost("pack", "log.jsonl", "-o", "log.store").returncode == 0
    codes = [row["code"] for row in milepost.json("check", "log.jsonl")["suspects"] if row["excluding"] is not None][:2]
    assert codes
    for code in codes:
        whole = milepost.json(command, "log.jsonl", "--exclude", code)
        assert milepost.json(command, "log.store", "--exclude", code)["levels"] == whole["levels"]
