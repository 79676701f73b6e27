"""How a settings file is held to what it may say: each mistake names line and key, and what would do."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from difflib import get_close_matches
from math import inf, isfinite
from pathlib import Path
from typing import NoReturn

from milepost.errors import FolderError
from milepost.toml import line_of


@dataclass(frozen=True)
class Reading:
    """A file that is being read, and its text. Tables are named with points between their parts, the outermost by nothing."""

    path: Path
    text: str

    def known(self, where: str, table: Iterable[str], keys: tuple[str, ...]) -> None:
        """Refuse keys that mean nothing."""
        for key in table:
            if key not in keys:
                near = get_close_matches(key, keys, 1)
                meant = f"Did you mean {near[0]}?" if near else f"Known here: {', '.join(keys)}."
                self.refuse(where, key, f"there is no such key. {meant}")

    def table(self, table: Mapping[str, object], key: str) -> Mapping[str, object]:
        """A table below a key of the outermost one; empty where it is not there."""
        value = table.get(key, {})
        if not isinstance(value, Mapping):
            self.wrong("", key, f"a table: write [{key}], and its keys below", value)
        return value

    def texts(self, where: str, key: str, value: object) -> tuple[str, ...]:
        """A text, or a list of them."""
        several = [value] if isinstance(value, str) else value
        if not isinstance(several, list) or not all(isinstance(one, str) and one for one in several):
            self.wrong(where, key, "a list of texts", value)
        return tuple(several)

    def number(self, where: str, key: str, value: object, most: float = inf) -> float:
        """A number from 0 up."""
        if isinstance(value, bool) or not isinstance(value, int | float) or not isfinite(value) or not 0 <= value <= most:
            self.wrong(where, key, "a number from 0 up" if most == inf else f"a number from 0 to {most:g}", value)
        return float(value)

    def wrong(self, where: str, key: str, needed: str, value: object) -> NoReturn:
        """Refuse a value."""
        self.refuse(where, key, f"has to be {needed}, not {value!r}.")

    def refuse(self, where: str, key: str, why: str) -> NoReturn:
        """Refuse the file for what stands at a key."""
        line = line_of(self.text, where, key)
        place = f"{self.path}:{line}" if line else f"{self.path}"
        raise FolderError(f"{place}: {where + '.' if where else ''}{key}: {why}")
