"""Checks of the makers' promises: the records that break one, and their attempts."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Final, TypedDict

import numpy as np

from milepost.arrays import Bools, Floats, Ints
from milepost.audit.evidence import Evidence, Suspect, find_attempts
from milepost.cleaning.field_values import LevelTexts, Values, number_of, text_of, values_of, values_of_numbers
from milepost.course.promises import Promise, Promised, split_terms
from milepost.logs.interface import ABSENT, Place
from milepost.numerics.whole_numbers import distinct
from milepost.playback.play import FullPlay, Play
from milepost.playback.tallies import PLACES
from milepost.vocabulary import BIT, DROPPED, EVENT_CODES

_TOLERANCE: Final = 1e-9
_COMPARED: Final[dict[str, Callable[[Floats, Floats], Bools]]] = {
    "=": lambda a, b: np.abs(a - b) <= _TOLERANCE,
    "!=": lambda a, b: np.abs(a - b) > _TOLERANCE,
    "<": lambda a, b: a < b - _TOLERANCE,
    "<=": lambda a, b: a <= b + _TOLERANCE,
    ">": lambda a, b: a > b + _TOLERANCE,
    ">=": lambda a, b: a >= b - _TOLERANCE,
}


class PromiseRow(TypedDict):
    """A promise, how many records it could be judged on, and how many broke it."""

    on: list[str]
    that: list[str]
    level: str | None
    build: str | None
    why: str | None
    otherwise: str
    weight: str
    judged: int
    broken: int
    sessions: int
    levels: list[str]
    places: list[str]


@dataclass(frozen=True, eq=False, repr=False)
class Kept:
    """How one promise fared: on how many records it was judged, and those that broke it, in log order.

    ``place`` is the record's place in its session's order of replay; ``level`` is ABSENT where it has none.
    """

    judged: int
    session: Ints
    place: Ints
    level: Ints
    file: Ints
    line: Ints


@dataclass(frozen=True)
class Promises:
    """How each promise of the course fared."""

    kept: list[Kept]

    @classmethod
    def of(cls, play: FullPlay) -> Promises:
        """Judge a play's records."""
        promises = play.course.promises if play.course else ()
        if not promises:
            return cls([])
        place = np.full(len(play.gated.log.records), ABSENT)
        place[play.gated.order] = np.arange(len(play.gated.order))
        return cls([_judged(play, promise, place) for promise in promises])

    @classmethod
    def merged(cls, parts: list[Promises]) -> Promises:
        """Return the promises of a log, added up from its parts."""
        return cls([_together(list(of_promise)) for of_promise in zip(*(part.kept for part in parts), strict=True)])


def _together(parts: list[Kept]) -> Kept:
    names = ("session", "place", "level", "file", "line")
    columns = {name: np.concatenate([getattr(part, name) for part in parts]) for name in names}
    order = np.lexsort((columns["line"], columns["file"]))
    return Kept(sum(part.judged for part in parts), **{name: column[order] for name, column in columns.items()})


def _judged(play: FullPlay, promise: Promise, place: Ints) -> Kept:
    gated = play.gated
    records = gated.log.records
    ours = np.isin(records.event, [EVENT_CODES[word] for word in promise.on if word in EVENT_CODES])
    theirs = {word: -1 - number for number, word in enumerate(gated.log.unknown_words)}
    foreign = np.isin(records.event, [theirs[word] for word in promise.on if word in theirs])
    concerned = (ours & (records.marks & DROPPED == 0)) | (foreign & (records.marks & (DROPPED & ~BIT["unknown_event"]) == 0))
    if promise.level is not None:
        concerned &= gated.level == gated.stops.names.index(promise.level)
    if promise.build is not None:
        built = np.array([build == promise.build for build in gated.log.sessions.build], dtype=np.bool_)
        concerned &= built[records.session]
    rows = np.flatnonzero(concerned)
    broken, present = np.zeros(len(rows), np.bool_), np.ones(len(rows), np.bool_)
    for condition in promise.that:
        known, holds = _holds(play, condition, rows)
        broken |= known & ~holds
        present &= known
    bad = rows[broken]
    session = records.session[bad]
    at = np.where(foreign[bad], _open_then(play, bad), place[bad]) - gated.bounds[session]
    return Kept(int((broken | present).sum()), session, at, gated.level[bad], records.file[bad], records.line[bad])


def _open_then(play: FullPlay, rows: Ints) -> Ints:
    """For records that are not replayed, the place of the replayed one before each, if an attempt is open after that; else -1."""
    gated, records = play.gated, play.gated.log.records
    open_at = np.full(len(rows), ABSENT)
    time = records.time[gated.order]
    for number, row in enumerate(rows.tolist()):
        begin, end = gated.bounds[records.session[row]], gated.bounds[records.session[row] + 1]
        open_at[number] = begin + np.searchsorted(time[begin:end], records.time[row], side="right") - 1
        if open_at[number] < begin:
            open_at[number] = ABSENT
    table = play.attempts
    closed = np.isin(open_at, table.closed_at) & ~np.isin(open_at, table.opened_at)
    return np.where(closed, ABSENT, open_at)


