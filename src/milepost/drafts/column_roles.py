"""Which columns say whose session a record is of, which level, what happened and when: found by what the columns do.

Times rise within a session; a session visits levels in an order that sessions share, and stays at each for some records; words
repeat from level to level, and follow each other by rules.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from itertools import combinations
from types import MappingProxyType
from typing import Final

import numpy as np

from milepost.arrays import Ints
from milepost.drafts.sampled_table import CellColumn, SampledTable
from milepost.logs.mapping.languages import score_heading

_FEW_FILES: Final = 6  # each of which may be of one kind of event
_MOST_WORDS: Final = 40  # different event words of a log
_MOST_LEVELS: Final = 400
_MOST_TRIED: Final = 5  # columns of a kind that are tried with each other
_MOST_EVENTS: Final = 3  # of which the words are looked at, for each column of levels
_ANYWHERE: Final = 0.4  # what a column of events is worth that stands hardly anywhere, of one that stands in all records
_LEVEL_ANYWHERE: Final = 0.7  # the same of a column of levels, which may hold until it changes
_CONSTANT: Final = 0.97  # share of steps within a group in which a column stays as it is, from which it says nothing of them
_HEADING: Final = 0.35  # what a telling heading is worth beside what a column does, which is from 0 to 1


@dataclass(frozen=True)
class Roles:
    """Columns by what they may be.

    Attributes:
        group: whose record it is: a session's or a player's; None where all records are one session.
        level: the columns that together name the level.
        event: the columns that together say what happened.
        fit: how well they fit, before their words are looked at.
    """

    group: CellColumn | None
    level: CellColumn
    event: CellColumn
    level_names: tuple[str, ...]
    event_names: tuple[str, ...]
    fit: float


def rank_groups(table: SampledTable) -> list[tuple[CellColumn | None, float]]:
    """Return the columns that may say whose a record is, with how well each fits; best first."""
    scored: list[tuple[CellColumn | None, float]] = []
    for column in table.columns.values():
        distinct = len(column.words)
        if column.given < 0.95 or not 2 <= distinct <= table.records / 3:
            continue
        runs = 1 + int((np.diff(column.codes) != 0).sum())
        contiguous = min(1.0, distinct / runs * 1.0)
        rising = max((rising_share(other.times[0], column.codes) for other in table.columns.values() if other.times), default=0.5)
        heading = max(score_heading("session", column.name), score_heading("player", column.name))
        scored.append((column, 0.4 * contiguous + 0.6 * rising + _HEADING * heading))
    scored.sort(key=lambda pair: -pair[1])
    return scored[: 2 * _MOST_TRIED] or [(None, 0.5)]


def rising_share(times: np.ndarray, groups: Ints) -> float:
    """Return in which share of steps from one record of a group to the next, in the log's order, times do not fall."""
    order = np.argsort(groups, kind="stable")
    same = (np.diff(groups[order]) == 0) & (groups[order][1:] >= 0)
    steps = np.diff(times[order])[same]
    steps = steps[np.isfinite(steps)]
    return float((steps >= 0).mean()) if len(steps) else 0.0


def join_columns(columns: Sequence[CellColumn], join: str) -> CellColumn:
    """One column of one or two: the values of both, where each has one."""
    if len(columns) == 1:
        return columns[0]
    first, second = columns
    both = np.where((first.codes >= 0) & (second.codes >= 0), first.codes * len(second.words) + second.codes, -1)
    pairs, codes = np.unique(both, return_inverse=True)
    words = tuple(
        f"{first.words[pair // len(second.words)]}{join}{second.words[pair % len(second.words)]}" for pair in pairs if pair >= 0
    )
    return CellColumn(join.join(column.name for column in columns), codes - int(pairs[0] < 0), words)


