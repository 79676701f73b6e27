"""The finding in sentences: what stands out, where players stop, what to watch, and what cannot be said."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING, Final

from milepost.difficulty.spike_sentences import costliest_first
from milepost.measures.funnel import count_stopped_by
from milepost.reports.answer_views import agreement_sentences
from milepost.reports.level_views import tenth
from milepost.reports.notes_and_recordings import notes_view
from milepost.reports.target_views import target_sentence
from milepost.reports.trend_views import trend_sentences
from milepost.reports.views import figure
from milepost.vocabulary import END_CAUSES
from milepost.wording import clock, listed, percent, plural, safe, seconds, words

if TYPE_CHECKING:
    from milepost.difficulty.row_types import Kind, SpikesRow
    from milepost.measures.sessions_to_watch import Watched
    from milepost.reports.document_types import FunnelOrRawRow, ReportDocument
    from milepost.reports.since import Moved, NewFinding, NewVerdict, Since

_NAMED = 3
_LOST = ("quit", "unknown")


@dataclass(frozen=True)
class Chapter:
    """Sentences under a heading; ``ordered`` where the first matters most."""

    heading: str
    sentences: list[str]
    ordered: bool = False


def story(report: ReportDocument) -> list[Chapter]:
    """The chapters of a whole report's document, after what has to be known before them."""
    first = cautions_of_report(report)
    return [*([Chapter("Before anything else", first)] if first else []), *chapters(report)]


def cautions_of_report(report: ReportDocument) -> list[str]:
    """Return the cautions to read before any figure, those that stand before all else first."""
    return [caution["sentence"] for caution in sorted(report["cautions"], key=lambda caution: not caution["first"])]


def chapters(report: ReportDocument) -> list[Chapter]:
    """The chapters that have something to say."""
    all_chapters = [
        Chapter(*_list_to_fix(report), ordered=True),
        Chapter("What is new", since_sentences(report["since"]) if report["since"] else []),
        Chapter(*_between_builds(report)),
        Chapter("The plan", _targets(report)),
        Chapter("What players said", _answers(report)),
        Chapter("Easier than its surroundings", _sentences(report, ("dip",))),
        Chapter("Hints, which may be chance", _sentences(report, ("spike", "step", "dip"), weak=True)),
        Chapter("Where players stop", _stops(report)),
        Chapter("What to watch", _watch(report)),
        Chapter("Notes", notes_view(report.get("noted", [])).notes),
        Chapter("What cannot be said", _unsaid(report)),
        Chapter("Whether the log can be trusted", _log(report)),
    ]
    return [chapter for chapter in all_chapters if chapter.sentences]


def _between_builds(report: ReportDocument) -> tuple[str, list[str]]:
    """Return the changes from one build to the next, if there are two."""
    compare, trend = report["compare"], report["trend"]
    if trend is not None:
        return f"Over the builds {listed([safe(step['step']) for step in trend['steps']])}", trend_sentences(trend)
    if compare is None:
        return "", []
    compared = compare["compared"]
    return f"From build {safe(compared['before'])} to {safe(compared['after'])}", [
        safe(sentence) for sentence in compare["sentences"]
    ]


def flagged(report: ReportDocument, kinds: tuple[Kind, ...] = ("spike", "step", "dip")) -> list[SpikesRow]:
    """The levels that stand out, the costliest first."""
    return [row for row in costliest_first(report["spikes"]["levels"]) if row["kind"] in kinds]


def _sentences(report: ReportDocument, kinds: tuple[Kind, ...], weak: bool = False) -> list[str]:
    """Return the sentences of `spikes` on some kinds of levels, in its order: those on weak evidence, or all others."""
    rows = [row for row in flagged(report, kinds) if (row["evidence"] == "weak") == weak]
    return [safe(sentence) for row in rows if (sentence := row["sentence"])]


def _list_to_fix(report: ReportDocument) -> tuple[str, list[str]]:
    """The levels that are too hard for where they stand."""
    rows = [row for row in flagged(report, ("spike", "step")) if row["evidence"] != "weak" and row["sentence"]]
    sentences = [" ".join([safe(row["sentence"] or ""), *_would_do(report, row["level"])]) for row in rows]
    if sentences:
        return ("To fix, costliest first" if len(sentences) > 1 else "To fix"), sentences
    if any(row["evidence"] != "too_few" for row in report["spikes"]["levels"]):
        return "Nothing to fix for difficulty", [
            "No level is harder than its surroundings lead one to expect, beyond the course's own unevenness"
            + (", on more than weak evidence." if _sentences(report, ("spike", "step"), weak=True) else ".")
        ]
    return "Too early to judge", ["Too few players or tries to tell whether a level is too hard."]


