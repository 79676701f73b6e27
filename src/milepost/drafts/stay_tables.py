"""Tables without events: a row for each player and level, or a row a player with a column for each level."""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from itertools import permutations
from typing import Final

import numpy as np

from milepost.drafts.folded_fields import literal, quoted
from milepost.drafts.prepared_samples import PreparedSample
from milepost.drafts.sampled_table import CellColumn, SampledTable
from milepost.logs.mapping.languages import heading_of, is_total, result_of, score_heading
from milepost.logs.records.fields import parse_decimal
from milepost.toml import toml_text
from milepost.wording import plural

_CELL: Final = re.compile(r"\s*(\d{0,4})\s*([^\d\s][^\d]*?)?\s*")
_MOST_WORDS: Final = 6
_NOTHING: Final = frozenset({"-", "–", "—"})
_FEWEST_LEVELS: Final = 3
_MOST_TRIES: Final = 500
_FEW_TRIES: Final = 3  # which somebody needed at any level
_MOST_COUNTS: Final = 60  # different numbers of tries


@dataclass(frozen=True)
class StayTable:
    """A map for a table of stays, and the records that its query makes."""

    text: str
    sample: PreparedSample


def draft_stay_map(sample: PreparedSample, named: Mapping[str, str]) -> StayTable | None:
    """Return a map for a table of stays; None where the records are something else."""
    table = SampledTable.of(sample.records)
    return _players_by_levels(sample, table, named) or _rows_of_stays(sample, table, named)


def _players_by_levels(sample: PreparedSample, table: SampledTable, named: Mapping[str, str]) -> StayTable | None:
    """A row a player: columns of small numbers, of which players fill the first ones."""
    levels = [column for column in table.columns.values() if _is_tries(column) and not is_total(column.name)]
    if len(levels) < _FEWEST_LEVELS or table.records < 3:
        return None
    players = [column for column in table.columns.values() if len(column.words) == table.records and column not in levels]
    player = next((column for column in players if named.get("player") == column.name), None)
    player = player or max(players, key=lambda column: score_heading("player", column.name), default=None)
    words = sorted({word for column in levels for text in column.words if (word := _word(text))})
    if player is None or not _fills_from_left(levels) or len(words) > _MOST_WORDS:
        return None
    beside = _columns_beside(table, levels)
    if beside is not None:
        return _levels_of_two_columns(sample, player, beside)
    columns = ", ".join(quoted(column.name) for column in levels)
    texts = ", ".join(f"CAST({quoted(column.name)} AS VARCHAR) AS {quoted(column.name)}" for column in levels)
    inner = "log" if sample.select is None else f"({sample.select})"
    query = f'UNPIVOT (SELECT {quoted(player.name)}, {texts} FROM {inner}) ON {columns} INTO NAME "level" VALUE "tries"'
    selected = sample.selected(query) if sample.select is None else None
    if selected is None:
        return None
    lines = [f"# A row is a player, and {plural(len(levels), 'column')} are levels.", "", "[input]", *sample.input]
    lines += [f"select = {toml_text(query)}", "", "[rows]", 'each = "stay"', 'tries = "tries"', "", "[fields]  # ours = theirs"]
    lines += [f"player = {toml_text(player.name)}", 'level = "level"']
    if words:
        lines += ["", "[events]  # words behind a number of tries"]
        lines += [f'{toml_text(word)} = "{result_of(word) or "quit"}"' for word in words]
    return StayTable("\n".join(lines) + "\n", selected)


@dataclass(frozen=True)
class _Beside:
    """The two columns of each level: tries, and how long they took; the latter says whether the level was cleared, or not."""

    level: str
    tries: str
    seconds: str
    tells: bool


