"""Foreign logs drawn at random from a grammar: one simulated playtest each, in a shape, a format, and words of its own.

Nothing in a log is told to the drafts: headings, event words and level names are drawn from synonyms in several languages, or are
random syllables that no list can know.
"""

from __future__ import annotations

import csv
import io
import json
import random
import sqlite3
from collections.abc import Callable
from dataclasses import dataclass, field
from datetime import UTC, datetime
from pathlib import Path
from typing import Any

Record = dict[str, Any]
_TELLING: dict[str, tuple[str, ...]] = {
    "session": ("session", "session_id", "sid", "Sitzung", "sesja", "séance", "visit"),
    "player": ("player", "user_id", "tester", "Spieler", "joueur", "участник", "プレイヤー"),
    "time": ("time", "timestamp", "ts", "Zeit", "heure", "utc", "when"),
    "event": ("event", "ev", "action", "Ereignis", "evento", "type", "событие"),
    "level": ("level", "lvl", "stage", "Stufe", "niveau", "nivel", "関卡"),
    "result": ("result", "outcome", "Ergebnis", "résultat", "resultado", "結果"),
    "lasted": ("duration", "Dauer", "durée", "seconds", "took"),
    "attempt": ("attempt", "try_no", "Versuch", "n"),
    "build": ("build", "version", "release"),
    "start": ("start", "begin", "level_start", "Beginn", "début", "inicio", "начало"),
    "retry": ("retry", "again", "level_retry", "respawn"),
    "complete": ("complete", "win", "cleared", "geschafft", "gagné", "superado", "пройдено"),
    "death": ("death", "fail", "died", "gescheitert", "perdu", "falló", "смерть"),
    "quit": ("quit", "gave up", "abgebrochen", "abandonné"),
    "end": ("end", "level_end", "Ende", "finished_try"),
    "session_end": ("session_end", "logout", "app_close"),
    "checkpoint": ("checkpoint", "flag", "waypoint"),
    "tries": ("tries", "attempts", "Versuche", "essais"),
    "cleared": ("cleared", "done", "geschafft", "réussi"),
}
_SYLLABLES = [
    "ba",
    "ce",
    "di",
    "fo",
    "gu",
    "ka",
    "le",
    "mi",
    "no",
    "pu",
    "ra",
    "se",
    "ti",
    "vo",
    "zu",
    "xan",
    "qer",
    "lim",
    "dro",
    "pel",
]


@dataclass
class Play:
    """A simulated playtest.

    Attributes:
        truth: its records in the program's own form.
        tries: session, player, build, level's place, beginning and end in seconds, outcome.
        levels: how many.
    """

    truth: list[Record]
    tries: list[dict[str, Any]]
    levels: int


@dataclass
class ForeignLog:
    """A foreign log: its files, what can be known from it, and the roles of its columns and words.

    Attributes:
        names: its files.
        shape: of the grammar.
        knows: the figures that it can give, `tries` and `times`.
        roles: of columns and words that a user would know, by ours.
        unit: of times that are numbers.
    """

    names: list[str]
    shape: str
    told: bool
    knows: set[str] = field(default_factory=lambda: {"tries", "times"})
    roles: dict[str, str] = field(default_factory=dict)
    unit: str = "s"


def simulated(rng: random.Random) -> Play:
    """Let players play a course of levels one after the other."""
    players, levels = rng.randint(12, 40), rng.randint(5, 18)
    hard = [rng.uniform(-1.2, 1.6) for _ in range(levels)]
    pace, quits = rng.uniform(8, 60), rng.choice([0.01, 0.03, 0.06])
    builds = rng.choice([("1.0",), ("0.8", "0.9"), ("a1", "a2", "a3")])
    truth, tries = [], []
    clock = rng.randint(1_600_000_000, 1_790_000_000) * 1.0
    for number in range(players):
        clock += rng.uniform(5, 900)
        _play_one(rng, number, clock, hard, pace, quits, builds[number % len(builds)], truth, tries)
    truth.sort(key=lambda record: record["time"])
    return Play(truth, tries, levels)


