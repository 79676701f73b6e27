"""Views on the inside of a level: deaths, moves, one level, one session, coverage."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING

from milepost.measures.moves import setbacks_by_starts
from milepost.reports.attribute_views import attributes_view
from milepost.reports.build_document import source_notes
from milepost.reports.interface import Column, View
from milepost.reports.leaving_views import sections_of_level
from milepost.reports.notes_and_recordings import notes_view
from milepost.reports.views import count_column, figure, level_column, median_interval, share_columns, small_note, word_par
from milepost.wording import ENDED, NOTHING, clock, listed, number, percent, plural, rate, safe, seconds, words

if TYPE_CHECKING:
    from milepost.measures.attempts import AttemptsRow
    from milepost.measures.coverage import CoverageRow
    from milepost.measures.deaths import DeathFigures, DeathsRow
    from milepost.measures.funnel import FunnelRow
    from milepost.measures.level import Neighbour
    from milepost.measures.moves import MoveRow
    from milepost.measures.sessions_to_watch import Watched
    from milepost.measures.times import TimesRow
    from milepost.reports.document_types import CoverageDocument, DeathsDocument, LevelPageFigures, MovesDocument
    from milepost.reports.interface import AnyView

_MOST_CAUSES = 3
_FEW_TRIES = 5  # with so many hits, of which fewer say nothing
_SHADES = " ·:+*#"


def deaths_view(report: DeathsDocument) -> list[AnyView]:
    """Return the view of causes of death, and of places in the level."""
    columns: tuple[Column[DeathsRow], ...] = (
        level_column(report, "reached"),
        count_column("reached", "reached"),
        count_column("deaths", "deaths"),
        count_column("died", "players", 4),
        Column("per player", lambda row: rate(row["per_player_reached"])),
        Column("per minute", lambda row: rate(row["per_minute"]), rank=5),
        Column("resets", lambda row: number(row["failures"] - row["deaths"]), rank=3),
        count_column("on arrival", "on_arrival", 6),
        Column("where: 0 … 1", lambda row: strip(row["progress"]), left=True, rank=2),
        Column("most", lambda row: tenth(row["most_bin"]), left=True, rank=7),
        Column("causes", lambda row: _causes(row), left=True, rank=1),
    )
    notes = [
        "Where: deaths by tenths of the level, darker is more. Re-runs count here.",
        *small_note(report, report["levels"], "reached"),
        *source_notes(report),
    ]
    return [View("Deaths: how many, what of, and where in the level", columns, report["levels"], notes)]


def strip(counts: list[int]) -> str:
    """Counts as a strip of shades, so that the fullest bin stands out."""
    most = max(counts, default=0)
    return "|" + "".join(_SHADES[-(-count * (len(_SHADES) - 1) // most) if most else 0] for count in counts) + "|"


def tenth(place: int | None) -> str:
    """A tenth of a level as shares of the way."""
    return NOTHING if place is None else f"{place / 10:.1f}–{(place + 1) / 10:.1f}"


def _causes(row: DeathsRow) -> str:
    commonest = list(row["causes"].items())[:_MOST_CAUSES]
    causes = [f"{safe(cause)} {figures['deaths']}{_tally(figures)}" for cause, figures in commonest]
    rest = len(row["causes"]) - _MOST_CAUSES
    causes += [f"{rest} more"] if rest > 0 else []
    return ", ".join(causes + ([f"none given {row['without_cause']}"] if row["without_cause"] else []))


def _tally(figures: DeathFigures) -> str:
    """Return the numbers in tags beside deaths of a cause, such as an opponent's tally."""
    parts = [f"{safe(name)} {numbers['p50']:g}" for name, numbers in figures["said"].items() if numbers["p50"] is not None]
    return f" at {', '.join(parts)}" if parts else ""


