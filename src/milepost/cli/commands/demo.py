"""The command `demo`."""

from __future__ import annotations

import argparse
from typing import TYPE_CHECKING

from milepost.cli.messages import Exit

if TYPE_CHECKING:
    from milepost.cli.arguments import Arguments

GROUP, PLACE = "Begin", 10  # in the help
HELP = "unpack the Wickwater demo, a course and its logs, and run the main commands on it"
EXAMPLE = "milepost demo --output wickwater"
_EVENINGS = (
    ("check",),
    ("funnel", "--figure", "funnel.png"),
    ("attempts",),
    ("times",),
    ("spikes",),
    ("answers",),
    ("targets",),
    ("compare", "logs", "next", "--course-to", "next/course.toml"),
    ("report", "-o", "report.html"),
)
_RACE = (
    ("check",),
    ("runs", "--figure", "runs.png"),
    ("runs", "--by", "run.lantern"),
    ("funnel", "--per", "run"),
    ("attempts", "--per", "run"),
    ("report", "-o", "report.html"),
)
_DOCKS = (
    ("check",),
    ("funnel", "--figure", "funnel.png"),
    ("spikes",),
    ("sections", "--level", "Salt Dock", "--figure", "sections.png"),
    ("report", "-o", "report.html"),
)
_COMMANDS = {"evenings": _EVENINGS, "race": _RACE, "docks": _DOCKS}


def add_options(parser: argparse.ArgumentParser) -> None:
    """Declare the options."""
    parser.add_argument(
        "--which",
        choices=tuple(_COMMANDS),
        default="evenings",
        help="two playtest evenings and the week after, an evening race that is played in runs, or an evening at the docks, on a "
        "course that is no line (evenings)",
    )
    parser.add_argument("--output", metavar="DIR", help="the folder to unpack into (wickwater, race or docks)")
    parser.add_argument("--force", action="store_true", help="write over files that are there")


def run(args: Arguments) -> Exit:
    """Run the command."""
    import shlex
    from contextlib import chdir
    from pathlib import Path

    from milepost.cli.main import main
    from milepost.demo.unpack import unpack
    from milepost.output import write_text
    from milepost.process_cache import read_once

    folder = unpack(Path(args.output or ("wickwater" if args.which == "evenings" else args.which)), args.force, args.which)
    write_text(f"The Wickwater demo is in {folder}, a playtest folder. The commands below can be run again by hand.\n", None)
    write_text(f"\n$ cd {shlex.quote(str(folder))}\n", None)
    with chdir(folder), read_once():
        for words in _COMMANDS[args.which]:
            write_text(f"\n$ milepost {shlex.join(words)}\n", None)
            status = main(list(words))
            if status:
                return Exit(status)
    write_text(f"\nNext: open {folder}/report.html in a browser, or add --format json to any of them.\n", None)
    return Exit.DONE
