"""Answers of players, by level and question, beside how hard the levels are to play."""

from __future__ import annotations

from collections import Counter
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from typing import Final, TypedDict

import numpy as np

from milepost.course.course import Course, Level, find_place
from milepost.logs.records.fields import parse_decimal
from milepost.measures.answer_changes import AnswerChange, EarlierAnswers
from milepost.measures.answer_texts import ThemeAtLevel, answers_without_theme, merge_languages, split_answer, themes_at_levels
from milepost.measures.attempts import AttemptsRow, AttemptsToClear
from milepost.measures.cells import gather_cells
from milepost.measures.interface import Answer, Question, Table, Theme
from milepost.numerics.intervals import Z95, Interval, mean_interval, wilson_interval
from milepost.numerics.ranks import Pairs, rank_standings, spearman, spearman_interval
from milepost.playback.play import Play

_NUMERIC: Final = 0.8  # share of a question's answers that are numbers, from which it is a scale
_MOST_APART, _FEWEST_LEVELS = 5, 4


class AnswerShare(TypedDict):
    """An answer, and how many gave it."""

    answer: str
    n: int
    share: float
    share_low: float | None
    share_high: float | None


class AnsweredLevel(TypedDict):
    """A level, or the whole course (null), with its answers; ``mean`` is of numbers, or of places in the order."""

    level: str | None
    n: int
    distribution: list[AnswerShare]
    mean: float | None
    mean_low: float | None
    mean_high: float | None
    sd: float | None


class Agreement(TypedDict):
    """How answers go with tries: Spearman's correlation over pairs of player and level."""

    rho: float | None
    low: float | None
    high: float | None
    pairs: int


class Apart(TypedDict):
    """A level that is felt to be otherwise than it plays.

    ``gap`` is by how much, in standard deviations between levels: where the answers put it, less where its tries put it.
    """

    level: str
    mean: float
    n: int
    try_clear: float
    gap: float
    gap_low: float
    gap_high: float
    reading: str


class Listed(TypedDict):
    """An answer that is on no scale."""

    level: str | None
    player: str
    answer: str


class QuestionAnswers(TypedDict):
    """A question; ``agreement`` and ``apart`` are of ordered ones, ``themes`` and what is of none of them of others."""

    question: str
    ordered: bool
    scale: list[str]
    players: int
    levels: list[AnsweredLevel]
    agreement: Agreement | None
    apart: list[Apart]
    listed: list[Listed]
    themes: list[ThemeAtLevel]
    of_no_theme: list[Listed]


class AnswersRow(TypedDict):
    """A question at a level, beside the level's tries."""

    question: str
    level: str | None
    n: int
    mean: float | None
    mean_low: float | None
    mean_high: float | None
    try_clear: float | None
    try_clear_low: float | None
    try_clear_high: float | None


class AnswersTotals(TypedDict):
    """The questions, and whose answers, and at which levels, could not be placed; what changed since an earlier report."""

    questions: list[QuestionAnswers]
    since: list[AnswerChange] | None
    players_not_counted: list[str]
    unknown_levels: list[str]


