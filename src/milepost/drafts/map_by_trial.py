"""A log map drafted by trial: candidates are replayed on a sample, and the one that leaves least unexplained is the draft."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from typing import Final

from milepost.drafts.draft_questions import NO_ANSWERS, DraftQuestion, RankedCandidate, SetAnswers, list_questions
from milepost.drafts.event_labels import FEWEST
from milepost.drafts.map_candidate import Candidate, map_text
from milepost.drafts.map_candidates import list_candidates
from milepost.drafts.prepared_samples import PreparedSample, prepare_samples
from milepost.drafts.stay_tables import draft_stay_map
from milepost.drafts.trial_replay import Trial, try_map
from milepost.errors import LogError, MilePostError
from milepost.logs.interface import DEFAULTS, ReadOptions
from milepost.logs.mapping.map_draft import map_by_words
from milepost.logs.sources.files import expand
from milepost.progress import SILENT, Progress
from milepost.toml import toml_text
from milepost.vocabulary import EVENT_CODES
from milepost.wording import listed, percent, plural, safe

_TRIED_RECORDS: Final = 4000
_SURE: Final = 0.75  # score from which a draft is not said to be doubtful
_BEYOND_DOUBT: Final = 0.95  # rank from which no other way to make records is tried
_CERTAIN: Final = 0.9  # from which a table of stays is one, and nothing else is tried
_FIT: Final = 0.1  # how much the fit of its columns and words counts beside the replay, which knows nothing of what was left out
_USUAL_SCORE: Final = 1.6
_AGAINST_HEADING: Final = 0.2  # how much less a draft is worth for each column that is called something else
_OURS: Final = 0.9  # share of records with event words of ours, from which a log with fields of ours is one of ours
OUR_FIELDS: Final = ("session", "time", "event", "level")
_BY_WORDS: Final = 0.005  # how much less a map by words may explain, and still be the draft


@dataclass(frozen=True, eq=False, repr=False)
class DraftedMap:
    """A draft of a log map.

    Attributes:
        text: the map.
        trial: what came of replaying a sample through it.
        runner_up: what came of the next best, where there was one.
        candidate: what its columns and words were taken for; None where it was drafted by headings and words.
        records: of the sample, as the map's `[input]` makes them.
        cells: whether their values know no types.
        questions: what it is not sure of.
        of_stays: whether a row is a stay, or holds a player's stays in several columns.
    """

    text: str
    trial: Trial
    candidate: Candidate | None = None
    runner_up: Trial | None = None
    records: Sequence[Mapping[str, object]] = field(default=(), repr=False)
    cells: bool = False
    questions: tuple[DraftQuestion, ...] = ()
    of_stays: bool = False

    @property
    def rank(self) -> float:
        """How much of the log the draft explains: the replay of its tries, and the place of each word."""
        words = 1.0 if self.candidate is None else min(1.0, max(0.0, 0.5 + 0.6 * self.candidate.labelling.score))
        if self.candidate is None:
            return self.trial.score * words
        fit = _FIT * (self.candidate.score - _USUAL_SCORE) - _AGAINST_HEADING * len(self.candidate.against_headings)
        return self.trial.score * words + fit

    @property
    def sure(self) -> bool:
        """Return whether the draft explains the log well enough to be believed."""
        return self.rank >= _SURE


def draft_by_trial(
    names: list[str], options: ReadOptions, progress: Progress = SILENT, answers: SetAnswers = NO_ANSWERS
) -> DraftedMap:
    """Return the draft of a log map that explains most of a log.

    Args:
        names: the log.
        options: how files are read.
        progress: told of each step.
        answers: what is known of it beforehand.

    Raises:
        LogError: the log cannot be read, or no draft reads anything of it.
    """
    progress.step("looking")
    sources = expand(names)
    by_words = None if answers != NO_ANSWERS else _draft_by_words(names, options, progress)
    if by_words is not None and by_words.sure and _is_ours(by_words.records):
        return _add_other_words(by_words, prepare_samples(sources, options, progress))
    drafts: list[DraftedMap] = []
    for sample in prepare_samples(sources, options, progress):
        drafts += _drafts_of(sample, answers)
        if any(draft.rank >= _BEYOND_DOUBT for draft in drafts):
            break
    if by_words is not None:
        drafts.append(by_words)
    drafts.sort(key=lambda draft: -draft.rank)
    if by_words is not None and by_words.trial.records and not drafts[0].trial.score:
        return by_words
    if not drafts or not drafts[0].trial.score:
        why = (drafts[0].trial.problem if drafts else "") or "nothing in it looks like levels that are tried and cleared"
        raise LogError(
            f"{sources[0].label}: no way was found to read this log ({why}). docs/foreign-logs.md says how to write a map."
        )
    best = drafts[0]
    if by_words is not None and by_words.rank >= best.rank - _BY_WORDS and not (best.of_stays and by_words.rank <= best.rank):
        best = by_words
    others = [draft for draft in drafts if draft is not best]
    runner_up = others[0].trial if others else None
    ranked = [RankedCandidate(draft.candidate, draft.rank) for draft in (best, *others)]
    return replace(best, runner_up=runner_up, questions=tuple(list_questions(ranked[0], ranked[1:], answers)))


def _drafts_of(sample: PreparedSample, answers: SetAnswers) -> list[DraftedMap]:
    records = sample.records[:_TRIED_RECORDS]
    drafts = []
    stays = draft_stay_map(sample, answers.columns)
    if stays is not None:
        inner = stays.sample.records[:_TRIED_RECORDS]
        drafts.append(DraftedMap(stays.text, try_map(stays.text, inner, True), None, None, inner, True, of_stays=True))
        if drafts[0].trial.score >= _CERTAIN:
            return drafts
    for candidate in list_candidates(sample, answers):
        text = map_text(candidate, answers.words)
        shown = _convert_durations(candidate, records)
        drafts.append(DraftedMap(text, try_map(text, shown, sample.cells), candidate, None, shown, sample.cells))
    return drafts


def _convert_durations(candidate: Candidate, records: Sequence[Mapping[str, object]]) -> Sequence[Mapping[str, object]]:
    """The records with durations in the unit of the times, as the map's query makes them."""
    duration = candidate.duration
    if duration is None or duration.factor == 1.0:
        return records
    name, values = duration.column.name, duration.column.numbers
    assert values is not None
    return [{**record, name: float(value * duration.factor)} for record, value in zip(records, values, strict=False)]


