"""The table of answers: what players said when they were asked."""

from __future__ import annotations

from pathlib import Path

from milepost.folder.small_tables import read_rows
from milepost.measures.questions import Answer


def read_answers(path: str | Path) -> tuple[Answer, ...]:
    """The answers of a table in its order; a row without an answer is none.

    Raises:
        FolderError: it cannot be read, lacks a column, or has an answer of nobody or to nothing.
    """
    found = []
    for row in read_rows(path, ("player", "question", "answer"), ("level",)):
        if not row["answer"]:
            continue
        if not row["player"] or not row["question"]:
            raise row.refuse("an answer needs a player and a question.")
        found.append(Answer(row["player"], row["level"] or None, row["question"], row["answer"]))
    return tuple(found)