def _columns_beside(table: SampledTable, levels: Sequence[CellColumn]) -> list[_Beside] | None:
    """The columns of times beside those of tries, where all of these end alike, as `Low Arch tries` and `Low Arch time` do."""
    first = levels[0].name
    end = next(first[n:] for n in range(len(first) + 1) if all(column.name.endswith(first[n:]) for column in levels))
    stems = [column.name.removesuffix(end) for column in levels]
    others = [name.removeprefix(stems[0]) for name in table.columns if name.startswith(stems[0]) and not name.endswith(end)]
    ends = [other for other in others if all(stem and stem + other in table.columns for stem in stems)]
    if not end or not ends:
        return None
    times = [table.columns[stem + ends[0]] for stem in stems]
    if any(parse_decimal(word) is None for column in times for word in column.words):
        return None
    tells = any(bool(((tries.codes >= 0) & (time.codes < 0)).any()) for tries, time in zip(levels, times, strict=True))
    pairs = zip(stems, levels, times, strict=True)
    return [_Beside(stem.strip(" -_:./"), tries.name, seconds.name, tells) for stem, tries, seconds in pairs]


def _levels_of_two_columns(sample: PreparedSample, player: CellColumn, beside: Sequence[_Beside]) -> StayTable | None:
    """A map for a row a player with two columns a level."""
    parts = [
        f"SELECT {quoted(player.name)}, {literal(stay.level)} AS level, CAST({quoted(stay.tries)} AS VARCHAR) AS tries, "
        f"CAST({quoted(stay.seconds)} AS VARCHAR) AS seconds, "
        f"CASE WHEN {quoted(stay.seconds)} IS NULL THEN 'no' ELSE 'yes' END AS cleared FROM log"
        for stay in beside
    ]
    query = " UNION ALL ".join(parts)
    selected = sample.selected(query) if sample.select is None else None
    if selected is None:
        return None
    lines = [f"# A row is a player, and {plural(len(beside), 'level')} have two columns each.", "", "[input]", *sample.input]
    lines += [f"select = {toml_text(query)}", "", "[rows]", 'each = "stay"', 'tries = "tries"', 'seconds = "seconds"']
    lines += ['cleared = "cleared"  # a level without a time was not cleared'] if beside[0].tells else []
    lines += ["", "[fields]  # ours = theirs", f"player = {toml_text(player.name)}", 'level = "level"']
    return StayTable("\n".join(lines) + "\n", selected)


def _is_tries(column: CellColumn) -> bool:
    """Return whether most cells are small whole numbers, often the same, alone or with a word behind them, or a dash."""
    if not 0 < len(column.words) <= _MOST_COUNTS or column.given < 0.1:
        return False
    cells = [_CELL.fullmatch(word) for word in column.words]
    fits = [
        cell is not None and (word in _NOTHING or (cell[1] != "" and 0 <= int(cell[1]) <= _MOST_TRIES))
        for word, cell in zip(column.words, cells, strict=True)
    ]
    least = min((int(cell[1]) for cell in cells if cell is not None and cell[1]), default=_MOST_TRIES)
    return sum(fits) >= 0.9 * len(fits) and least <= _FEW_TRIES


def _word(text: str) -> str | None:
    cell = _CELL.fullmatch(text)
    return cell[2] if cell is not None and cell[1] and cell[2] else None


def _fills_from_left(levels: Sequence[CellColumn]) -> bool:
    """Return whether players who have a cell have those before it, too, as in a course."""
    filled = np.array([[code >= 0 and column.words[code] not in {*_NOTHING, "0"} for code in column.codes] for column in levels])
    later = filled[1:] & ~filled[:-1]
    return bool(later.sum() <= 0.05 * max(1, filled[1:].sum()))


