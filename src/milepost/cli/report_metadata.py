"""Report metadata: the form that its file's name ends in, and how the report is made."""

from __future__ import annotations

import argparse
import os
import re
import shlex
from pathlib import Path
from typing import TYPE_CHECKING, Final

from milepost.cleaning.anonymous import anonymous_file
from milepost.cli.folder_defaults import files_of_folder
from milepost.errors import UsageError
from milepost.logs.sources.files import expand
from milepost.logs.sources.remote import is_address, without_secrets
from milepost.logs.store.checksums import taken_ahead
from milepost.reports.provenance import how_made

if TYPE_CHECKING:
    from milepost.reports.document_types import Made

FORMS: Final = frozenset({".html", ".htm", ".md", ".json", ".pdf"})
_NAMELESS: Final = re.compile(r"report|[\d.,:]+")  # words of a command line that name nobody, beside options


def form_of(output: str | None) -> str | None:
    """The form that a report's file has by its name's ending; None for standard output.

    Raises:
        UsageError: the name's ending says no form that a report can have.
    """
    if output in (None, "-"):
        return None
    form = Path(str(output)).suffix.lower()
    if form not in FORMS:
        raise UsageError(f"{output}: a report's name ends in .html, .md, .json or .pdf.")
    return form


def made_of(args: argparse.Namespace) -> Made:
    """How the report is made; without the names of logs where names are to be left out."""
    sources = expand(args.logs)
    labels = [anonymous_file(s.label, n) if args.anonymous else s.label for n, s in enumerate(sources)]
    words = [_shown(word, args.anonymous) for word in args.words if not (args.anonymous and word in args.logs)]
    inputs = [(label, source.path) for label, source in zip(labels, sources, strict=True)]
    others = [(name, Path(name)) for name in (args.course, args.map) if name]
    others += [
        (os.path.relpath(path), path) for path in files_of_folder(args) if path not in {one for _, one in [*inputs, *others]}
    ]
    first = len(inputs)
    inputs += [(anonymous_file(name, first + n) if args.anonymous else name, path) for n, (name, path) in enumerate(others)]
    return how_made(shlex.join(["milepost", *words, *(["LOG"] if args.anonymous else [])]), inputs)


def begin_checksums(args: argparse.Namespace) -> None:
    """Take the checksums of large logs, which the report is to name, while these are read; of what lies here already."""
    if not any(is_address(name) for name in args.logs):
        taken_ahead(source.path for source in expand(args.logs) if source.path is not None)


def _shown(word: str, anonymous: bool) -> str:
    """A word of the command line without the secrets of an address, and without whom it names where nobody is to be named."""
    if is_address(word):
        word = without_secrets(word)
    if not anonymous:
        return word
    option, equals, _ = word.partition("=")
    if word.startswith("-"):
        return f"{option}=…" if equals else word
    return word if _NAMELESS.fullmatch(word) else "…"
