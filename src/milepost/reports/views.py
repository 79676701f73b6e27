"""Views of each measure: its columns and headings."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from typing import TYPE_CHECKING, NotRequired, TypedDict

from milepost.measures.funnel import count_stopped_by
from milepost.reports.build_document import source_notes
from milepost.reports.interface import Column, View
from milepost.vocabulary import END_CAUSES
from milepost.wording import ENDED, NOTHING, bar, clock, durations, number, percent, safe, spark, words

if TYPE_CHECKING:
    from milepost.measures.attempts import AttemptsRow
    from milepost.measures.funnel import LegRow
    from milepost.measures.times import TimesRow
    from milepost.reports.document_types import AttemptsDocument, FunnelDocument, FunnelOrRawRow, TimesDocument
    from milepost.reports.head_types import Head
    from milepost.reports.interface import AnyView

AnyRow = Mapping[str, object]
BAR = 10
_SPARK, _MOST_BINS = 10, 24
_DURATIONS = ("p10", "p25", "p50", "p75", "p90", "run_p50", "fail_p50", "settling_p50", "between_p50")


class HasLeast(TypedDict):
    """A document that says of how many players something is claimed."""

    min_players: NotRequired[int]


def figure(row: AnyRow, key: str) -> float | None:
    """A number of a row, by a key that is composed; what is none is a mistake of the program."""
    value = row[key]
    if value is not None and not isinstance(value, int | float):
        raise TypeError(key)
    return value


def level_column(report: HasLeast, count: str) -> Column[AnyRow]:
    """The level's name, marked where too few players stand behind its figures."""
    least = report.get("min_players", 0)
    return Column("level", lambda row: safe(str(row["level"])) + (" *" if (figure(row, count) or 0) < least else ""), left=True)


def small_note(report: Head, rows: Sequence[AnyRow], count: str) -> list[str]:
    """Return the notes below a table: the mark for few players, open figures, and the analyst's notes.

    Args:
        report: a document.
        rows: its rows.
        count: the key of the count that says how many players stand behind a row.
    """
    least = report.get("min_players", 0)
    few = any(count in row and (figure(row, count) or 0) < least for row in rows)
    lines = [f"* fewer than {least} players: too few to claim anything."] if few else []
    if report.get("open_levels"):
        lines.append(f"No way to clear yet: {', '.join(map(safe, report['open_levels']))}.")
    return lines + [f"{safe(level)}: {safe(note)}" for level, note in report.get("notes", {}).items()]


def count_column(title: str, key: str, rank: int = 0, full_title: str = "") -> Column[AnyRow]:
    """A plain number of each row."""
    return Column(title, lambda row: number(figure(row, key)), rank=rank, full_title=full_title)


def share_columns(title: str, key: str, rank: int = 0, interval_rank: int | None = None) -> list[Column[AnyRow]]:
    """A share of each row, and its interval."""
    columns: list[Column[AnyRow]] = [Column(title, lambda row: percent(figure(row, key)), rank=rank)]
    if interval_rank is not None:
        columns.append(Column("95 %", _interval(key, percent), rank=interval_rank, full_title=f"interval of {title}"))
    return columns


def _interval(key: str, worded: Callable[[float | None], str]) -> Callable[[AnyRow], str]:
    def text(row: AnyRow) -> str:
        low, high = figure(row, f"{key}_low"), figure(row, f"{key}_high")
        if low is None or high is None:
            return NOTHING
        return f"{worded(low).removesuffix(' %')}–{worded(high)}"

    return text


def median_interval(worded: Callable[[float | None], str]) -> Callable[[AnyRow], str]:
    """Return the text of the interval of a median, which may be open to the right."""

    def text(row: AnyRow) -> str:
        low, high = figure(row, "p50_low"), figure(row, "p50_high")
        if low is None:
            return NOTHING
        return f"{worded(low)}–{worded(high)}" if high is not None else f"from {worded(low)} on"

    return text


def _end_words(row: AttemptsRow) -> str:
    """How attempts at a level ended."""
    return ", ".join(f"{count} {ENDED[outcome]}" for outcome, count in row["ends"].items() if count)


def _quantile(key: str, worded: Callable[[float | None], str], rank: int) -> Column[AnyRow]:
    """A quantile, which may not be reached yet: then it is more than all that was seen."""

    def text(row: AnyRow) -> str:
        if row[key] is not None:
            return worded(figure(row, key))
        return "not yet" if row["players" if "players" in row else "timed"] else NOTHING

    return Column(f"{key[1:]} %", text, rank=rank)


def _clear_rate(report: Head) -> Callable[[FunnelOrRawRow], str]:
    """The share of those who reached a level that cleared it; in words where there is none."""
    still_open = report.get("open_levels", ())

    def text(row: FunnelOrRawRow) -> str:
        if row["clear_rate"] is None and row["reached"]:
            return "no way on" if row["level"] in still_open else "not told"
        return percent(row["clear_rate"])

    return text


