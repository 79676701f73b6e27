"""The command line: one parser, one module a command, one place where errors become a line and a status."""

from __future__ import annotations

import argparse
import gc
import os
import re
import signal
import sys
from collections.abc import Iterator, Sequence
from contextlib import suppress
from functools import cache
from importlib import import_module
from itertools import groupby
from pkgutil import iter_modules
from typing import TYPE_CHECKING, NoReturn, TextIO, cast

from milepost.cli import commands
from milepost.cli.arguments import Arguments
from milepost.cli.completing import complete
from milepost.cli.messages import Exit, speak, tell
from milepost.cli.options import add_saying
from milepost.cli.plain_command import plain_commands
from milepost.errors import MilePostError, UnknownLogError
from milepost.level_names import suggest_nearest
from milepost.version import version_text

if TYPE_CHECKING:
    from milepost.cli.interface import Command

_ONE_THREAD = ("OPENBLAS_NUM_THREADS", "OMP_NUM_THREADS", "MKL_NUM_THREADS")
_OBJECTS = 50_000  # made since the last look for cycles of them
_MOST_USED = "Most of the work is done by check, funnel, spikes, level and report."
_FIRST = """\
Mile Post reads playtest logs and says where players stop and which levels stand out.

To see it at work:     milepost demo
With a log of yours:   milepost init LOG, which makes a playtest folder; in it:
Trust the log:         milepost check
Then see the whole:    milepost funnel
Go into the levels:    milepost attempts, times, deaths, moves, level
Judge, and look:       milepost spikes, trace, answers, targets
Tell it to the team:   milepost report -o report.html

milepost --help lists the commands, milepost COMMAND --help explains one.
"""


class _Parser(argparse.ArgumentParser):
    """A parser whose errors are one line that says what to do."""

    def error(self, message: str) -> NoReturn:
        """Say what is wrong, which word may be meant, and where help is, with status 2."""
        self.exit(Exit.UNUSABLE, f"{self.prog}: {self._add_nearest(message)} {self.prog} --help explains.\n")

    def _add_nearest(self, message: str) -> str:
        from milepost.wording import safe

        unknown = re.match(r"argument COMMAND: invalid choice: '(.*?)'", message)
        if unknown is not None:
            return f"there is no command {safe(unknown[1])}.{suggest_nearest(unknown[1], all_commands())}"
        options = [option for action in _actions_of(self) for option in action.option_strings if option.startswith("--")]
        wrong = [word for word in message.partition("unrecognized arguments: ")[2].split() if word.startswith("--")]
        names = [word.partition("=")[0] for word in wrong]
        later = [f" {name} goes after the command's name." for name in names if name in options]
        others = [name for name in names if not later and name in _options_of_all()]
        if others:
            return f"{safe(others[0])} is for other commands: leave it out."
        hints = later or [hint for name in names if (hint := suggest_nearest(name, options))]
        return f"{safe(message)}.{hints[0] if hints else ''}"


def _actions_of(parser: argparse.ArgumentParser) -> Iterator[argparse.Action]:
    """The options of a parser, and of the commands that it knows."""
    for action in parser._actions:
        yield action
        if isinstance(action, argparse._SubParsersAction):
            for command in action.choices.values():
                yield from command._actions


def _options_of_all() -> set[str]:
    """The options of all commands."""
    return {name for action in _actions_of(build_parser()) for name in action.option_strings}


class _CommandLine(_Parser):
    """The parser of the whole command line, whose help lists commands by what a user is doing."""

    def format_help(self) -> str:
        """Return the usage, the commands that most need, then every group of commands, and the options."""
        formatter = self._get_formatter()
        formatter.add_usage(self.usage, self._actions, self._mutually_exclusive_groups)
        formatter.add_text(self.description)
        formatter.add_text(_MOST_USED)
        listed = next(action for action in self._actions if isinstance(action, argparse._SubParsersAction))
        for title, group in groupby(listed._choices_actions, lambda command: _command(command.dest).GROUP):
            formatter.start_section(title)
            formatter.add_arguments(group)
            formatter.end_section()
        formatter.start_section("Options")
        formatter.add_arguments(action for action in self._actions if action is not listed)
        formatter.end_section()
        formatter.add_text("milepost COMMAND --help explains a command, its own options first.")
        return formatter.format_help()


@cache
def all_commands() -> dict[str, Command]:
    """Every command by its name, in the order in which the help lists them."""
    known = {name: _command(name) for name in _names()}
    return dict(sorted(known.items(), key=lambda item: item[1].PLACE))


