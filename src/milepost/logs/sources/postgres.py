"""Tables of a PostgreSQL server: copied in batches into a Parquet file in the temporary folder, in a transaction that only reads.

From there on they are read as any Parquet file is, so that maps, parts and drafts work alike, and nothing is asked twice.
"""

from __future__ import annotations

import re
from collections.abc import Iterator
from contextlib import contextmanager
from functools import cache
from pathlib import Path
from typing import TYPE_CHECKING, Final
from urllib.parse import parse_qs, quote, unquote, urlsplit

from milepost.errors import LogError, OutputError
from milepost.logs.sources.remote import first_line, without_secrets
from milepost.memory import scratch_folder, scratch_writing

if TYPE_CHECKING:
    from adbc_driver_manager.dbapi import Cursor

_SERVER: Final = re.compile(r"postgres(?:ql)?://", re.IGNORECASE)
_TABLE: Final = re.compile(r"(.*)::([^/?@\[\]]+)", re.DOTALL)  # hosts such as [::1] name no table
_NEEDS: Final = "Reading from PostgreSQL needs the extra: pip install 'milepost[postgres]'."
_LISTED: Final = (
    "SELECT table_schema, table_name FROM information_schema.tables "
    "WHERE table_schema NOT IN ('pg_catalog', 'information_schema') ORDER BY table_schema <> current_schema(), 1, 2"
)
_COLUMNS: Final = (
    "SELECT column_name, data_type FROM information_schema.columns WHERE table_schema = {} AND table_name = {} "
    "ORDER BY ordinal_position"
)
_KEPT: Final = frozenset(
    {  # other types come as the server writes them out
        "smallint",
        "integer",
        "bigint",
        "real",
        "double precision",
        "boolean",
        "text",
        "character varying",
        "character",
        "date",
        "timestamp without time zone",
        "timestamp with time zone",
    }
)


def is_server(name: str) -> bool:
    """Return whether a name is the address of a PostgreSQL server."""
    return _SERVER.match(name) is not None


@cache
def copy_table(address: str) -> tuple[str, Path]:
    """The table that an address names, as it may be shown, and the Parquet file that it was copied to.

    Args:
        address: ``postgresql://USER@HOST/BASE::TABLE``; the table need not be named where there is only one.

    Raises:
        LogError: the driver is not installed, the server does not answer or refuses, or there is no such table.
    """
    match = _TABLE.fullmatch(address)
    server, table = (match[1], match[2]) if match else (address, None)
    shown = without_secrets(server)
    with _open_cursor(server, shown) as cursor:
        schema, name = _find_table(_listed(cursor), table, shown)
        target = scratch_folder() / "table.parquet"
        _copy(cursor, _select(cursor, schema, name), target)
    return f"{shown}::{name}", target


@contextmanager
def _open_cursor(server: str, shown: str) -> Iterator[Cursor]:
    """A cursor in a transaction that only reads; what goes wrong is said in one line without a secret."""
    try:
        from adbc_driver_postgresql import dbapi
    except ImportError:
        raise LogError(f"{shown}: {_NEEDS}") from None
    try:
        with dbapi.connect(server) as base, base.cursor() as cursor:
            cursor.execute("SET TRANSACTION READ ONLY")
            cursor.execute("SET LOCAL TIME ZONE 'UTC'")
            yield cursor
    except (LogError, OutputError):
        raise
    except Exception as error:  # the driver raises what it likes
        reason = _bare(first_line(error), server)
        raise LogError(f"{shown}: cannot be read ({reason}). Does the server answer, and may you read it?") from None


def _bare(reason: str, server: str) -> str:
    """Return the driver's message, without the password."""
    parts = urlsplit(server)
    secrets = [parts.password or "", *parse_qs(parts.query).get("password", [])]
    for secret in {form for part in secrets if part for form in (part, unquote(part), quote(part))}:
        reason = reason.replace(secret, "…")
    return reason


def _listed(cursor: Cursor) -> list[tuple[str, str]]:
    """The schema and name of each table and view, those of the user's schema first."""
    cursor.execute(_LISTED)
    return [(str(schema), str(name)) for schema, name in cursor.fetchall()]


def _find_table(listed: list[tuple[str, str]], table: str | None, shown: str) -> tuple[str, str]:
    """The table that is meant."""
    matches = [name for name in listed if table in (None, name[1], ".".join(name))]
    if table is None and len(matches) == 1:
        return matches[0]
    if table is not None and matches:
        return matches[0]
    names = [name if [other for _, other in listed].count(name) == 1 else f"{schema}.{name}" for schema, name in listed]
    problem = f"no table {table!r}" if table else "no table is named"
    more = f" and {len(names) - 20} more" if len(names) > 20 else ""
    raise LogError(f"{shown}: {problem}. Write {shown}::TABLE; its tables are: {', '.join(names[:20]) or 'none'}{more}.")


def _select(cursor: Cursor, schema: str, table: str) -> str:
    cursor.execute(_COLUMNS.format(_text(schema), _text(table)))
    columns = [(_quoted(str(name)), str(kind)) for name, kind in cursor.fetchall()]
    wanted = [name if kind in _KEPT else f"{name}::text AS {name}" for name, kind in columns]
    return f"SELECT {', '.join(wanted)} FROM {_quoted(schema)}.{_quoted(table)}"


def _copy(cursor: Cursor, select: str, target: Path) -> None:
    """Copy a selection batch by batch, so that a table of any length fits into memory."""
    from pyarrow.parquet import ParquetWriter

    cursor.execute(select)
    batches = cursor.fetch_record_batch()
    with ParquetWriter(target, batches.schema, compression="zstd") as written:
        for batch in batches:
            with scratch_writing():  # and no wider: what fails at the server is not laid to the folder
                written.write_batch(batch)


def _quoted(name: str) -> str:
    return '"' + name.replace('"', '""') + '"'


def _text(value: str) -> str:
    return "'" + value.replace("'", "''") + "'"
