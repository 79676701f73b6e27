"""Broken inputs by the thousand: no traceback, no hang, every record accounted for, and both readers agree.

Run from the project's root: python benchmarks/fuzz.py --logs 100000 --readers 10000
"""

from __future__ import annotations

import argparse
import json
import random
import signal
import sys
import tempfile
import time
from collections import Counter
from concurrent.futures import ProcessPoolExecutor
from pathlib import Path
from typing import Any

import numpy as np
from fuzz_inputs import try_inputs

from milepost.audit.audit import audit
from milepost.course.course import read_course
from milepost.difficulty.spikes import Spikes
from milepost.errors import MilePostError
from milepost.logs import read as reading
from milepost.logs.columnar import chunks
from milepost.logs.interface import TAG
from milepost.logs.mapping.logmap import NO_MAP, LogMap
from milepost.logs.read import read
from milepost.logs.store.pack_store import Into, pack
from milepost.measures.attempts import AttemptsToClear
from milepost.measures.deaths import Deaths
from milepost.measures.funnel import Funnel
from milepost.measures.moves import Moves
from milepost.measures.times import TimeInLevel
from milepost.playback.replay import replay_log
from milepost.reports.build_document import build_document
from milepost.reports.check_views import check_views
from milepost.rules import ReplayRules

ROOT = Path(__file__).resolve().parent.parent
FORMS = ("jsonl", "json", "csv", "tsv", "parquet", "sqlite", "xes")
SECONDS = 60  # after which a log counts as a hang
# What is put in the place of a value, or anywhere.
VALUES = [
    b"null",
    b"true",
    b"[]",
    b"{}",
    b'""',
    b'"x"',
    b"-0",
    b"0.0",
    b"1e18",
    b"-1e300",
    b"1e999",
    b"nan",
    b"NaN",
    b"Infinity",
    b"1e-320",
    b"9007199254740993",
    b"18446744073709551616",
    b'"2026-03-01T10:00:00Z"',
    b'"9999-12-31T23:59:60Z"',
    b'"0001-01-01T00:00:00+14:00"',
    b'"\\ud800"',
    b'"\\u0000"',
    b"[[[[[[[[[[[]]]]]]]]]]]",
    b'{"a": {"b": 1}}',
    b"01",
    b".5",
    b"+1",
    b"'a'",
    b"4294967295",
    b'": null"',
    b'"a: b, null"',
    b"7",
    b"7.0",
    b"0.25",
    b'"7"',
]
PIECES = [
    b"",
    b",",
    b",}",
    b"}",
    b"{",
    b"[",
    b"]",
    b'"',
    b"\\",
    b":",
    b"\n",
    b"\r\n",
    b"\r",
    b"\t",
    b"\x0c",
    b"\x0b",
    b"\x00",
    b"\xff",
    b"\xef\xbb\xbf",
    b" ",
    b"//",
    b"/**/",
    b"=1+1",
    b"'",
    b"\xe2\x80\xae",
    b"\xd8\x9c",
    b";",
    b"<",
    b"&",
    b"]]>",
    b"]]}",
    b"\xa0",
]
NAMES = [
    b'"x"',
    b'"build"',
    b'"seq"',
    b'"mood"',
    b'"time"',
    b'"level"',
    b'"id"',
    b'"progress"',
    b'"Level"',
    b'"le\\u0076el"',
    b'"a:b"',
]


def mutated(data: bytes, rng: random.Random, form: str = "jsonl") -> bytes:
    """The data with some bytes cut, doubled, overwritten, and some values changed."""
    broken = bytearray(data)
    for _ in range(rng.choice([1, 1, 2, 3, 8])):
        at, length = rng.randrange(len(broken) + 1), rng.choice([0, 1, 2, 5, 40])
        how = rng.random()
        if how < 0.25 and form in ("jsonl", "json"):
            end = broken.find(b"}", at)
            if end > 0:
                broken[end:end] = b", " + rng.choice(NAMES) + rng.choice([b": ", b":", b" : "]) + rng.choice(VALUES)
        elif how < 0.5 and form in ("jsonl", "json"):
            start = broken.find(b": ", at) + 2
            end = min((place for mark in (b",", b"}") if (place := broken.find(mark, start)) > 0), default=start)
            if start > 1:
                broken[start:end] = rng.choice(VALUES)
        elif how < 0.75:
            broken[at : at + length] = rng.choice(PIECES)
        elif how < 0.85:
            broken[at : at + length] = broken[at : at + length] * 2
        elif how < 0.95:
            broken[at : at + length] = rng.randbytes(length)
        else:
            del broken[at:]
    return bytes(broken)


