"""TOML files that a user writes: opened, with plain words for what is wrong with them; and texts as such files have them."""

from __future__ import annotations

import re
import tomllib
from pathlib import Path
from typing import Any

from milepost.errors import MilePostError
from milepost.wording import safe


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


def load_toml(path: str | Path, what: str, error: type[MilePostError]) -> dict[str, Any]:
    """The tables of a TOML file.

    Raises:
        error: the file is missing, unreadable or no TOML; the text names the file and what to do.
    """
    try:
        with Path(path).open("rb") as stream:
            return tomllib.load(stream)
    except IsADirectoryError:
        raise error(f"{path}: is a folder. Give the {what} file itself.") from None
    except OSError as reason:
        raise error(f"{path}: the {what} cannot be read ({reason.strerror or reason}).") from reason
    except (tomllib.TOMLDecodeError, UnicodeDecodeError) as reason:
        raise error(f"{path}: the {what} is not TOML ({reason}).") from reason
    except RecursionError:
        raise error(f"{path}: the {what} is nested too deeply.") from None
