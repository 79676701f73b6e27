"""A comparison of two groups within a play that still has its records."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TypedDict

from milepost.comparing.compare import Assigned, Compare
from milepost.comparing.rows import CompareRow, CompareTotals
from milepost.errors import UsageError
from milepost.gate.selection import only
from milepost.gate.splitting import split_of
from milepost.measures.interface import Table
from milepost.playback.play import Play, with_records
from milepost.playback.replay import replay_log


class CompareSettings(TypedDict, total=False):
    """See `CompareWithin`."""

    min_players: int
    assigned: Assigned | None
    looks: int
    untouched: tuple[str, ...]


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
    """

    before: str | None = None
    after: str | None = None
    key: str = "build"
    min_players: int = 5
    assigned: Assigned | None = None
    looks: int = 1
    untouched: tuple[str, ...] = ()

    def __call__(self, play: Play) -> Table[CompareRow, CompareTotals]:
        """One row a level of either.

        Raises:
            UsageError: the log does not have two such values, or the play looks at some of its tries only.
            RecordsGoneError: the play has let its records go.
        """
        if self.looks < 1:
            raise UsageError(f"looks={self.looks}: a test is looked at once or more often.")
        if play.asked:
            raise UsageError(f"builds are compared over all tries, and this play looks at some: {', '.join(play.asked)}.")
        log, exclusion = with_records(play).gated.log, play.gated.exclusion
        split = split_of(log, self.key, self.before, self.after, (play.course, play.course))
        before, after = (
            replay_log(only(log, sessions), course, play.rules, exclusion=exclusion) for sessions, course in split.each(log)
        )
        settings = Compare(split, self.min_players, self.assigned, self.looks, self.untouched)
        return settings(before, after, log.sessions.name)