def seeds(folder: Path) -> dict[str, list[bytes]]:
    """Logs in every format to begin with: the head of the demo's, and random ones."""
    sys.path.insert(0, str(ROOT / "tests"))
    from milepost.cli.main import main
    from milepost.demo.unpack import unpack
    from random_logs import as_text, random_log

    lines = (unpack(folder / "demo", True) / "logs" / "evening-1.jsonl").read_text().splitlines(True)
    plain = ["".join(lines[n : n + 40]) for n in range(0, 800, 40)] + [*(as_text(random_log(seed)) for seed in range(40))]
    found: dict[str, list[bytes]] = {form: [] for form in FORMS}
    for text in plain:
        (folder / "log.jsonl").write_text(text)
        for form in ("jsonl", "csv", "parquet", "xes"):
            if form == "jsonl" or not main(["convert", str(folder / "log.jsonl"), "-o", str(folder / f"log.{form}")]):
                found[form].append((folder / f"log.{form}").read_bytes())
        found["tsv"].append(found["csv"][-1].replace(b",", b"\t") if found["csv"] else b"session\ttime\tevent\n")
        found["json"].append(b"[" + ",".join(line for line in text.splitlines() if _is_json(line)).encode() + b"]")
        found["sqlite"].append(_as_sqlite(folder, text))
    return found


def _is_json(line: str) -> bool:
    try:
        return isinstance(json.loads(line), dict)
    except ValueError:
        return False


def _as_sqlite(folder: Path, text: str) -> bytes:
    import sqlite3

    path = folder / "log.sqlite"
    path.unlink(missing_ok=True)
    rows = [json.loads(line) for line in text.splitlines() if _is_json(line)]
    with sqlite3.connect(path) as base:
        base.execute("CREATE TABLE log (session, time, event, level, cause, progress)")
        for row in rows:
            values = [row.get(name) for name in ("session", "time", "event", "level", "cause", "progress")]
            base.execute(
                "INSERT INTO log VALUES (?,?,?,?,?,?)",
                [
                    v if isinstance(v, str | int | float | None) and not (isinstance(v, int) and abs(v) >= 1 << 63) else None
                    for v in values
                ],
            )
    base.close()
    return path.read_bytes()


def outcome(path: Path, course: Any, number: int) -> str:
    """What a log came to: read or refused, or a word for what must not be."""
    try:
        log = read([str(path)])
        play = replay_log(log, course if number % 2 else None, ReplayRules(keep_debug=number % 3 == 0))
        found = build_document("check", play, audit(play))
        check_views(found)
        if found["records"] != found["used"] + found["reported"]:
            return "books that do not balance"
        for measure in (Funnel(), AttemptsToClear(), TimeInLevel(), Deaths(), Moves()):
            json.dumps(build_document("any", play, measure(play)), allow_nan=False)
        if number % 10 == 0:
            json.dumps(build_document("spikes", play, Spikes()(play)), allow_nan=False)
        if number % 25 == 0:
            pack([str(path)], Into(path.parent / f"store-{number}", "replace"))
    except MilePostError as error:
        return "refused" if len(str(error).splitlines()) == 1 else "refused in several lines"
    return "read"


def _alarm(*_: object) -> None:
    raise TimeoutError


def try_logs(job: tuple[int, int, str]) -> Counter[str]:
    """Some mutated logs; whatever must not be is kept beside, and told."""
    import shutil
    import traceback

    first, count, keep = job
    found: Counter[str] = Counter()
    signal.signal(signal.SIGALRM, _alarm)
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        logs, course = seeds(folder), read_course(folder / "demo" / "course.toml")
        for number in range(first, first + count):
            rng = random.Random(number)
            form = rng.choice(FORMS)
            path = folder / f"log-{number}.{form}"
            path.write_bytes(mutated(rng.choice(logs[form]), rng, form))
            signal.alarm(SECONDS)
            try:
                came = outcome(path, course, number)
            except TimeoutError:
                came = "hang"
            except Exception:  # just what is looked for
                came = "traceback: " + traceback.format_exc().strip().splitlines()[-1][:120]
                print(traceback.format_exc(limit=-4), file=sys.stderr)
            signal.alarm(0)
            if came not in ("read", "refused"):
                shutil.copy(path, keep)
            found[f"{form}: {came}" if came in ("read", "refused") else came] += 1
            path.unlink()
            shutil.rmtree(folder / f"store-{number}", ignore_errors=True)
    return found