def _rows_of_stays(sample: PreparedSample, table: SampledTable, named: Mapping[str, str]) -> StayTable | None:
    """A row for each player and level: no pair comes twice, and a column counts tries."""
    columns = list(table.columns.values())
    fits = [
        (fit + 0.01 * _contiguous(player), player, level, tries)
        for player, level, tries in permutations(columns, 3)
        if (fit := _stay_fit(table, player, level, tries, named)) is not None
    ]
    if not fits or table.records < 6:
        return None
    _, player, level, tries = max(fits, key=lambda fit: fit[0])
    cleared = _cleared(table, (player, level, tries), player)
    seconds = next((column for column in columns if heading_of(column.name) == "lasted" and column.numbers is not None), None)
    lines = ["# A row is a player's stay in a level.", *(["", "[input]", *sample.input] if sample.input else [])]
    if sample.select:
        lines += [*([] if sample.input else ["", "[input]"]), f"select = {toml_text(sample.select)}"]
    lines += ["", "[rows]", 'each = "stay"', f"tries = {toml_text(tries.name)}  # whole numbers from {min(tries.words)} on"]
    lines += [f"seconds = {toml_text(seconds.name)}"] if seconds is not None else []
    lines += [f"cleared = {toml_text(cleared[0].name)}"] if cleared else []
    lines += ["", "[fields]  # ours = theirs", f"player = {toml_text(player.name)}", f"level = {toml_text(level.name)}"]
    if cleared:
        lines += [
            "",
            "[events]",
            f'{toml_text(cleared[1])} = "complete"  # where it stands, the player goes on to the next level',
        ]
    return StayTable("\n".join(lines) + "\n", sample)


def _stay_fit(
    table: SampledTable, player: CellColumn, level: CellColumn, tries: CellColumn, named: Mapping[str, str]
) -> float | None:
    """How much headings speak for a player, a level and a number of tries; None where the columns cannot be that."""
    if named.get("player", player.name) != player.name or named.get("level", level.name) != level.name:
        return None
    if tries.given <= 0.8 or not _is_tries(tries) or not _is_grid(player, level, table.records):
        return None
    if not _counts(tries, player, level):
        return None
    return score_heading("player", player.name) + score_heading("level", level.name) + score_heading("tries", tries.name)


def _is_grid(player: CellColumn, level: CellColumn, records: int) -> bool:
    """Return whether two columns, each with several values of which each comes several times, never come together twice."""
    if not (3 <= len(player.words) <= records / 1.5 and 2 <= len(level.words) <= records / 2.5):
        return False
    pairs = {(int(a), int(b)) for a, b in zip(player.codes, level.codes, strict=True)}
    return len(pairs) == records and min(player.given, level.given) == 1.0


def _counts(column: CellColumn, player: CellColumn, level: CellColumn) -> bool:
    """Return whether a column may count tries: it begins with 1, and is neither a level nor counted up."""
    numbers = column.numbers
    if numbers is None or score_heading("level", column.name) or score_heading("time", level.name):
        return False
    same = np.diff(player.codes) == 0
    if same.any() and float((np.diff(numbers)[same] >= 0).mean()) > 0.9:
        return False
    finite = numbers[np.isfinite(numbers)]
    return bool(len(finite)) and float((finite == 1).mean()) > 0.1 and float(finite.max()) >= 2


def _contiguous(player: CellColumn) -> float:
    return len(player.words) / (1 + int((np.diff(player.codes) != 0).sum()))


def _cleared(table: SampledTable, taken: Sequence[CellColumn], player: CellColumn) -> tuple[CellColumn, str] | None:
    """The column of two values one of which stands only in a player's last row, and its other value."""
    last = np.append(player.codes[1:] != player.codes[:-1], True)
    order = np.argsort(player.codes, kind="stable")
    for column in table.columns.values():
        if column in taken or len(column.words) != 2 or column.given < 0.9:
            continue
        words = [result_of(word) for word in column.words]
        if "complete" in words or any(word.lower() in ("true", "1", "x", "yes") for word in column.words):
            telling = next(
                (n for n, word in enumerate(column.words) if words[n] == "complete" or word.lower() in ("true", "1", "x", "yes")),
                0,
            )
            return column, column.words[telling]
        codes = column.codes[order]
        ends = np.append(np.diff(player.codes[order]) != 0, True)
        for value in (0, 1):
            rows = codes == value
            if rows.any() and ends[rows].mean() > 0.9 and rows.sum() <= last.sum():
                return column, column.words[1 - value]
    return None
