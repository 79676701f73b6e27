"""Opens the TOML files that a user writes, and says plainly what is wrong with them."""

from __future__ import annotations

import tomllib
from pathlib import Path
from typing import Any

from milepost.errors import MilePostError


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
