"""The command `simulate`."""

from __future__ import annotations

import argparse
from typing import TYPE_CHECKING

from milepost.cli import options
from milepost.cli.messages import Exit
from milepost.errors import UsageError

if TYPE_CHECKING:
    from milepost.cli.arguments import Arguments

GROUP, PLACE = "Change and test again", 220  # in the help
HELP = "let players play a course, existing or not, and write the log with the truth behind it"
EXAMPLE = "milepost simulate --course course.toml --players 400 --plant 'spike@Weir House=1.5' --output sim.jsonl"


def add_options(parser: argparse.ArgumentParser) -> None:
    """Declare the options."""
    shapes = ("flat", "rising", "ramp", "sawtooth")
    parser.add_argument("--course", metavar="FILE", help="play this course: difficulties from its target_clear")
    parser.add_argument("--shape", choices=shapes, help="play a made-up course of this shape")
    parser.add_argument("--levels", type=options.count, default=24, metavar="N", help="levels of a made-up course (24)")
    parser.add_argument(
        "--difficulty", action="append", default=[], metavar="NAME=LOGITS", help="set a level's difficulty; may be repeated"
    )
    parser.add_argument(
        "--plant", action="append", default=[], metavar="EVENT", help="spike@LEVEL=SIZE, dip@… or step@…; may be repeated"
    )
    parser.add_argument(
        "--roughness", type=options.seconds, default=0.25, metavar="LOGITS", help="unevenness from level to level (0.25)"
    )
    parser.add_argument("--players", dest="player_count", type=options.count, default=48, metavar="N", help="how many play (48)")
    parser.add_argument("--sessions", type=options.count, default=2, metavar="N", help="most sessions of a player (2)")
    parser.add_argument("--builds", default="1.0", metavar="A,B", help="builds, dealt out in turn (1.0)")
    parser.add_argument(
        "--minutes", type=options.seconds, default=60.0, metavar="M", help="length of a session; 0 for no limit (60)"
    )
    parser.add_argument(
        "--let",
        action="append",
        default=[],
        metavar="NAME=VALUE",
        help="how players are, such as skill_sd=1.2, learning=0.3, quit_base=0.05; docs/judging.md lists all; may be repeated",
    )
    parser.add_argument("--seed", type=options.count, default=1, metavar="N", help="the same seed gives the same log (1)")
    parser.add_argument("--faults", action="store_true", help="sprinkle the faults that real logs have over it")
    parser.add_argument("-o", "--output", metavar="FILE", required=True, help="the log to write, JSON Lines; .gz packs it")
    parser.add_argument("--truth", metavar="FILE", help="write difficulties, skills and what was planted to this file")


def run(args: Arguments) -> Exit:
    """Run the command."""
    import numpy as np

    from milepost.cli import terminal
    from milepost.cli.messages import tell
    from milepost.course.course import read_course
    from milepost.simulate.population import Population, change_population
    from milepost.simulate.simulated_course import from_course, from_shape, plant_events, with_difficulties
    from milepost.simulate.writing import Simulation, simulate

    if args.course and args.shape:
        raise UsageError("--course and --shape exclude each other: play the one or the other.")
    if not args.player_count or not args.levels or not args.sessions:
        raise UsageError("--players, --levels and --sessions must be at least 1.")
    plan = from_course(read_course(args.course)) if args.course else from_shape(args.shape or "rising", args.levels)
    roughness = 0.0 if args.course else args.roughness
    plan = plant_events(with_difficulties(plan, args.difficulty), args.plant, roughness, np.random.default_rng([args.seed, 1]))
    population = change_population(args.let, Population(players=args.player_count, minutes=args.minutes, sessions=args.sessions))
    builds = tuple(build.strip() for build in args.builds.split(",") if build.strip()) or ("1.0",)
    simulation = Simulation(plan, population, args.seed, builds, args.faults)
    with terminal.progress() as progress:
        counts = simulate(simulation, args.target, args.truth, progress)
    tell(f"{counts[0]:,} sessions of {args.player_count:,} players, {counts[1]:,} records, written to {args.target}.")
    return Exit.DONE