def carry_forward(column: CellColumn, groups: Ints) -> CellColumn:
    """A column whose values hold until they change, within a group."""
    codes = column.codes.copy()
    last: dict[int, int] = {}
    for place, (group, code) in enumerate(zip(groups.tolist(), column.codes.tolist(), strict=True)):
        if code < 0:
            codes[place] = last.get(group, -1)
        else:
            last[group] = code
    return CellColumn(column.name, codes, column.words)


class GroupedRecords:
    """The records of a sample by whose they are."""

    def __init__(self, table: SampledTable, group: CellColumn | None) -> None:
        self.table, self.group = table, group
        self.codes = np.zeros(table.records, np.int64) if group is None else group.codes
        self.order = np.argsort(self.codes, kind="stable")
        inside = self.codes[self.order]
        self.same = (np.diff(inside) == 0) & (inside[1:] >= 0)

    def stays(self, column: CellColumn) -> float:
        """Return the share of steps within a group in which a column stays as it is."""
        codes = column.codes[self.order]
        steps = self.same & (codes[1:] >= 0) & (codes[:-1] >= 0)
        return float((np.diff(codes) == 0)[steps].mean()) if steps.any() else 1.0

    def first_visits(self, column: CellColumn) -> list[list[int]]:
        """Per group the values of a column in the order in which they came first."""
        by_group: dict[int, dict[int, None]] = {}
        for group, code in zip(self.codes[self.order].tolist(), column.codes[self.order].tolist(), strict=True):
            if code >= 0 and group >= 0:
                by_group.setdefault(group, {}).setdefault(code)
        return [list(visits) for visits in by_group.values()]

    def next_gain(self, column: CellColumn, level: CellColumn) -> float:
        """Return how much a word says about the word after it at the same level: 0 for nothing, 1 for everything."""
        codes, levels = column.codes[self.order], level.codes[self.order]
        steps = self.same & (codes[1:] >= 0) & (codes[:-1] >= 0)
        if int(steps.sum()) < len(column.words):
            return 0.0
        before, after = codes[:-1][steps], codes[1:][steps]
        changed = (np.diff(levels)[steps] != 0).astype(np.int64)
        free = _entropy(np.bincount(after))
        size = len(column.words)
        pairs = np.bincount((before * size + after) * 2 + changed, minlength=2 * size * size).reshape(size, -1)
        weights = pairs.sum(axis=1)
        bound = sum(float(weight) * _entropy(row) for weight, row in zip(weights, pairs, strict=True)) / max(
            1.0, float(weights.sum())
        )
        both = _entropy(np.bincount(after * 2 + changed))
        return max(0.0, 1.0 - bound / both) if free > 0.05 and both > 0 else 0.0


def _entropy(counts: np.ndarray) -> float:
    shares = counts[counts > 0] / max(1, counts.sum())
    return float(-(shares * np.log2(shares)).sum())


def concordance(visits: Sequence[Sequence[int]]) -> float:
    """Return how far sessions agree on an order of first visits: 1 for one order, about 0 for none."""
    places: dict[int, list[float]] = {}
    for visit in visits:
        for place, level in enumerate(visit):
            places.setdefault(level, []).append(place)
    rank = {level: float(np.mean(ranks)) for level, ranks in places.items()}
    steps = [rank[after] > rank[before] for visit in visits for before, after in zip(visit, visit[1:], strict=False)]
    return max(0.0, 2.0 * float(np.mean(steps)) - 1.0) if steps else 0.0


def _level_fit(records: GroupedRecords, column: CellColumn, names: Sequence[str]) -> float:
    """How well a column fits a level: an order that sessions share, several levels a session, and stays."""
    distinct = len(column.words)
    if not 2 <= distinct <= min(_MOST_LEVELS, records.table.records / 3) or column.given < 0.05:
        return 0.0
    visits = records.first_visits(column)
    several = [len(visit) for visit in visits]
    mean = float(np.mean(several)) if several else 0.0
    shared = sum(several) / max(1, distinct)  # how many sessions come to a value
    if mean < 1.3 or (shared < 1.5 and len(visits) > 1):
        return 0.0
    stay = records.stays(carry_forward(column, records.codes))
    heading = max(score_heading("level", name) for name in names)
    shape = min(1.0, mean / 4) * min(1.0, shared / 4)
    numeric = 0.08 * (column.numbers is not None)
    anywhere = _LEVEL_ANYWHERE + (1.0 - _LEVEL_ANYWHERE) * column.given
    return concordance(visits) * shape * anywhere * (0.6 + 0.4 * min(1.0, stay / 0.4)) - numeric + _HEADING * heading


