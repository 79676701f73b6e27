"""The command `pack`."""

from __future__ import annotations

import argparse
from typing import TYPE_CHECKING

from milepost.cli import options
from milepost.cli.messages import Exit

if TYPE_CHECKING:
    from milepost.cli.arguments import Arguments

GROUP, PLACE = "Bring data in and out", 280  # in the help
HELP = "pack logs into a store of Parquet files, which every command takes in place of a log, and reads much faster"
EXAMPLE = "milepost pack -o wickwater.store"


def add_options(parser: argparse.ArgumentParser) -> None:
    """Declare the options."""
    options.add_log(parser, course=False)
    parser.add_argument("-o", "--output", metavar="STORE", required=True, help="the store's folder")
    parser.add_argument("--add", action="store_true", help="add to a store that is there; files that it has are passed over")
    parser.add_argument("--force", action="store_true", help="replace a store that is there")


def run(args: Arguments) -> Exit:
    """Run the command."""
    from pathlib import Path

    from milepost.cli import terminal
    from milepost.cli.loading import load_map, read_options
    from milepost.cli.messages import tell
    from milepost.logs.store.pack_store import Into, pack
    from milepost.wording import plural, safe

    log_map = load_map(args)
    into = Into(Path(args.target), "add" if args.add else "replace" if args.force else "refuse")
    with terminal.progress() as progress:
        done = pack(args.logs, into, log_map, read_options(args), progress)
    skipped = f" Passed over, being in it already: {safe(', '.join(done.skipped))}." if done.skipped else ""
    text = f"{plural(done.added, 'record')} packed; {safe(args.target)} holds {done.records:,}.{skipped}"
    tell(text)
    return Exit.DONE