def readers_differ(data: bytes, folder: Path, form: str = "jsonl", log_map: LogMap = NO_MAP) -> tuple[bool, bool]:
    """Whether a log reads otherwise by whole columns, or in chunks, than line by line; and whether by whole columns at all."""
    path = folder / f"log.{form}"
    path.write_bytes(data)
    read_by: list[Any] = []
    whole, plain, least = reading._STRICT, [], chunks.LEAST
    for worthwhile, at_least in ((0, 1), (1 << 60, 1), (1 << 60, 1 << 60)):
        taken: list[bool] = []

        def noted(*given: Any, taken: list[bool] = taken) -> Any:
            block = whole[form].read(*given)
            taken.append(block is not None)
            return block

        strict = {form: whole[form]._replace(read=noted, worthwhile=worthwhile)} if form in whole else {}
        setattr(reading, "_STRICT", strict)  # noqa: B010
        setattr(chunks, "LEAST", at_least)  # noqa: B010
        try:
            read_by.append(read([str(path)], log_map))
        except MilePostError as error:
            read_by.append(str(error))
        finally:
            setattr(reading, "_STRICT", whole)  # noqa: B010
            setattr(chunks, "LEAST", least)  # noqa: B010
        plain.append(any(taken))
    return not (_same(read_by[0], read_by[2]) and _same(read_by[1], read_by[2])), plain[0]


def _tags(log: Any, name: str, column: Any) -> list[str]:
    return [*map([*log.tags[name.removeprefix(TAG)], ""].__getitem__, column)]


def _same(one: Any, other: Any) -> bool:
    if isinstance(one, str) or isinstance(other, str):
        return bool(one == other)
    for name, column in one.records.columns().items():
        theirs = other.records.columns().get(name)
        if theirs is None:
            return False
        if name.startswith(TAG):
            if _tags(one, name, column) != _tags(other, name, theirs):
                return False
        elif name in ("level", "to", "cause", "layout", "rating"):
            names = {"level": "stops", "to": "stops", "cause": "causes", "layout": "layouts", "rating": "ratings"}[name]
            if [*map([*getattr(one, names), ""].__getitem__, column)] != [*map([*getattr(other, names), ""].__getitem__, theirs)]:
                return False
        elif name == "event":
            if _words(one, column) != _words(other, theirs):
                return False
        elif not np.array_equal(column, theirs, equal_nan=column.dtype.kind == "f"):
            return False
    alike = one.refused == other.refused and one.map_use == other.map_use
    return alike and vars(one.sessions) == vars(other.sessions) and set(one.unknown_words) == set(other.unknown_words)


def _words(log: Any, events: Any) -> list[Any]:
    return [log.unknown_words[-1 - code] if code < 0 else code for code in events.tolist()]


def try_readers(job: tuple[int, int, str]) -> Counter[str]:
    """Some mutated logs read in both ways."""
    first, count, keep = job
    found: Counter[str] = Counter()
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        logs = seeds(folder)
        for number in range(first, first + count):
            rng = random.Random(number)
            form = rng.choice(FORMS) if rng.random() < 0.4 else "jsonl"
            log = rng.choice(logs[form][: len(logs[form]) // 3])  # of the demo, which has no faults of its own there
            data = mutated(log, rng, form)
            differ, by_columns = readers_differ(data, folder, form)
            found["readers differ" if differ else "by whole columns" if by_columns else "line by line"] += 1
            if differ:
                (Path(keep) / f"readers-{number}.{form}").write_bytes(data)
    return found


def main() -> None:
    """Print what came of them; status 1 if anything must not be."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--logs", type=int, default=10_000, help="mutated logs over all formats (10000)")
    parser.add_argument("--readers", type=int, default=1000, help="mutated logs that both readers read (1000)")
    parser.add_argument("--inputs", type=int, default=1000, help="broken stores, maps, courses, folders and tables (1000)")
    parser.add_argument("--first", type=int, default=0, help="the first seed (0)")
    parser.add_argument("--jobs", type=int, default=2, help="processes (2)")
    parser.add_argument("--keep", default=tempfile.gettempdir(), help="where logs are kept that must not be")
    args = parser.parse_args()
    begun, found = time.monotonic(), Counter[str]()
    with ProcessPoolExecutor(args.jobs) as pool:
        for work, total in ((try_logs, args.logs), (try_readers, args.readers), (try_inputs, args.inputs)):
            each = max(1, min(1000, -(-total // args.jobs)))
            jobs = [(args.first + n, min(each, total - n), args.keep) for n in range(0, total, each)]
            for came in pool.map(work, jobs):
                found += came
    for what, count in sorted(found.items()):
        print(f"{count:8,}  {what}")
    print(f"{sum(found.values()):8,}  in {time.monotonic() - begun:.0f} s")
    usual = ("by whole columns", "line by line")
    sys.exit(any(not what.endswith((": read", ": refused")) and what not in usual for what in found))


if __name__ == "__main__":
    main()
