"""Twenty foreign logs of one made-up play, each in another shape: what `milepost map` has to read without a script.

The play is the same in all of them, so the figures of each are known: those of the log in our own form, as far as the shape
tells them.
"""

from __future__ import annotations

import csv
import io
import json
import random
import sqlite3
from collections.abc import Callable, Iterator
from dataclasses import dataclass, field
from datetime import UTC, datetime, timedelta
from pathlib import Path
from typing import Any

LEVELS = ["Mill Pond", "Swan Bend", "Reed Gate", "Low Arch", "Long Lock"]
PLAYERS = ["Ada", "Bo", "Cass", "Dorrit", "Edda", "Finch", "Gwen", "Hob"]
BEGAN = datetime(2026, 3, 2, 17, 30, tzinfo=UTC)
Record = dict[str, Any]


@dataclass(frozen=True)
class Try:
    """One try: whose, at which level (by its place), when it began on the player's clock, how long it took, and its outcome."""

    player: str
    place: int
    began: float
    lasted: float
    outcome: str  # complete, death, or quit where the player left in the middle of it


def tries() -> list[Try]:
    """The play: everybody goes from level to level until clearing it; two give up on the way."""
    rng, play = random.Random(1889), []
    for number, player in enumerate(PLAYERS):
        clock = 2.25 + number
        for place in range(len(LEVELS)):
            for last in [False] * rng.choice([0, 0, 1, 2, place]) + [True]:
                lasted = 4 + rng.randrange(80) / 4
                leaves = not last and place > 2 and number in (2, 5)
                play.append(Try(player, place, clock, lasted, "quit" if leaves else "complete" if last else "death"))
                clock += lasted + 3.25
                if leaves:
                    break
            if play[-1].outcome == "quit":
                break
    return play


def happenings() -> Iterator[tuple[Try, float, str]]:
    """The play as events: each try's beginning and end, by player and time; a player who left has only the beginning."""
    before: Try | None = None
    for one in tries():
        again = before is not None and (before.player, before.place, before.outcome) == (one.player, one.place, "death")
        yield one, one.began, "retry" if again else "start"
        yield one, one.began + one.lasted, one.outcome
        before = one


def own_form() -> str:
    """The log in our own form."""
    lines = []
    for one, time, event in happenings():
        base = {"session": f"{one.player}-1", "player": one.player, "time": time}
        lines.append(
            base
            | ({"event": "session_end", "cause": "quit"} if event == "quit" else {"event": event, "level": LEVELS[one.place]})
        )
    return _jsonl(lines)


@dataclass(frozen=True)
class Foreign:
    """A foreign log.

    Attributes:
        name: the file.
        what: what it is, in a few words.
        data: its bytes.
        edits: lines of the drafted map that have to be changed by hand, with what they become.
        levels: the level names as they stand in it.
        knows: what it tells: `tries` and `clears` always; `times` of single tries, `stays` of whole stays, `start` of each try.
        unknown: what it cannot tell, in words.
    """

    name: str
    what: str
    data: bytes
    edits: dict[str, str] = field(default_factory=dict)
    levels: tuple[str, ...] = tuple(LEVELS)
    knows: frozenset[str] = frozenset({"times"})
    unknown: str = ""


def _jsonl(records: list[Record]) -> str:
    return "".join(json.dumps(record, ensure_ascii=False) + "\n" for record in records)


def _table(rows: list[list[object]], separator: str = ",", comma: bool = False) -> str:
    text = io.StringIO()
    writer = csv.writer(text, delimiter=separator, lineterminator="\n")
    writer.writerows(
        [[str(cell).replace(".", ",") if comma and isinstance(cell, float) else cell for cell in row] for row in rows]
    )
    return text.getvalue()


def _stamp(seconds: float) -> datetime:
    return BEGAN + timedelta(seconds=seconds)


def _milliseconds(seconds: float) -> int:
    return int(_stamp(seconds).timestamp() * 1000)


def gallery() -> list[Foreign]:
    """All twenty."""
    return [make() for make in _GALLERY]