def _would_do(report: ReportDocument, level: str) -> list[str]:
    """Return the values of knobs that would make a level as its surroundings."""
    remedies = []
    for row in report["reach"]:
        if row["level"] == level and row["to"] is not None and row["low"] is not None and row["high"] is not None:
            low, high = sorted((row["low"], row["high"]))
            values = f"{row['to']:.2g} ({low:.2g} to {high:.2g}) in place of {row['from']:g}".replace("-", "−")
            remedies.append(f"{safe(row['knob'])} at {values}")
    return [f"To be as its surroundings, by what a unit does elsewhere: {' or '.join(remedies)}."] if remedies else []


def _stops(report: ReportDocument) -> list[str]:
    rows, players = report["funnel"]["levels"], report["players"]
    if not rows or not players:
        return ["Nobody played a level of the course."]
    if rows[0]["retention"] is None:
        furthest = [row for row in rows if row["reached"]][-1]
        return [
            f"The course has no end. The furthest level that anybody reached is {safe(furthest['level'])}, by "
            f"{furthest['reached']} of {plural(players, 'player')}."
        ]
    last = rows[-1]
    finished = f"{last['cleared']} of {plural(players, 'player')}" if last["cleared"] else "Nobody"
    sentences = [f"{finished} cleared the last level, {safe(last['level'])}."]
    lost = sum(row["lost"] or 0 for row in rows)
    stopped = {cause: sum(count_stopped_by(row, cause) for row in rows) for cause in END_CAUSES if cause not in _LOST}
    causes = [f"{count} {words(cause)}" for cause, count in stopped.items() if count]
    others = f" Others stopped for reasons that are held against no level: {listed(causes)}." if causes else ""
    were = "1 was lost" if lost == 1 else f"{lost} were lost"
    sentences.append((f"{were}: by quitting, or by an unknown end." if lost else "Nobody was lost on the way.") + others)
    worst = [row for row in sorted(rows, key=lambda row: -(row["lost"] or 0)) if row["lost"]][:_NAMED]
    where = [f"{row['lost']} of {row['reached']} at {safe(row['level'])} ({_range(row, 'drop_off')})" for row in worst]
    return sentences + ([f"{'Most of them' if lost > 1 else 'That was'}: {listed(where)}."] if where else [])


def _range(row: FunnelOrRawRow, key: str) -> str:
    low, high = figure(row, f"{key}_low"), figure(row, f"{key}_high")
    return f"{percent(figure(row, key))}, 95 % interval {percent(low).removesuffix(' %')}–{percent(high)}"


def _watch(report: ReportDocument) -> list[str]:
    sentences = []
    for row in flagged(report):
        seen = [moment(watched) for watched in row["watch"]]
        if seen:
            sentences.append(f"{safe(row['level'])}: {listed(seen)}.{_look_for(report, row['level'])}")
    if sentences and any("recording" in watched for row in flagged(report) for watched in row["watch"]):
        sentences.append("Times of a session with a recording are by the recording's clock.")
    return sentences


def moment(watched: Watched) -> str:
    """A moment to watch: which session, from when to when, and what is to be seen."""
    end = "then left for good" if watched["left"] else f"then {words(watched['ended'])}"
    tries = f"{plural(watched['tries'], 'try', 'tries')}, {seconds(watched['failed'])} of failing, {end}"
    return f"{safe(watched['session'])} from {clock(watched['from'])} to {clock(watched['to'])} ({tries})"


def _look_for(report: ReportDocument, level: str) -> str:
    """Return the main cause and place of death there, so that one knows what to look for."""
    deaths = next((row for row in report["deaths"]["levels"] if row["level"] == level), None)
    if deaths is None or not deaths["deaths"]:
        return ""
    most = max(deaths["causes"].items(), key=lambda item: item[1]["deaths"], default=None)
    cause = f"{safe(most[0])}, {most[1]['deaths']} of {plural(deaths['deaths'], 'death')}" if most else ""
    where = f"most die at {tenth(deaths['most_bin'])} of the way" if deaths["most_bin"] is not None else ""
    hints = "; ".join(part for part in (cause, where) if part)
    return f" Look for: {hints}." if hints else ""


def _targets(report: ReportDocument) -> list[str]:
    """How many targets came true, and those that did not."""
    targets = report["targets"]
    if targets is None:
        return []
    n_targets = plural(len(targets["targets"]), "target")
    counts = f"{targets['met']} of {n_targets} met, {targets['missed']} missed, {targets['no_telling']} undecided."
    missed = [row for row in targets["targets"] if row["verdict"] == "missed"]
    whole = [target_sentence(row) for row in missed if row["level"] is None]
    levels = list(dict.fromkeys(safe(row["level"]) for row in missed if row["level"]))
    return [counts, *whole, *([f"Missed at {plural(len(levels), 'level')}: {listed(levels)}."] if levels else [])]


def _answers(report: ReportDocument) -> list[str]:
    """How answers go with play, question by question."""
    answers = report["answers"]
    if answers is None:
        return []
    sentences = []
    for question in answers["questions"]:
        agreement = agreement_sentences(question)
        sentences += (
            [f"“{safe(question['question'])}”: {plural(question['players'], 'player')} answered.", *agreement]
            if agreement
            else []
        )
    return sentences


