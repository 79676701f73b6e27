"""A log map tried on a sample: read through it, replayed, and scored by what it leaves unexplained."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from pathlib import Path
from tempfile import TemporaryDirectory

import numpy as np

from milepost.errors import MilePostError
from milepost.logs.mapping.logmap import LogMap, read_map
from milepost.logs.mapping.whole_input import FileRecords
from milepost.logs.read import give_waiting, require_mapped
from milepost.logs.records.builder import RecordBuilder
from milepost.logs.records.sink import repeat_for_players
from milepost.playback.play import FullPlay
from milepost.playback.replay import replay_log
from milepost.playback.tallies import get_tallies
from milepost.rules import ReplayRules
from milepost.vocabulary import CLEARED, DIED, WAS_RESET

_SHORTEST, _LONGEST = 1.0, 1200.0  # seconds of half of the tries, beyond which the unit is likely another one
_VERY_MANY = 40  # clears, of which none is at once
_IMPLAUSIBLE = 0.85


@dataclass(frozen=True)
class Trial:
    """What a replay of a sample through a map came to.

    Attributes:
        explained: the share of records that were used.
        settled: the share of tries with an outcome.
        followed: of clears after which the player tried something, the share after which that was the next level.
        repeated: of failures, the share after which that was the same level.
        timed: the share of tries whose duration is known.
        records: how many were read.
        levels, clears: how many.
        try_seconds: the median time of a try; None where it is not known.
        none_at_once: whether no player cleared any level at the first try, of very many: then what opens a try counts as one.
        problem: why the map reads nothing, if so.
    """

    explained: float = 0.0
    settled: float = 0.0
    followed: float = 0.0
    repeated: float = 0.0
    timed: float = 0.0
    records: int = 0
    levels: int = 0
    clears: int = 0
    try_seconds: float | None = None
    none_at_once: bool = False
    problem: str = ""

    @property
    def score(self) -> float:
        """From 0, where nothing is explained, to 1."""
        if not self.clears or self.levels < 2:
            return 0.0
        plausible = self.try_seconds is None or _SHORTEST <= self.try_seconds <= _LONGEST
        return (
            (1.0 if plausible and not self.none_at_once else _IMPLAUSIBLE)
            * self.explained
            * (0.35 * self.settled + 0.3 * self.followed + 0.2 * self.repeated + 0.15 * self.timed)
        )


def parse_map_text(text: str) -> LogMap:
    """A draft of a map, read as it would be from its file.

    Raises:
        MapError: it is none.
    """
    with TemporaryDirectory(prefix="milepost-") as place:
        (Path(place) / "map.toml").write_text(text, encoding="utf-8")
        return replace(read_map(Path(place) / "map.toml"), path="map.toml")


def try_map(text: str, records: Sequence[Mapping[str, object]], cells: bool) -> Trial:
    """Return what comes of reading records through a map; what its `[input]` would do to them is done already.

    Args:
        text: the map.
        records: as that table makes them.
        cells: whether values know no types.
    """
    try:
        play = replay_through_map(parse_map_text(text), records, cells)
    except MilePostError as error:
        return Trial(problem=str(error))
    return _scored(play)


def replay_through_map(log_map: LogMap, records: Sequence[Mapping[str, object]], cells: bool) -> FullPlay:
    """Read records through a map, and replay them.

    Raises:
        MilePostError: they cannot be read so.
    """
    builder = RecordBuilder()
    builder.translated_by(replace(log_map, select=None, query=None, lines=(), explode=()))
    builder.files.append("the sample")
    builder.waiting = [(FileRecords(0, [(number, record) for number, record in enumerate(records, 1)]), cells)]
    give_waiting(builder)
    require_mapped(builder)
    return replay_log(repeat_for_players(builder.log()), None, ReplayRules(**log_map.replay))


def _scored(play: FullPlay) -> Trial:
    tallies, attempts = get_tallies(play), play.attempts
    total = tallies.records + play.about.refused
    if not len(attempts) or not total:
        return Trial(problem="no try at a level was found", records=tallies.records)
    lost = tallies.dropped + play.about.refused + int(tallies.words.sum())
    settled = attempts.ended(CLEARED, DIED, WAS_RESET)
    ended = attempts.outcome
    same = np.diff(attempts.player) == 0
    step = np.diff(attempts.level)
    cleared, failed = (ended[:-1] == CLEARED) & same, np.isin(ended[:-1], (DIED, WAS_RESET)) & same
    return Trial(
        explained=max(0.0, 1.0 - lost / total),
        settled=float(settled.mean()),
        followed=float((step[cleared] == 1).mean()) if cleared.any() else 0.0,
        repeated=float((step[failed] == 0).mean()) if failed.any() else 1.0,
        timed=float(np.isfinite(attempts.active[settled]).mean()) if settled.any() else 0.0,
        try_seconds=float(np.nanmedian(attempts.active[settled])) if np.isfinite(attempts.active[settled]).any() else None,
        none_at_once=_none_at_once(play),
        records=tallies.records,
        levels=play.n_levels,
        clears=int((ended == CLEARED).sum()),
    )


def _none_at_once(play: FullPlay) -> bool:
    """Return whether no first try of a player at a level clears it, though very many levels were cleared."""
    table = play.attempts
    _, first = np.unique(table.player * (play.n_levels + 1) + table.level, return_index=True)
    cleared = table.ended(CLEARED)
    return int(cleared.sum()) >= _VERY_MANY and not bool(cleared[first].any())
