"""The command `power`."""

from __future__ import annotations

import argparse
from typing import TYPE_CHECKING

from milepost.cli import options
from milepost.cli.messages import Exit
from milepost.errors import UsageError

if TYPE_CHECKING:
    from milepost.cli.arguments import Arguments

GROUP, PLACE = "Change and test again", 210  # in the help
HELP = "how many players a question takes, from a pilot log or from the course's targets"
EXAMPLE = "milepost power --change 1 --players 60"


def add_options(parser: argparse.ArgumentParser) -> None:
    """Declare the options."""
    options.add_measure(parser, by=False, figure=True, needed=False)
    parser.add_argument(
        "--change", type=options.logits, required=True, metavar="SIZE", help="what is to be told: logits, or points of a drop-off"
    )
    parser.add_argument(
        "--question",
        choices=("compare", "spike", "drop-off"),
        default="compare",
        help="whether a level differs between builds, is a spike, or loses other shares of its players (compare)",
    )
    parser.add_argument("--level", metavar="LEVEL", help="only this level, in any spelling")
    parser.add_argument(
        "--players", type=options.positive, metavar="N", help="players in each build, or in all for a spike (the pilot's)"
    )


def run(args: Arguments) -> Exit:
    """Run the command."""
    from milepost.cli.loading import load, load_course
    from milepost.cli.run_measure import draw, write
    from milepost.comparison.pilot_players import Pilot
    from milepost.comparison.power import Power
    from milepost.reports.interface import Report
    from milepost.reports.power_views import power_document, power_views

    course = load_course(args)
    if args.logs:
        pilot = Pilot.of(load(args).play())
    elif course is None:
        raise UsageError("name a pilot log, or a course with targets: milepost power LOG --change 1, or --course FILE.")
    else:
        pilot = Pilot.of_course(course)
    level = pilot.place(args.level) if args.level else None
    asked = Power(args.change, args.question, args.players or pilot.players or 40, level)
    report = power_document(pilot, asked.rows(pilot), args.level is not None)
    draw(args, report)
    write(args, Report(report, power_views(report), report["levels"]))
    return Exit.DONE
