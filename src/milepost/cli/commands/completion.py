"""The command `completion`."""

from __future__ import annotations

import argparse
from typing import TYPE_CHECKING

from milepost.cli.messages import Exit

if TYPE_CHECKING:
    from milepost.cli.arguments import Arguments

GROUP, PLACE = "Bring data in and out", 290  # in the help
HELP = "print what makes a shell complete commands, options, and names of levels, sessions, builds and tags"
EXAMPLE = 'eval "$(milepost completion bash)"'


def add_options(parser: argparse.ArgumentParser) -> None:
    """Declare the options."""
    parser.add_argument("shell", choices=("bash", "zsh", "fish"), help="the shell")


def run(args: Arguments) -> Exit:
    """Run the command."""
    from argcomplete.shell_integration import shellcode

    from milepost.output import write_text

    write_text(shellcode(["milepost"], shell=args.shell) + "\n", None)
    return Exit.DONE
