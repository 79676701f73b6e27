"""The command `init`."""

from __future__ import annotations

import argparse

from milepost.cli import options
from milepost.cli.exits import Exit

GROUP, PLACE = "Begin", 20  # in the help
HELP = "make a playtest folder for a log: settings once, drafts of the course and the map, and what to look at"
EXAMPLE = "milepost init wickwater/logs --output my-wickwater"


def add_options(parser: argparse.ArgumentParser) -> None:
    """Declare the options."""
    options.add_input(parser, needed=True)
    parser.add_argument("-o", "--output", metavar="DIR", default=".", help="the folder to be (this one)")
    parser.add_argument("--force", action="store_true", help="write over a milepost.toml that is there")


def run(args: argparse.Namespace) -> Exit:
    """Run the command."""
    from pathlib import Path

    from milepost.cli import terminal
    from milepost.cli.loading import fetch, read_options
    from milepost.drafts.playtest_folder import begin
    from milepost.output import write_text
    from milepost.reports.init_text import begun_text

    fetch(args.logs)
    with terminal.progress() as progress:
        begun = begin(args.logs, Path(args.output), read_options(args), progress, args.force)
    write_text(begun_text(begun, args.output), None)
    return Exit.DONE