def _unsaid(report: ReportDocument) -> list[str]:
    rows = report["spikes"]["levels"]
    sentences = [safe(sentence) for sentence in report["spikes"]["unsaid"]]
    clear = [row for row in rows if row["kind"] == "none" and row["evidence"] == "none"]
    short = [row for row in clear if (row["players_needed"] or 0) > row["players"]]
    if short:
        most = max(row["players_needed"] or 0 for row in short)
        names = [safe(row["level"]) for row in short[:_NAMED]] + (
            [plural(len(short) - _NAMED, "more level")] if len(short) > _NAMED else []
        )
        sentences.append(
            f"A level that is too hard by a little may have been missed at {listed(names)}: to tell an excess of 1 logit "
            f"there takes up to {most} players at a level."
        )
    undecided = [row for row in rows if row["plan"] == "too few to tell"]
    if undecided:
        sentences.append(f"At {plural(len(undecided), 'level')} the tries do not tell whether the plan is met.")
    cut = sum(count_stopped_by(row, cause) for row in report["funnel"]["levels"] for cause in ("time_up", "crash"))
    if cut:
        sentences.append(
            f"{plural(cut, 'player')} were cut short by the clock or a crash; how far they would have got is not known."
        )
    return sentences


def _log(report: ReportDocument) -> list[str]:
    check = report["check"]
    n_findings, kinds = sum(check["findings"].values()), plural(len(check["findings"]), "kind")
    sentences = [
        f"{check['records']:,} records in {plural(len(check['files']), 'file')}: {check['used']:,} used, "
        f"{check['reported']:,} set aside, each with its reason; {n_findings:,} records in {kinds} of finding."
    ]
    moved = [safe(row["level"]) for row in check["moved"]]
    if moved:
        sentences.append(
            f"Repairs change the figures at {len(moved)} of {plural(len(check['levels']), 'level')} by more than a point."
        )
    else:
        sentences.append("Repairs do not change a figure by more than a point.")
    suspects = check["suspects"]
    if suspects:
        sentences.append(
            f"{plural(len(suspects), 'thing looks', 'things look')} odd, and may be true: "
            f"{listed([row['code'] for row in suspects])}."
        )
    return sentences


_FIGURES: Final = {
    "clear_rate": "players who clear it",
    "drop_off": "players lost there",
    "retention": "still playing after it",
    "first_try": "cleared at the first try",
    "try_clear": "a try clears",
}
_KINDS: Final = {"none": "nothing stands out", "spike": "a spike", "dip": "a dip", "step": "a step up"}
_MOST: Final = 8


def since_sentences(since: Since) -> list[str]:
    """Return the sentences on the news, the verdicts first."""
    gone = f", and {since['sessions_gone']} are no longer there" if since["sessions_gone"] else ""
    sentences = [f"Since {safe(since['file'])}: {plural(since['new_sessions'], 'new session')}{gone}."]
    sentences += [_verdict(verdict) for verdict in since["verdicts"]]
    sentences += [
        _word_moved(row)
        for row in sorted(since["moved"], key=lambda row: -abs(row["after"] - row["before"]) / max(row["noise"], 1e-9))[:_MOST]
    ]
    if len(since["moved"]) > _MOST:
        sentences.append(f"{len(since['moved']) - _MOST} more figures moved beyond their noise; the JSON form has all.")
    if since["moved"]:
        by_chance = max(1, round(since["compared"] / 20))
        sentences.append(f"{since['compared']} figures were compared; some {by_chance} would move as far by chance.")
    if since["findings"]:
        sentences.append(f"Newly found in the log: {listed([_word_finding(finding) for finding in since['findings']])}.")
    for key, heading in (("levels_added", "New in the course"), ("levels_removed", "No longer in the course")):
        if names := since["levels_added"] if key == "levels_added" else since["levels_removed"]:
            sentences.append(f"{heading}: {listed([safe(name) for name in names])}.")
    return sentences if len(sentences) > 1 else [*sentences, "No verdict changed, and no figure moved beyond its noise."]


def _verdict(verdict: NewVerdict) -> str:
    before, after = _KINDS.get(verdict["before"], verdict["before"]), _KINDS.get(verdict["after"], verdict["after"])
    if verdict["before"] == verdict["after"]:
        evidence = f"its evidence was {verdict['evidence_before']} and is {verdict['evidence_after']}"
        return f"{safe(verdict['level'])}: still {after}; {evidence}."
    evidence = f" ({verdict['evidence_after']} evidence)" if verdict["after"] != "none" else ""
    return f"{safe(verdict['level'])}: {before} before, {after} now{evidence}."


def _word_finding(finding: NewFinding) -> str:
    return f"{finding['code']} {finding['count']:,}"


def _word_moved(row: Moved) -> str:
    meaning = _FIGURES.get(row["figure"], row["figure"])
    return f"{safe(row['level'])}: {meaning}, {percent(row['before'])} before and {percent(row['after'])} now."
