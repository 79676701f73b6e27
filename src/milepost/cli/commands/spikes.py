"""The command `spikes`."""

from __future__ import annotations

import argparse
from collections.abc import Mapping, Sequence
from typing import cast

from milepost.cli import options
from milepost.cli.messages import Exit, tell
from milepost.cli.run_measure import measured
from milepost.difficulty.spikes import Spikes
from milepost.errors import UsageError
from milepost.reports.since import flagged_levels, read_report
from milepost.wording import listed, safe

GROUP, PLACE = "Judge", 160  # in the help
HELP = "which levels break what their surroundings lead one to expect, how sure that is, and what it costs"
EXAMPLE = "milepost spikes --strict strong --since last-week.json"


def add_options(parser: argparse.ArgumentParser) -> None:
    """Declare the options."""
    options.add_measure(parser, figure=True)
    options.add_per(parser)
    parser.add_argument(
        "--strict",
        choices=("weak", "fair", "strong"),
        help="exit with status 1 if a level stands out on evidence of this strength or more",
    )
    parser.add_argument(
        "--since",
        action=options.Once,
        metavar="REPORT.json",
        help="with --strict: pass over levels that stood out in this earlier report",
    )


def run(args: argparse.Namespace) -> Exit:
    """Run the command."""

    return strict_spikes(args)


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