_Scored = tuple[CellColumn, tuple[str, ...], float]


def _levels_of(records: GroupedRecords) -> list[_Scored]:
    single: list[_Scored] = [
        (column, (column.name,), fit)
        for column in records.table.columns.values()
        if column is not records.group and not _is_date(column) and (fit := _level_fit(records, column, (column.name,))) > 0.1
    ]
    single = sorted(_names_before_numbers(single), key=lambda entry: -entry[2])
    scored = list(single[:_MOST_TRIED])
    parts = [
        column
        for column in records.table.columns.values()
        if column is not records.group and 2 <= len(column.words) <= _MOST_WORDS and column.given > 0.3 and not _is_date(column)
        if records.group is None
        or not column.name.startswith(f"{records.group.name}.")  # a part of it, which tells no levels apart
    ][:12]
    for first, second in combinations(parts, 2):
        both = join_columns((first, second), "-")
        if not max(len(first.words), len(second.words)) < len(both.words) <= 0.9 * len(first.words) * len(second.words) + 1:
            continue
        fit = _level_fit(records, both, (first.name, second.name))
        alone = max((fit for column, names, fit in single if names[0] in (first.name, second.name)), default=0.0)
        if fit > alone + 0.15:
            outer_first = records.stays(first) >= records.stays(second)
            pair = (first, second) if outer_first else (second, first)
            scored.append((join_columns(pair, "-"), (pair[0].name, pair[1].name), fit))
    scored.sort(key=lambda entry: -entry[2])
    return scored[:_MOST_TRIED]


def _names_before_numbers(single: Sequence[_Scored]) -> Iterator[_Scored]:
    """The columns with those of names a little before those of numbers that say the same."""
    for column, names, fit in single:
        numbers = [
            score
            for other, _, score in single
            if column.numbers is None and other.numbers is not None and _match_one_to_one(column, other)
        ]
        yield column, names, max([fit, *(score + 0.01 for score in numbers)])


def _match_one_to_one(column: CellColumn, other: CellColumn) -> bool:
    """Return whether each value of a column has one of the other, and the other way round."""
    pairs = len({*zip(column.codes.tolist(), other.codes.tolist(), strict=True)})
    return len(column.words) == len(other.words) and pairs == len({*column.codes.tolist()})


def _is_date(column: CellColumn) -> bool:
    return column.times is not None and column.times[1].kind != "number"


def _events_of(records: GroupedRecords, level: CellColumn) -> list[_Scored]:
    held = carry_forward(level, records.codes)
    words = [
        column
        for column in records.table.columns.values()
        if column is not records.group and column is not level and 2 <= len(column.words) <= _MOST_WORDS and column.given > 0.02
        if not column.name.startswith("source.") or len(column.words) <= _FEW_FILES
    ]
    scored: list[_Scored] = []
    for column in words:
        if column.given >= 0.3 and not _depends_on(column, held) and records.stays(column) < _CONSTANT:
            heading = max(score_heading("event", column.name), score_heading("result", column.name))
            gain = records.next_gain(column, held) * (_ANYWHERE + (1.0 - _ANYWHERE) * column.given)
            scored.append((column, (column.name,), gain + _HEADING * heading))
    scored.sort(key=lambda entry: -entry[2])
    scored = scored[:_MOST_TRIED]
    for column, names, fit in list(scored[:2]):
        for other in words:
            if other is not column and len(other.words) <= 8 and _splits_some(column, other):
                both = _refined(column, other)
                gain = records.next_gain(both, held) * (_ANYWHERE + (1.0 - _ANYWHERE) * both.given)
                gain += _HEADING * (score_heading("result", other.name) + score_heading("event", names[0]))
                scored.append((both, (*names, other.name), max(gain, fit) + 0.02))
    scored.sort(key=lambda entry: -entry[2])
    return scored


