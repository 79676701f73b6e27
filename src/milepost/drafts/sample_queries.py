"""Queries that make a sample whole: tables joined, names filled down, minutes with seconds, and texts cut in two."""

from __future__ import annotations

import re
from collections.abc import Iterator, Mapping, Sequence
from itertools import permutations
from typing import Final, NamedTuple

import numpy as np

from milepost.arrays import Bools, Floats
from milepost.drafts.column_roles import rising_share
from milepost.drafts.folded_fields import literal, quoted
from milepost.drafts.sampled_table import CellColumn, SampledTable
from milepost.logs.mapping.languages import score_heading
from milepost.logs.mapping.sampling import flatten

Tables = Mapping[str, Sequence[Mapping[str, object]]]
_UNIQUE: Final = 0.999


class TableLink(NamedTuple):
    """A table about the records: its key, and the column of these that points to it."""

    table: str
    theirs: str
    ours: str


class JoinPlan(NamedTuple):
    """The table of records, and the tables about them."""

    main: str
    links: list[TableLink]


def query_over_files(tables: Tables, plan: JoinPlan) -> str:
    """Return the query over tables that are files."""
    columns = [f"m.{quoted(name)}" for name in column_names(tables[plan.main])]
    taken, joins = set(column_names(tables[plan.main])), []
    for number, link in enumerate(plan.links):
        others = [column for column in column_names(tables[link.table]) if column != link.theirs and column not in taken]
        columns += [f"t{number}.{quoted(column)}" for column in others]
        taken |= set(others)
        on = f"CAST(m.{quoted(link.ours)} AS VARCHAR) = CAST(t{number}.{quoted(link.theirs)} AS VARCHAR)"
        joins.append(f"LEFT JOIN {quoted(link.table)} t{number} ON {on}")
    return f"SELECT {', '.join(columns)} FROM {quoted(plan.main)} m {' '.join(joins)}"


def query_in_database(tables: Tables, plan: JoinPlan) -> str:
    """Return the query over tables of one database."""
    taken = set(column_names(tables[plan.main]))
    columns, joins = ["m.*"], []
    for number, link in enumerate(plan.links):
        others = [column for column in column_names(tables[link.table]) if column not in taken]
        columns += [f"t{number}.{quoted(column)}" for column in others]
        taken |= set(others)
        joins.append(f"LEFT JOIN {quoted(link.table)} t{number} ON m.{quoted(link.ours)} = t{number}.{quoted(link.theirs)}")
    return f"SELECT {', '.join(columns)} FROM {quoted(plan.main)} m {' '.join(joins)} ORDER BY m.rowid"


def join_plan(tables: Tables) -> JoinPlan | None:
    """Return how some tables are joined: each but the largest has a key that a column of the largest points to."""
    main = max(tables, key=lambda name: len(tables[name]))
    ours = {name: _values(tables[main], name) for name in column_names(tables[main])}
    links = []
    for name, records in tables.items():
        if name == main:
            continue
        link = next((TableLink(name, theirs, our_column) for theirs, our_column in _keys(records, ours)), None)
        if link is None:
            return None
        links.append(link)
    return JoinPlan(main, links)


def _keys(records: Sequence[Mapping[str, object]], ours: Mapping[str, set[str]]) -> list[tuple[str, str]]:
    """The columns of a table that are its key, each with a column of ours whose values are among theirs."""
    keys = []
    for theirs in column_names(records):
        values = [str(record[theirs]) for record in records if record.get(theirs) is not None]
        if len(set(values)) >= max(2, _UNIQUE * len(records)):
            known = set(values)
            keys += [
                (theirs, column) for column, words in ours.items() if len(words) > 1 and len(words & known) >= 0.9 * len(words)
            ]
    return keys


def _values(records: Sequence[Mapping[str, object]], name: str) -> set[str]:
    return {str(record[name]) for record in records if record.get(name) is not None}


def column_names(records: Sequence[Mapping[str, object]]) -> list[str]:
    """Return the columns of some records, in the order in which they come."""
    return list(dict.fromkeys(name for record in records for name in record))


_FEWEST_BLOCKS: Final = 3
_MOST_GIVEN: Final = 0.5  # of the rows, that begin a block
_AT_BLOCKS: Final = 0.9  # of the steps back in time, that stand where a block begins
_FEWEST_TEXTS, _MOST_TEXTS = 6, 400
_MARKS: Final = r"\s_:/.@|>#,;=-"  # that stand between words, for Python and for DuckDB alike
_FIRST_WORDS: Final = rf"((?:[^{_MARKS}]+[{_MARKS}]+){{%d}}[^{_MARKS}]+)[{_MARKS}]+([^{_MARKS}].*)"  # words, and the rest
_LAST_WORDS: Final = rf"(.*[^{_MARKS}])[{_MARKS}]+((?:[^{_MARKS}]+[{_MARKS}]+){{%d}}[^{_MARKS}]+)"
_RISING: Final = 0.98
_SAME_MINUTE: Final = 0.1  # of the steps, at least, that stay within a minute


