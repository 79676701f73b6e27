"""Counts over the parts of a log, without its attempts: all that measures need which are made of counts, at any size."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from typing import Any, Final

from milepost.cleaning.names import Stops
from milepost.cleaning.survey import Survey
from milepost.logs.interface import refused_in_all
from milepost.partitions.tasks import Part, Wanted, replayed_part
from milepost.playback.play import Kinds

_AT_ONCE: Final = 16  # parts whose counts wait to be put together


@dataclass(frozen=True)
class CountedPart:
    """Counts over a part.

    Attributes:
        stops: what its names stand for.
        counts: by their kind.
        debug_sessions: how many were left out.
        refused_gone: how many records that could not be read are of sessions that were left out.
    """

    stops: Stops
    counts: dict[type, Any]
    debug_sessions: int
    refused_gone: int


def count_part(part: Part, wanted: Wanted, survey: Survey, order: list[int] | None, kinds: Kinds) -> CountedPart:
    """Replay a part, count over it, and let its records and attempts go."""
    log = part.by_itself()
    play = replayed_part(wanted.of(log), wanted, survey, order)
    counts = {kind: kind.of(play) for kind in kinds}
    return CountedPart(play.gated.stops, counts, play.about.debug_sessions, refused_in_all(log.refused) - play.about.refused)


def counted_together(parts: Iterable[CountedPart], kinds: Kinds) -> CountedPart:
    """The counts over all parts, of which few wait at a time."""
    waiting: list[CountedPart] = []
    for part in parts:
        waiting.append(part)
        if len(waiting) == _AT_ONCE:
            waiting = [_together(waiting, kinds)]
    return _together(waiting, kinds)


def _together(parts: list[CountedPart], kinds: Kinds) -> CountedPart:
    return CountedPart(
        parts[0].stops,
        {kind: kind.merged([part.counts[kind] for part in parts]) for kind in kinds},
        sum(part.debug_sessions for part in parts),
        sum(part.refused_gone for part in parts),
    )
