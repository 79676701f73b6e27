"""A comparison of two groups within a play that still has its records."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TypedDict

from milepost.cleaning.selection import only, parse_condition
from milepost.cleaning.splitting import Split, split_of
from milepost.comparison.by_attribute import require_by_session, split_by_attribute
from milepost.comparison.compare import Assigned, Compare
from milepost.comparison.row_types import CompareRow, CompareTotals
from milepost.errors import UsageError
from milepost.measures.interface import Table
from milepost.playback.attempt_filters import fitting
from milepost.playback.attributes import is_attribute
from milepost.playback.play import Play, with_records
from milepost.playback.replay import replay_log


class CompareSettings(TypedDict, total=False):
    """See `CompareWithin`."""

    min_players: int
    assigned: Assigned | None
    looks: int
    untouched: tuple[str, ...]
    shares: tuple[float, float]


@dataclass(frozen=True)
class CompareWithin:
    """Two builds, or two values of another key.

    Attributes:
        before, after: the two values; those not named are the two that appeared last.
        key: `build`, or a tag.
        min_players: of fewer players in either, nothing is claimed.
        assigned: how players came to their build: by `lot`, or all to both in `crossed` order.
        looks: how often a running test is looked at, as planned.
        untouched: levels known not to have changed.
        shares: what a lot deals out, the one side to the other.
    """

    before: str | None = None
    after: str | None = None
    key: str = "build"
    min_players: int = 5
    assigned: Assigned | None = None
    looks: int = 1
    untouched: tuple[str, ...] = ()
    shares: tuple[float, float] = (1.0, 1.0)

    def __call__(self, play: Play) -> Table[CompareRow, CompareTotals]:
        """One row a level of either.

        Raises:
            UsageError: the log does not have two such values, or the key changes within sessions.
            RecordsGoneError: the play has let its records go.
        """
        if self.looks < 1:
            raise UsageError(f"looks={self.looks}: a test is looked at once or more often.")
        if is_attribute(self.key):
            split, sides = split_by_attribute(play, self.key, self.before, self.after)
        else:
            split, sides = self._by_session(play)
        settings = Compare(split, self.min_players, self.assigned, self.looks, self.untouched, self.shares)
        return settings(*sides, play.gated.log.sessions.name)

    def _by_session(self, play: Play) -> tuple[Split, tuple[Play, Play]]:
        require_by_session(play, self.key)
        log, exclusion = with_records(play).gated.log, play.gated.exclusion
        conditions = tuple(parse_condition(text) for text in play.asked)
        split = split_of(log, self.key, self.before, self.after, (play.course, play.course))
        before, after = (
            fitting(replay_log(only(log, sessions), course, play.rules, exclusion=exclusion), conditions)
            for sessions, course in split.each(log)
        )
        return split, (before, after)
