"""The table of players: a row a player, whose columns are tags of all the player's sessions."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace
from pathlib import Path
from typing import TYPE_CHECKING, Final

from milepost.cleaning.selection import session_values
from milepost.errors import FolderError
from milepost.folder.small_tables import read_rows
from milepost.level_names import fold_name
from milepost.logs.interface import PlayersMet
from milepost.logs.records.fields import parse_decimal, to_number
from milepost.vocabulary import FIELDS

if TYPE_CHECKING:
    from milepost.folder.small_tables import Row
    from milepost.logs.interface import L

_TAKEN: Final = (FIELDS - {"player"}) | {"debug", "sitting"}


@dataclass(frozen=True)
class PlayerTable:
    """A table of players: each one's tags, by name."""

    file: str
    tags: Mapping[str, Mapping[str, str]]


def read_players(path: str | Path) -> PlayerTable:
    """Read a table of players.

    Raises:
        FolderError: it cannot be read, has no column `player`, one named as a field of the log, or a player twice who differs.
    """
    rows = read_rows(path, ("player",))
    tags: dict[str, dict[str, str]] = {}
    for row in rows:
        _refuse_fields(row)
        name = row["player"]
        if not name:
            raise row.refuse("a row without a player. Give the player's name as it is in the log.")
        row_tags = {column: _tag(cell) for column, cell in row.cells.items() if column != "player"}
        if tags.setdefault(name, row_tags) != row_tags:
            raise row.refuse(f"{name!r} stands in the table twice, and differs. Leave one of the two rows.")
    return PlayerTable(str(path), tags)


def _refuse_fields(row: Row) -> None:
    for column in row.cells:
        if column.casefold() in _TAKEN:
            raise FolderError(f"{row.file}: the column {column!r} is named as a field of the log. Give it another name.")


def _tag(cell: str) -> str:
    """A tag's text; a number with a decimal comma as one with a point."""
    value = parse_decimal(cell) if "," in cell else None
    return cell if value is None else f"{value:.15g}"


def with_players(log: L, table: PlayerTable | None) -> L:
    """The log with the table's tags for its sessions, which win over its own, and with what the table met."""
    if table is None:
        return log
    sessions, tags, differ = log.sessions, [], set()
    players = [str(player) for player in session_values(log, "player")]
    by_fold = {fold_name(name): name for name in reversed(list(table.tags))}
    known = {name: name if name in table.tags else by_fold.get(fold_name(name), name) for name in dict.fromkeys(players)}
    for name, player, session_tags in zip(sessions.name, players, sessions.tags, strict=True):
        given = table.tags.get(known[player], {})
        if any(key in session_tags and not _is_same(session_tags[key], value) for key, value in given.items()):
            differ.add(name)
        tags.append({**session_tags, **given})
    matched = set(known.values())
    met = PlayersMet(
        table.file,
        frozenset(differ),
        tuple(name for name in table.tags if name not in matched),
        tuple(name for name, listed in known.items() if listed not in table.tags),
    )
    return replace(log, sessions=replace(sessions, tags=tags), players=met)


def _is_same(first: str, other: str) -> bool:
    return first == other or to_number(first) == to_number(other)