def _play_one(
    rng: random.Random,
    number: int,
    clock: float,
    hard: list[float],
    pace: float,
    quits: float,
    build: str,
    truth: list[Record],
    tries: list[dict[str, Any]],
) -> None:
    skill, sitting, player = rng.gauss(0, 0.8), 1, f"p{number:02d}"
    base = {"player": player, "build": build}
    for place, difficulty in enumerate(hard):
        if place and rng.random() < 0.05:
            _add(truth, base, player, sitting, clock, "session_end", None)
            sitting, clock = sitting + 1, clock + rng.uniform(7200, 90000)
        first = True
        while True:
            began = round(clock, 3)
            _add(truth, base, player, sitting, began, "start" if first else "retry", place)
            first = False
            won = rng.random() < 1 / (1 + 2.718 ** -(skill - difficulty + 0.6))
            lasted = max(2.5, rng.lognormvariate(0, 0.5) * pace * (1 if won else 0.6))
            left = rng.random() < quits
            for share in sorted(rng.random() for _ in range(rng.choice([0, 0, 1, 2]))):
                _add(truth, base, player, sitting, round(began + share * lasted * 0.95, 3), "checkpoint", place)
            clock = round(began + lasted, 3)
            outcome = "quit" if left else "complete" if won else "death"
            tries.append(
                {"session": f"{player}-{sitting}", **base, "level": place, "began": began, "ended": clock, "outcome": outcome}
            )
            _add(truth, base, player, sitting, clock, "session_end" if left else outcome, None if left else place)
            if left:
                return
            clock += rng.uniform(0.6, 4.0)
            if won:
                break
    _add(truth, base, player, sitting, clock, "session_end", None)


def _add(truth: list[Record], base: Record, player: str, sitting: int, clock: float, event: str, place: int | None) -> None:
    record = {"session": f"{player}-{sitting}", **base, "time": round(clock, 3), "event": event}
    if place is not None:
        record["level"] = place
    if event == "session_end":
        record["cause"] = "quit"
    truth.append(record)


class Words:
    """Headings, event words and names of levels of one log."""

    def __init__(self, rng: random.Random, told: bool, levels: int) -> None:
        self.rng, self.told, self.used = rng, told, set[str]()
        self.roles: dict[str, str] = {}
        self.unit = "s"
        style = rng.choice(["number", "name", "path", "code"])
        self.levels = [self._level(style, place) for place in range(levels)]

    def __call__(self, ours: str) -> str:
        """Their word for one of ours."""
        if ours not in self.roles:
            self.roles[ours] = self._fresh(self.rng.choice(_TELLING[ours]) if self.told and ours in _TELLING else None)
        return self.roles[ours]

    def _fresh(self, word: str | None) -> str:
        while word is None or word in self.used:
            word = "".join(self.rng.choice(_SYLLABLES) for _ in range(self.rng.choice([2, 2, 3])))
        self.used.add(word)
        return word

    def _level(self, style: str, place: int) -> str:
        if style == "number":
            return str(place + 1)
        if style == "code":
            return f"{self._fresh(None)}_{place + 1:02d}"
        name = self._fresh(None).title()
        return f"res://maps/{name.lower()}.scn" if style == "path" else name


def moment(clock: float, style: str) -> object:
    """A time as a log of some style has it."""
    when = datetime.fromtimestamp(clock, UTC)
    if style == "s":
        return round(clock, 3)
    if style == "ms":
        return round(clock * 1000)
    if style == "iso":
        return when.isoformat(timespec="milliseconds").replace("+00:00", "Z")
    if style == "clock":
        return f"{int(clock) // 3600}:{int(clock) // 60 % 60:02d}:{clock % 60:06.3f}"
    if style == "local":
        return when.strftime("%Y-%m-%d %H:%M:%S.%f")[:-3]
    if style == "comma":
        return f"{clock:.2f}".replace(".", ",")
    return when.strftime(
        {"german": "%d.%m.%Y %H:%M:%S", "american": "%m/%d/%Y %I:%M:%S %p", "slashes": "%Y/%m/%d %H:%M:%S"}[style]
    )


def _extras(rng: random.Random, words: Words, record: Record, count: int) -> Record:
    """Columns that say nothing of the play."""
    kinds: list[Callable[[], object]] = [
        lambda: rng.choice(["info", "debug", "warn"]),
        lambda: round(rng.uniform(-500, 500), 2),
        lambda: rng.randint(0, 100_000),
        lambda: rng.choice(["eu", "us", "asia"]),
        lambda: "".join(rng.choice("abcdef0123456789") for _ in range(8)),
        lambda: rng.randint(1, 5),
    ]
    return {words(f"extra{n}"): kinds[n % len(kinds)]() for n in range(count)}