def build_parser(words: Sequence[str] = ()) -> argparse.ArgumentParser:
    """The whole command line, or as much of it as these words need: a command's options take as long as all else at the start."""
    parser = _CommandLine(prog="milepost", description="Playtest logs to funnels, attempts, times and difficulty spikes.")
    parser.add_argument("--version", action="store_true", help="say the version; with --verbose, also what it runs on")
    parser.add_argument("--verbose", action="store_true", help="say each step of the work, and how long it took")
    listed = parser.add_subparsers(dest="command", metavar="COMMAND", parser_class=_Parser)
    asked = next((word for word in words if word != "--verbose"), "")
    for name, module in ({asked: _command(asked)} if asked in _names() else all_commands()).items():
        command = listed.add_parser(
            name,
            help=module.HELP,
            description=module.HELP,
            epilog=f"example: {module.EXAMPLE}",
            formatter_class=argparse.RawDescriptionHelpFormatter,
        )
        module.add_options(command)
        add_saying(command)
        command.set_defaults(run=module.run)
    return parser


@cache
def _names() -> frozenset[str]:
    """The names of all commands: of modules, and of measures that need none."""
    return frozenset(module.name for module in iter_modules(commands.__path__)) | plain_commands().keys()


def _command(name: str) -> Command:
    return plain_commands().get(name) or cast("Command", import_module(f"{commands.__name__}.{name}"))


def main(argv: list[str] | None = None) -> int:
    """Run one command line; the exit status."""
    try:
        words = sys.argv[1:] if argv is None else argv
        if "_ARGCOMPLETE" in os.environ:
            complete(build_parser())
        args = _arguments(words)
    except SystemExit as stop:
        return int(stop.code or 0)
    try:
        return _run(args)
    except UnknownLogError as error:
        return _unusable(args, f"{error} {_likely_columns(args)}".rstrip())
    except MilePostError as error:
        return _unusable(args, str(error))
    except MemoryError:
        return _unusable(args, "there is not enough memory. Say how much there is: --memory SIZE.")
    except BrokenPipeError:
        _let_go_of(sys.stdout)
        return Exit.DONE
    except KeyboardInterrupt:
        tell("milepost: stopped.", always=True)
        return Exit.INTERRUPTED


def _arguments(words: list[str]) -> Arguments:
    given = vars(build_parser(words).parse_args(words))
    return Arguments(**{**given, "command": given["command"] or "", "words": words})


def _likely_columns(args: Arguments) -> str:
    """What the columns of a log may be that cannot be read as it is."""
    from milepost.drafts.map_by_trial import likely_columns

    return likely_columns(args.logs) if args.logs and args.command not in ("map", "init") else ""


def _run(args: Arguments) -> int:
    from milepost.cli.folder_defaults import settle, tell_settings
    from milepost.cli.overwrite_guard import refuse_overwriting
    from milepost.output import write_text

    speak(args.quiet, args.verbose)
    if args.version:
        write_text(version_text(args.verbose), None)
        return Exit.DONE
    if not args.command:
        write_text(_FIRST, None)
        return Exit.DONE
    settle(args)
    refuse_overwriting(args)
    status = int(args.run(args))
    tell_settings(args)
    return status


def _unusable(args: Arguments, why: str) -> int:
    from milepost.wording import safe

    tell(f"milepost {args.command}".rstrip() + f": {safe(why)}", always=True)
    return Exit.UNUSABLE


def entry() -> NoReturn:
    """The console script; what a termination leaves half done is cleared away as at any other end."""
    signal.signal(signal.SIGTERM, lambda number, _: sys.exit(128 + number))
    for library in _ONE_THREAD:  # before any of them loads; their threads spin, and cost more than they save on matrices as small
        os.environ.setdefault(library, "1")
    gc.set_threshold(_OBJECTS)  # records and modules are many objects at once, and hold no cycles
    status = main()
    try:
        if sys.stdout is not None:
            sys.stdout.flush()
    except OSError as error:  # found out only now, such as a full disk
        if not isinstance(error, BrokenPipeError):
            tell(f"milepost: standard output cannot be written ({error.strerror or error}). Is the disk full?", always=True)
            status = Exit.UNUSABLE
        _let_go_of(sys.stdout)
    sys.exit(status)


def _let_go_of(stream: TextIO) -> None:
    """Have nothing of a stream flushed any more into what takes nothing."""
    with suppress(OSError, ValueError):
        os.dup2(os.open(os.devnull, os.O_WRONLY), stream.fileno())
