"""What mypy has to refuse: `make types` fails where one of these is let through, for then the remark on it is of no use."""

from __future__ import annotations

import milepost
from milepost.arrays import Ints
from milepost.logs.interface import Records
from milepost.measures.funnel import Funnel
from milepost.playback.play import FullPlay, Play, Summed


def records_of_a_play(play: Play) -> Records:
    return play.gated.log.records  # type: ignore[attr-defined, no-any-return]


def order_of_a_play(play: Play) -> Ints:
    return play.gated.order  # type: ignore[attr-defined, no-any-return]


def sessions_one_by_one(play: Play) -> None:
    milepost.trace(play)  # type: ignore[arg-type]
    milepost.compare(play)  # type: ignore[arg-type]


def attempts_of_counts(counted: Summed, play: Play) -> None:
    milepost.check(counted)  # type: ignore[arg-type]
    counted.attempts.level  # type: ignore[attr-defined]  # noqa: B018
    Funnel()(counted)
    Funnel()(play)


def with_all_records(full: FullPlay) -> Records:
    milepost.trace(full)
    milepost.funnel(full)
    return milepost.replay("log.jsonl", every_record=True).gated.log.records
