"""More shapes of foreign logs, drawn at random: texts, trees and sheets as people and engines write them."""

from __future__ import annotations

import csv
import io
import json
import random
from datetime import UTC, datetime
from itertools import groupby
from pathlib import Path
from typing import Any
from xml.sax.saxutils import escape, quoteattr

from foreign_logs import SHAPES, Play, Record, Shapes, Words, moment, try_rows, write_rows

_STYLES = ["s", "iso", "local"]


def _by_session(rows: list[Record], key: str) -> list[tuple[str, list[Record]]]:
    rows = sorted(rows, key=lambda row: str(row[key]))
    return [(name, list(own)) for name, own in groupby(rows, key=lambda row: str(row[key]))]


def _table(rows: list[list[object]], mark: str) -> str:
    text = io.StringIO()
    csv.writer(text, delimiter=mark, lineterminator="\n").writerows(rows)
    return text.getvalue()


def _written(folder: Path, name: str, text: str, encoding: str = "utf-8") -> list[str]:
    (folder / name).write_text(text, encoding=encoding)
    return [name]


def _plain(play: Play, words: Words, rng: random.Random, style: str) -> list[Record]:
    """The play as events that have a session, a time, a word and a level, and nothing else."""
    retry, absolute, first, rows = rng.random() < 0.5, style != "s" or rng.random() < 0.5, dict[str, float](), []
    words.unit = "ms" if style == "ms" else "s"
    for record in play.truth:
        event, began = record["event"], first.setdefault(record["session"], record["time"])
        if "level" in record and event != "checkpoint":
            clock = record["time"] - (0.0 if absolute else began)
            own: Record = {words("session"): record["session"], words("time"): moment(clock, style)}
            own[words("event")] = words("start" if event == "retry" and not retry else event)
            rows.append({**own, words("level"): words.levels[record["level"]]})
    return rows


def _phrases(rng: random.Random, play: Play, words: Words, folder: Path) -> list[str]:
    """Lines in which each event has a phrase of its own, of one to three words, around the level's name."""
    rows = _plain(play, words, rng, rng.choice(_STYLES))
    kinds = list(dict.fromkeys(row[words("event")] for row in rows))
    phrase = {kind: f"{kind} {words(f'phrase {kind}')}" if rng.random() < 0.5 else str(kind) for kind in kinds}
    host, at, by = words("host").title(), words("at"), words("by")
    mark = rng.choice(["'", "", '"'])
    lines = []
    for row in rows:
        level = f"{mark}{row[words('level')]}{mark}"
        lines.append(f"[{row[words('time')]}] {host}: {phrase[row[words('event')]]} {at} {level} {by} {row[words('session')]}")
        if rng.random() < 0.1:
            lines.append(f"[{row[words('time')]}] Streaming: pool over budget by {rng.randint(1, 90)} MB")
    return _written(folder, "log.txt", "\n".join(lines) + "\n")


def _xml(rng: random.Random, play: Play, words: Words, folder: Path) -> list[str]:
    """Sessions as elements with their events in them, as attributes or as elements of their own."""
    rows, key = _plain(play, words, rng, rng.choice(_STYLES)), words("session")
    inner, text = rng.random() < 0.5, ["<log>"]
    tags = {name: name.replace(" ", "_") for row in rows for name in row}
    for session, own in _by_session(rows, key):
        text.append(f"<run {tags[key]}={quoteattr(session)}>")
        for row in own:
            cells = {tags[name]: str(cell) for name, cell in row.items() if name != key}
            if inner:
                text.append("<row>" + "".join(f"<{name}>{escape(cell)}</{name}>" for name, cell in cells.items()) + "</row>")
            else:
                text.append("<row " + " ".join(f"{name}={quoteattr(cell)}" for name, cell in cells.items()) + "/>")
        text.append("</run>")
    return _written(folder, "log.xml", "\n".join([*text, "</log>"]) + "\n")


