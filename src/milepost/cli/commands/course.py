"""The command `course`."""

from __future__ import annotations

import argparse
from typing import TYPE_CHECKING

from milepost.cli import options
from milepost.cli.messages import Exit

if TYPE_CHECKING:
    from milepost.cli.arguments import Arguments

GROUP, PLACE = "Bring data in and out", 260  # in the help
HELP = "draft a course file from a log: the levels in the order in which players came to them"
EXAMPLE = "milepost course --name Wickwater --output draft.toml"


def add_options(parser: argparse.ArgumentParser) -> None:
    """Declare the options."""
    options.add_log(parser, course=False)
    parser.add_argument("--name", default="", help="the name of the game or course")
    parser.add_argument("-o", "--output", metavar="FILE", help="write the draft to this file")
    options.add_replay(parser)


def run(args: Arguments) -> Exit:
    """Run the command."""
    from milepost.cli.loading import load
    from milepost.drafts.course_draft import draft_course
    from milepost.output import write_text
    from milepost.playback.play import with_records

    args.course = None
    play = with_records(load(args, every_record=True).play())
    write_text(draft_course(play, args.name), args.output)
    return Exit.DONE
