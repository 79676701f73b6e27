"""Commands of measures of which nothing is asked but their settings: made of the table of measures."""

from __future__ import annotations

from functools import cache
from typing import TYPE_CHECKING

from milepost.cli import options
from milepost.reports.registry import MEASURES

if TYPE_CHECKING:
    import argparse

    from milepost.cli.arguments import Arguments
    from milepost.cli.messages import Exit
    from milepost.reports.registry_entry import Entry, Option, PlainCommand


class EntryCommand:
    """The command of an entry in the table of measures."""

    def __init__(self, entry: Entry, command: PlainCommand) -> None:
        self.entry, self.command = entry, command
        self.GROUP, self.PLACE = command.group, command.place
        self.HELP, self.EXAMPLE = command.help, command.example

    def add_options(self, parser: argparse.ArgumentParser) -> None:
        """Declare the options: words before the log, then all that measures share, then its own."""
        own_options = self.command.options
        _add([option for option in own_options if not option.name.startswith("-")], parser)
        options.add_measure(parser, self.entry.groups is not None, self.entry.drawn, work=not self.command.by_record)
        if self.command.per:
            options.add_per(parser)
        _add([option for option in own_options if option.name.startswith("-")], parser)

    def run(self, args: Arguments) -> Exit:
        """Run the command."""
        from milepost.cli.loading import load, load_with_any_start
        from milepost.cli.run_measure import run_measure

        loaded = load_with_any_start(args) if self.command.whoever_tried else load(args, self.command.by_record)
        return run_measure(args, self.entry.settled(vars(args)), loaded)


@cache
def plain_commands() -> dict[str, EntryCommand]:
    """Return the commands that the table of measures has, by name."""
    return {name: EntryCommand(entry, entry.command) for name, entry in MEASURES.items() if entry.command is not None}


def _add(shown: list[Option], parser: argparse.ArgumentParser) -> None:
    """Add options of the table to a parser."""
    for option in shown:
        if option.kind == "switch":
            parser.add_argument(option.name, action="store_true", help=option.help)
            continue
        given = {"default": option.default, "metavar": option.metavar, "choices": option.choices, "help": option.help}
        kinds = {"type": options.KINDS[option.kind]} if option.kind != "text" else {}
        words = {} if option.needed else {"nargs": "?"}
        parser.add_argument(option.name, **{name: value for name, value in given.items() if value is not None}, **kinds, **words)  # type: ignore[arg-type]
