"""The command `map`."""

from __future__ import annotations

import argparse
from typing import TYPE_CHECKING

from milepost.cli import options
from milepost.cli.messages import Exit

if TYPE_CHECKING:
    from milepost.cli.arguments import Arguments

GROUP, PLACE = "Bring data in and out", 250  # in the help
HELP = "look at a foreign log and write a commented draft of a log map"
EXAMPLE = "milepost map their-log.csv --output map.toml"


def add_options(parser: argparse.ArgumentParser) -> None:
    """Declare the options."""
    options.add_log(parser, course=False, mapped=False)
    options.add_answers(parser)
    parser.add_argument("-o", "--output", metavar="FILE", help="write the draft to this file")


def run(args: Arguments) -> Exit:
    """Run the command."""
    from milepost.cli import terminal
    from milepost.cli.loading import read_options
    from milepost.drafts.draft_questions import read_set_options
    from milepost.drafts.map_by_trial import add_heading, draft_by_trial
    from milepost.output import write_text

    with terminal.progress() as progress:
        draft = draft_by_trial(args.logs, read_options(args), progress, read_set_options(args.set))
    write_text(add_heading(draft, args.logs[0]), args.output)
    return Exit.DONE
