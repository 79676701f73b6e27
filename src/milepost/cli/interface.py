"""What a command is: a module of `commands` with these in it."""

from __future__ import annotations

import argparse
from typing import TYPE_CHECKING, Protocol

if TYPE_CHECKING:
    from milepost.cli.arguments import Arguments
    from milepost.cli.messages import Exit


class Command(Protocol):
    """A command.

    Attributes:
        GROUP, PLACE: under which heading of the help it stands, and in which order.
        HELP: what it does, in half a sentence.
        EXAMPLE: a command line that is worth trying.
    """

    GROUP: str
    PLACE: int
    HELP: str
    EXAMPLE: str

    def add_options(self, parser: argparse.ArgumentParser) -> None:
        """Declare its options, of which each has its type in `Arguments`."""

    def run(self, args: Arguments) -> Exit:
        """Run it; the exit status."""
