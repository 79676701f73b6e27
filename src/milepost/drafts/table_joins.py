"""Tables with a key in common: which one holds the records, which others are about them, and the query that joins them."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Final, NamedTuple

from milepost.drafts.folded_fields import quoted

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
        others = [own for own in column_names(tables[link.table]) if own != link.theirs and own not in taken]
        columns += [f"t{number}.{quoted(own)}" for own in others]
        taken |= set(others)
        on = f"CAST(m.{quoted(link.ours)} AS VARCHAR) = CAST(t{number}.{quoted(link.theirs)} AS VARCHAR)"
        joins.append(f"LEFT JOIN {quoted(link.table)} t{number} ON {on}")
    return f"SELECT {', '.join(columns)} FROM {quoted(plan.main)} m {' '.join(joins)}"


def query_in_database(tables: Tables, plan: JoinPlan) -> str:
    """Return the query over tables of one database."""
    taken = set(column_names(tables[plan.main]))
    columns, joins = ["m.*"], []
    for number, link in enumerate(plan.links):
        others = [own for own in column_names(tables[link.table]) if own not in taken]
        columns += [f"t{number}.{quoted(own)}" for own in others]
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
        link = next((TableLink(name, theirs, own) for theirs, own in _keys(records, ours)), None)
        if link is None:
            return None
        links.append(link)
    return JoinPlan(main, links)


def _keys(records: Sequence[Mapping[str, object]], ours: Mapping[str, set[str]]) -> list[tuple[str, str]]:
    """The columns of a table that are its key, each with a column of ours whose values are among theirs."""
    found = []
    for theirs in column_names(records):
        values = [str(record[theirs]) for record in records if record.get(theirs) is not None]
        if len(set(values)) >= max(2, _UNIQUE * len(records)):
            known = set(values)
            found += [(theirs, column) for column, own in ours.items() if len(own) > 1 and len(own & known) >= 0.9 * len(own)]
    return found


def _values(records: Sequence[Mapping[str, object]], name: str) -> set[str]:
    return {str(record[name]) for record in records if record.get(name) is not None}


def column_names(records: Sequence[Mapping[str, object]]) -> list[str]:
    """Return the columns of some records, in the order in which they come."""
    return list(dict.fromkeys(name for record in records for name in record))
