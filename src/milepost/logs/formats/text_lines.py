"""Lines of text: each line that a pattern of the log map fits is a record, and the pattern's named groups are its columns."""

from __future__ import annotations

import codecs
import io
import re
from collections.abc import Iterator
from typing import Final

from milepost.errors import LogError
from milepost.logs.formats.jsonlines import lines
from milepost.logs.interface import ReadOptions, Sink
from milepost.logs.sources.files import Source
from milepost.progress import Progress

PAIRS: Final = "pairs"  # the group whose text is cut into pairs of a name and a value
_PAIRS: Final = re.compile(rf"{PAIRS}\d*")  # of which a pattern may have several
LONGEST: Final = 20_000  # characters of a line; no pattern is tried on a longer one
_STEP: Final = 5000
PAIR: Final = re.compile(r"""([^\s=:,;()\[\]{}"']+)\s*(?:=|:\s)\s*("(?:[^"\\]|\\.)*"|[^\s,;()]*)""")
_ESCAPED: Final = re.compile(r"\\(.)")


def find_pairs(text: str) -> dict[str, str]:
    """Return the pairs in a text, such as ``level=4 name="Low Arch"`` or ``level: 4, name: Arch``."""
    pairs = {}
    for name, value in PAIR.findall(text):
        plain = _ESCAPED.sub(r"\1", value[1:-1]) if value.startswith('"') else value
        if plain:
            pairs[name] = plain
    return pairs


def read_pattern_lines(source: Source, sink: Sink, options: ReadOptions, progress: Progress) -> None:
    """Give what the patterns find in each line to the sink as texts; lines that no pattern fits are none of the log.

    Raises:
        LogError: there is no pattern, or no line of the file fits one.
    """
    patterns = [re.compile(pattern) for pattern in options.lines]
    if not patterns:
        raise LogError(f"{source.label}: lines of text are read by patterns. Give [input] lines in a log map.")
    encoding, fitted, number = options.encoding or "utf-8-sig", 0, 0
    with source.open(options.max_bytes) as stream:
        for number, line in enumerate(decode_lines(stream, encoding), 1):
            record = _record(line, patterns)
            if record:
                fitted += 1
                sink.add(record, number)
            if number % _STEP == 0:
                progress.advance(_STEP)
    if number and not fitted:
        raise LogError(f"{source.label}:1: no line fits a pattern of [input] lines. Hold the patterns against the first lines.")


def decode_lines(stream: io.BufferedReader, encoding: str) -> Iterator[str]:
    """Yield the lines of a file as texts, with their ends; an empty one in place of a line that is too long.

    Args:
        stream: the file's bytes.
        encoding: how they are text; bytes that are none become a mark in its place.
    """
    if codecs.lookup(encoding).name.startswith(("utf-16", "utf-32")):
        yield from io.TextIOWrapper(stream, encoding=encoding, errors="replace")
    else:
        yield from ("" if line is None else line.decode(encoding, "replace") for line in lines(stream))


def _record(line: str, patterns: list[re.Pattern[str]]) -> dict[str, object]:
    """The columns that the first fitting pattern finds; empty where none fits."""
    text = line.rstrip("\r\n")
    for pattern in patterns if len(text) <= LONGEST else ():
        match = pattern.fullmatch(text)
        if match is not None:
            groups = {name: value for name, value in match.groupdict().items() if value}
            pairs = [find_pairs(groups.pop(name)) for name in list(groups) if _PAIRS.fullmatch(name)]
            return {name: value for part in (*pairs, groups) for name, value in part.items()}
    return {}
