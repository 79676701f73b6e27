"""What people see of each measure: which columns, under which heading."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from milepost.measures.interface import Row
from milepost.reports.document import source_notes
from milepost.reports.interface import Column, View
from milepost.vocabulary import END_CAUSES
from milepost.wording import NOTHING, bar, number, percent, points, safe, seconds, words

_BAR = 10


def level_column(report: dict[str, Any], count: str) -> Column:
    """The level's name, marked where too few players stand behind its figures."""
    least = report.get("min_players", 0)
    return Column("level", lambda row: safe(row["level"]) + (" *" if row[count] < least else ""), left=True)


def small_note(report: dict[str, Any]) -> list[str]:
    """What the mark means, what is open, and the analyst's notes."""
    least = report.get("min_players", 0)
    lines = [f"* fewer than {least} players: too few to claim anything."] if least else []
    if report.get("open_levels"):
        lines.append(f"No way to clear yet: {', '.join(map(safe, report['open_levels']))}.")
    return lines + [f"{safe(level)}: {safe(note)}" for level, note in report.get("notes", {}).items()]


def count_column(title: str, key: str, rank: int = 0) -> Column:
    """A plain number of each row."""
    return Column(title, lambda row: number(row[key]), rank=rank)


def share_columns(title: str, key: str, rank: int = 0, interval_rank: int | None = None) -> list[Column]:
    """A share of each row, and its interval."""
    columns = [Column(title, lambda row: percent(row[key]), rank=rank)]
    if interval_rank is not None:
        columns.append(Column("95 %", _interval(key, percent), rank=interval_rank, said=f"interval of {title}"))
    return columns


def _interval(key: str, worded: Callable[[float | None], str]) -> Callable[[Row], str]:
    def text(row: Row) -> str:
        low, high = row[f"{key}_low"], row[f"{key}_high"]
        if low is None or high is None:
            return NOTHING
        return f"{worded(low).removesuffix(' %')}–{worded(high)}"

    return text


def _quantile(key: str, worded: Callable[[Any], str], rank: int) -> Column:
    """A quantile, which may not be reached yet: then it is more than all that was seen."""

    def text(row: Row) -> str:
        if row[key] is not None:
            return worded(row[key])
        return "not yet" if row["players" if "players" in row else "timed"] else NOTHING

    return Column(f"{key[1:]} %", text, rank=rank)


def funnel_view(report: dict[str, Any]) -> list[View]:
    """Levels from first to last: reach, clears, where players stopped and why."""
    raw = bool(report["levels"]) and "raw_reached" in report["levels"][0]
    columns = [level_column(report, "reached"), count_column("reached", "reached"), count_column("cleared", "cleared", 4)]
    if raw:
        columns[2:2] = [count_column("raw", "raw_reached")]
        columns += [count_column("raw", "raw_cleared"), count_column("raw tries", "raw_tries")]
    columns += [
        *share_columns("clear rate", "clear_rate", 0, 5), count_column("moved on", "moved_on", 7),
        *share_columns("drop-off", "drop_off", 0, 2), Column("stopped here", _stop_words, left=True, rank=3),
        *share_columns("retention", "retention", 1), Column("", lambda row: bar(row["retention"], _BAR), True, 6, True),
    ]  # fmt: skip
    return [View("Funnel: who reached, cleared and stopped, level by level", tuple(columns), report["levels"],
                ["Drop-off and retention count quits and unknown ends; a test that was cut short is held against no level.",
                 *small_note(report), *source_notes(report)])]  # fmt: skip


def _stop_words(row: Row) -> str:
    parts = [f"{row[f'stopped_{cause}']} {words(cause)}" for cause in END_CAUSES if row[f"stopped_{cause}"]]
    return ", ".join(parts)


def attempts_view(report: dict[str, Any]) -> list[View]:
    """How many tries a level takes."""
    columns = (
        level_column(report, "players"), count_column("players", "players"), count_column("not cleared", "censored", 4), count_column("tries", "settled", 2),  # noqa: E501
        *share_columns("a try clears", "try_clear", 0, 1), *share_columns("first try", "first_try", 3, 5),
        *(_quantile(name, number, rank) for name, rank in (("p25", 7), ("p50", 0), ("p75", 0), ("p90", 6))),
        Column("", lambda row: bar(row["try_clear"], _BAR), True, 8, True),
    )  # fmt: skip
    return [View("Attempts to clear: tries until 25, 50, 75 and 90 % of players have cleared", columns, report["levels"],
                ["Players who had not cleared yet count as such; “not yet” means that fewer than that share had.",
                 *small_note(report), *source_notes(report)])]  # fmt: skip


def times_view(report: dict[str, Any]) -> list[View]:
    """How long a level takes."""
    columns = (
        level_column(report, "timed"), count_column("players", "timed"), count_column("not cleared", "censored", 4),
        *(_quantile(name, seconds, rank) for name, rank in (("p10", 7), ("p25", 5), ("p50", 0), ("p75", 0), ("p90", 3))),
        Column("clearing try", lambda row: seconds(row["run_p50"]), rank=1),
        Column("failed try", lambda row: seconds(row["fail_p50"]), rank=2),
        Column("settling", lambda row: seconds(row["settling_p50"]), rank=6),
        Column("to next", lambda row: seconds(row["between_p50"]), rank=8),
        count_column("untimed", "untimed", 9),
    )  # fmt: skip
    return [View("Time in level: active time until 10 to 90 % of players have cleared", columns, report["levels"],
                ["Pauses and what lies between attempts are left out. “Not yet”: fewer than that share had cleared.",
                 *small_note(report), *source_notes(report)])]  # fmt: skip


def spikes_view(report: dict[str, Any]) -> list[View]:
    """Which levels stand out against their neighbours."""
    columns = (
        level_column(report, "players"), count_column("players", "players"), count_column("tries", "tries"), *share_columns("a try clears", "try_clear"),  # noqa: E501
        *share_columns("neighbours", "expected", 1), Column("points", lambda row: points(row["difference"])),
        Column("95 %", _interval("difference", points)),
        Column("", lambda row: "harder" if _below(row) else "easier" if _above(row) else "", left=True),
    )  # fmt: skip
    return [View("Spikes, a first reading: the chance that a try clears, against two neighbours on each side", columns,
                report["levels"],
                ["A first method: it compares whoever got there, so late levels look easier than they are. Where it says "
                 "harder or easier, the interval leaves out 0; look there first. It is no verdict.",
                 *small_note(report), *source_notes(report)])]  # fmt: skip


def _below(row: Row) -> bool:
    return row["difference_high"] is not None and row["difference_high"] < 0


def _above(row: Row) -> bool:
    return row["difference_low"] is not None and row["difference_low"] > 0