def funnel_view(report: FunnelDocument) -> list[AnyView]:
    """Levels from first to last: reach, clears, where players stopped and why."""
    raw = bool(report["levels"]) and "raw_reached" in report["levels"][0]
    columns: list[Column[FunnelOrRawRow]] = [level_column(report, "reached")]
    by_legs = "legs" in report
    if by_legs:
        columns += [
            Column("leg", _leg_words, left=True, rank=1),
            Column("went", lambda row: percent(row["went"]), rank=6, full_title="went there"),
        ]
    columns += [count_column("reached", "reached"), count_column("cleared", "cleared")]
    if raw:
        columns[2:2] = [count_column("raw", "raw_reached", full_title="raw reached")]
        columns += [count_column("raw", "raw_cleared", full_title="raw cleared"), count_column("raw tries", "raw_tries", 4)]
    columns += [
        Column("rate", _clear_rate(report), full_title="clear rate"),
        Column("95 %", _interval("clear_rate", percent), rank=5, full_title="interval of clear rate"),
        count_column("moved on", "moved_on", 7),
        Column("lost", lambda row: percent(row["drop_off"]), full_title="drop-off"),
        Column("95 %", _interval("drop_off", percent), rank=3, full_title="interval of drop-off"),
        Column("stopped here", _stop_words, left=True, rank=1),
        Column("when", _when_words, left=True, rank=8, full_title="when they stopped"),
        *share_columns("retention", "retention", 2),
        Column("", lambda row: bar(row["retention"] or 0.0, BAR), True, 6, True),
    ]
    endless = (
        []
        if not report["levels"] or report["levels"][0]["retention"] is not None
        else ["The course has no last level: nobody stops, and nobody is lost.", *source_notes(report)]
    )
    notes = endless or [
        "Lost: players who quit for good at a level, or whose end is not known; a test that was cut short counts against none.",
        "Retention: the share that would still be playing after a level, had no test been cut short.",
        *small_note(report, report["levels"], "reached"),
        *source_notes(report),
    ]
    if by_legs:
        notes.insert(0, "Went: of the players who got to the leg or further, the share that tried the level.")
    funnel = View("Funnel: who reached, cleared and stopped, level by level", tuple(columns), report["levels"], notes)
    return [funnel, _legs_view(report["legs"])] if by_legs else [funnel]


def _leg_words(row: FunnelOrRawRow) -> str:
    """The leg of a level, its route, and whether it is off the way."""
    if row["leg"] == row["level"] and not row["optional"]:
        return ""
    parts = [safe(row["leg"])] + ([f"route {safe(row['route'])}"] if row["route"] else [])
    return ", ".join(parts + (["off the way"] if row["optional"] else []))


def _legs_view(legs: list[LegRow]) -> AnyView:
    """The legs of the course: a leg is done, not cleared."""
    columns: tuple[Column[LegRow], ...] = (
        Column("leg", lambda row: safe(row["leg"]), left=True),
        Column("levels", lambda row: ", ".join(map(safe, row["levels"])), left=True, rank=4),
        Column("needs", lambda row: "a route" if row["needs"] is None else number(row["needs"]), rank=2),
        count_column("reached", "reached"),
        count_column("done", "done"),
        count_column("lost", "lost"),
        *share_columns("retention", "retention", 1),
        Column("began with", lambda row: _firsts(row["first"]), left=True, rank=3),
    )
    notes = ["A leg is done by whoever cleared as many of its levels as it needs, or all of one route."]
    return View("Legs: stretches that are played in any order, by routes, or with levels off the way", columns, legs, notes)


def _firsts(first: Mapping[str, int]) -> str:
    return ", ".join(f"{safe(level)} {count:,}" for level, count in first.items()) if len(first) > 1 else ""


def _stop_words(row: FunnelOrRawRow) -> str:
    if "ended_here" in row:
        return f"{row['ended_here']} got no further" if row["ended_here"] else ""
    counts = {cause: count_stopped_by(row, cause) for cause in END_CAUSES}
    parts = [f"{count} {words(cause)}" for cause, count in counts.items() if count]
    return ", ".join(parts + ([f"{row['stopped_open']} no way on"] if row["stopped_open"] else []))


def _when_words(row: FunnelOrRawRow) -> str:
    """At which moment players stopped at a level."""
    if "ended_here" in row:
        return ""
    moments = {
        "after a failure": row["stopped_after_failure"],
        "within a try": row["stopped_mid_attempt"],
        "after the clear": row["stopped_after_clear"],
        "between tries": row["stopped_between"],
        "elsewhere": row["stopped_elsewhere"],
    }
    return ", ".join(f"{count} {moment}" for moment, count in moments.items() if count)