def moves_view(report: MovesDocument) -> list[AnyView]:
    """Return the view of moves, and of the cost of setbacks."""
    kinds = listed([f"{words(kind)} {count:,}" for kind, count in report["kinds"].items()]) or "none"
    unusual = [*(move for move in report["moves"] if move["kind"] != "advance"), *setbacks_by_starts(report)]
    columns: tuple[Column[MoveRow], ...] = (
        Column("from", lambda row: safe(row["from"]), left=True),
        Column("to", lambda row: "(out)" if row["to"] is None else safe(row["to"]), left=True),
        Column("kind", lambda row: row["kind"], left=True),
        count_column("count", "count"),
        count_column("players", "players"),
        Column("replayed", lambda row: seconds(row["cost"]) if row["cost"] is not None else "", rank=1),
        Column("never back", lambda row: number(row["never_back"]) if row["never_back"] is not None else "", rank=2),
    )
    notes = [f"All moves by kind: {kinds}. Advances are not listed."]
    if any(move["cost"] is not None for move in unusual):
        notes.append(
            "Replayed: active time of levels already cleared, until the player was back where the setback came from. "
            "Never back: setbacks after which the player never tried that level again."
        )
    if report["started_back"]:
        notes.append(
            "Setback by a start: after a failure the next start is at an earlier level, and the log has no move there. "
            "The game may have put the player back, or the player chose to go."
        )
    notes += source_notes(report)
    return [View("Moves: skips, setbacks and other ways than on", columns, unusual, notes)]


def coverage_view(report: CoverageDocument) -> list[AnyView]:
    """How well each level was tested."""
    columns: tuple[Column[CoverageRow], ...] = (
        level_column(report, "players"),
        count_column("players", "players"),
        count_column("attempts", "attempts"),
        count_column("settled", "settled", 2),
        Column("minutes", lambda row: f"{row['minutes']:.1f}"),
        Column(
            "minutes to reach",
            lambda row: NOTHING if row["minutes_to_reach"] is None else f"{row['minutes_to_reach']:.1f}",
            rank=1,
        ),
        count_column("went on", "went_on", 3),
        Column("", lambda row: "hardly tested" if row["hardly_tested"] else "", left=True),
    )
    moves = [f"{safe(m['from'])} → {safe(m['to'])} ({m['players']})" for m in report["moves_hardly_tested"]]
    notes = [f"Moves hardly tested (players): {listed(moves)}."] if moves else []
    failed = [row for row in report["levels"] if row["never_there"]]
    if not moves and not failed and len(report["levels"]) > 1:
        notes = ["Every move to the next level was well tested."]
    notes += [
        f"{safe(row['level'])}: {row['never_there']} of {plural(row['went_on'] + row['never_there'], 'player')} who moved on "
        "never tried the next level. Did it load?"
        for row in failed
    ]
    notes.append("Minutes to reach: the median session time spent before the first attempt there.")
    return [View("Coverage: what was tested, and what hardly was", columns, report["levels"], [*notes, *source_notes(report)])]


def level_view(report: LevelPageFigures) -> list[AnyView]:
    """One page on one level."""
    lines = [*_reach(report), *_tries(report["attempts"]), *_times(report["times"]), *_deaths(report["deaths"])]
    lines += [_plan(report), *_word_first_level(report)]
    if report["note"]:
        lines.append(f"Note: {safe(report['note'])}")
    return [
        View(
            f"Level {safe(report['level'])} ({report['place']} of {len(report['course']['levels'])})",
            (),
            [],
            [line for line in lines if line],
        ),
        *([notes_view(report["noted"])] if report.get("noted") else []),
        *([sections_of_level(report["sections"])] if report["sections"] else []),
        _neighbours(report),
        *([attributes_view(report["attributes"])] if report["attributes"] else []),
        _watch(report),
    ]