def _other_words() -> Foreign:
    words = {
        "start": "stage_begin",
        "retry": "stage_again",
        "death": "stage_failed",
        "complete": "stage_won",
        "quit": "app_close",
    }
    lines = [
        {
            "sid": f"{one.player}-1",
            "uid": one.player,
            "ts": _milliseconds(time),
            "action": words[event],
            "stage": LEVELS[one.place],
        }
        for one, time, event in happenings()
    ]
    return Foreign(
        "other-words.jsonl", "JSON Lines with other names and words, times in milliseconds since 1970", _jsonl(lines).encode()
    )


def _numbers_and_codes() -> Foreign:
    codes = {"start": 1, "retry": 1, "death": 3, "complete": 4, "quit": 9}
    rows: list[list[object]] = [["session", "player", "t", "code", "lvl"]]
    rows += [[f"{one.player}-1", one.player, time, codes[event], one.place + 1] for one, time, event in happenings()]
    return Foreign("codes.csv", "levels and events as numbers", _table(rows).encode(), levels=tuple("12345"))


def _opaque_words() -> Foreign:
    codes = {"start": "EV_A1", "retry": "EV_A7", "death": "EV_C2", "complete": "EV_C9", "quit": "EV_Z0"}
    lines = [
        {"session": f"{one.player}-1", "player": one.player, "time": time, "event": codes[event], "level": LEVELS[one.place]}
        for one, time, event in happenings()
    ]
    return Foreign("opaque.jsonl", "event words that say nothing, told by how they follow each other", _jsonl(lines).encode())


def _local_times() -> Foreign:
    words = {"start": "Start", "retry": "Neustart", "death": "gescheitert", "complete": "geschafft", "quit": "Abbruch"}
    rows: list[list[object]] = [["Sitzung", "Spieler", "Zeit", "Ereignis", "Stufe"]]
    rows += [
        [f"{one.player}-1", one.player, f"{_stamp(round(time)):%d.%m.%Y %H:%M:%S}", words[event], LEVELS[one.place]]
        for one, time, event in happenings()
    ]
    return Foreign(
        "local-times.csv",
        "German headings, semicolons, local times in whole seconds",
        _table(rows, ";").encode("cp1252"),
        knows=frozenset(),
        unknown="times are whole seconds",
    )


def _no_sessions() -> Foreign:
    words = {"start": "enter", "retry": "enter", "death": "drowned", "complete": "goal", "quit": "logout"}
    rows: list[list[object]] = [["user", "timestamp_us", "what", "map"]]
    rows += [[one.player, _milliseconds(time) * 1000, words[event], LEVELS[one.place]] for one, time, event in happenings()]
    return Foreign("no-sessions.tsv", "no sessions, times in microseconds since 1970", _table(rows, "\t").encode())


def _frames() -> Foreign:
    words = {"start": "begin", "retry": "begin", "death": "die", "complete": "finish", "quit": "exit"}
    lines = [
        {"run": f"{one.player}-1", "frame": round(time * 60), "type": words[event], "room": LEVELS[one.place]}
        for one, time, event in happenings()
    ]
    return Foreign("frames.jsonl", "times in frames, sixty to a second", _jsonl(lines).encode())


def _in_sessions(name: str, what: str, deep: bool) -> Foreign:
    words = {
        "start": "level_start",
        "retry": "level_retry",
        "death": "level_fail",
        "complete": "level_clear",
        "quit": "session_quit",
    }
    held: dict[str, list[Record]] = {}
    for one, time, event in happenings():
        held.setdefault(one.player, []).append({"at": time, "action": words[event], "level": LEVELS[one.place]})
    if deep:
        players = [{"player": player, "sessions": [{"id": f"{player}-1", "events": own}]} for player, own in held.items()]
        return Foreign(name, what, json.dumps(players).encode())
    sessions = [{"session": f"{player}-1", "player": player, "device": "desktop", "events": own} for player, own in held.items()]
    return Foreign(name, what, _jsonl(sessions).encode())


def _screens() -> Foreign:
    lines: list[Record] = []
    before: tuple[str, int] | None = None
    words = {"death": "fail", "complete": "win", "quit": "exit"}
    for one, time, event in happenings():
        base = {"session": f"{one.player}-1", "player": one.player, "t": time}
        if event in ("start", "retry"):
            if (one.player, one.place) != before:
                lines.append(base | {"screen": LEVELS[one.place]})
            else:
                lines.append(base | {"event": "restart_try"})
            before = one.player, one.place
        else:
            lines.append(base | {"event": words[event]})
    return Foreign("screens.jsonl", "the level only where the screen changes; it holds until the next", _jsonl(lines).encode())


