"""Patterns drafted from lines of text that are alike: what is the same in all of them stays, what varies becomes a column."""

from __future__ import annotations

import re
from collections import Counter, defaultdict
from collections.abc import Sequence
from typing import Final, NamedTuple

from milepost.logs.formats.text_lines import PAIRS, pairs_in

_FEWEST_LINES: Final = 3
_LEAST_SHARE: Final = 0.01  # of the lines, that a kind of line has to have
_MOST_PATTERNS: Final = 12
_TIME: Final = re.compile(
    r"\d{4}-\d\d-\d\d[T ]\d\d:\d\d:\d\d(?:[.,]\d+)?(?:Z|[+-]\d\d:?\d\d)?"
    r"|\d{1,4}[./]\d{1,2}[./]\d{1,4} \d{1,2}:\d\d(?::\d\d(?:[.,]\d+)?)?(?: [AP]M)?"
    r"|[A-Z][a-z]{2} [ \d]\d \d\d:\d\d:\d\d"
    r"|\d{1,4}:\d\d:\d\d(?:[.,]\d+)?(?: [AP]M)?"
    r"|\d{1,4}:\d\d(?:[.,]\d+)?"
    r"|\b\d{9,19}(?:\.\d+)?\b"
    r"|(?<=\[)\s*\d+(?:\.\d+)?(?=\s*s?\])"
)
_TOKEN: Final = re.compile(r'"(?:[^"\\]|\\.)*"|(?:[^\s\[\](){}<>,;="\':|]|:(?=[^\s])(?!$))+|.', re.DOTALL)
_WORD: Final = re.compile(r'"|[^\W_]')
_FIRST_PAIR: Final = re.compile(r"""[^\s=:,;()\[\]{}"']+(?:=|:\s)(?:"|[^\s,;()])""")


class _Piece(NamedTuple):
    """A piece of a line: `time`, `pairs`, `word` or `mark`, and its text."""

    kind: str
    text: str


def draft_patterns(lines: Sequence[str]) -> list[str]:
    """Return patterns that fit the kinds of line of which there are many, those of most lines first."""
    kinds: dict[tuple[str, ...], list[list[_Piece]]] = defaultdict(list)
    for line in lines:
        pieces = _pieces(line)
        kinds[tuple(piece.text if piece.kind == "mark" else f"\0{piece.kind}" for piece in pieces)].append(pieces)
    fewest = max(_FEWEST_LINES, _LEAST_SHARE * len(lines))
    common = sorted((own for own in kinds.values() if len(own) >= fewest), key=len, reverse=True)[:_MOST_PATTERNS]
    spread = Counter(word for own in common for word in _constants(own))
    return list(dict.fromkeys(_pattern(own, spread, len(common)) for own in common))


def starts_with_time(text: str) -> bool:
    """Return whether a text begins with a date or a time of the day."""
    return bool(_TIME.match(text))


def _pieces(line: str) -> list[_Piece]:
    """Cut a line into its time, its pairs, words, and the marks between."""
    time = _TIME.search(line)
    cut = (time.start(), time.end()) if time else (0, 0)
    pieces = _words(line[: cut[0]]) + ([_Piece("time", time[0])] if time else [])
    rest = line[cut[1] :]
    first = _FIRST_PAIR.search(rest)
    if first is None or len(pairs_in(rest[first.start() :])) < 2:
        return pieces + _words(rest)
    tail = re.search(r"[)\]}\s]*$", rest)
    end = tail.start() if tail else len(rest)
    return pieces + _words(rest[: first.start()]) + [_Piece("pairs", rest[first.start() : end])] + _words(rest[end:])


def _words(text: str) -> list[_Piece]:
    return [_Piece("word" if _WORD.search(token) else "mark", token) for token in _TOKEN.findall(text)]


def _constants(kind: Sequence[list[_Piece]]) -> set[str]:
    """The words that all lines of a kind share."""
    return {own[0].text for own in zip(*kind, strict=True) if own[0].kind == "word" and len({piece.text for piece in own}) == 1}


def _pattern(kind: Sequence[list[_Piece]], spread: Counter[str], kinds: int) -> str:
    """A pattern for the lines of one kind; a word that only this kind has is what happened."""
    parts: list[str] = []
    names: Counter[str] = Counter()
    before, said = "", False
    for own in zip(*kind, strict=True):
        piece, constant = own[0], len({one.text for one in own}) == 1
        if piece.kind == "time":
            spaces = piece.text.count(" ")
            parts.append(_group("time", r"\S+?" if not spaces else r"\S+" + r" +\S+?" * spaces, names))
        elif piece.kind == "pairs":
            parts.append(_group(PAIRS, ".*?", names))
        elif piece.kind == "mark":
            parts.append(r"\s+" if piece.text.isspace() else re.escape(piece.text))
        elif constant and kinds > 1 and not said and spread[piece.text] == 1 and piece.text.isalpha():
            said = True
            parts.append(_group("what", re.escape(piece.text), names))
        elif constant:
            parts.append(re.escape(piece.text))
        else:
            quoted = piece.text.startswith('"')
            parts.append(
                ('"' if quoted else "") + _group(_name(before), r'[^"]*' if quoted else r"\S+?", names) + ('"' if quoted else "")
            )
        if piece.kind == "word":
            before = piece.text if constant else ""
    return "".join(parts) + r"\s*"


def _name(before: str) -> str:
    """A group's name: the word that stands before it in all lines."""
    return before.lower() if re.fullmatch(r"[A-Za-z_]\w*", before) else "word"


def _group(name: str, pattern: str, names: Counter[str]) -> str:
    names[name] += 1
    return f"(?P<{name}{names[name] if names[name] > 1 else ''}>{pattern})"