def _reach(report: LevelPageFigures) -> list[str]:
    """Return the view of players who reached, cleared and stopped at a level."""
    row = report["funnel"]
    if not row["reached"]:
        return ["Nobody has reached it."]
    cleared = (
        f"{row['cleared'] or 'nobody'} cleared it ({_range(row, 'clear_rate')})."
        if row["clear_rate"] is not None
        else "there is no way to clear it yet, or none that the log tells."
    )
    sentences = [f"Reached by {plural(row['reached'], 'player')} ({percent(row['share'])} of {report['players']}); {cleared}"]
    lost = f"{row['lost']} lost here ({_range(row, 'drop_off')})" if row["lost"] else "Nobody was lost here"
    return [*sentences, f"{lost}; {_stops(row)}.", *_word_stayed(report)]


def _word_stayed(report: LevelPageFigures) -> list[str]:
    after = report["after_failure"]
    if after["p50"] is None:
        return []
    spread = f" ({median_interval(seconds)(after)})" if after["p50_low"] is not None else ""
    subject = (
        "The player whose last try of all failed here left"
        if after["players"] == 1
        else (f"Of {after['players']} players whose last try of all failed here, half left")
    )
    return [f"{subject} within {seconds(after['p50'])} after it{spread}."]


def _tries(row: AttemptsRow) -> list[str]:
    if not row["settled"]:
        return ["No try has been settled yet."]
    half = (
        "not yet half of the players have cleared it"
        if row["p50"] is None
        else f"half of the players need {plural(row['p50'], 'try', 'tries')} ({median_interval(number)(row)})"
    )
    most = "and not yet nine in ten have" if row["p90"] is None else f"nine in ten {number(row['p90'])}"
    counts = f"{row['clears']} of {plural(row['settled'], 'try', 'tries')} by {plural(row['players'], 'player')}"
    joined = f"{half} {most}" if row["p90"] is None else f"{half}, {most}"
    sentences = [f"A try clears {percent(row['try_clear'])} of the time ({counts}); {joined}."]
    ends = [f"{count} {ENDED[outcome]}" for outcome, count in row["ends"].items() if count]
    return [*sentences, f"How attempts up to the first clear ended: {listed(ends)}.", *_hits(row)]


def _hits(row: AttemptsRow) -> list[str]:
    """What hits do, where the log has any."""
    shown = [after for after in row["after_hits"] if after["chance"] is not None and after["tries"] >= _FEW_TRIES]
    if not shown:
        return []
    first = [f"after {after['hits']} {percent(after['chance'])} of {after['tries']}" for after in shown[:4]]
    return [f"{rate(row['hits_per_try'])} hits a try; a try clears all the same: {listed(first)}."]


def _times(row: TimesRow) -> list[str]:
    sentences = []
    if row["p50"] is not None:
        sentences.append(
            f"Half of the players have cleared it after {seconds(row['p50'])} of play ({median_interval(seconds)(row)})."
        )
        sentences += [f"That is {word_par(row)} times par."] if row["par_ratio"] is not None else []
    if row["fails"]:
        sentences.append(
            f"A failed try lasts {seconds(row['fail_p50'])} (median of {row['fails']}); "
            f"{seconds(row['lost_to_failures'])} went into failures in all."
        )
    return [" ".join(sentences)]


def _deaths(row: DeathsRow) -> list[str]:
    if not row["deaths"]:
        return [f"No deaths; {plural(row['failures'], 'reset')}." if row["failures"] else "No deaths and no resets."]
    where = f"; most at {tenth(row['most_bin'])} of the way" if row["most_bin"] is not None else ""
    arrival = f"; {plural(row['on_arrival'], 'death')} on arrival" if row["on_arrival"] else ""
    return [f"{plural(row['deaths'], 'death')} ({_causes(row) or 'no causes given'}){where}{arrival}."]


def _range(row: FunnelRow, key: str) -> str:
    low, high = figure(row, f"{key}_low"), figure(row, f"{key}_high")
    return percent(figure(row, key)) + (f", {percent(low).removesuffix(' %')}–{percent(high)}" if low is not None else "")


