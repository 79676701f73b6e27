"""Spikes as a gate for a build server: a status that says whether a level stands out that did not before."""

from __future__ import annotations

import argparse
from collections.abc import Mapping, Sequence
from typing import cast

from milepost.cli.messages import Exit, tell
from milepost.cli.run_measure import measured
from milepost.difficulty.spikes import Spikes
from milepost.errors import UsageError
from milepost.reports.since import flagged_levels, read_report
from milepost.wording import listed, safe


def strict_spikes(args: argparse.Namespace) -> Exit:
    """Run `spikes`, and say which levels stand out on such evidence, but for those of an earlier report.

    Raises:
        UsageError: an earlier report without the strength of evidence that is asked about, or one that is none.
    """
    if args.since and not args.strict:
        raise UsageError("--since goes with --strict: which strength of evidence is too much?")
    before = flagged_levels(read_report(args.since)["spikes"]["levels"], args.strict) if args.since else set()
    found: dict[str, None] = {}

    def look(levels: Sequence[Mapping[str, object]]) -> None:
        if args.strict:
            rows = [cast("dict[str, object]", row) for row in levels]
            found.update(dict.fromkeys(sorted(flagged_levels(rows, args.strict) - before)))

    status = measured(args, Spikes(args.min_players), look=look)
    if not found:
        return status
    news = "and did not before " if args.since else ""
    tell(f"milepost spikes: on {args.strict} evidence {news}there stands out: {listed([safe(level) for level in found])}.")
    return Exit.GATE_HIT
