"""The command `map`."""

from __future__ import annotations

import argparse

from milepost.cli import options
from milepost.cli.exits import Exit

GROUP, PLACE = "Bring data in and out", 250  # in the help
HELP = "look at a foreign log and write a commented draft of a log map"
EXAMPLE = "milepost map their-log.csv --output map.toml"


def add_options(parser: argparse.ArgumentParser) -> None:
    """Declare the options."""
    options.add_log(parser, course=False, mapped=False)
    parser.add_argument("-o", "--output", metavar="FILE", help="write the draft to this file")


def run(args: argparse.Namespace) -> Exit:
    """Run the command."""
    from milepost.cli import terminal
    from milepost.cli.loading import read_options
    from milepost.logs.mapping.map_draft import draft_map
    from milepost.output import write_text

    with terminal.progress() as progress:
        text = draft_map(args.logs, read_options(args), progress)
    write_text(text, args.output)
    return Exit.DONE