def _stops(row: FunnelRow) -> str:
    places = {
        "in an attempt": row["stopped_mid_attempt"],
        "after a failure": row["stopped_after_failure"],
        "after the clear": row["stopped_after_clear"],
        "between attempts": row["stopped_between"],
    }
    parts = [f"{count} {text}" for text, count in places.items() if count]
    return f"stopped: {listed(parts)}" if parts else "nobody stopped here"


def _plan(report: LevelPageFigures) -> str:
    plan = report["plan"]
    parts = []
    if plan.get("target_clear") is not None:
        parts.append(f"planned that a try clears {percent(plan['target_clear'])} of the time")
    if plan.get("par_seconds") is not None:
        parts.append(f"par {seconds(plan['par_seconds'])}")
    knobs = [f"{safe(name)} {safe(str(value))}" for name, value in plan.get("knobs", {}).items()]
    return f"Plan: {listed(parts + knobs)}." if parts or knobs else ""


def _word_first_level(report: LevelPageFigures) -> list[str]:
    first = report["first_level"]
    if first is None:
        return []
    firsts = {"first input": first["to_input"], "first failure": first["to_failure"], "first clear": first["to_clear"]}
    parts = [f"{name} after {seconds(value)}" for name, value in firsts.items() if value is not None]
    sentences = [f"As the first level: {listed(parts)} (medians)."] if parts else []
    silent, gone = first["without_input"], first["left_before_input"]
    if silent:
        left = f"; {gone or 'none'} of them left" if gone is not None else ""
        sentences.append(f"{silent} of {plural(first['players'], 'player')} never gave an input{left}.")
    counts = {
        "input": (first["deaths_before_input"], first["clears_before_input"]),
        "progress": (report["deaths"]["deaths_before_progress"], report["deaths"]["clears_before_progress"]),
    }
    for event, (deaths, clears) in counts.items():
        if deaths is not None and clears is not None:
            sentences.append(f"Before any {event}: {plural(deaths, 'death')} and {plural(clears, 'clear')}.")
    return sentences


def _neighbours(report: LevelPageFigures) -> View[Neighbour]:
    columns: tuple[Column[Neighbour], ...] = (
        Column("", lambda row: "→" if row["level"] == report["level"] else "", left=True),
        level_column(report, "players"),
        count_column("players", "players"),
        count_column("tries", "settled"),
        *share_columns("a try clears", "try_clear", 0, 1),
        *(Column(f"{safe(build)}: a try clears", _format_by_build(build), rank=2) for build in report["builds"]),
    )
    return View("Beside its neighbours", columns, report["neighbours"], [])


def _format_by_build(build: str) -> Callable[[Neighbour], str]:
    def text(row: Neighbour) -> str:
        tries = row["builds"].get(build)
        return NOTHING if tries is None else f"{percent(tries['try_clear'])} of {tries['settled']}"

    return text


def _watch(report: LevelPageFigures) -> View[Watched]:
    columns: tuple[Column[Watched], ...] = (
        Column("session", lambda row: safe(row["session"]), left=True),
        Column("from", lambda row: clock(row["from"])),
        Column("to", lambda row: clock(row["to"])),
        count_column("tries", "tries"),
        Column("failed for", lambda row: seconds(row["failed"])),
        Column("in a row", lambda row: number(row["streak"]) if row["streak"] else "", rank=1, full_title="failures in a row"),
        Column("ended", lambda row: words(row["ended"]) + (", then left" if row["left"] else ""), left=True),
    )
    recorded = any("recording" in row for row in report["watch"])
    if recorded:
        columns += (Column("recording", lambda row: safe(row.get("link") or row.get("recording") or "none"), left=True),)
    clock_text = "the recording's clock, or the session's where there is no recording" if recorded else "the session's clock"
    heading = f"Sessions to watch here (who left first, after most failures in a row; then who failed longest; by {clock_text})"
    return View(heading, columns, report["watch"], [])
