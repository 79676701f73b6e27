"""The command `convert`."""

from __future__ import annotations

import argparse
from typing import TYPE_CHECKING

from milepost.cli import options
from milepost.cli.messages import Exit
from milepost.logs.formats.registry import WRITTEN

if TYPE_CHECKING:
    from milepost.cli.arguments import Arguments

GROUP, PLACE = "Bring data in and out", 270  # in the help
HELP = "write a log in another open format, by Mile Post's names, words and times"
EXAMPLE = "milepost convert --output wickwater.parquet"


def add_options(parser: argparse.ArgumentParser) -> None:
    """Declare the options."""
    options.add_log(parser, course=False)
    parser.add_argument("-o", "--output", metavar="FILE", required=True, help="the file to write; its ending says the format")
    parser.add_argument("--to", choices=tuple(WRITTEN), help="the format, where the ending does not say it")


def run(args: Arguments) -> Exit:
    """Run the command."""
    from milepost.cli import terminal
    from milepost.cli.loading import load_map, read_options
    from milepost.cli.messages import tell
    from milepost.logs.formats.writers import convert, format_of
    from milepost.wording import safe

    with terminal.progress() as progress:
        form = format_of(args.target, args.to)
        done = convert(args.logs, args.target, form, load_map(args), read_options(args), progress)
    refused = f"; {done.refused:,} could not be read, the first at {done.first_refused}" if done.refused else ""
    tell(f"{done.written:,} records written to {args.target}{refused}.")
    if done.nested and form != "jsonl":
        tell(f"milepost convert: left out, since a table has no room for objects and lists: {', '.join(map(safe, done.nested))}.")
    return Exit.DONE
