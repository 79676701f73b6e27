"""Sentences on the settings from the file of the playtest folder."""

from __future__ import annotations

from collections.abc import Mapping
from typing import TYPE_CHECKING, Final

from milepost.wording import listed, safe

if TYPE_CHECKING:
    from milepost.reports.head_types import Settings

_NAMED: Final = {"logs": "the log"}
_PLAIN: Final = {"where": "where", "exclude": "without"}


def said_of(settings: Settings) -> str:
    """It as a line."""
    if not settings["taken"]:
        return f"Settings were taken from {safe(settings['file'])}."
    return f"Taken from {safe(settings['file'])}: {listed([_said(key, value) for key, value in settings['taken'].items()])}."


def _said(key: str, value: object) -> str:
    if isinstance(value, Mapping):
        return ", ".join(f"{name} {_worded(one)}" for name, one in value.items())
    texts = ", ".join(safe(str(one)) for one in (value if isinstance(value, list) else [value]))
    return f"{_PLAIN[key]} {texts}" if key in _PLAIN else f"{_NAMED.get(key, f'the {key}')} ({texts})"


def _worded(value: object) -> str:
    return str(value).lower() if isinstance(value, bool) else f"{value:g}" if isinstance(value, float) else str(value)
