"""What people see of each measure: which columns, under which heading."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from typing import TYPE_CHECKING, NotRequired, TypedDict

from milepost.measures.funnel import stopped_by
from milepost.reports.document import source_notes
from milepost.reports.interface import Column, View
from milepost.vocabulary import END_CAUSES
from milepost.wording import NOTHING, bar, clock, durations, listed, logits, number, percent, safe, spark, whole, words

if TYPE_CHECKING:
    from milepost.difficulty.rows import Model, SpikesRow, WhatIfRow
    from milepost.measures.attempts import AttemptsRow
    from milepost.measures.times import TimesRow
    from milepost.reports.documents import (
        AttemptsDocument,
        FunnelDocument,
        FunnelOrRawRow,
        SpikesDocument,
        TimesDocument,
        WhatIfDocument,
    )
    from milepost.reports.heads import Head
    from milepost.reports.interface import AnyView

AnyRow = Mapping[str, object]
_BAR = 10
_SPARK, _MOST_BINS = 10, 24
_DURATIONS = ("p10", "p25", "p50", "p75", "p90", "run_p50", "fail_p50", "settling_p50", "between_p50")


class HasLeast(TypedDict):
    """A document that says of how many players something is claimed."""

    min_players: NotRequired[int]


def figure(row: AnyRow, key: str) -> float | None:
    """A number of a row, by a key that is put together; what is none is a mistake of the program."""
    value = row[key]
    if value is not None and not isinstance(value, int | float):
        raise TypeError(key)
    return value


def level_column(report: HasLeast, count: str) -> Column[AnyRow]:
    """The level's name, marked where too few players stand behind its figures."""
    least = report.get("min_players", 0)
    return Column("level", lambda row: safe(str(row["level"])) + (" *" if (figure(row, count) or 0) < least else ""), left=True)


