"""Counts over the parts of a log, without its attempts: all that measures need which are made of counts, at any size."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from typing import Any, Final

from milepost.gate.names import Stops
from milepost.gate.survey import Survey
from milepost.parts.tasks import Part, Wanted, replayed_part
from milepost.playback.summed import Kinds

_AT_ONCE: Final = 16  # parts whose counts wait to be put together


@dataclass(frozen=True)
class CountedPart:
    """What was counted over a part, by its kind, and what its names stand for."""

    stops: Stops
    counts: dict[type, Any]


def count_part(part: Part, wanted: Wanted, survey: Survey, order: list[int] | None, kinds: Kinds) -> CountedPart:
    """Replay a part, count over it, and let its records and attempts go."""
    play = replayed_part(part, wanted, survey, order)
    return CountedPart(play.gated.stops, {kind: kind.of(play) for kind in kinds})


def counted_together(parts: Iterable[CountedPart], kinds: Kinds) -> CountedPart:
    """The counts over all parts, of which few wait at a time."""
    waiting: list[CountedPart] = []
    for part in parts:
        waiting.append(part)
        if len(waiting) == _AT_ONCE:
            waiting = [_together(waiting, kinds)]
    return _together(waiting, kinds)


def _together(parts: list[CountedPart], kinds: Kinds) -> CountedPart:
    return CountedPart(parts[0].stops, {kind: kind.merged([part.counts[kind] for part in parts]) for kind in kinds})
