"""A line of text cut into its pieces: the time, pairs of a name and a value, words, and the marks between."""

from __future__ import annotations

import re
from typing import Final, NamedTuple

from milepost.logs.formats.text_lines import PAIR, pairs_in

_TIME: Final = re.compile(
    r"\d{4}-\d\d-\d\d[T ]\d\d:\d\d:\d\d(?:[.,]\d+)?(?:Z|[+-]\d\d:?\d\d)?"
    r"|\d{1,4}[./]\d{1,2}[./]\d{1,4} \d{1,2}:\d\d(?::\d\d(?:[.,]\d+)?)?(?: [AP]M)?"
    r"|[A-Z][a-z]{2} [ \d]\d \d\d:\d\d:\d\d"
    r"|\d{1,4}:\d\d:\d\d(?:[.,]\d+)?(?: [AP]M)?"
    r"|\d{1,4}:\d\d(?:[.,]\d+)?"
    r"|\b\d{9,19}(?:\.\d+)?\b"
    r"|(?<=\[)\s*\d+(?:\.\d+)?(?=\s*s?\])"
)
_TOKEN: Final = re.compile(r'"(?:[^"\\]|\\.)*"|(?:[^\s\[\](){}<>,;="\':|]|:(?=[^\s])(?!$))+|[^\S\t]+|.', re.DOTALL)
_WORD: Final = re.compile(r'"|[^\W_]')
_BETWEEN: Final = re.compile(r"[\s,;]*")


class Piece(NamedTuple):
    """A piece of a line: `time`, `pairs`, `word` or `mark`, and its text."""

    kind: str
    text: str


def starts_with_time(text: str) -> bool:
    """Return whether a text begins with a date or a time of the day."""
    return bool(_TIME.match(text))


def pieces_of(line: str) -> list[Piece]:
    """Cut a line into its pieces; pairs count where a line has two or more."""
    time = _TIME.search(line)
    if time is None:
        return _with_pairs(line)
    return [*_with_pairs(line[: time.start()]), Piece("time", time[0]), *_with_pairs(line[time.end() :])]


def _with_pairs(text: str) -> list[Piece]:
    """The pieces of a text without a time; pairs that follow each other are one piece, what stands between them is words."""
    if len(pairs_in(text)) < 2:
        return _words(text)
    pieces: list[Piece] = []
    begun = done = 0
    for match in PAIR.finditer(text):
        if not pieces or not _BETWEEN.fullmatch(text, done, match.start()):
            if pieces:
                pieces.append(Piece("pairs", text[begun:done]))
            pieces += [*_words(text[done : match.start()]), Piece("mark", "")]
            begun = match.start()
        done = match.end()
    return [piece for piece in (*pieces, Piece("pairs", text[begun:done]), *_words(text[done:])) if piece.text]


def _words(text: str) -> list[Piece]:
    return [Piece("word" if _WORD.search(token) else "mark", token) for token in _TOKEN.findall(text)]
