"""The command `demo`."""

from __future__ import annotations

import argparse

from milepost.cli.exits import Exit

PLACE = 10  # among the commands of the help
HELP = "unpack the Wickwater demo, a course and its logs, and run the main commands on it"
EXAMPLE = "milepost demo --output wickwater"


def add_options(parser: argparse.ArgumentParser) -> None:
    """Declare the options."""
    parser.add_argument("--which", choices=("evenings", "race"), default="evenings", help="two playtest evenings and the week after, or an evening race that is played in runs (evenings)")  # noqa: E501
    parser.add_argument("--output", metavar="DIR", help="the folder to unpack into (wickwater, or race)")
    parser.add_argument("--force", action="store_true", help="write over files that are there")


def run(args: argparse.Namespace) -> Exit:
    """Run the command."""
    import shlex
    from pathlib import Path

    from milepost.cli.main import main
    from milepost.demo.unpack import unpack
    from milepost.output import write_text

    race = args.which == "race"
    folder = unpack(Path(args.output or ("race" if race else "wickwater")), args.force, race)
    write_text(f"The Wickwater demo is in {folder}. The commands below can be run again by hand.\n", None)
    log, course = f"{folder}/logs", f"{folder}/course.toml"
    for words in (_race if race else _evenings)(log, course, str(folder)):
        write_text(f"\n$ milepost {shlex.join(words)}\n", None)
        status = main(words)
        if status:
            return Exit(status)
    write_text(f"\nNext: open {folder}/report.html in a browser, or add --format json to any of them.\n", None)
    return Exit.DONE


def _evenings(log: str, course: str, folder: str) -> tuple[list[str], ...]:
    return (
        ["check", log, "--course", course],
        ["funnel", log, "--course", course, "--figure", f"{folder}/funnel.png"],
        ["attempts", log, "--course", course],
        ["times", log, "--course", course],
        ["spikes", log, "--course", course],
        ["compare", log, f"{folder}/next", "--course", course, "--course-to", f"{folder}/next/course.toml"],
        ["report", log, "--course", course, "-o", f"{folder}/report.html"],
    )


def _race(log: str, course: str, folder: str) -> tuple[list[str], ...]:
    return (
        ["check", log, "--course", course],
        ["runs", log, "--course", course, "--figure", f"{folder}/runs.png"],
        ["runs", log, "--course", course, "--by", "run.lantern"],
        ["funnel", log, "--course", course, "--per", "run"],
        ["attempts", log, "--course", course, "--per", "run"],
        ["report", log, "--course", course, "-o", f"{folder}/report.html"],
    )
