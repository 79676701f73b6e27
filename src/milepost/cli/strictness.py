"""Spikes as a gate for a build server: a status that says whether a level stands out that did not before."""

from __future__ import annotations

import argparse
from collections.abc import Mapping
from typing import TYPE_CHECKING, cast

from milepost.cli.exits import Exit
from milepost.cli.showing import measured
from milepost.cli.telling import tell
from milepost.difficulty.spikes import Spikes
from milepost.errors import UsageError
from milepost.measures.interface import table_of
from milepost.reports.since import flagged_levels, read_report
from milepost.wording import listed, safe

if TYPE_CHECKING:
    from milepost.measures.interface import Table
    from milepost.playback.play import Play


def strict_spikes(args: argparse.Namespace) -> Exit:
    """Run `spikes`, and say which levels stand out on such evidence, but for those of an earlier report.

    Raises:
        UsageError: an earlier report without the strength of evidence that is asked about, or one that is none.
    """
    if args.since and not args.strict:
        raise UsageError("--since goes with --strict: which strength of evidence is too much?")
    before = flagged_levels(read_report(args.since)["spikes"]["levels"], args.strict) if args.since else set()
    found: dict[str, None] = {}

    def measure(play: Play) -> Table[Mapping[str, object], Mapping[str, object]]:
        table = table_of(play, Spikes(args.min_players))
        if args.strict:
            rows = [cast("dict[str, object]", row) for row in table.rows]
            found.update(dict.fromkeys(sorted(flagged_levels(rows, args.strict) - before)))
        return table

    status = measured(args, measure)
    if not found:
        return status
    news = "and did not before " if args.since else ""
    tell(f"milepost spikes: on {args.strict} evidence {news}there stands out: {listed([safe(level) for level in found])}.")
    return Exit.GATE_HIT