def _holds(play: FullPlay, condition: Promised, rows: Ints) -> tuple[Bools, Bools]:
    """Per record, whether a condition can be judged on it, and whether it holds."""
    left, right = _side(play, condition.left, rows), _right(play, condition, rows)
    never = np.zeros(len(rows), np.bool_)
    if left is None or right is None:
        return never, never
    present: Bools = (left.codes >= 0) & (right.codes >= 0)
    both: Bools = present & ~np.isnan(left.numbers) & ~np.isnan(right.numbers)
    as_numbers = _COMPARED[condition.sign](left.numbers, right.numbers)
    if condition.sign not in ("=", "!="):
        return both, both & as_numbers
    if condition.texts:
        hit = _is_wanted(play, left, condition.texts)
    else:
        hit = np.where(both, np.abs(left.numbers - right.numbers) <= _TOLERANCE, _compare_texts(play, left, right))
    return present, present & (hit if condition.sign == "=" else ~hit)


def _right(play: FullPlay, condition: Promised, rows: Ints) -> Values | None:
    """Return the values that a condition's field is compared with, one for each record."""
    if condition.field is not None:
        return _side(play, condition.field, rows)
    if condition.knob is not None:
        return _knobs(play, condition.knob, rows)
    text = str(condition.number) if condition.number is not None else condition.texts[0]
    return Values(np.zeros(len(rows), np.int64), [text])


def _side(play: FullPlay, side: str, rows: Ints) -> Values | None:
    """Return the values of a field, or of a sum of several, one for each record; None where the log lacks one of them."""
    terms = [_term(play, term, rows) for term in split_terms(side)]
    if len(terms) == 1:
        return terms[0]
    known = [values.numbers for values in terms if values is not None]
    return values_of_numbers(np.sum(known, axis=0)) if len(known) == len(terms) else None


def _term(play: FullPlay, term: str, rows: Ints) -> Values | None:
    if term.startswith("knobs."):
        return _knobs(play, term.removeprefix("knobs."), rows)
    is_number = not np.isnan(number_of(term))
    return Values(np.zeros(len(rows), np.int64), [term]) if is_number else values_of(play.gated, term, rows)


def _knobs(play: FullPlay, name: str, rows: Ints) -> Values:
    """Per record, the knob of its level."""
    levels = play.course.levels if play.course else ()
    texts = [text_of(level.knobs[name]) if name in level.knobs else None for level in levels]
    known = [text for text in dict.fromkeys(texts) if text is not None]
    codes = [ABSENT if text is None else known.index(text) for text in texts]
    of_stop = np.array([*codes, *([ABSENT] * (len(play.stops) - len(codes))), ABSENT])
    return Values(of_stop[play.gated.level[rows]], known)


def _is_wanted(play: FullPlay, values: Values, wanted: tuple[str, ...]) -> Bools:
    """Per row, whether its value is one of some texts, or of the levels that they name."""
    texts = LevelTexts(play.gated)
    names = {texts.canonical(text) for text in wanted}
    hit = [text in wanted or texts.canonical(text) in names for text in values.texts]
    return np.array([*hit, False])[values.codes]


def _compare_texts(play: FullPlay, left: Values, right: Values) -> Bools:
    """Per row, whether two values are one text, or name one level."""
    texts = LevelTexts(play.gated)
    ours, theirs = ([texts.canonical(text) for text in values.texts] for values in (left, right))
    place = {name: number for number, name in enumerate(dict.fromkeys([*ours, *theirs]))}
    first, other = (
        np.array([*(place[name] for name in names), ABSENT])[values.codes] for names, values in ((ours, left), (theirs, right))
    )
    return np.asarray(first == other, np.bool_)


def list_promises(play: Play) -> list[PromiseRow]:
    """Each promise of the course, and how it fared."""
    promises = play.course.promises if play.course else ()
    return [
        PromiseRow(
            on=list(promise.on),
            that=[condition.written for condition in promise.that],
            level=promise.level,
            build=promise.build,
            why=promise.why,
            otherwise="void" if promise.voids else "list",
            weight=promise.weight,
            judged=kept.judged,
            broken=len(kept.session),
            sessions=len(distinct(kept.session)),
            levels=_levels(play, kept),
            places=_list_examples(play, kept),
        )
        for promise, kept in zip(promises, play.summary(Promises).kept, strict=True)
    ]


def _levels(play: Play, kept: Kept) -> list[str]:
    return [play.stops[level] for level in distinct(kept.level[kept.level >= 0])]


def _list_examples(play: Play, kept: Kept) -> list[str]:
    places = (Place(*place) for place in zip(kept.file[:PLACES].tolist(), kept.line[:PLACES].tolist(), strict=True))
    return [f"{play.gated.log.files[place.file]}:{place.line}" for place in places]


def broken_promise(evidence: Evidence) -> list[Suspect]:
    """Promises that records break."""
    play = evidence.play
    promises = play.course.promises if play.course else ()
    return [
        Suspect(
            "broken_promise",
            _levels(play, kept),
            len(kept.session),
            frozenset(kept.session.tolist()),
            promise.wording,
            [promise.build] if promise.build else [],
            attempts=find_attempts(play, kept.session, kept.place),
            places=_list_examples(play, kept),
            weight=promise.weight,
        )
        for promise, kept in zip(promises, play.summary(Promises).kept, strict=True)
        if len(kept.session)
    ]


def find_void_attempts(play: Play) -> Ints:
    """The attempts that are void because of a promise that says so."""
    promises = play.course.promises if play.course else ()
    voiding = [kept for promise, kept in zip(promises, play.summary(Promises).kept, strict=True) if promise.voids]
    attempts = [find_attempts(play, kept.session, kept.place) for kept in voiding]
    return distinct(np.concatenate(attempts)) if attempts else np.zeros(0, np.int64)
