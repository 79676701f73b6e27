"""Writes the manual pages, one for the program and one for each command, from the parser: man/man1/milepost-COMMAND.1.

python scripts/make_man.py
"""

from __future__ import annotations

import re
from pathlib import Path

from argparse_manpage.manpage import Manpage

from milepost.cli.main import all_commands, build_parser
from milepost.cli.messages import Exit
from milepost.version import __version__

TARGET = Path(__file__).resolve().parents[1] / "man/man1"
STATUSES = {
    Exit.DONE: "done",
    Exit.GATE_HIT: "a gate that was asked for is hit: --strict",
    Exit.UNUSABLE: "wrong usage, or a log, course or folder that cannot be used; a line says what, where and what to do",
    Exit.INTERRUPTED: "interrupted",
}


def pages() -> dict[str, str]:
    """Each page by the name of its file."""
    parser = build_parser()
    commands = vars(parser)["_subparsers"]._group_actions[0].choices
    found = {"milepost.1": page("milepost", str(parser.description), str(Manpage(parser)), [])}
    for name, command in commands.items():
        text = str(Manpage(command))
        found[f"milepost-{name}.1"] = page(f"milepost-{name}", all_commands()[name].HELP, text, [all_commands()[name].EXAMPLE])
    return found


def page(name: str, what: str, text: str, examples: list[str]) -> str:
    """A page with its title, name, examples, exit statuses and other pages, whatever day it is."""
    body = text[text.index(".SH SYNOPSIS") :]
    sections = [one for one in re.split(r"(?=^\.SH )", body, flags=re.MULTILINE) if not one.startswith(".SH COMMENTS")]
    if name == "milepost":
        described = [f".SH DESCRIPTION\n{roff(what)}\n"]
        kept = [one for one in sections if one.startswith((".SH SYNOPSIS", ".SH OPTIONS"))]
        sections = [*kept[:1], *described, *kept[1:], listed_commands()]
    body = "".join(sections)
    title = f'.TH "{roff(name.upper())}" "1" "" "milepost {__version__}" "Mile Post"\n.SH NAME\n{roff(name)} \\- {roff(what)}\n'
    ends = "".join(f".TP\n.B {int(status)}\n{roff(meaning)}\n" for status, meaning in STATUSES.items())
    shown = "".join(f".SH EXAMPLE\n.nf\n{roff(one)}\n.fi\n" for one in examples)
    other = "milepost(1)" if name != "milepost" else ", ".join(f"milepost-{one}(1)" for one in all_commands())
    return f"{title}{body.rstrip()}\n{shown}.SH EXIT STATUS\n{ends}.SH SEE ALSO\n{roff(other)}\n"


def listed_commands() -> str:
    """The commands with what each does."""
    rows = (f".TP\n.B milepost\\-{roff(name)}(1)\n{roff(module.HELP)}\n" for name, module in all_commands().items())
    return f".SH COMMANDS\n{''.join(rows)}"


def roff(text: str) -> str:
    """A text as it stands in a manual page."""
    text = text.replace("\\", "\\e").replace("-", "\\-")
    return f"\\&{text}" if text.startswith((".", "'")) else text


if __name__ == "__main__":
    TARGET.mkdir(parents=True, exist_ok=True)
    for old in TARGET.glob("*.1"):
        old.unlink()
    for name, text in pages().items():
        (TARGET / name).write_text(text, encoding="utf-8")
