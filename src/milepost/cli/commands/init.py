"""The command `init`."""

from __future__ import annotations

import argparse
from typing import TYPE_CHECKING

from milepost.cli import options
from milepost.cli.messages import Exit

if TYPE_CHECKING:
    from milepost.cli.arguments import Arguments
    from milepost.drafts.draft_questions import SetAnswers
    from milepost.drafts.map_by_trial import DraftedMap

GROUP, PLACE = "Begin", 20  # in the help
HELP = "make a playtest folder for a log: settings once, drafts of the course and the map, and what to look at"
EXAMPLE = "milepost init wickwater/logs --output my-wickwater"


def add_options(parser: argparse.ArgumentParser) -> None:
    """Declare the options."""
    options.add_input(parser, needed=True)
    options.add_answers(parser)
    parser.add_argument("--map", metavar="FILE", help="a log map to use in place of a draft; the folder gets a copy of it")
    parser.add_argument("-o", "--output", metavar="DIR", default=".", help="the folder to be (this one)")
    parser.add_argument("--force", action="store_true", help="write over a milepost.toml that is there")


def run(args: Arguments) -> Exit:
    """Run the command."""
    from pathlib import Path

    from milepost.cli import terminal
    from milepost.cli.ask_questions import ask_until_sure, can_ask, describe_begun
    from milepost.cli.loading import fetch, read_options
    from milepost.drafts.draft_questions import read_set_options
    from milepost.drafts.map_by_trial import draft_by_trial
    from milepost.drafts.playtest_folder import FolderWishes, begin
    from milepost.output import write_text

    fetch(args.logs)
    reading, answers = read_options(args), read_set_options(args.set)

    def ask(draft: DraftedMap, known: SetAnswers) -> DraftedMap:
        return ask_until_sure(draft, known, lambda answers: draft_by_trial(args.logs, reading, answers=answers))

    given = Path(args.map) if args.map else None
    with terminal.progress() as progress:
        folder = Path(args.target)
        wishes = FolderWishes(args.force, given, answers, ask if can_ask() else None)
        begun = begin(args.logs, folder, reading, progress, wishes)
    write_text(describe_begun(begun, args.target), None)
    return Exit.DONE