def event_rows(rng: random.Random, play: Play, words: Words, style: str, carry: bool = False) -> list[Record]:
    """The play as events."""
    retry, inside, ends = rng.random() < 0.5, rng.random() < 0.6, rng.random() < 0.6
    absolute = style in ("iso", "local", "german", "american", "slashes") or (style != "clock" and rng.random() < 0.5)
    menus = rng.random() < 0.2
    split, by_player, attempt = rng.random() < 0.25, rng.random() < 0.6, rng.random() < 0.3
    words.unit = "ms" if style == "ms" else "s"
    several_builds = len({record["build"] for record in play.truth}) > 1
    extras = rng.randint(0, 4)
    first: dict[str, float] = {}
    number: dict[tuple[str, int], int] = {}
    rows = []
    for record in play.truth:
        event = record["event"]
        first.setdefault(record["session"], record["time"])
        if (event == "checkpoint" and not inside) or (event == "session_end" and not ends):
            continue
        clock = record["time"] if absolute else record["time"] - first[record["session"]]
        row: Record = {words("session"): record["session"].upper() if not words.told else record["session"]}
        if by_player:
            row[words("player")] = record["player"]
        row[words("time")] = moment(clock, style)
        if event in ("start", "retry"):
            number[record["session"], record["level"]] = number.get((record["session"], record["level"]), 0) + 1
        word = words("start") if event == "retry" and not retry else words(event)
        if split and event in ("complete", "death"):
            row[words("event")], row[words("result")] = words("end"), words(event)
        else:
            row[words("event")] = word
        if "level" in record and not (carry and event not in ("start", "retry")):
            row[words("level")] = words.levels[record["level"]]
            if attempt:
                row[words("attempt")] = number.get((record["session"], record["level"]), 1)
        if several_builds:
            row[words("build")] = record["build"]
        rows.append({**row, **_extras(rng, words, record, extras)})
        if menus and event == "complete":
            seen = {words("event"): words("seen"), words("level"): words("menu"), words("time"): moment(clock + 0.3, style)}
            rows.append({**row, **seen, **_extras(rng, words, record, extras)})
    exact = style in ("s", "ms", "iso", "local") and not carry  # else nobody could tell what a late record belongs to
    return _with_noise(rng, rows) if exact and rng.random() < 0.3 else rows