@dataclass(frozen=True)
class Answers:
    """Answers beside play.

    Attributes:
        answers: them.
        questions: what is known of some questions, by their texts.
        least: of fewer answers, nothing is claimed of a level.
        themes, earlier: what to look for in answers on no scale; the questions of an earlier report, if there is one.
    """

    answers: Sequence[Answer]
    questions: Mapping[str, Question] = field(default_factory=dict)
    least: int = 5
    themes: Sequence[Theme] = ()
    earlier: EarlierAnswers | None = None

    def __call__(self, play: Play) -> Table[AnswersRow, AnswersTotals]:
        """Rows a question and level; the totals hold the questions."""
        placed = _Placed.of(play, merge_languages(self.answers, self.questions))
        asked = dict.fromkeys(answer.question for answer in placed.answers)
        questions = [self._question(play, placed, text) for text in asked]
        tries = {row["level"]: row for row in play.compute_once(AttemptsToClear()).rows}
        rows = []
        for question in questions:
            for row in question["levels"]:
                beside = tries[row["level"]] if row["level"] else None
                rows.append(
                    AnswersRow(
                        question=question["question"],
                        level=row["level"],
                        n=row["n"],
                        mean=row["mean"],
                        mean_low=row["mean_low"],
                        mean_high=row["mean_high"],
                        try_clear=beside and beside["try_clear"],
                        try_clear_low=beside and beside["try_clear_low"],
                        try_clear_high=beside and beside["try_clear_high"],
                    )
                )
        since = None if self.earlier is None else self.earlier.changes(play, questions, self.least)
        strangers, unknown = placed.strangers, placed.unknown
        return Table(rows, AnswersTotals(questions=questions, since=since, players_not_counted=strangers, unknown_levels=unknown))

    def _question(self, play: Play, placed: _Placed, text: str) -> QuestionAnswers:
        answers = [answer for answer in placed.answers if answer.question == text]
        about = self.questions.get(text, Question())
        scale = _scale(answers, about)
        ends = _ends(answers, scale, about)
        levels = [_level(placed.name(level), answers, scale, ends, about) for level, answers in placed.by_level(answers)]
        plain = [answer for answer in answers if scale is None or scale.value(answer.answer) is None]
        themes = self.themes if scale is None else ()
        return QuestionAnswers(
            question=text,
            ordered=scale is not None,
            scale=list(about.order),
            players=len({answer.player for answer in answers}),
            levels=levels,
            agreement=_agreement(play, placed, answers, scale) if scale else None,
            apart=self._outliers(play, levels, about.harder, ends) if scale else [],
            listed=placed.listed(plain),
            themes=themes_at_levels(play, placed.by_level(answers), themes),
            of_no_theme=placed.listed(answers_without_theme(answers, themes)) if themes else [],
        )

    def _outliers(self, play: Play, levels: list[AnsweredLevel], harder: str | None, ends: tuple[float, float]) -> list[Apart]:
        """The levels that stand elsewhere by their answers than by their tries, by more than chance.

        Levels are ranked, so that it does not matter how far apart the answers of a scale with a floor lie; and nothing is
        claimed of a level whose answers lie on the other side of the middle of their scale.
        """
        tries = {row["level"]: row for row in play.compute_once(AttemptsToClear()).rows if row["players"] >= self.least}
        judged = [row for row in levels if row["n"] >= self.least and row["level"] in tries]
        if len(judged) < _FEWEST_LEVELS:
            return []
        felt = rank_standings([(row["mean"], row["mean_low"], row["mean_high"]) for row in judged], harder == "down")
        plays = rank_standings([_clearing(tries[str(row["level"])]) for row in judged], True)
        gap, reach = felt[0] - plays[0], Z95 * np.hypot(felt[1], plays[1])
        middle, up = sum(ends) / 2, harder != "down"
        shown = [(float(row["mean"] or 0) - middle) * (1 if up else -1) for row in judged]
        order = np.argsort(-np.abs(gap), kind="stable").tolist()
        beyond = [n for n in order if abs(gap[n]) > reach[n] and gap[n] * shown[n] > 0][:_MOST_APART]
        return [
            Apart(
                level=str(judged[n]["level"]),
                mean=float(judged[n]["mean"] or 0),
                n=judged[n]["n"],
                try_clear=float(tries[str(judged[n]["level"])]["try_clear"] or 0),
                gap=float(gap[n]),
                gap_low=float(gap[n] - reach[n]),
                gap_high=float(gap[n] + reach[n]),
                reading=_reading(gap[n] > 0, harder),
            )
            for n in beyond
        ]


def _clearing(row: AttemptsRow) -> tuple[float | None, float | None, float | None]:
    return row["try_clear"], row["try_clear_low"], row["try_clear_high"]


def _reading(more: bool, harder: str | None) -> str:
    if harder is None:
        return "answered higher than its tries lead one to expect" if more else "answered lower than its tries lead one to expect"
    return "felt harder than it plays" if more else "felt easier than it plays"


@dataclass(frozen=True)
class _Scale:
    """Values of answers: their places in an order, counted from 1, or the numbers that they are."""

    order: Mapping[str, float] | None

    def value(self, answer: str) -> float | None:
        """An answer's value; None where it has none."""
        return parse_decimal(answer) if self.order is None else self.order.get(answer.casefold())


def _scale(answers: list[Answer], about: Question) -> _Scale | None:
    """The scale of a question's answers; None where they are on none."""
    if about.order:
        return _Scale({answer.casefold(): float(place) for place, answer in enumerate(about.order, 1)})
    numbers = sum(parse_decimal(answer.answer) is not None for answer in answers)
    return _Scale(None) if numbers >= _NUMERIC * len(answers) else None