def small_note(report: Head, rows: Sequence[AnyRow], count: str) -> list[str]:
    """What the mark means, where there is one; what is open, and the analyst's notes.

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


def count_column(title: str, key: str, rank: int = 0, said: str = "") -> Column[AnyRow]:
    """A plain number of each row."""
    return Column(title, lambda row: number(figure(row, key)), rank=rank, said=said)


def share_columns(title: str, key: str, rank: int = 0, interval_rank: int | None = None) -> list[Column[AnyRow]]:
    """A share of each row, and its interval."""
    columns: list[Column[AnyRow]] = [Column(title, lambda row: percent(figure(row, key)), rank=rank)]
    if interval_rank is not None:
        columns.append(Column("95 %", _interval(key, percent), rank=interval_rank, said=f"interval of {title}"))
    return columns


def _interval(key: str, worded: Callable[[float | None], str]) -> Callable[[AnyRow], str]:
    def text(row: AnyRow) -> str:
        low, high = figure(row, f"{key}_low"), figure(row, f"{key}_high")
        if low is None or high is None:
            return NOTHING
        return f"{worded(low).removesuffix(' %')}–{worded(high)}"

    return text


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
    columns += [count_column("reached", "reached"), count_column("cleared", "cleared")]
    if raw:
        columns[2:2] = [count_column("raw", "raw_reached", said="raw reached")]
        columns += [count_column("raw", "raw_cleared", said="raw cleared"), count_column("raw tries", "raw_tries", 4)]
    columns += [
        Column("rate", _clear_rate(report), said="clear rate"),
        Column("95 %", _interval("clear_rate", percent), rank=5, said="interval of clear rate"),
        count_column("moved on", "moved_on", 7),
        Column("lost", lambda row: percent(row["drop_off"]), said="drop-off"),
        Column("95 %", _interval("drop_off", percent), rank=3, said="interval of drop-off"),
        Column("stopped here", _stop_words, left=True, rank=1), *share_columns("retention", "retention", 2),
        Column("", lambda row: bar(row["retention"] or 0.0, _BAR), True, 6, True),
    ]  # fmt: skip
    endless = [] if not report["levels"] or report["levels"][0]["retention"] is not None else [
        "The course has no last level: nobody stops, and nobody is lost.", *source_notes(report)]  # fmt: skip
    notes = endless or [
        "Lost: players who quit for good at a level, or whose end is not known; a test that was cut short counts against none.",
        "Retention: the share that would still be playing after a level, had no test been cut short.",
        *small_note(report, report["levels"], "reached"), *source_notes(report),
    ]  # fmt: skip
    return [View("Funnel: who reached, cleared and stopped, level by level", tuple(columns), report["levels"], notes)]


def _stop_words(row: FunnelOrRawRow) -> str:
    if "ended_here" in row:
        return f"{row['ended_here']} got no further" if row["ended_here"] else ""
    counts = {cause: stopped_by(row, cause) for cause in END_CAUSES}
    parts = [f"{count} {words(cause)}" for cause, count in counts.items() if count]
    return ", ".join(parts + ([f"{row['stopped_open']} no way on"] if row["stopped_open"] else []))


def attempts_view(report: AttemptsDocument) -> list[AnyView]:
    """How many tries a level takes."""
    columns: tuple[Column[AttemptsRow], ...] = (
        level_column(report, "players"), count_column("players", "players"), count_column("not cleared", "censored", 4), count_column("tries", "settled", 2),  # noqa: E501
        *share_columns("a try clears", "try_clear", 0, 1), *share_columns("first try", "first_try", 3, 5),
        *(_quantile(name, number, rank) for name, rank in (("p25", 7), ("p50", 0), ("p75", 0), ("p90", 6))),
        Column("still at it after 1, 2 …", _still_trying, True, 8, True),
    )  # fmt: skip
    return [View("Attempts to clear: tries until 25, 50, 75 and 90 % of players have cleared", columns, report["levels"],
                [*_not_yet(report["levels"], "players", "p25", "p50", "p75", "p90"),
                 *small_note(report, report["levels"], "players"), *source_notes(report)])]  # fmt: skip


def _not_yet(rows: Sequence[AnyRow], count: str, *quantiles: str) -> list[str]:
    """What "not yet" means, where it stands."""
    if all(row[key] is not None for row in rows if row[count] for key in quantiles):
        return []
    return ["Players who had not cleared yet count as such; “not yet” means that fewer than that share had."]


def _still_trying(row: AttemptsRow) -> str:
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
    columns: tuple[Column[TimesRow], ...] = (
        level_column(report, "timed"), count_column("players", "timed"), count_column("not cleared", "censored", 4),
        *(_quantile(name, worded, rank) for name, rank in (("p10", 7), ("p25", 5), ("p50", 0), ("p75", 0), ("p90", 3))),
        Column("clearing try", lambda row: worded(row["run_p50"]), rank=1),
        Column("failed try", lambda row: worded(row["fail_p50"]), rank=2),
        Column("settling", lambda row: worded(row["settling_p50"]), rank=6),
        Column("to next", lambda row: worded(row["between_p50"]), rank=8),
        count_column("untimed", "untimed", 9), Column("short … long", _time_shape(report["levels"]), True, 10, True),
    )  # fmt: skip
    return [View("Time in level: active time until 10 to 90 % of players have cleared", columns, report["levels"],
                ["Pauses and what lies between attempts are left out."
                 + (" Times are in minutes and seconds." if worded is clock else ""),
                 *_single_tries(report["levels"]), *_not_yet(report["levels"], "timed", "p10", "p25", "p50", "p75", "p90"),
                 *small_note(report, report["levels"], "timed"), *source_notes(report)])]  # fmt: skip


def spikes_view(report: SpikesDocument) -> list[AnyView]:
    """Which levels stand out, how sure that is, and what it costs."""
    columns: tuple[Column[SpikesRow], ...] = (
        level_column(report, "players"), count_column("players", "players", 5), count_column("tries", "tries", 7),
        *share_columns("a try clears", "try_clear", 6), Column("difficulty", _logit("difficulty")),
        Column("±", _logit("se"), rank=8, said="standard error"), Column("expected", _logit("expected"), rank=4),
        Column("excess", _logit("excess"), rank=1),
        Column("verdict", lambda row: "" if row["kind"] == "none" else row["kind"], left=True),
        Column("evidence", lambda row: "" if row["evidence"] == "none" else words(row["evidence"]), left=True),
        Column("q", _q), Column("cost", _cost, rank=3), Column("plan", _plan, left=True),
    )  # fmt: skip
    none = ["No level stands out beyond the course's own unevenness."]
    judged = any(row["evidence"] != "too_few" for row in report["levels"])
    stands_out = any(row["kind"] != "none" for row in report["levels"])
    said = (none if judged and not stands_out else []) + [safe(sentence) for sentence in report["sentences"]]
    return [
        View("What stands out", (), [], said),
        View("Difficulty in logits (higher is harder), adjusted for who got there", columns, report["levels"],
             [*_model_note(report["model"]), *_design_notes(report), *small_note(report, report["levels"], "players"),
              *source_notes(report)]),
    ]  # fmt: skip


def _single_tries(rows: list[TimesRow]) -> list[str]:
    """Why there is no time of single tries, where there is none."""
    if any(row["runs"] or row["fails"] for row in rows) or not any(row["timed"] for row in rows):
        return []
    return ["No single try is timed: the log has the time of whole stays in a level only."]


def _logit(key: str) -> Callable[[AnyRow], str]:
    return lambda row: NOTHING if (value := figure(row, key)) is None else logits(value)


def _q(row: SpikesRow) -> str:
    """The q value of what stands out; never nought."""
    if row["kind"] == "none" or row["q_value"] is None:
        return ""
    return "<0.01" if row["q_value"] < 0.005 else f"{row['q_value']:.2f}"


def _plan(row: SpikesRow) -> str:
    """The verdict against the plan, in few letters."""
    return "no telling" if row["plan"] == "too few to tell" else row["plan"] or ""


def _cost(row: SpikesRow) -> str:
    """Players lost to a level that is harder than its surroundings."""
    cost, low, high = row["cost"], row["cost_low"], row["cost_high"]
    if row["kind"] not in ("spike", "step") or cost is None or low is None or high is None:
        return ""
    return f"{whole(cost)} ({whole(low)} to {whole(high)})"


def _design_notes(report: SpikesDocument) -> list[str]:
    """Inversions, knobs that stop growing, and levels that ought to be alike."""
    lines = []
    if report["inversions"]:
        pairs = [f"{safe(row['level'])} than {safe(row['easier_than'])} ({row['by']:.1f})" for row in report["inversions"]]
        lines.append(f"Easier than the level before, by logits: {listed(pairs)}.")
    for cap in report.get("caps", []):
        said = (f"{safe(cap['knob'])} stays at {safe(str(cap['value']))} from {safe(cap['level'])} on; difficulty rises by "
                f"{cap['slope_before']:.2f} a level until there and {cap['slope_after']:.2f} after.")  # fmt: skip
        lines.append(said.replace("-", "−"))
    for pair in report.get("equal_levels", []):
        said = (f"{listed([safe(name) for name in pair['levels']])} have the same knobs; they differ by "
                f"{pair['difference']:.2f} ± {pair['se']:.2f}: that is noise.")  # fmt: skip
        lines.append(said.replace("-", "−"))
    return lines


def _model_note(model: Model | None) -> list[str]:
    if model is None:
        return ["No try was settled in a level of the course, so there is nothing to judge."]
    gives_up = "No try failed, so that nothing is known of giving up."
    if model["failures"]:
        gives_up = f"After a failure {percent(model['quit_per_failure'])} give up ({model['lost']} of {model['failures']})."
    return [
        f"Skill spreads by {model['skill_sd']:.2f} logits over players; each doubling of the try number adds "
        f"{0.693 * model['learning']:.2f}. The course's own unevenness is {model['roughness']:.2f} logits. "
        f"{gives_up} Cost: players who would still be playing at the end, had the level been as expected."
    ]


def whatif_view(report: WhatIfDocument) -> list[AnyView]:
    """The measured funnel, and the projected one before and after the change."""
    columns: tuple[Column[WhatIfRow], ...] = (
        Column("level", lambda row: safe(row["level"]), left=True), count_column("reached", "reached"),
        Column("difficulty", _logit("difficulty")), Column("changed to", _changed, rank=0), *share_columns("retention", "retention", 1),  # noqa: E501
        *share_columns("projected", "projected"), *share_columns("with the change", "projected_changed"),
        Column("", lambda row: bar(row["projected_changed"], _BAR), True, 5, True),
    )  # fmt: skip
    gained = report["gained"]
    said = (f"With the change, about {abs(gained):.1f} {'more' if gained >= 0 else 'fewer'} of {report['players']} players would still be playing "  # noqa: E501
            f"at the end. A projection: players give up after {percent(report['quit_per_failure'])} of failures "
            f"({report['lost']} of {report['failures']}), and for no other reason.")  # fmt: skip
    return [View("What if: players still there after each level", columns, report["levels"], [said, *source_notes(report)])]


def _changed(row: WhatIfRow) -> str:
    return "" if row["changed"] == row["difficulty"] else logits(row["changed"])