def _with_noise(rng: random.Random, rows: list[Record]) -> list[Record]:
    """Some records twice, and some a little late."""
    noisy = [row for row in rows for _ in range(2 if rng.random() < 0.01 else 1)]
    for _ in range(len(noisy) // 100):
        place = rng.randrange(len(noisy) - 3)
        noisy.insert(place + rng.randint(1, 3), noisy.pop(place))
    return noisy


def try_rows(rng: random.Random, play: Play, words: Words, style: str) -> list[Record]:
    """The play as a row for each try."""
    length = rng.choice(["s", "s", "clock", "comma"])
    style = "s" if style == "clock" else style
    rows, ended, quits = [], rng.random() < 0.4, rng.random() < 0.7
    unit = 1000 if rng.random() < 0.3 and style in ("s", "ms") else 1
    for one in play.tries:
        if one["outcome"] == "quit" and not quits:
            continue
        row: Record = {
            words("session"): one["session"],
            words("player"): one["player"],
            words("level"): words.levels[one["level"]],
        }
        row[words("time")] = moment(one["began"], style)
        if ended:
            row[words("ended")] = moment(one["ended"], style)
        else:
            lasted = one["ended"] - one["began"]
            row[words("lasted")] = round(lasted * 1000) if style == "ms" else _lasted(lasted, length)
        row[words("result")] = words(one["outcome"])
        rows.append({**row, **_extras(rng, words, one, 1 + unit % 2)})
    return rows


def _lasted(seconds: float, style: str) -> object:
    if style == "clock":
        return f"{int(seconds) // 60}:{int(seconds) % 60:02d}"
    return f"{seconds:.2f}".replace(".", ",") if style == "comma" else round(seconds, 3)


def result_rows(rng: random.Random, play: Play, words: Words, style: str) -> list[Record]:
    """The play as a row for each result, with when it came and how long the try had taken; nothing says when tries begin."""
    rows = []
    for one in sorted(play.tries, key=lambda one: one["ended"]):
        if one["outcome"] == "quit":
            continue
        row: Record = {words("player"): one["player"], words("time"): moment(one["ended"], style)}
        row[words("level")] = words.levels[one["level"]]
        row[words("event")] = words(one["outcome"])
        row[words("lasted")] = round((one["ended"] - one["began"]) * (1000 if style == "ms" else 1), 3)
        rows.append(row)
    return rows


# --- formats -------------------------------------------------------------------------------------------------------------


def write_rows(rng: random.Random, rows: list[Record], folder: Path, stem: str = "log", form: str | None = None) -> str:
    """Write rows in some format; the file's name."""
    form = form or rng.choice(["csv", "csv;", "tsv", "jsonl", "json", "sqlite", "utf-16", "xlsx"])
    names = list(dict.fromkeys(name for row in rows for name in row))
    if form == "xlsx":
        from openpyxl import Workbook

        book = Workbook()
        for row in [names, *([row.get(name) for name in names] for row in rows)]:
            book.active.append(row)
        target = folder / f"{stem}.xlsx"
        book.save(target)
    elif form in ("csv", "csv;", "tsv", "utf-16"):
        mark = {"csv": ",", "csv;": ";", "tsv": "\t", "utf-16": ","}[form]
        text = io.StringIO()
        table = csv.writer(text, delimiter=mark, lineterminator="\n")
        table.writerow(names)
        table.writerows([["" if row.get(name) is None else row[name] for name in names] for row in rows])
        target = folder / f"{stem}.{'tsv' if form == 'tsv' else 'csv'}"
        target.write_text(text.getvalue(), encoding="utf-16" if form == "utf-16" else "utf-8")
    elif form == "jsonl":
        target = folder / f"{stem}.jsonl"
        target.write_text("".join(json.dumps(row, ensure_ascii=False) + "\n" for row in rows), encoding="utf-8")
    elif form == "json":
        target = folder / f"{stem}.json"
        target.write_text(json.dumps(rows, ensure_ascii=False), encoding="utf-8")
    else:
        target = folder / f"{stem}.sqlite"
        target.unlink(missing_ok=True)
        with sqlite3.connect(target) as base:
            quoted = ", ".join(f'"{name}"' for name in names)
            base.execute(f"CREATE TABLE records ({quoted})")
            base.executemany(
                f"INSERT INTO records VALUES ({', '.join('?' * len(names))})", [[row.get(name) for name in names] for row in rows]
            )
        base.close()
    return target.name


def _style(rng: random.Random) -> str:
    return rng.choice(["s", "ms", "iso", "local", "german", "american", "slashes", "clock"])


def _events(rng: random.Random, play: Play, words: Words, folder: Path) -> list[str]:
    return [write_rows(rng, event_rows(rng, play, words, _style(rng)), folder)]


def _carried(rng: random.Random, play: Play, words: Words, folder: Path) -> list[str]:
    return [write_rows(rng, event_rows(rng, play, words, _style(rng), carry=True), folder)]


def _tries(rng: random.Random, play: Play, words: Words, folder: Path) -> list[str]:
    return [write_rows(rng, try_rows(rng, play, words, _style(rng)), folder)]


def _results(rng: random.Random, play: Play, words: Words, folder: Path) -> list[str]:
    return [write_rows(rng, result_rows(rng, play, words, rng.choice(["s", "ms", "iso"])), folder)]


def _file_a_session(rng: random.Random, play: Play, words: Words, folder: Path) -> list[str]:
    rows = event_rows(rng, play, words, _style(rng))
    form = rng.choice(["csv", "jsonl", "tsv"])
    key, names = words("session"), []
    for session in dict.fromkeys(row[key] for row in rows):
        own = [{name: value for name, value in row.items() if name != key} for row in rows if row[key] == session]
        names.append(write_rows(rng, own, folder, f"{session}", form))
    return names


def _nested(rng: random.Random, play: Play, words: Words, folder: Path) -> list[str]:
    rows, outer = event_rows(rng, play, words, _style(rng)), [words("session"), words("player"), words("build")]
    sessions: dict[str, Record] = {}
    for row in rows:
        held = sessions.setdefault(row[outer[0]], {name: row[name] for name in outer if name in row} | {words("list"): []})
        held[words("list")].append({name: value for name, value in row.items() if name not in outer})
    return [write_rows(rng, list(sessions.values()), folder, form=rng.choice(["jsonl", "json"]))]


def _parallel(rng: random.Random, play: Play, words: Words, folder: Path) -> list[str]:
    rows, outer = event_rows(rng, play, words, _style(rng)), [words("session"), words("player"), words("build")]
    names = list(dict.fromkeys(name for row in rows for name in row if name not in outer))
    sessions: dict[str, Record] = {}
    for row in rows:
        held = sessions.setdefault(
            row[outer[0]], {name: row[name] for name in outer if name in row} | {name: [] for name in names}
        )
        for name in names:
            held[name].append(row.get(name))
    return [write_rows(rng, list(sessions.values()), folder, form="jsonl")]


def _pairs(rng: random.Random, play: Play, words: Words, folder: Path) -> list[str]:
    rows, key, value, held = event_rows(rng, play, words, _style(rng)), words("key"), words("value"), words("params")
    kept = {words("time"), words("event"), words("session")}
    shaped = [
        {name: cell for name, cell in row.items() if name in kept}
        | {held: [{key: name, value: str(cell)} for name, cell in row.items() if name not in kept]}
        for row in rows
    ]
    return [write_rows(rng, shaped, folder, form="jsonl")]


def _day_and_hour(rng: random.Random, play: Play, words: Words, folder: Path) -> list[str]:
    rows, key = event_rows(rng, play, words, "local"), words("time")
    style = rng.choice(["%Y-%m-%d", "%d.%m.%Y", "%d/%m/%Y"])
    shaped = []
    for row in rows:
        when = datetime.fromisoformat(row[key])
        apart = {words("day"): when.strftime(style), words("hour"): when.strftime("%H:%M:%S.%f")[:-3]}
        shaped.append(
            {name: cell for old, value in row.items() for name, cell in (apart.items() if old == key else [(old, value)])}
        )
    return [write_rows(rng, shaped, folder)]


def _lines(rng: random.Random, play: Play, words: Words, folder: Path) -> list[str]:
    style = rng.choice(["iso", "local", "s"])
    rows = event_rows(rng, play, words, style)
    kind = rng.choice(["logfmt", "engine", "syslog"])
    key, out = words("time"), []
    for row in rows:
        rest = {name: str(cell) for name, cell in row.items() if name != key}
        pairs = " ".join(f"{name}={json.dumps(cell) if ' ' in cell else cell}" for name, cell in rest.items())
        if kind == "logfmt":
            out.append(f"{key}={row[key] if ' ' not in str(row[key]) else json.dumps(row[key])} {pairs}")
        elif kind == "syslog":
            when = datetime.fromtimestamp(_clock(row[key]), UTC)
            out.append(f"<13>{when.strftime('%b %d %H:%M:%S')} {words('host')} {words('app')}[{rng.randint(100, 999)}]: {pairs}")
        else:
            event, pairs = rest.pop(words("event")), ", ".join(f"{name}: {cell}" for name, cell in rest.items() if cell)
            out.append(f"[{row[key]}] {words('host').title()}: {event} ({pairs})")
        if rng.random() < 0.15 and kind != "logfmt":
            out.append(f"[{row[key]}] Renderer: frame took {rng.randint(10, 90)} ms")
    (folder / "log.txt").write_text("\n".join(out) + "\n", encoding="utf-8")
    return ["log.txt"]


def _clock(moment: object) -> float:
    if isinstance(moment, str):
        return datetime.fromisoformat(moment.replace("Z", "+00:00")).replace(tzinfo=UTC).timestamp()
    return float(str(moment))


def _two_files(rng: random.Random, play: Play, words: Words, folder: Path) -> list[str]:
    rows = result_rows(rng, play, words, rng.choice(["s", "iso"]))
    names = []
    for event in ("death", "complete"):
        own = [
            {name: cell for name, cell in row.items() if name != words("event")}
            for row in rows
            if row[words("event")] == words(event)
        ]
        names.append(write_rows(rng, own, folder, words(event).replace(" ", "_"), "csv"))
    return names


def _two_tables(rng: random.Random, play: Play, words: Words, folder: Path) -> list[str]:
    rows, key = event_rows(rng, play, words, _style(rng)), words("session")
    outer = [words("player"), words("build")]
    events = [{name: cell for name, cell in row.items() if name not in outer} for row in rows]
    sessions = {record["session"].upper() if not words.told else record["session"]: record for record in play.truth}
    about = [{key: name, words("player"): record["player"], words("build"): record["build"]} for name, record in sessions.items()]
    if rng.random() < 0.5:
        return [write_rows(rng, events, folder, "events", "csv"), write_rows(rng, about, folder, "sessions", "csv")]
    target = folder / "log.sqlite"
    target.unlink(missing_ok=True)
    with sqlite3.connect(target) as base:
        for table, own in ((words("table1"), events), (words("table2"), about)):
            names = list(dict.fromkeys(name for row in own for name in row))
            base.execute(f'CREATE TABLE "{table}" ({", ".join(chr(34) + name + chr(34) for name in names)})')
            base.executemany(
                f'INSERT INTO "{table}" VALUES ({", ".join("?" * len(names))})',
                [[row.get(name) for name in names] for row in own],
            )
    base.close()
    return [target.name]


def _cells(play: Play) -> dict[tuple[str, int], tuple[int, float, bool]]:
    """Per player and level the number of tries, the seconds, and whether it was cleared."""
    found: dict[tuple[str, int], tuple[int, float, bool]] = {}
    for one in play.tries:
        tries, seconds, cleared = found.get((one["player"], one["level"]), (0, 0.0, False))
        settled = one["outcome"] != "quit"
        found[one["player"], one["level"]] = (
            tries + settled,
            seconds + one["ended"] - one["began"],
            cleared or one["outcome"] == "complete",
        )
    return found


def _pivot(rng: random.Random, play: Play, words: Words, folder: Path) -> list[str]:
    cells, players = _cells(play), sorted({one["player"] for one in play.tries})
    rows = []
    for player in players:
        row: Record = {words("player"): player}
        for place in range(play.levels):
            tries, _, cleared = cells.get((player, place), (0, 0.0, False))
            row[words.levels[place]] = "-" if not tries else tries if cleared else f"{tries} DNF"
        rows.append(row)
    if rng.random() < 0.3:
        total = [sum(int(str(row[name]).split()[0]) for row in rows if row[name] != "-") for name in words.levels]
        rows.append({words("player"): "Total", **dict(zip(words.levels, total, strict=True))})
    return [write_rows(rng, rows, folder, form=rng.choice(["csv", "csv;", "tsv"]))]


def _stays(rng: random.Random, play: Play, words: Words, folder: Path) -> list[str]:
    rows = [
        {
            words("player"): player,
            words("level"): words.levels[place],
            words("tries"): tries,
            words("cleared"): "yes" if cleared else "no",
        }
        for (player, place), (tries, _, cleared) in _cells(play).items()
        if tries
    ]
    return [write_rows(rng, rows, folder, form=rng.choice(["csv", "csv;", "jsonl"]))]


Shapes = dict[str, tuple[Callable[[random.Random, Play, Words, Path], list[str]], set[str]]]
SHAPES: Shapes = {
    "events": (_events, {"tries", "times"}),
    "level said once": (_carried, {"tries", "times"}),
    "a row a try": (_tries, {"tries", "times"}),
    "results without starts": (_results, {"tries", "times"}),
    "a file a session": (_file_a_session, {"tries", "times"}),
    "records in arrays": (_nested, {"tries", "times"}),
    "parallel arrays": (_parallel, {"tries", "times"}),
    "keys and values": (_pairs, {"tries", "times"}),
    "day and hour apart": (_day_and_hour, {"tries", "times"}),
    "lines of text": (_lines, {"tries", "times"}),
    "deaths and clears in two files": (_two_files, {"tries"}),
    "two tables": (_two_tables, {"tries", "times"}),
    "players by levels": (_pivot, {"tries"}),
    "a row a stay": (_stays, {"tries"}),
}


def drawn(seed: int, folder: Path, shape: str | None = None, shapes: Shapes = SHAPES) -> tuple[ForeignLog, Play]:
    """Draw one foreign log of one of some shapes, and write it to a folder."""
    rng = random.Random(seed)
    play = simulated(rng)
    told = rng.random() < 0.5
    name = shape or rng.choice(list(shapes))
    words = Words(rng, told, play.levels)
    write, knows = shapes[name]
    names = write(rng, play, words, folder)
    return ForeignLog(names, name, told, set(knows), dict(words.roles), words.unit), play