def _yaml(rng: random.Random, play: Play, words: Words, folder: Path) -> list[str]:
    import yaml

    rows = _plain(play, words, rng, rng.choice(["s", "ms", "iso"]))
    if rng.random() < 0.5:
        documents: list[Any] = rows
    else:
        documents = [
            {words("session"): name, words("list"): [{n: c for n, c in row.items() if n != words("session")} for row in own]}
            for name, own in _by_session(rows, words("session"))
        ]
    return _written(folder, "log.yaml", yaml.safe_dump_all(documents, sort_keys=False))


def _blocks(rng: random.Random, play: Play, words: Words, folder: Path) -> list[str]:
    """A sheet in which a block's first row alone bears its name; now and then with minutes and seconds apart."""
    rows, key = _plain(play, words, rng, "s"), words("session")
    apart, out = rng.random() < 0.5, []
    for session, own in _by_session(rows, key):
        first = min(float(row[words("time")]) for row in own)
        for number, row in enumerate(own):
            seconds = float(row[words("time")]) - first
            moment = [int(seconds) // 60, round(seconds % 60, 2)] if apart else [round(seconds, 2)]
            out.append([session if not number else "", *moment, row[words("event")], row[words("level")]])
    times = [words("minutes"), words("seconds")] if apart else [words("time")]
    header = [key, *times, words("event"), words("level")]
    return _written(folder, "log.csv", _table([header, *out], rng.choice([",", ";"])))


def _where_and_what(rng: random.Random, play: Play, words: Words, folder: Path) -> list[str]:
    """The level's number and what happened there as one text."""
    rows = _plain(play, words, rng, rng.choice(["ms", "iso"]))
    join, first = rng.choice(["_", ":", " - ", "/"]), rng.random() < 0.5
    header = [words("session"), words("time"), words("both")]
    out = []
    for row in rows:
        what, where = str(row[words("event")]).replace(" ", "_"), f"{words.levels.index(row[words('level')]) + 1:02d}"
        out.append([row[words("session")], row[words("time")], join.join([what, where] if first else [where, what])])
    return _written(folder, "log.csv", _table([header, *out], ","))


def _titled(rng: random.Random, play: Play, words: Words, folder: Path) -> list[str]:
    """A table below a title, or without a header."""
    rows, mark = _plain(play, words, rng, rng.choice(_STYLES)), rng.choice([",", ";", "\t"])
    names = list(rows[0])
    cells = [[row[name] for name in names] for row in rows]
    if rng.random() < 0.5:
        return _written(folder, "log.csv", _table([["Wickwater, second test"], [], names, *cells], mark))
    return _written(folder, "log.tsv", _table(cells, "\t"))


def _tries_in_arrays(rng: random.Random, play: Play, words: Words, folder: Path) -> list[str]:
    """A document a session, its levels in an array, their tries in an array in each."""
    rows = try_rows(rng, play, words, "s")
    documents = []
    for session, own in _by_session(rows, words("session")):
        levels = [
            {
                words("level"): level,
                words("list"): [{n: c for n, c in row.items() if n not in (words("session"), words("level"))} for row in tries],
            }
            for level, tries in ((name, list(some)) for name, some in groupby(own, key=lambda row: row[words("level")]))
        ]
        documents.append({words("session"): session, words("levels"): levels})
    return _written(folder, "log.json", json.dumps(documents))


def _day_numbers(rng: random.Random, play: Play, words: Words, folder: Path) -> list[str]:
    """A sheet whose times are days since 1899, with a decimal comma."""
    rows = _plain(play, words, rng, "iso")
    for row in rows:
        moment = datetime.fromisoformat(str(row[words("time")]).replace("Z", "+00:00"))
        days = (moment - datetime(1899, 12, 30, tzinfo=UTC)).total_seconds() / 86_400
        row[words("time")] = f"{days:.9f}".replace(".", ",")
    return _written(folder, "log.csv", _table([list(rows[0]), *(list(row.values()) for row in rows)], ";"))


def _rich(rng: random.Random, play: Play, words: Words, folder: Path) -> list[str]:
    """Events as a whole game logs them: those within tries and between levels too, an amount that is spent, places, causes."""
    style, causes, seen = rng.choice(_STYLES), [words(f"cause {n}") for n in range(3)], set[str]()
    rows: list[tuple[float, Record]] = []

    def add(record: Record, later: float, event: str, **more: object) -> None:
        clock = record["time"] + later
        row: Record = {words("session"): record["session"], words("time"): moment(clock, style), words("event"): words(event)}
        if "level" in record:
            row[words("level")] = words.levels[record["level"]]
        rows.append((clock, {**row, **{words(name): value for name, value in more.items()}}))

    for record in play.truth:
        event = record["event"]
        if record["session"] not in seen:
            seen.add(record["session"])
            add({"session": record["session"], "time": record["time"]}, -0.5, "session_start", role=rng.choice(["a", "b"]))
        if event in ("start", "retry"):
            add(record, 0.0, event, amount=3)
            add(record, rng.uniform(0.2, 0.9), "first_input")
        elif event == "complete":
            add(record, 0.0, event, amount=rng.randint(1, 2), picked=rng.randint(0, 4), there=4)
            if record["level"] + 1 < play.levels:
                add(record, 0.3, "transition", to=words.levels[record["level"] + 1])
        elif event == "death":
            add(record, 0.0, event, amount=0, why=rng.choice(causes), x=round(rng.uniform(0, 90), 1), y=round(rng.gauss(9, 4), 1))
        else:
            add(record, 0.0, event, **({"way": round(rng.random(), 2)} if event == "checkpoint" else {}))
    rows.sort(key=lambda one: one[0])
    return [write_rows(rng, [row for _, row in rows], folder)]


_HEADINGS = [
    ("player", "level", "result", "seconds"),
    ("tester", "map", "outcome", "time"),
    ("who", "stage", "status", "secs"),
    ("name", "room", "how it ended", "took"),
    ("Spieler", "Stufe", "Ergebnis", "Dauer (s)"),
    ("Joueur", "Niveau", "Résultat", "Durée"),
]
_RESULTS = [("cleared", "failed", "gave up"), ("yes", "no", "left"), ("win", "lose", "quit"), ("ok", "x", "?"), ("P", "F", "Q")]


def _by_hand(rng: random.Random, play: Play, words: Words, folder: Path) -> list[str]:
    """A sheet that somebody kept by hand: a row a try in plain headings, by player, by level or as it came, without a clock."""
    heads, results = list(rng.choice(_HEADINGS)), dict(zip(("complete", "death", "quit"), rng.choice(_RESULTS), strict=True))
    words.roles.update(zip(("player", "level", "result", "lasted"), heads, strict=True))
    words.roles.update(results)
    order = rng.choice(["player", "level", "time"])
    tries = play.tries if order == "time" else sorted(play.tries, key=lambda one: str(one[order]))
    rows = [
        [one["player"], words.levels[one["level"]], results[one["outcome"]], round(one["ended"] - one["began"], 1)]
        for one in tries
    ]
    width = 3 if rng.random() < 0.3 else 4  # nobody looked at a watch
    return _written(folder, "sheet.csv", _table([row[:width] for row in [heads, *rows]], rng.choice([",", ";", "\t"])))


MORE_SHAPES: Shapes = {
    "phrases": (_phrases, {"tries", "times"}),
    "XML": (_xml, {"tries", "times"}),
    "YAML": (_yaml, {"tries", "times"}),
    "blocks": (_blocks, {"tries", "times"}),
    "where and what in one": (_where_and_what, {"tries", "times"}),
    "titles, no header": (_titled, {"tries", "times"}),
    "tries in arrays": (_tries_in_arrays, {"tries", "times"}),
    "day numbers": (_day_numbers, {"tries", "times"}),
    "rich events": (_rich, {"tries", "times"}),
    "a sheet by hand": (_by_hand, {"tries"}),
}
ALL_SHAPES: Shapes = SHAPES | MORE_SHAPES
