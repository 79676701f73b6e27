"""The command `whatif`."""

from __future__ import annotations

import argparse
from typing import TYPE_CHECKING

from milepost.cli import options

if TYPE_CHECKING:
    from milepost.cli.exits import Exit

GROUP, PLACE = "Change and test again", 190  # in the help
HELP = "the funnel that the fitted model projects, were a level easier or harder"
EXAMPLE = "milepost whatif --set 'Low Arch.difficulty=-0.5'"


def add_options(parser: argparse.ArgumentParser) -> None:
    """Declare the options."""
    options.add_measure(parser, by=False, figure=True)
    parser.add_argument(
        "--set",
        action="append",
        required=True,
        metavar="CHANGE",
        help="LEVEL.difficulty=LOGITS or LEVEL.target_clear=CHANCE; may be repeated",
    )


def run(args: argparse.Namespace) -> Exit:
    """Run the command."""
    from milepost.cli.run_measure import measured
    from milepost.difficulty.whatif import WhatIf

    return measured(args, WhatIf(tuple(args.set)))