def _is_ours(records: Sequence[Mapping[str, object]]) -> bool:
    """Return whether a log is written as ours are, but for a word here and there: then words mean what they say."""
    if any(not any(name in record for record in records) for name in OUR_FIELDS):
        return False
    return sum(str(record.get("event")) in EVENT_CODES for record in records) >= _OURS * len(records)


def _add_other_words(draft: DraftedMap, samples: Iterable[PreparedSample]) -> DraftedMap:
    """The draft of a log of ours, with what the words mean that are none of ours, by what they do beside those that are."""
    counts = Counter(str(record["event"]) for record in draft.records if "event" in record)
    others = {toml_text(word) for word, count in counts.items() if word not in EVENT_CODES and count >= FEWEST}
    known = SetAnswers({name: name for name in OUR_FIELDS}, {word: word for word in EVENT_CODES})
    drafts = (
        candidate
        for sample in samples
        for candidate in list_candidates(sample, known)
        if candidate.roles.event_names == ("event",) and not candidate.rows
    )
    best = next(drafts, None) if others else None
    if best is None:
        return draft
    by_key = {line.partition(" = ")[0]: line for line in map_text(best, known.words).splitlines()}
    meant = {word: line for word, line in by_key.items() if word in others}
    lines = [meant.get(line.partition(" = ")[0].removeprefix("# "), line) for line in draft.text.splitlines()]
    text = "\n".join(lines) + "\n"
    questions = tuple(list_questions(RankedCandidate(best, 1.0), (), known))
    return replace(draft, text=text, trial=try_map(text, draft.records, draft.cells), questions=questions)


def _draft_by_words(names: list[str], options: ReadOptions, progress: Progress) -> DraftedMap | None:
    try:
        text, records, cells = map_by_words(names, options, progress)
    except LogError:
        return None
    return DraftedMap(text, try_map(text, records[:_TRIED_RECORDS], cells), None, None, records[:_TRIED_RECORDS], cells)


def add_heading(draft: DraftedMap, label: str) -> str:
    """Return the draft with what it explains, and what speaks against it, before all else."""
    trial, runner_up = draft.trial, draft.runner_up
    lines = [f"# A draft of a log map, from {plural(len(draft.records), 'record')} of {safe(label)}."]
    if not draft.sure:
        lines.append(
            "# DOUBTFUL: this draft leaves much of the log unexplained. Do not believe its figures before you have checked it."
        )
    if draft.candidate is None and _is_ours(draft.records):
        lines.append("# This log has the fields and words of Mile Post: a map is for its other words alone, where it has any.")
    if not trial.clears:
        lines.append(f"# No try clears a level with it{': ' + safe(trial.problem) if trial.problem else ''}.")
    lines.append(
        f"# Replayed on them: {percent(trial.explained)} of records used, {percent(trial.settled)} of tries end, after "
        f"{percent(trial.followed)} of clears the next level follows, after {percent(trial.repeated)} of failures the same one."
    )
    lines.append(f"# Score {trial.score:.2f} of 1" + (f"; the next best draft has {runner_up.score:.2f}." if runner_up else "."))
    for question in draft.questions:
        lines.append(
            f"# NOT SURE: {safe(question.key)} is taken for {safe(question.likelier)}; it may be {safe(question.other)} "
            f"(--set {safe(question.key)}={safe(question.other)})."
        )
    lines.append("# Every line is a guess with what it rests on: check each, then read the log with --map.")
    return "\n".join(lines) + "\n" + draft.text


_FEWEST = 0.5  # of the records, that a draft has to explain to be spoken of


def likely_columns(names: list[str]) -> str:
    """Return a sentence on the likeliest columns of a log, and what speaks for them; an empty text where there are none."""
    if "-" in names:
        return ""
    try:
        draft = draft_by_trial(names, DEFAULTS)
    except MilePostError:
        return ""
    if draft.trial.explained < _FEWEST:
        return ""
    why = f"{percent(draft.trial.explained)} of its records are explained so, and {percent(draft.trial.settled)} of tries end"
    columns = listed([f"{ours} '{safe(theirs)}'" for ours, theirs in _columns(draft)])
    doubt = "" if draft.sure else " It is a doubtful guess."
    return f"The likeliest columns are {columns}: {why}.{doubt}" if columns else f"A map was found for it: {why}.{doubt}"


def _columns(draft: DraftedMap) -> list[tuple[str, str]]:
    """What the draft takes for what, by ours."""
    candidate = draft.candidate
    if candidate is None:
        return []
    level, event = " with ".join(candidate.roles.level_names), candidate.roles.event_names[-1]
    time = " with ".join(candidate.time.names) if candidate.time is not None else ""
    word = "result" if candidate.rows else "event"
    pairs = [("session", candidate.session), ("player", candidate.player), ("time", time), (word, event), ("level", level)]
    return [(ours, theirs) for ours, theirs in pairs if theirs]
