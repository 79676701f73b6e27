"""Sheets in which a row is an attempt: a sample of their columns, and a draft of their map, by headings and result words."""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Mapping
from dataclasses import dataclass
from typing import Final

from milepost.logs.mapping.languages import heading_of, result_of
from milepost.toml import toml_text
from milepost.wording import listed, number, percent, plural, safe

_KNOWN: Final = 0.7  # share of the results whose words have to be known
_MOST_RESULTS: Final = 12
_FEWEST: Final = 2  # columns that make a pattern
_NUMBERED: Final = re.compile(r"(.*?)(\d+)(\D*)")
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


def draft_sheet(columns: Mapping[str, SampledColumn], n_records: int) -> list[str] | None:
    """The lines of a map; None where the log is no sheet of attempts, stays or players.

    Args:
        columns: what was seen of each column.
        n_records: how many rows were looked at.
    """
    by_meaning: dict[str, SampledColumn] = {}
    for column in columns.values():
        meaning = heading_of(column.name)
        if meaning is not None and meaning not in by_meaning:
            by_meaning[meaning] = column
    if "player" not in by_meaning and "session" not in by_meaning:
        return None
    if "level" in by_meaning and _NUMBERED.fullmatch(by_meaning["level"].name):
        del by_meaning["level"]  # a heading such as Level 1 is a level
    if "level" in by_meaning and "result" in by_meaning:
        return _attempts(by_meaning, n_records)
    if "level" in by_meaning and "tries" in by_meaning and "event" not in columns:
        return _stays(by_meaning, n_records)
    return _players(columns, by_meaning, n_records) if "level" not in by_meaning and "event" not in columns else None


def _attempts(by_meaning: dict[str, SampledColumn], n_records: int) -> list[str] | None:
    result = by_meaning["result"]
    known = sum(count for word, count in result.values.items() if result_of(word))
    if len(result.values) > _MOST_RESULTS or known < _KNOWN * result.given:
        return None
    share = percent(known / result.given)
    why = f"# A row is an attempt: {safe(result.name)} says how each ended, in words of which {share} are known."
    return [why, *_fields(by_meaning, n_records), *_rows(by_meaning, n_records), *_time(by_meaning), *_events(result)]


def _stays(by_meaning: dict[str, SampledColumn], n_records: int) -> list[str]:
    seconds = by_meaning.get("lasted")
    lines = [
        f"# A row is a player's stay in a level: {safe(by_meaning['tries'].name)} is a number of tries.",
        *_fields(by_meaning, n_records),
    ]
    lines += [
        "",
        "[rows]",
        'each = "stay"',
        f"tries = {toml_text(by_meaning['tries'].name)}  # {by_meaning['tries'].evidence(n_records)}",
    ]
    if seconds is not None:
        lines.append(f"seconds = {toml_text(seconds.name)}  # {seconds.evidence(n_records)}")
    if "cleared" in by_meaning:
        return [*lines, f"cleared = {toml_text(by_meaning['cleared'].name)}  # {by_meaning['cleared'].evidence(n_records)}"]
    return [*lines, '# cleared = "?"  # NOT GUESSED: without it, whoever has a number of tries is taken to have cleared']


