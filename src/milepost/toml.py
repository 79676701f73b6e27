"""TOML files that a user writes: opened, with plain words for what is wrong with them; and texts as such files have them."""

from __future__ import annotations

import re
import tomllib
from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from difflib import get_close_matches
from math import inf, isfinite
from pathlib import Path
from typing import Any, NoReturn

from milepost.errors import FolderError, MilePostError
from milepost.wording import safe

Tables = dict[str, Any]  # as TOML gives them: whatever people wrote


def toml_text(text: str) -> str:
    """A text as it is written in a TOML file; what could only be misread in it is escaped."""
    import tomlkit

    written = tomlkit.string(text.encode("utf-8", "backslashreplace").decode()).as_string()
    return "".join(char if safe(char) == char else _escaped(char) for char in written)


def toml_texts(texts: list[str]) -> str:
    """A list of texts."""
    return f"[{', '.join(toml_text(text) for text in texts)}]"


def toml_key(name: str) -> str:
    """A name as a key: bare where it can be."""
    return name if re.fullmatch(r"[A-Za-z0-9_-]+", name) else toml_text(name)


def toml_value(value: object) -> str:
    """A number, a truth or a text as it is written."""
    if isinstance(value, bool):
        return str(value).lower()
    return repr(value) if isinstance(value, int | float) else toml_text(str(value))


def _escaped(char: str) -> str:
    return f"\\u{ord(char):04x}" if ord(char) < 1 << 16 else f"\\U{ord(char):08x}"


def load_toml(path: str | Path, kind: str, error: type[MilePostError]) -> Tables:
    """The tables of a TOML file.

    Raises:
        error: the file is missing, unreadable or no TOML; the text names the file and what to do.
    """
    return parse_toml(read_toml(path, kind, error), path, kind, error)


def read_toml(path: str | Path, kind: str, error: type[MilePostError]) -> str:
    """The text of a TOML file.

    Raises:
        error: the file is missing, unreadable or no text.
    """
    try:
        return Path(path).read_bytes().decode("utf-8-sig").replace("\r\n", "\n")
    except IsADirectoryError:
        raise error(f"{path}: is a folder. Give the {kind} file itself.") from None
    except OSError as reason:
        raise error(f"{path}: the {kind} cannot be read ({reason.strerror or reason}).") from reason
    except UnicodeDecodeError as reason:
        raise error(f"{path}: the {kind} is not TOML ({reason}).") from reason


def parse_toml(text: str, path: str | Path, kind: str, error: type[MilePostError]) -> Tables:
    """The tables of a text.

    Raises:
        error: it is no TOML; the error names the file that it came from.
    """
    try:
        return tomllib.loads(text)
    except tomllib.TOMLDecodeError as reason:
        raise error(f"{path}: the {kind} is not TOML ({reason}).") from reason
    except RecursionError:
        raise error(f"{path}: the {kind} is nested too deeply.") from None


_HEADER = re.compile(r"\s*\[+([^\[\]].*?)\]+\s*(#.*)?")
_KEY = re.compile(r"""\s*("(?:[^"\\]|\\.)*"|'[^']*'|[A-Za-z0-9_-]+)\s*=""")


def line_of(text: str, table: str, key: str) -> int | None:
    """The line, from 1, on which a key of a table stands, or the header of a table of that name; None where it is not seen.

    Args:
        text: a TOML file's text.
        table: the table's name with points between its parts; empty for what stands before any table.
        key: the key.
    """
    inside, wanted = "", f"{table}.{key}" if table else key
    for number, line in enumerate(text.splitlines(), 1):
        if header := _HEADER.fullmatch(line):
            inside = _plain_name(header[1])
            if inside == wanted:
                return number
        elif (match := _KEY.match(line)) and inside == table and _plain_name(match[1]) == key:
            return number
    return None


def _plain_name(written: str) -> str:
    """A dotted name without its quotes."""
    try:
        inner: object = tomllib.loads(f"[{written}]")
    except tomllib.TOMLDecodeError:
        return written
    parts = []
    while isinstance(inner, dict) and inner:
        name = next(iter(inner))
        parts.append(name)
        inner = inner[name]
    return ".".join(parts)


@dataclass(frozen=True)
class SettingsReader:
    """A file that is being read, and its text. Tables are named with points between their parts, the outermost by nothing."""

    path: Path
    text: str

    def refuse_unknown(self, where: str, table: Iterable[str], keys: tuple[str, ...]) -> None:
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
        if not isinstance(several, list) or not all(isinstance(text, str) and text for text in several):
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
