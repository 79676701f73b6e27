"""Views of an audit: contents of the log, findings, what looks odd, and the effects of either."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING, Literal

from milepost.audit.exclusions import ACTS
from milepost.logs.mapping.map_usage import map_notes
from milepost.reports.build_document import word_counted
from milepost.reports.exclusion_text import word_changes
from milepost.reports.interface import Column, View
from milepost.reports.views import figure
from milepost.wording import listed, listed_first, number, percent, plural, safe, seconds

if TYPE_CHECKING:
    from milepost.audit.audit import Detail, Labelled, PlayersTable, SuspectRow
    from milepost.audit.cleaning_effects import MovedFigure, MovedRow
    from milepost.audit.promise_checks import PromiseRow
    from milepost.reports.document_types import CheckDocument
    from milepost.reports.interface import AnyView

Worded = Callable[[float | None], str]
_MOST_WORDS = 6


def check_views(report: CheckDocument) -> list[AnyView]:
    """The audit as a colleague would tell it."""
    promises = [_promises(report)] if report["promises"] else []
    return [_contents(report), _findings(report), _suspects(report), *promises, _view_moved(report), *_excluding(report)]


def _contents(report: CheckDocument) -> AnyView:
    builds = [f"{safe(build)} ({plural(count, 'session')})" for build, count in report["builds"].items()]
    events = sorted(report["events"].items(), key=lambda item: -item[1])
    words = [f"{word} {count:,}" for word, count in events[:_MOST_WORDS]]
    rest = len(events) - _MOST_WORDS
    lines = [
        f"{plural(report['records'], 'record')} in {plural(len(report['files']), 'file')}: {report['used']:,} used, "
        f"{report['reported']:,} reported and set aside.",
        word_counted(report),
        *_heavy(report),
        f"Builds: {listed(builds) if builds else 'none is named'}. Levels played: {report['levels_seen']}"
        + (f" of a course of {len(report['course']['levels'])}." if not report["course"]["inferred"] else "."),
        f"Sessions last {seconds(report['median_session'])} (median), the longest {seconds(report['longest_session'])}"
        + (f", from {report['first_day']} to {report['last_day']}." if report["first_day"] else "; their times are relative."),
        f"Events: {listed(words + ([plural(rest, 'more word')] if rest > 0 else []))}.",
    ]
    unknown = [f"{safe(word)} {count:,}" for word, count in list(report["unknown_words"].items())[:_MOST_WORDS]]
    if unknown:
        lines.append(f"Not among the event words: {listed(unknown)}. A log map can give them a meaning.")
    if report["map"]:
        lines += map_notes(report["map"])
    if report["players_table"]:
        lines.append(_players_table(report["players_table"]))
    return View("What is in the log", (), [], lines)


def _heavy(report: CheckDocument) -> list[str]:
    """Return the heavy findings that no other line names."""
    elsewhere = {"unknown_event", *(row["code"] for row in report["suspects"])}
    return [caution["sentence"] for caution in report["cautions"] if not caution["first"] and caution["code"] not in elsewhere]


def _players_table(table: PlayersTable) -> str:
    """Return the players who are only in the table, or only in the log."""
    only_table, only_log = "in the table and not in the log", "in the log and not in the table"
    sides = ((table["only_in_table"], only_table), (table["only_in_log"], only_log))
    parts = [f"{plural(len(names), 'player')} {where} ({listed_first(names, _MOST_WORDS)})" for names, where in sides if names]
    return f"{safe(table['file'])}: {listed(parts) if parts else 'it has all players of the log, and no others'}."


def _findings(report: CheckDocument) -> View[Detail]:
    rows = report["details"]
    if not rows:
        return View("What was found: nothing", (), [], [])
    columns: tuple[Column[Detail], ...] = (
        Column("finding", lambda row: row["code"], left=True),
        Column("count", lambda row: number(row["count"])),
        Column("sessions", lambda row: percent(row["session_share"]), rank=3),
        Column("weight", lambda row: "known" if row["known"] else row["weight"], left=True, rank=1),
        Column("what was done", lambda row: row["done"], left=True, rank=2),
        Column("first place", lambda row: safe(row["places"][0]) if row["places"] else "", left=True, rank=4),
        Column("at", lambda row: _name_first_place(row, "level"), left=True, rank=5, full_title="level of the first place"),
        Column("build", lambda row: _name_first_place(row, "build"), left=True, rank=6, full_title="build of the first place"),
    )
    return View("What was found, and what was done about it", columns, rows, _list_known_notes(rows))


def _name_first_place(row: Detail, field: Literal["level", "build"]) -> str:
    """Return the level or the build where a finding was first made."""
    return safe(row["at"][0][field] or "") if row["at"] else ""


def _suspects(report: CheckDocument) -> AnyView:
    rows = report["suspects"]
    if not rows:
        return View("What looks odd: nothing", (), [], [])
    lines = [f"{_suspect_head(row)}: {_sentence(safe(row['why']))}{_word_known(row)}" for row in rows]
    return View("What looks odd, and may be true (listed, not mended)", (), [], lines)


def _excluding(report: CheckDocument) -> list[AnyView]:
    """Return the effects of leaving out each kind of suspect, and of each finding that can be left out."""
    lines = []
    moves = {row["code"]: row["excluding"] for row in report["details"] if "excluding" in row}
    moves |= {row["code"]: row["excluding"] for row in report["suspects"] if row["code"] in ACTS}
    for code, moved in moves.items():
        unknown = "what that would change was not worked out for a log of this size, or nothing would be left"
        effect = f": {unknown}" if moved is None else f" would change {word_changes(moved)}"
        lines.append(f"--exclude {code}{effect}.")
    changing = [effect for moved in moves.values() for effect in moved or ()]
    heading = f"Leaving out what is suspect would change {word_changes(changing)}"
    return [View(heading, (), [], lines)] if lines else []


def _promises(report: CheckDocument) -> View[PromiseRow]:
    """Return the makers' promises, and whether the log keeps them."""
    columns: tuple[Column[PromiseRow], ...] = (
        Column("promise", lambda row: safe(row["why"] or ", ".join(row["that"])), left=True),
        Column("on", lambda row: ", ".join(row["on"]), left=True, rank=3),
        Column("judged", lambda row: number(row["judged"])),
        Column("broken", lambda row: number(row["broken"])),
        Column("sessions", lambda row: number(row["sessions"]), rank=2),
        Column("levels", lambda row: listed([safe(level) for level in row["levels"][:3]]), left=True, rank=1),
        Column("first place", lambda row: safe(row["places"][0]) if row["places"] else "", left=True, rank=4),
        Column("", _word_promise, left=True),
    )
    silent = listed([safe(row["why"] or ", ".join(row["that"])) for row in report["promises"] if not row["judged"]])
    notes = [f"No record says enough to judge: {silent}."] if silent else []
    return View("What the makers promise", columns, report["promises"], notes)


