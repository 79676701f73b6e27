"""What answers say as texts: questions in several languages as one, several answers in a cell, and themes by words."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import replace
from typing import Final, TypedDict

import numpy as np

from milepost.measures.interface import Answer, Question, Theme
from milepost.numerics.intervals import wilson_interval
from milepost.playback.play import Play

_QUOTED: Final = 2  # quotations of a theme at a level


class Quotation(TypedDict):
    """An answer that bears a theme, and where to see what it speaks of: the player's last attempt there; null for the course."""

    player: str
    answer: str
    session: str | None
    clock: float | None


class ThemeAtLevel(TypedDict):
    """A theme at a level, or in what was said of the whole course (null): of ``of`` players who answered, ``n`` speak of it."""

    theme: str
    level: str | None
    n: int
    of: int
    share: float
    share_low: float | None
    share_high: float | None
    quotations: list[Quotation]


def merge_languages(answers: Sequence[Answer], questions: Mapping[str, Question]) -> list[Answer]:
    """Answers to questions that are asked in several languages, as those to the one that they are the same as."""
    answers_read = []
    for answer in answers:
        about = questions.get(answer.question)
        if about is not None and about.same_as is not None:
            ours = {theirs.casefold(): translation for theirs, translation in about.translations.items()}
            translated = [ours.get(part.casefold(), part) for part in split_answer(answer.answer, about)]
            answer = replace(answer, question=about.same_as, answer=(about.separator or "").join(translated))
        answers_read.append(answer)
    return answers_read


def split_answer(text: str, about: Question) -> list[str]:
    """The answers in a cell, each once: several, where the question has a separator."""
    if about.separator is None:
        return [text]
    return list(dict.fromkeys(part.strip() for part in text.split(about.separator) if part.strip()))


def themes_at_levels(
    play: Play, by_level: Sequence[tuple[int | None, Sequence[Answer]]], themes: Sequence[Theme]
) -> list[ThemeAtLevel]:
    """Each theme at each level where somebody speaks of it, with two quotations; levels in the order of the course.

    Args:
        play: the play, whose attempts say when a player was last at a level.
        by_level: per level, by its place, or the whole course (None), the answers of different players.
        themes: what to look for.
    """
    rows = []
    for level, answers in by_level:
        for theme in themes:
            fitting = [answer for answer in answers if theme.fits(answer.answer)]
            if fitting:
                low, high = wilson_interval(len(fitting), len(answers))
                rows.append(
                    ThemeAtLevel(
                        theme=theme.name,
                        level=None if level is None else play.stops[level],
                        n=len(fitting),
                        of=len(answers),
                        share=len(fitting) / len(answers),
                        share_low=low,
                        share_high=high,
                        quotations=[_quotation(play, level, answer) for answer in _different(fitting)[:_QUOTED]],
                    )
                )
    return rows


def answers_without_theme(answers: Sequence[Answer], themes: Sequence[Theme]) -> list[Answer]:
    """The answers that fit no theme."""
    return [answer for answer in answers if not any(theme.fits(answer.answer) for theme in themes)]


def _different(answers: Sequence[Answer]) -> list[Answer]:
    """Return one answer of each wording."""
    first = {answer.answer.casefold(): answer for answer in reversed(answers)}
    return [answer for answer in answers if first[answer.answer.casefold()] is answer]


def _quotation(play: Play, level: int | None, answer: Answer) -> Quotation:
    table = play.attempts
    player = play.gated.players.index(answer.player)
    rows = np.flatnonzero((table.player == player) & (table.level == level)) if level is not None else np.zeros(0, np.int64)
    if not len(rows):
        return Quotation(player=answer.player, answer=answer.answer, session=None, clock=None)
    last = int(rows[-1])
    session = play.gated.log.sessions.name[table.session[last]]
    return Quotation(player=answer.player, answer=answer.answer, session=session, clock=float(table.opened[last]))