def _rows(headings: list[str], words: dict[str, str]) -> list[list[object]]:
    rows: list[list[object]] = [list(headings)]
    return rows + [[one.player, LEVELS[one.place], one.lasted, words[one.outcome]] for one in tries()]


def _german_sheet() -> Foreign:
    words = {"complete": "geschafft", "death": "gescheitert", "quit": "abgebrochen"}
    text = _table(_rows(["Spieler", "Stufe", "Dauer (s)", "Ergebnis"], words), ";", comma=True)
    return Foreign("sheet-german.csv", "a spreadsheet with a row a try, in German", text.encode("cp1252"))


def _japanese_sheet() -> Foreign:
    words = {"complete": "クリア", "death": "失敗", "quit": "中断"}
    text = _table(_rows(["プレイヤー", "ステージ", "所要時間", "結果"], words))
    return Foreign("sheet-japanese.csv", "a row a try, in Japanese, in Shift-JIS", text.encode("shift_jis"))


def _polish_sheet() -> Foreign:
    words = {"complete": "wygrana", "death": "porażka", "quit": "rezygnacja"}
    text = _table(_rows(["Gracz", "Poziom", "Czas", "Wynik"], words), ";", comma=True)
    return Foreign("sheet-polish.csv", "a row a try, in Polish", text.encode("cp1250"))


def _from_to() -> Foreign:
    words = {"complete": "cleared", "death": "failed", "quit": "gave up"}
    rows: list[list[object]] = [["tester", "level", "started", "ended", "outcome"]]
    rows += [
        [
            one.player,
            LEVELS[one.place],
            _stamp(one.began).isoformat(),
            _stamp(one.began + one.lasted).isoformat(),
            words[one.outcome],
        ]
        for one in tries()
    ]
    return Foreign("from-to.csv", "a row a try with its beginning and its end", _table(rows).encode())


def _stays() -> dict[tuple[str, int], tuple[int, float, bool]]:
    found: dict[tuple[str, int], tuple[int, float, bool]] = {}
    for one in tries():
        if one.outcome != "quit":
            count, seconds, cleared = found.get((one.player, one.place), (0, 0.0, False))
            found[one.player, one.place] = count + 1, seconds + one.lasted, cleared or one.outcome == "complete"
    return found


def _french_stays() -> Foreign:
    rows: list[list[object]] = [["Joueur", "Niveau", "Essais", "Durée (s)", "Réussi"]]
    rows += [
        [player, LEVELS[place], count, seconds, "oui" if done else "non"]
        for (player, place), (count, seconds, done) in _stays().items()
    ]
    return Foreign(
        "stays-french.csv",
        "a row for each player's stay in a level, in French",
        _table(rows, ";", comma=True).encode(),
        knows=frozenset({"stays"}),
        unknown="the time of single tries",
    )


def _wide() -> Foreign:
    stays = _stays()
    rows: list[list[object]] = [["Tester", *(f"{level} {what}" for level in LEVELS for what in ("tries", "seconds", "cleared"))]]
    for player in PLAYERS:
        cells = [stays.get((player, place)) for place in range(len(LEVELS))]
        rows.append(
            [
                player,
                *(
                    value
                    for cell in cells
                    for value in ((cell[0], cell[1], "yes" if cell[2] else "no") if cell else ("", "", ""))
                ),
            ]
        )
    return Foreign(
        "wide.csv",
        "a row a player, three columns a level",
        _table(rows).encode(),
        knows=frozenset({"stays"}),
        unknown="the time of single tries",
    )


def _counted() -> Foreign:
    stays = _stays()
    rows: list[list[object]] = [["Player", *(f"Level {place + 1}" for place in range(len(LEVELS)))]]
    for player in PLAYERS:
        cells = [stays.get((player, place)) for place in range(len(LEVELS))]
        rows.append([player, *(cell[0] if cell and cell[2] else "" for cell in cells)])
    return Foreign(
        "counted.csv",
        "a row a player, a column a level with the number of tries it took",
        _table(rows).encode(),
        levels=tuple(f"Level {place + 1}" for place in range(len(LEVELS))),
        knows=frozenset({"only cleared"}),
        unknown="tries at levels that were not cleared, and all times",
    )