def attempts_view(report: AttemptsDocument) -> list[AnyView]:
    """How many tries a level takes."""
    columns: tuple[Column[AttemptsRow], ...] = (
        level_column(report, "players"),
        count_column("players", "players"),
        count_column("not cleared", "censored", 4),
        count_column("tries", "settled", 2),
        *share_columns("a try clears", "try_clear", 0, 1),
        *share_columns("first try", "first_try", 3, 5),
        *(_quantile(name, number, rank) for name, rank in (("p25", 7), ("p50", 0), ("p75", 0), ("p90", 6))),
        Column("50 % lies in", median_interval(number), rank=8, full_title="interval of 50 %"),
        Column("ends", _end_words, left=True, rank=9),
        Column("still at it after 1, 2 …", _format_still_trying, True, 8, True),
    )
    return [
        View(
            "Attempts to clear: tries until 25, 50, 75 and 90 % of players have cleared",
            columns,
            report["levels"],
            [
                *_never_failed(report["levels"]),
                *_explain_not_yet(report["levels"], "players", "p25", "p50", "p75", "p90"),
                *small_note(report, report["levels"], "players"),
                *source_notes(report),
            ],
        )
    ]


def _never_failed(rows: Sequence[AttemptsRow]) -> list[str]:
    """Say that there is nothing to tell from tries, where every one clears."""
    settled, clears = sum(row["settled"] for row in rows), sum(row["clears"] for row in rows)
    if settled and settled == clears:
        return ["Nobody fails in this log: tries say nothing of difficulty. Look at times, and at hits and what was collected."]
    return []


def _explain_not_yet(rows: Sequence[AnyRow], count: str, *quantiles: str) -> list[str]:
    """Return the explanation of "not yet", if it stands in the table."""
    if all(row[key] is not None for row in rows if row[count] for key in quantiles):
        return []
    return ["Players who had not cleared yet count as such; “not yet” means that fewer than that share had."]


def _format_still_trying(row: AttemptsRow) -> str:
    """The share of players who have not cleared after 1, 2, 3 … tries."""
    return spark([step["survival"] for step in row["distribution"][:_SPARK]])


def _time_shape(rows: list[TimesRow]) -> Callable[[TimesRow], str]:
    """When players cleared, from the shortest time of all levels to the longest, on a logarithmic scale."""
    bins = sorted({part["from"] for row in rows for part in row["distribution"] if part["cleared"]})[:_MOST_BINS]

    def text(row: TimesRow) -> str:
        cleared = {part["from"]: part["cleared"] for part in row["distribution"]}
        most = max(cleared.values(), default=0)
        return spark([cleared.get(start, 0) / most if cleared.get(start) else None for start in bins]) if most else ""

    return text


def times_view(report: TimesDocument) -> list[AnyView]:
    """How long a level takes."""
    worded = durations(figure(row, key) for row in report["levels"] for key in _DURATIONS)
    planned = any(row["par_ratio"] is not None for row in report["levels"])
    columns: tuple[Column[TimesRow], ...] = (
        level_column(report, "timed"),
        count_column("players", "timed"),
        count_column("not cleared", "censored", 4),
        *(_quantile(name, worded, rank) for name, rank in (("p10", 7), ("p25", 5), ("p50", 0), ("p75", 0), ("p90", 3))),
        Column("50 % lies in", median_interval(worded), rank=8, full_title="interval of 50 %"),
        *([Column("times par", word_par, rank=9, full_title="50 % in times of par")] if planned else []),
        Column("clearing try", lambda row: worded(row["run_p50"]), rank=1),
        Column("failed try", lambda row: worded(row["fail_p50"]), rank=2),
        Column("settling", lambda row: worded(row["settling_p50"]), rank=6),
        Column("to next", lambda row: worded(row["between_p50"]), rank=8),
        count_column("untimed", "untimed", 9),
        Column("short … long", _time_shape(report["levels"]), True, 10, True),
    )
    return [
        View(
            "Time in level: active time until 10 to 90 % of players have cleared",
            columns,
            report["levels"],
            [
                "Pauses and what lies between attempts are left out."
                + (" Times are in minutes and seconds." if worded is clock else ""),
                *_single_tries(report["levels"]),
                *_explain_not_yet(report["levels"], "timed", "p10", "p25", "p50", "p75", "p90"),
                *small_note(report, report["levels"], "timed"),
                *source_notes(report),
            ],
        )
    ]


def word_par(row: TimesRow) -> str:
    """Return the median in times of par, with its interval; nothing without a plan."""
    ratio, low, high = row["par_ratio"], row["par_ratio_low"], row["par_ratio_high"]
    if ratio is None:
        return ""
    if low is None:
        return f"{ratio:.2g}"
    return f"{ratio:.2g} ({low:.2g}–{high:.2g})" if high is not None else f"{ratio:.2g} (from {low:.2g} on)"


def _single_tries(rows: list[TimesRow]) -> list[str]:
    """Why there is no time of single tries, where there is none."""
    if any(row["runs"] or row["fails"] for row in rows) or not any(row["timed"] for row in rows):
        return []
    return ["No single try is timed: the log has the time of whole stays in a level only."]