def _word_promise(row: PromiseRow) -> str:
    if not row["judged"]:
        return "not judged"
    return "kept" if not row["broken"] else "void" if row["otherwise"] == "void" else "listed"


def _sentence(text: str) -> str:
    return text if text.endswith(("?", "!", ".")) else f"{text}."


def _suspect_head(row: SuspectRow) -> str:
    levels = [safe(level) for level in row["levels"]]
    where = listed([*levels[:4], plural(len(levels) - 4, "more level")] if len(levels) > 5 else levels)
    return f"{row['code']}, {row['count']:,} in {plural(row['sessions'], 'session')}" + (f", at {where}" if where else "")


def _word_known(row: Labelled) -> str:
    if not row["known"]:
        return ""
    return " Known" + (f": {safe(row['known'])}." if isinstance(row["known"], str) else ".")


def _list_known_notes(rows: list[Detail]) -> list[str]:
    return [f"{row['code']}:{_word_known(row)}" for row in rows if row["known"]]


def _view_moved(report: CheckDocument) -> View[MovedRow]:
    rows, levels = report["moved"], report["levels"]
    if not rows:
        every = plural(len(levels), "level")
        text = f"Reach, clear rate, drop-off and median tries of {every} are those of a plain count, to a point."
        return View("Repairs do not change a figure", (), [], [text])
    columns: tuple[Column[MovedRow], ...] = (
        Column("level", lambda row: safe(row["level"]), left=True),
        *_compare_with_raw("reached", "reached", number),
        *_compare_with_raw("clear rate", "clear_rate", percent),
        *_compare_with_raw("drop-off", "drop_off", percent),
        *_compare_with_raw("median tries", "p50", number),
    )
    heading = f"Repairs change figures at {len(rows)} of {plural(len(levels), 'level')}, by more than a point"
    note = (
        "Only what changes is shown. Raw is what a plain count of the records says, by the same definitions; by it a player is "
        "lost at the furthest level with any record."
    )
    return View(heading, columns, rows, [note])


def _compare_with_raw(title: str, key: MovedFigure, worded: Worded) -> list[Column[MovedRow]]:
    """A figure and its raw counterpart."""
    return [Column(title, _format_where_moved(key, key, worded)), Column("raw", _format_where_moved(key, f"raw_{key}", worded))]


def _format_where_moved(figure_moved: MovedFigure, key: str, worded: Worded) -> Callable[[MovedRow], str]:
    """A figure, where it moved."""
    return lambda row: worded(figure(row, key)) if figure_moved in row["differs"] else ""
