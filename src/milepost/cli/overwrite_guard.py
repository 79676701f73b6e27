"""Keeps outputs away from inputs: nothing that is read may be written over."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING, Final

from milepost.cli.folder_defaults import files_of_folder
from milepost.errors import UsageError

if TYPE_CHECKING:
    from milepost.cli.arguments import Arguments

_OUTPUTS: Final = ("output", "figure", "truth")
_PICTURES: Final = (".png", ".svg", ".pdf")
_INPUTS: Final = ("course", "course_from", "course_to", "map", "since", "answers")


def refuse_overwriting(args: Arguments) -> None:
    """Refuse outputs that are inputs, that lie in a packed store, that are named twice, that have no name, or a picture's.

    Raises:
        UsageError: one of them is or does.
    """
    given = {name: getattr(args, name) for name in _OUTPUTS}
    outputs = {f"--{name}": target for name, target in given.items() if target is not None and target != "-"}
    for option, target in outputs.items():
        if not target:
            raise UsageError(f"{option}: the file has no name. Name one, or leave the option out.")
        if option == "--output" and args.has("figure") and Path(target).suffix.lower() in _PICTURES:
            raise UsageError(f"--output {target}: that would be a text under a picture's name. Draw it with --figure {target}.")
        _refuse_store(option, Path(target))
        _refuse_inputs(option, Path(target), args)
    if len({Path(target).absolute() for target in outputs.values()}) < len(outputs):
        raise UsageError(f"{' and '.join(outputs)} name the same file. Give each a file of its own.")


def _refuse_store(option: str, target: Path) -> None:
    from milepost.logs.sources.files import store_around

    store = store_around(target.absolute())
    if store is not None:
        raise UsageError(f"{option} {target}: lies in the packed store {store}. Name a place outside it.")


def _refuse_inputs(option: str, target: Path, args: Arguments) -> None:
    """Compare with every file that is read; one that is not there yet cannot be one of them."""
    try:
        if not target.is_file():
            return
    except OSError:
        return  # whoever writes it says why it cannot be written
    for path in _inputs(args):
        if path.exists() and target.samefile(path):
            raise UsageError(f"{option} {target}: is read as {path}, and would be lost. Name another file.")


def _inputs(args: Arguments) -> list[Path]:
    """Every file that the arguments name to be read."""
    from milepost.logs.sources.files import expand

    names = list(args.logs)
    paths = [source.path for source in expand(names) if source.path is not None] if names else []
    return paths + files_of_folder(args) + [Path(given) for name in _INPUTS if (given := getattr(args, name))]