def completing_query(records: Sequence[Mapping[str, object]]) -> str | None:
    """Return a query that makes such columns whole; None where there are none."""
    table = SampledTable.of([flatten(record) for record in records])
    filled = _filled(table)
    clock = _clock(table, [column.name for column in filled])
    if not filled and clock is None:
        return None
    text = ", ".join(f"{_fill_down(column.name)} AS {quoted(column.name)}" for column in filled)
    taken = f" REPLACE ({text})" if filled else ""
    if clock is None:
        return f"SELECT *{taken} FROM log"
    large, small = clock
    both = f"60 * {_number(large)} + {_number(small)} AS {quoted(f'{large}:{small}')}"
    return f"SELECT * EXCLUDE ({quoted(large)}, {quoted(small)}){taken}, {both} FROM log"


def halving_queries(records: Sequence[Mapping[str, object]]) -> Iterator[str]:
    """Yield queries each of which adds the two halves of a column of texts such as `level_start_03`, which say where and what."""
    columns = SampledTable.of([flatten(record) for record in records]).columns.values()
    for column in (candidate for candidate in columns if not candidate.name.startswith("source.")):
        cut = _cut(column.words) if column.given > 0.9 and _FEWEST_TEXTS <= len(column.words) <= _MOST_TEXTS else None
        if cut is not None:
            name = quoted(column.name)
            halves = [f"regexp_extract({name}, {literal(cut)}, {n}) AS {quoted(f'{column.name}.{n}')}" for n in (1, 2)]
            yield f"SELECT *, {', '.join(halves)} FROM log"


def _fill_down(name: str) -> str:
    """The last value of a column from the first row to each one."""
    return f"LAST_VALUE(NULLIF(CAST({quoted(name)} AS VARCHAR), '') IGNORE NULLS) OVER (ROWS UNBOUNDED PRECEDING)"


def _filled(table: SampledTable) -> list[CellColumn]:
    """The columns that say something in the first row of each block only."""
    for column in table.columns.values():
        begins = column.codes >= 0
        if not begins[0] or not _FEWEST_BLOCKS <= begins.sum() <= _MOST_GIVEN * table.records:
            continue
        named = max(score_heading("player", column.name), score_heading("session", column.name)) > 0
        if (named and len(column.words) == begins.sum()) or any(_restarts(times, begins) for times in _times(table)):
            return [column for column in table.columns.values() if bool(((column.codes >= 0) == begins).all())]
    return []


def _times(table: SampledTable) -> Iterator[Floats]:
    for column in table.columns.values():
        if column.times is not None and column.given == 1.0 and len(column.words) > _FEWEST_BLOCKS:
            yield column.times[0]


def _restarts(times: Floats, begins: Bools) -> bool:
    """Return whether times begin anew where blocks do, and nowhere else."""
    back, at = np.diff(times) < 0, begins[1:]
    most = float(back[at].mean()) if at.any() else 0.0
    return most > 0.5 and float(at[back].mean()) >= _AT_BLOCKS


def _clock(table: SampledTable, filled: Sequence[str]) -> tuple[str, str] | None:
    """Two columns of numbers, the second below 60, that rise together as minutes and seconds do, and the second not alone."""
    if any(
        column.times is not None and column.times[1].kind != "number" and column.given > 0.9 for column in table.columns.values()
    ):
        return None
    groups = [
        _number_groups(column, column.name in filled)
        for column in table.columns.values()
        if column.given > 0.9 or column.name in filled
    ]
    whole = {name: column.numbers for name, column in table.columns.items() if column.numbers is not None and column.given == 1.0}
    for (large, of_large), (small, of_small) in permutations(whole.items(), 2):
        if not _fits_clock(of_large, of_small):
            continue
        for codes in groups:
            alone = max(rising_share(of_small, codes), 0.0)
            if (
                _stays(of_large, codes) > _SAME_MINUTE
                and rising_share(of_large, codes) > _RISING > alone
                and rising_share(60 * of_large + of_small, codes) > _RISING
            ):
                return large, small
    return None


def _cut(words: Sequence[str]) -> str | None:
    """The pattern that cuts texts into few first halves and few second ones, which go with each other freely."""
    best, fewest = None, 1.0
    for count in range(3):
        for pattern in (_FIRST_WORDS % count, _LAST_WORDS % count):
            matches = [re.fullmatch(pattern, word) for word in words]
            pairs = [(match[1], match[2]) for match in matches if match is not None]
            firsts, seconds = len({first for first, _ in pairs}), len({second for _, second in pairs})
            share = (firsts + seconds) / len(words)
            if len(pairs) == len(words) and min(firsts, seconds) > 1 and firsts * seconds < 2 * len(words) and share < fewest:
                best, fewest = pattern, share
    return best


def _stays(values: Floats, groups: np.ndarray) -> float:
    """In which share of steps from one row of a group to the next a number stays as it is."""
    order = np.argsort(groups, kind="stable")
    same = np.diff(groups[order]) == 0
    return float((np.diff(values[order]) == 0)[same].mean()) if same.any() else 0.0


def _number_groups(column: CellColumn, filled: bool) -> np.ndarray:
    """Per row its group; the blocks that a column begins, where it is one that has to be filled."""
    return np.cumsum(column.codes >= 0) if filled else column.codes


def _number(name: str) -> str:
    return f"CAST({quoted(name)} AS DOUBLE)"


def _fits_clock(large: Floats, small: Floats) -> bool:
    rounds = bool((large == np.floor(large)).all()) and float(large.min()) >= 0
    return rounds and 30 < float(small.max()) < 60 and float(small.min()) >= 0 and len(np.unique(small)) > 10 < len(large)
