"""Names and texts as a query has them."""

from __future__ import annotations


def quoted(name: str) -> str:
    """A name of a column or table."""
    return '"' + name.replace('"', '""') + '"'


def literal(text: str) -> str:
    """A text."""
    return "'" + text.replace("'", "''") + "'"