@dataclass(frozen=True)
class _Placed:
    """Answers of counted players, at levels of the course or at none, the last of each player alone.

    Attributes:
        answers: them.
        place: per level as it was written, its place in the course; None for the whole of it.
        names: the levels.
        strangers: players who gave answers, and do not count.
        unknown: levels that the course does not have.
    """

    answers: list[Answer]
    place: Mapping[str | None, int | None]
    names: list[str]
    strangers: list[str]
    unknown: list[str]

    @classmethod
    def of(cls, play: Play, answers: Sequence[Answer]) -> _Placed:
        """Place them."""
        names = play.stops[: play.n_levels]
        course = play.course or Course(None, tuple(map(Level, names)))
        called = {level: find_place(course, level) for level in dict.fromkeys(answer.level for answer in answers) if level}
        place: dict[str | None, int | None] = {None: None} | {level: n for level, n in called.items() if n is not None}
        builds = set(play.gated.log.sessions.build)
        answers = [answer for answer in answers if answer.build is None or answer.build in builds]
        counting = {name for name, counts in zip(play.gated.players, play.counts.tolist(), strict=True) if counts}
        strangers = dict.fromkeys(answer.player for answer in answers if answer.player not in counting)
        unknown = dict.fromkeys(str(answer.level) for answer in answers if answer.level not in place)
        counted = [answer for answer in answers if answer.player in counting and answer.level in place]
        last = {(answer.player, place[answer.level], answer.question): answer for answer in counted}
        return cls(list(last.values()), place, names, list(strangers), list(unknown))

    def name(self, place: int | None) -> str | None:
        """A level's name."""
        return None if place is None else self.names[place]

    def listed(self, answers: Sequence[Answer]) -> list[Listed]:
        """Return answers as they are listed."""
        levels = [self.name(self.place[answer.level]) for answer in answers]
        return [Listed(level=level, player=each.player, answer=each.answer) for level, each in zip(levels, answers, strict=True)]

    def by_level(self, answers: list[Answer]) -> list[tuple[int | None, list[Answer]]]:
        """The answers of each level in course order, those to the whole course last."""
        by_level: dict[int | None, list[Answer]] = {}
        for answer in answers:
            by_level.setdefault(self.place[answer.level], []).append(answer)
        return sorted(by_level.items(), key=lambda item: (item[0] is None, item[0] or 0))


def _ends(answers: list[Answer], scale: _Scale | None, about: Question) -> tuple[float, float]:
    """The ends of a scale: of its order, or of the answers that were given."""
    values = [value for answer in answers if scale and (value := scale.value(answer.answer)) is not None]
    if about.order:
        return 1.0, float(len(about.order))
    return (min(values), max(values)) if values else (0.0, 0.0)


def _level(
    level: str | None, answers: list[Answer], scale: _Scale | None, ends: tuple[float, float], about: Question
) -> AnsweredLevel:
    """A level's answers, those on a scale in its order, others by how many gave them."""
    spelt: dict[str, str] = {}
    counts = Counter(spelt.setdefault(part.casefold(), part) for answer in answers for part in split_answer(answer.answer, about))
    values = [value for answer in answers if scale and (value := scale.value(answer.answer)) is not None]
    mean, (low, high) = _mean(values)
    low, high = (None if end is None else min(max(end, ends[0]), ends[1]) for end in (low, high))  # no answer lies beyond

    def place(answer: str) -> tuple[float, float, str]:
        value = scale.value(answer) if scale else None
        return (float("inf") if value is None else value, -counts[answer], answer)

    shares = []
    for answer in sorted(counts, key=place):
        lower, upper = wilson_interval(counts[answer], len(answers))
        shares.append(
            AnswerShare(answer=answer, n=counts[answer], share=counts[answer] / len(answers), share_low=lower, share_high=upper)
        )
    sd = float(np.std(values, ddof=1)) if len(values) > 1 else None
    return AnsweredLevel(level=level, n=len(answers), distribution=shares, mean=mean, mean_low=low, mean_high=high, sd=sd)


def _mean(values: list[float]) -> tuple[float | None, Interval]:
    return (float(np.mean(values)), mean_interval(np.array(values))) if values else (None, (None, None))


def _agreement(play: Play, placed: _Placed, answers: list[Answer], scale: _Scale) -> Agreement:
    """How the answers go with settled tries, over players and levels that have both."""
    table = gather_cells(play)
    settled = {
        (player, level): tries
        for player, level, tries in zip(table.player.tolist(), table.level.tolist(), table.settled.tolist(), strict=True)
    }
    codes = {name: code for code, name in enumerate(play.gated.players)}
    owners: dict[str, int] = {}
    rows = []
    for answer in answers:
        level, value = placed.place[answer.level], scale.value(answer.answer)
        tries = settled.get((codes[answer.player], level), 0) if level is not None else 0
        if value is not None and tries:
            rows.append((value, tries, owners.setdefault(answer.player, len(owners))))
    pairs = Pairs(*(np.array([row[n] for row in rows], dtype=kind) for n, kind in enumerate((float, float, np.int64))))
    low, high = spearman_interval(pairs)
    return Agreement(rho=spearman(pairs), low=low, high=high, pairs=len(rows))
