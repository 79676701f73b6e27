"""Knobs that the log itself tells of: what all starts of a level say alike, and those of other levels do not."""

from __future__ import annotations

import numpy as np

from milepost.cleaning.field_values import Values, number_of
from milepost.cleaning.survey import number_builds
from milepost.errors import UsageError
from milepost.level_names import natural_key
from milepost.numerics.whole_numbers import count_values, distinct
from milepost.playback.attributes import attribute
from milepost.playback.play import Play

_FEWEST = 2  # starts of a level that say it


def logged_knobs(play: Play) -> list[dict[str, object]]:
    """Per level of the course, the knobs that its starts tell of; of several builds, as the last that tells has them.

    A field is one if in each build all starts of each level that say it, say the same, and not those of all levels do.
    """
    return play.compute_once(_logged_knobs)


def _logged_knobs(play: Play) -> list[dict[str, object]]:
    by_level: list[dict[str, object]] = [{} for _ in range(play.n_levels)]
    for name in play.gated.log.tags:
        try:
            values = attribute(play, f"start.{name}")
        except UsageError:
            continue
        for level, code in _pick_common_values(play, values).items():
            by_level[level][name] = typed_value(values.texts[code])
    return by_level


def _pick_common_values(play: Play, values: Values) -> dict[int, int]:
    """Per level whose starts say it, what all of them say; nothing where those of one level and build differ.

    Nor where those of all levels of each build are alike.
    """
    table, build = play.attempts, number_builds(play.gated.log.sessions)[0]
    given = np.flatnonzero((values.codes >= 0) & (table.level < play.n_levels))
    width = len(values.texts) + 1
    cell = build[table.session[given]] * play.n_levels + table.level[given]
    pairs, counts = count_values(cell * width + values.codes[given])
    cells, codes = pairs // width, pairs % width
    player = cells // play.n_levels if play.n_levels else cells
    if len(distinct(cells)) < len(cells) or len(distinct(player * width + codes)) == len(distinct(player)):
        return {}
    last = natural_order(play.gated.log.sessions.build)
    triples = zip(cells.tolist(), codes.tolist(), counts.tolist(), strict=True)
    rows = sorted(triples, key=lambda row: last[row[0] // play.n_levels])
    return {place % play.n_levels: code for place, code, count in rows if count >= _FEWEST}  # that of the last build stays


def natural_order(builds: list[str | None]) -> list[int]:
    """Per build, as numbered by first appearance, its place in natural order."""
    names = [name or "" for name in dict.fromkeys(builds)]
    order = sorted(range(len(names)), key=lambda number: natural_key(names[number]))
    places = [0] * len(names)
    for place, number in enumerate(order):
        places[number] = place
    return places


def typed_value(text: str) -> object:
    """A value as a course file has it."""
    number = number_of(text)
    if np.isnan(number) or np.isinf(number):
        return {"true": True, "false": False}.get(text, text)
    return int(number) if number.is_integer() else number


def common_value(play: Play, name: str, level: int) -> object | None:
    """Return the value of a field in all starts of a level; None if they differ, or fewer than two have it."""
    try:
        values = attribute(play, f"start.{name}")
    except UsageError:
        return None
    codes = values.codes[(play.attempts.level == level) & (values.codes >= 0)]
    return typed_value(values.texts[int(codes[0])]) if len(codes) >= _FEWEST and bool((codes == codes[0]).all()) else None


def knobs_of(play: Play, level: int) -> dict[str, object]:
    """The knobs of a level: those of the course, and those that the log tells of and the course does not."""
    planned = play.course.levels[level].knobs if play.course else {}
    return {**logged_knobs(play)[level], **planned}