def _likeliest(events: Sequence[_Scored]) -> list[_Scored]:
    """The likeliest columns, and the first of those of which two are taken together by itself as well."""
    best = list(events[:_MOST_EVENTS])
    return best + [entry for entry in events[_MOST_EVENTS:] if any(entry[1] == kept[1][:1] for kept in best)]


def _depends_on(column: CellColumn, level: CellColumn) -> bool:
    """Return whether most values of a column stand at one level only, so that it says nothing of what happened there."""
    both = (column.codes >= 0) & (level.codes >= 0)
    pairs = {(int(word), int(place)) for word, place in zip(column.codes[both], level.codes[both], strict=True)}
    return len(level.words) > 2 and len(pairs) < 1.5 * len(column.words)


def _splits_some(column: CellColumn, other: CellColumn) -> bool:
    """Return whether another column stands in all records of some of a column's words, and in none of the rest."""
    sizes = np.bincount(column.codes[column.codes >= 0], minlength=len(column.words))
    given = np.bincount(column.codes[(column.codes >= 0) & (other.codes >= 0)], minlength=len(column.words))
    share = given / np.maximum(1, sizes)
    partly = (share > 0.05) & (share < 0.95)
    return bool((share >= 0.95).any() and not partly.any() and (share <= 0.05).any())


def _refined(column: CellColumn, other: CellColumn) -> CellColumn:
    """A column's words, with those of another behind them where it has one."""
    words: dict[str, int] = {}
    codes = np.full(len(column.codes), -1, np.int64)
    for place, (code, more) in enumerate(zip(column.codes.tolist(), other.codes.tolist(), strict=True)):
        if code >= 0:
            text = column.words[code] + ("" if more < 0 else SPLIT + other.words[more])
            codes[place] = words.setdefault(text, len(words))
    return CellColumn(column.name, codes, tuple(words))


SPLIT: Final = "\x1f"  # between a word and the word of another column that says which of its meanings holds


def rank_roles(table: SampledTable, named: Mapping[str, str] = MappingProxyType({})) -> Iterator[Roles]:
    """Yield what columns may be, the likeliest first.

    Args:
        table: the sample.
        named: columns that are known, by ours.
    """
    all_roles: list[Roles] = []
    for group, of_group in rank_groups(table):
        if _is_named(named, ("session", "player"), group.name if group else ""):
            all_roles += _roles_within(GroupedRecords(table, group), group, of_group, named)
    all_roles.sort(key=lambda roles: -roles.fit)
    yield from all_roles


def _roles_within(
    records: GroupedRecords, group: CellColumn | None, of_group: float, named: Mapping[str, str]
) -> Iterator[Roles]:
    """Yield what columns may be, once it is known whose records belong together."""
    for level, level_names, of_level in _levels_of(records)[: 3 if "level" not in named else None]:
        events = _events_of(records, level)
        for event, event_names, of_event in events if "event" in named else _likeliest(events):
            wanted = _is_named(named, ("level",), level_names[0]) and _is_named(named, ("event", "result"), event_names[-1])
            if wanted and not set(level_names) & set(event_names):
                yield Roles(group, level, event, level_names, event_names, of_group + of_level + of_event)


def _is_named(named: Mapping[str, str], ours: Sequence[str], column: str) -> bool:
    """Return whether a column is one that was named for one of our fields, or none was."""
    answers = [named[name] for name in ours if name in named]
    return not answers or column in answers