def _players(columns: Mapping[str, SampledColumn], by_meaning: dict[str, SampledColumn], n_records: int) -> list[str] | None:
    """A wide table: columns that are levels, by a number in their headings, or by what they say of a level."""
    numbered: dict[tuple[str, str], list[SampledColumn]] = {}
    heads_by_meaning: dict[str, dict[str, str]] = {}
    for column in columns.values():
        parts = _NUMBERED.fullmatch(column.name)
        if parts is not None and column.numeric:
            numbered.setdefault((parts[1], parts[3]), []).append(column)
        head, _, last = column.name.strip().rpartition(" ")
        meaning = {"lasted": "seconds"}.get(str(heading_of(last)), heading_of(last)) if head else None
        if meaning in ("tries", "seconds", "cleared"):
            heads_by_meaning.setdefault(str(meaning), {})[head] = last
    lines = ["# A row is a player, and levels are columns.", *_fields(by_meaning, n_records), "", "[rows]", 'each = "player"']
    enough = {
        meaning: heads for meaning, heads in heads_by_meaning.items() if len(heads) >= _FEWEST and len(set(heads.values())) == 1
    }
    if "tries" in enough:
        return [
            *lines,
            *(
                f'{meaning} = "* {next(iter(heads.values()))}"  # {plural(len(heads), "level")}'
                for meaning, heads in enough.items()
            ),
        ]
    best = max(numbered.items(), key=lambda entry: len(entry[1]), default=None)
    if best is None or len(best[1]) < _FEWEST:
        return None
    (before, after), numbered_columns = best
    return [
        *lines,
        f"levels = {toml_text(f'{before}*{after}')}  # {plural(len(numbered_columns), 'column')} of numbers",
        'cell = "tries"  # a guess: or "seconds"',
    ]


def _fields(by_meaning: dict[str, SampledColumn], n_records: int) -> list[str]:
    lines = ["", "[fields]  # ours = theirs"]
    for ours in ("player", "session", "level", "cause", "build"):
        if ours in by_meaning:
            lines.append(f"{ours} = {toml_text(by_meaning[ours].name)}  # {by_meaning[ours].evidence(n_records)}")
    return lines


def _rows(by_meaning: dict[str, SampledColumn], n_records: int) -> list[str]:
    lines = ["", "[rows]", 'each = "attempt"']
    for ours in ("started", "ended", "lasted", "result"):
        if ours in by_meaning:
            lines.append(f"{ours} = {toml_text(by_meaning[ours].name)}  # {by_meaning[ours].evidence(n_records)}")
    if "lasted" not in by_meaning and "ended" not in by_meaning:
        lines.append('# lasted = "?"  # NOT GUESSED: without it nothing is known of durations')
    return lines


def _time(by_meaning: dict[str, SampledColumn]) -> list[str]:
    started = by_meaning.get("started")
    return [] if started is None or started.numeric else local_times(list(started.values))


def local_times(values: list[str]) -> list[str]:
    """The lines on local date-times, in the form in which all that were seen are written; none where no form fits."""
    for pattern, form in _FORMATS:
        if all(re.fullmatch(pattern, value) for value in values):
            lines = ["", "[time]", 'zone = "UTC"  # local date-times, such as ' + safe(values[0]) + "; which zone is NOT GUESSED"]
            return [*lines, f"format = {toml_text(form)}  # as all that were seen are written"] if form else lines
    return []


def _events(result: SampledColumn) -> list[str]:
    lines = ["", "[events]  # theirs = ours"]
    for word, count in result.values.most_common(_MOST_RESULTS):
        ours = result_of(word)
        if ours:
            lines.append(f"{toml_text(word)} = {toml_text(ours)}  # {plural(count, 'row')}, by the word")
        else:
            lines.append(f'# {toml_text(word)} = "?"  # NOT GUESSED, {plural(count, "row")}')
    return lines


_SHOWN: Final = 4  # examples


@dataclass
class SampledColumn:
    """A sample of one column."""

    name: str
    given: int
    values: Counter[str]
    numbers: list[float]

    def evidence(self, n_records: int) -> str:
        """Return the sample as a comment."""
        examples = [safe(value)[:30] for value, _ in self.values.most_common(_SHOWN)]
        seen = f"in {percent(self.given / n_records)} of records, {plural(len(self.values), 'value')}"
        if 0 < len(self.values) <= _SHOWN:
            return f"{seen}: {listed(examples)}"
        if self.numeric and self.numbers:
            return f"{seen}, {number(min(self.numbers))} to {number(max(self.numbers))}"
        return f"{seen}, such as {listed(examples)}"

    @property
    def numeric(self) -> bool:
        """Return whether every value is a number."""
        return len(self.numbers) == self.given
