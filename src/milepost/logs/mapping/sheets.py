"""Drafts a map of a sheet in which a row is an attempt, by its headings and the words of its results."""

from __future__ import annotations

import re
from collections.abc import Mapping
from typing import Final

from milepost.logs.mapping.languages import heading_of, result_of
from milepost.logs.mapping.seen import Column
from milepost.toml import toml_text
from milepost.wording import percent, plural, safe

_KNOWN: Final = 0.7  # share of the results whose words have to be known
_MOST_RESULTS: Final = 12
# How local date-times are written, and how strptime reads them; the first that fits all that was seen.
_FORMATS: Final = (
    (r"\d{1,2}\.\d{1,2}\.\d{4} \d{1,2}:\d{2}:\d{2}", "%d.%m.%Y %H:%M:%S"),
    (r"\d{1,2}\.\d{1,2}\.\d{4} \d{1,2}:\d{2}", "%d.%m.%Y %H:%M"),
    (r"\d{1,2}/\d{1,2}/\d{4} \d{1,2}:\d{2}:\d{2}", "%d/%m/%Y %H:%M:%S"),
    (r"\d{1,2}/\d{1,2}/\d{4} \d{1,2}:\d{2}", "%d/%m/%Y %H:%M"),
    (r"\d{4}/\d{1,2}/\d{1,2} \d{1,2}:\d{2}:\d{2}", "%Y/%m/%d %H:%M:%S"),
    (r"\d{4}/\d{1,2}/\d{1,2} \d{1,2}:\d{2}", "%Y/%m/%d %H:%M"),
    (r"\d{4}-\d{2}-\d{2}[ T]\d{2}:\d{2}(:\d{2}(\.\d+)?)?", ""),
)


def drafted_sheet(columns: Mapping[str, Column], of: int) -> list[str] | None:
    """The lines of a map; None where the log is no such sheet.

    Args:
        columns: what was seen of each column.
        of: how many rows were looked at.
    """
    found: dict[str, Column] = {}
    for column in columns.values():
        meaning = heading_of(column.name)
        if meaning is not None and meaning not in found:
            found[meaning] = column
    result = found.get("result")
    if result is None or "level" not in found or len(result.values) > _MOST_RESULTS:
        return None
    known = sum(count for word, count in result.values.items() if result_of(word))
    if known < _KNOWN * result.given or ("player" not in found and "session" not in found):
        return None
    share = percent(known / result.given)
    why = f"# A row is an attempt: {safe(result.name)} says how each ended, in words of which {share} are known."
    return [why, *_fields(found, of), *_rows(found, of), *_time(found), *_events(result)]


def _fields(found: dict[str, Column], of: int) -> list[str]:
    lines = ["", "[fields]  # ours = theirs"]
    for ours in ("player", "session", "level", "cause", "build"):
        if ours in found:
            lines.append(f"{ours} = {toml_text(found[ours].name)}  # {found[ours].evidence(of)}")
    return lines


def _rows(found: dict[str, Column], of: int) -> list[str]:
    lines = ["", "[rows]", 'each = "attempt"']
    for ours in ("started", "ended", "lasted", "result"):
        if ours in found:
            lines.append(f"{ours} = {toml_text(found[ours].name)}  # {found[ours].evidence(of)}")
    if "lasted" not in found and "ended" not in found:
        lines.append('# lasted = "?"  # NOT GUESSED: without it nothing is known of durations')
    return lines


def _time(found: dict[str, Column]) -> list[str]:
    started = found.get("started")
    if started is None or started.numeric:
        return []
    values = list(started.values)
    for pattern, form in _FORMATS:
        if all(re.fullmatch(pattern, value) for value in values):
            lines = ["", "[time]", 'zone = "UTC"  # local date-times, such as ' + safe(values[0]) + "; which zone is NOT GUESSED"]
            return [*lines, f"format = {toml_text(form)}  # as all that were seen are written"] if form else lines
    return []


def _events(result: Column) -> list[str]:
    lines = ["", "[events]  # theirs = ours"]
    for word, count in result.values.most_common(_MOST_RESULTS):
        ours = result_of(word)
        if ours:
            lines.append(f"{toml_text(word)} = {toml_text(ours)}  # {plural(count, 'row')}, by the word")
        else:
            lines.append(f'# {toml_text(word)} = "?"  # NOT GUESSED, {plural(count, "row")}')
    return lines
