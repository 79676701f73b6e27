"""The command `note`."""

from __future__ import annotations

import argparse
from typing import TYPE_CHECKING

from milepost.cli import options

if TYPE_CHECKING:
    from milepost.cli.arguments import Arguments
    from milepost.cli.messages import Exit

GROUP, PLACE = "Look at one level or session", 150  # in the help
HELP = "write a note down where it belongs: at a level, a session, a player or a build; trace, level and report show it"
EXAMPLE = 'milepost note "looks for the lever on the wrong side" --level "Low Arch" --session maud-wick-1 --clock 12:30'


def add_options(parser: argparse.ArgumentParser) -> None:
    """Declare the options."""
    parser.add_argument("text", metavar="TEXT", help="the note")
    parser.add_argument("--level", action=options.Once, metavar="NAME", help="the level that it is about, in any spelling")
    parser.add_argument("--session", action=options.Once, metavar="NAME", help="the session that it is about")
    parser.add_argument("--player", action=options.Once, metavar="NAME", help="the player that it is about")
    parser.add_argument("--build", action=options.Once, metavar="NAME", help="the build that it is about")
    parser.add_argument(
        "--clock",
        action=options.Once,
        type=options.clock_text,
        metavar="CLOCK",
        help="when, by the clock that trace shows, such as 12:30",
    )


def run(args: Arguments) -> Exit:
    """Run the command."""
    from milepost.cli.folder_tables import note

    return note(args)
