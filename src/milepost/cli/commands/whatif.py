"""The command `whatif`."""

from __future__ import annotations

import argparse
from typing import TYPE_CHECKING

from milepost.cli import options

if TYPE_CHECKING:
    from milepost.cli.arguments import Arguments
    from milepost.cli.messages import Exit

GROUP, PLACE = "Change and test again", 190  # in the help
HELP = "the funnel that the fitted model projects, were a level easier or harder"
EXAMPLE = "milepost whatif --set 'Low Arch.arch_width=6'"


def add_options(parser: argparse.ArgumentParser) -> None:
    """Declare the options."""
    options.add_measure(parser, by=False, figure=True)
    parser.add_argument(
        "--set",
        action="append",
        required=True,
        metavar="CHANGE",
        help="LEVEL.KNOB=VALUE, LEVEL.difficulty=LOGITS or LEVEL.target_clear=CHANCE; may be repeated",
    )


def run(args: Arguments) -> Exit:
    """Run the command."""
    from milepost.cli.run_measure import run_measure
    from milepost.difficulty.whatif import WhatIf
    from milepost.planning.knob_changes import is_of_knob

    if not any(map(is_of_knob, args.set)):
        return run_measure(args, WhatIf(tuple(args.set)))
    return _run_with_knobs(args)


def _run_with_knobs(args: Arguments) -> Exit:
    """Run it where a change is of a knob: the log itself tells what a unit of that does."""
    from milepost.cli.loading import load
    from milepost.cli.run_measure import run_measure
    from milepost.planning.knob_table import add_knob_changes
    from milepost.playback.play import with_records

    loaded = load(args, every_record=True)
    return run_measure(args, add_knob_changes(with_records(loaded.play()), args.set, args.min_players), loaded)