def _cloud_events() -> Foreign:
    words = {"start": "start", "retry": "retry", "death": "death", "complete": "complete", "quit": "quit"}
    lines = [
        {
            "specversion": "1.0",
            "id": f"{number}",
            "source": "wickwater",
            "type": f"ferry.{words[event]}",
            "time": _stamp(time).isoformat(),
            "data": {"session": f"{one.player}-1", "player": one.player, "level": LEVELS[one.place]},
        }
        for number, (one, time, event) in enumerate(happenings())
    ]
    return Foreign("cloud-events.jsonl", "CloudEvents, the event in their type", _jsonl(lines).encode())


def _telemetry() -> Foreign:
    records = [
        {
            "timeUnixNano": str(_milliseconds(time) * 1_000_000),
            "body": {"stringValue": f"level.{event}"},
            "attributes": [
                {"key": key, "value": {"stringValue": value}}
                for key, value in (("session.id", f"{one.player}-1"), ("user.id", one.player), ("stage", LEVELS[one.place]))
            ],
        }
        for one, time, event in happenings()
    ]
    export = {
        "resourceLogs": [{"resource": {"attributes": []}, "scopeLogs": [{"scope": {"name": "wickwater"}, "logRecords": records}]}]
    }
    return Foreign("telemetry.json", "an OpenTelemetry export", json.dumps(export).encode())


def _database() -> Foreign:
    base = sqlite3.connect(":memory:")
    base.execute("CREATE TABLE trace (play_session TEXT, tester TEXT, elapsed REAL, verb TEXT, map_name TEXT)")
    words = {"start": "load", "retry": "respawn", "death": "kill", "complete": "victory", "quit": "shutdown"}
    base.executemany(
        "INSERT INTO trace VALUES (?, ?, ?, ?, ?)",
        [(f"{one.player}-1", one.player, time, words[event], LEVELS[one.place]) for one, time, event in happenings()],
    )
    base.commit()
    return Foreign("trace.sqlite", "a table of a SQLite file", base.serialize())


def _parquet() -> Foreign:
    import pyarrow as pa
    from pyarrow import parquet

    words = {
        "start": "ENTER_LEVEL",
        "retry": "RETRY_LEVEL",
        "death": "PLAYER_DIED",
        "complete": "LEVEL_SOLVED",
        "quit": "APP_EXIT",
    }
    play = list(happenings())
    table = pa.table(
        {
            "sessionId": [f"{one.player}-1" for one, _, _ in play],
            "userId": [one.player for one, _, _ in play],
            "clock": [time for _, time, _ in play],
            "eventName": [words[event] for _, _, event in play],
            "levelIndex": [one.place + 1 for one, _, _ in play],
        }
    )
    out = io.BytesIO()
    parquet.write_table(table, out)
    return Foreign("columns.parquet", "Parquet, levels by number", out.getvalue(), levels=tuple("12345"))


def _nested_objects() -> Foreign:
    words = {"start": "started", "retry": "restarted", "death": "lost", "complete": "won", "quit": "left the game"}
    lines = [
        {
            "meta": {"session": {"id": f"{one.player}-1"}, "user": {"name": one.player}},
            "when": time,
            "event": {"name": words[event], "level": {"name": LEVELS[one.place]}},
        }
        for one, time, event in happenings()
    ]
    return Foreign("nested.jsonl", "objects in objects", _jsonl(lines).encode())


_GALLERY: tuple[Callable[[], Foreign], ...] = (
    _other_words,
    _numbers_and_codes,
    _opaque_words,
    _local_times,
    _no_sessions,
    _frames,
    lambda: _in_sessions("sessions.jsonl", "a record a session, its events in an array", deep=False),
    lambda: _in_sessions("players.json", "a record a player, sessions in it, events in these", deep=True),
    _screens,
    _german_sheet,
    _japanese_sheet,
    _polish_sheet,
    _from_to,
    _french_stays,
    _wide,
    _counted,
    _cloud_events,
    _telemetry,
    _database,
    _parquet,
    _nested_objects,
)


def course(foreign: Foreign) -> str:
    """A course for it: its levels in order."""
    return "".join(f"[[level]]\nname = {json.dumps(level)}\n" for level in foreign.levels)


def written(foreign: Foreign, folder: Path) -> Path:
    """The log as a file of a folder."""
    path = folder / foreign.name
    path.write_bytes(foreign.data)
    return path
