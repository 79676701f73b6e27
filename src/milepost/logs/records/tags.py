"""The tags of single records: a column of codes for each tag, in as few bytes as hold them."""

from __future__ import annotations

from array import array
from collections.abc import Mapping
from typing import Final

import numpy as np

from milepost.arrays import Column, Ints
from milepost.logs.columnar.block import TextColumn
from milepost.logs.interface import ABSENT, TAG
from milepost.logs.records.name_tables import Names

_MOST_TEXTS: Final = 1 << 16  # that a tag may have: more than that tell records apart, and group none of them
_MOST: Final = 1 << 20  # where they are numbers


class KnownTags:
    """The tags that were met, with their values.

    Attributes:
        not_kept: tags of so many values that records go without them.
    """

    def __init__(self) -> None:
        self.not_kept: set[str] = set()
        self._values: dict[str, Names] = {}
        self._given: dict[str, tuple[array[int], array[int]]] = {}  # rows that have it, and their codes

    def values(self) -> dict[str, list[str]]:
        """Per tag, its values in order of first appearance."""
        return {name: list(values) for name, values in self._values.items() if name not in self.not_kept}

    def note(self, row: int, tags: Mapping[str, str]) -> None:
        """Note the tags of a record, by its number among those that were not flushed yet."""
        for name, value in tags.items():
            if name in self.not_kept:
                continue
            code = self._code(name, value)
            rows, codes = self._given.setdefault(name, (array("q"), array("i")))
            rows.append(row)
            codes.append(code)

    def flushed(self, count: int) -> dict[str, Column]:
        """The columns of the records noted since the last time, and how many these are."""
        columns: dict[str, Column] = {}
        for name, (rows, codes) in self._given.items():
            if name not in self.not_kept:
                column = np.full(count, ABSENT, self._kind(name))
                column[np.frombuffer(rows, np.int64)] = np.frombuffer(codes, np.intc)
                columns[TAG + name] = column
        self.forget()
        return columns

    def of_block(self, tags: Mapping[str, TextColumn]) -> dict[str, Column]:
        """The columns of a whole file."""
        columns: dict[str, Column] = {}
        for name, column in tags.items():
            codes: Ints = np.array([*(self._code(name, value) for value in column.values), ABSENT])
            if name not in self.not_kept:
                columns[TAG + name] = codes.astype(self._kind(name))[column.codes]
        return columns

    def forget(self) -> None:
        """Forget which records had which; the values stay known."""
        self._given = {}

    def restore(self, values: Mapping[str, list[str]], not_kept: list[str]) -> None:
        """Know what another log knew."""
        self.not_kept = set(not_kept)
        for name, known in values.items():
            self._values[name] = Names()
            self._values[name].codes = {value: code for code, value in enumerate(known)}

    def _code(self, name: str, value: str) -> int:
        values = self._values.setdefault(name, Names())
        known = values.codes.get(value)
        if known is not None:
            return known
        count = len(values.codes)
        if count >= _MOST or (count >= _MOST_TEXTS and not is_number(value)):
            self.not_kept.add(name)
            return ABSENT
        return values.code(value)

    def _kind(self, name: str) -> np.dtype[np.signedinteger]:
        """The least type that holds the codes of a tag by now; a later part of the log may have a wider one."""
        count = len(self._values[name].codes)
        return np.dtype(np.int8 if count < 1 << 7 else np.int16 if count < 1 << 15 else np.int32)


def is_number(text: str) -> bool:
    """Return whether a text is a number."""
    try:
        float(text)
    except ValueError:
        return False
    return True
