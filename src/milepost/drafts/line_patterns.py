"""Patterns drafted from lines of text that are alike: what is the same in all of them stays, what varies becomes a column.

Columns of different kinds of line are one where the same text stands before them, or where they hold the same words.
"""

from __future__ import annotations

import re
from collections import Counter, defaultdict
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from typing import Final, NamedTuple

from milepost.logs.formats.text_lines import PAIR, PAIRS, find_pairs

_FEWEST_LINES: Final = 3
_LEAST_SHARE: Final = 0.01  # of the lines, that a kind of line has to have
_MOST_PATTERNS: Final = 24
_MOST_PHRASES: Final = 40  # that words which go together make
_FEW_WORDS: Final = 4  # that say which of a few things lines speak of
_FIXED_WITH: Final = 2  # words, itself among them, that are the same in all lines with one of these
_SHARED: Final = 0.6  # of the words of two columns that are one
_SHARED_WORD: Final = 0.3  # of the kinds of line: a word that more of them share is no part of what happened


@dataclass
class _Slot:
    """A place in the lines of one kind.

    Attributes:
        kind: `time`, `pairs`, `word`, `mark` or `fixed`, which is a word that all lines share.
        texts: what stands there, line by line.
        before: the fixed word right before it.
        column: the name of its column; empty where it has none.
    """

    kind: str
    texts: tuple[str, ...]
    before: str = ""
    column: str = ""

    @property
    def quoted(self) -> bool:
        """Return whether its words stand in quotation marks."""
        return _is_quoted(self.texts[0])


def _is_quoted(text: str) -> bool:
    return text.startswith('"')


def draft_patterns(lines: Sequence[str]) -> list[str]:
    """Return patterns that fit the kinds of line of which there are many, those of most lines first."""
    kinds = _kinds(lines)
    everywhere = Counter(text for slots in kinds for text in {slot.texts[0] for slot in slots if slot.kind == "fixed"})
    shares = {text: count / len(kinds) for text, count in everywhere.items()}
    kinds = [_add_event_column(_join_phrases(slots), shares, 1 / len(kinds)) for slots in kinds]
    _name_columns(kinds)
    return list(dict.fromkeys(_pattern(slots) for slots in kinds))


def _kinds(lines: Sequence[str]) -> list[list[_Slot]]:
    """The kinds of line that have the same marks around the same number of words, as slots."""
    by_shape: dict[tuple[str, ...], list[list[Piece]]] = defaultdict(list)
    for line in lines:
        pieces = cut_into_pieces(line)
        by_shape[tuple(map(_shape, pieces))].append(pieces)
    fewest = max(_FEWEST_LINES, _LEAST_SHARE * len(lines))
    common = [part for lines in by_shape.values() for part in _split_by_subject(lines) if len(part) >= fewest]
    return [_slots(part) for part in sorted(common, key=len, reverse=True)[:_MOST_PATTERNS]]


def _split_by_subject(kind: list[list[Piece]]) -> list[list[list[Piece]]]:
    """Lines of one shape by what they speak of: where with one of a few words several other words become the same."""
    columns = [[piece.text for piece in column] for column in zip(*kind, strict=True)]
    free = [place for place, texts in enumerate(columns) if kind[0][place].kind == "word" and len(set(texts)) > 1]
    for place in free:
        words = set(columns[place])
        if len(words) <= _FEW_WORDS and not any(map(_has_digit, words)):
            parts = [[line for line in kind if line[place].text == word] for word in words]
            fixed = [sum(len({line[other].text for line in part}) == 1 for other in free) for part in parts]
            if max(fixed) > _FIXED_WITH and min(map(len, parts)) >= _FEWEST_LINES:
                return parts
    return [kind]


def _shape(piece: Piece) -> str:
    """What a piece has to share with that of another line, so that both are of one kind."""
    if piece.text.isspace() and piece.text != "\t":
        return " "
    return piece.text if piece.kind == "mark" else f"\0{piece.kind} {_is_quoted(piece.text)}"


def _slots(kind: Sequence[list[Piece]]) -> list[_Slot]:
    slots, before = [], ""
    for pieces in zip(*kind, strict=True):
        texts = tuple(piece.text for piece in pieces)
        fixed = pieces[0].kind == "word" and len(set(texts)) == 1
        slots.append(_Slot("fixed" if fixed else pieces[0].kind, texts, before))
        if pieces[0].kind == "word":
            before = texts[0] if fixed else ""
    return slots


def _join_phrases(slots: list[_Slot]) -> list[_Slot]:
    """The slots with words that always go together, such as `Objective reached` and `Boat lost`, as one."""
    joined: list[_Slot] = []
    for slot in slots:
        phrase = _phrase(joined[-2], joined[-1], slot) if len(joined) > 1 else None
        if phrase is None:
            joined.append(slot)
        else:
            joined[-2:] = [phrase]
    return joined


def _phrase(first: _Slot, blank: _Slot, second: _Slot) -> _Slot | None:
    plain = (first.kind, blank.kind, second.kind) == ("word", "mark", "word") and blank.texts[0].isspace()
    if not plain or first.quoted or second.quoted or any(map(_has_digit, {*first.texts, *second.texts})):
        return None
    texts = tuple(f"{before} {after}" for before, after in zip(first.texts, second.texts, strict=True))
    together = max(len(set(first.texts)), len(set(second.texts)))
    repeats = 2 <= len(set(texts)) <= min(_MOST_PHRASES, len(texts) / 2)
    return _Slot("word", texts, first.before) if repeats and len(set(texts)) == together else None


def _has_digit(text: str) -> bool:
    return any(char.isdigit() for char in text)


def _add_event_column(slots: list[_Slot], shares: Mapping[str, float], own_share: float) -> list[_Slot]:
    """The slots with the first word that this kind of line alone has, and what follows it, as the column of what happened.

    Args:
        slots: of the lines of one kind.
        shares: fixed words, each with the share of the kinds of line that have it.
        own_share: the share of one kind.
    """
    joined: list[_Slot] = []
    for slot in slots:
        share = shares[slot.texts[0]] if slot.kind == "fixed" and slot.texts[0][0].isalpha() else 1.0
        last = joined[-2] if len(joined) > 1 and joined[-1].texts[0].isspace() else None
        if share <= _SHARED_WORD and last is not None and last.column == "what":
            joined[-2:] = [_Slot("fixed", tuple(f"{text} {slot.texts[0]}" for text in last.texts), last.before, "what")]
        elif share <= own_share < 1.0 and not any(slot.column == "what" for slot in joined):
            joined.append(_Slot("fixed", slot.texts, slot.before, "what"))
        else:
            joined.append(slot)
    return joined


def _name_columns(kinds: Sequence[list[_Slot]]) -> None:
    """Give each slot that is a column its name; a column of several kinds of line has one."""
    by_prefix: dict[str, str] = {}
    held: dict[str, set[str]] = {}
    for slots in kinds:
        taken: set[str] = set()
        for prefix, slot in _columns(slots):
            if slot.kind == "word":
                likeness = _pick_most_alike(set(slot.texts), {name: words for name, words in held.items() if name not in taken})
                known = likeness or by_prefix.get(prefix, "") or _pick_column_by_name(slot, held)
                slot.column = known if known and known not in taken else _free(_name(slot.before), {*held, *taken})
                by_prefix.setdefault(prefix, slot.column)
                held.setdefault(slot.column, set()).update(slot.texts)
                taken.add(slot.column)
    for slots in kinds:
        named = {slot.column for slot in slots if slot.kind == "word"}
        for prefix, slot in _columns(slots):
            if slot.kind == "fixed" and by_prefix.get(prefix, slot.column) not in named:
                slot.column = by_prefix.get(prefix, slot.column)


def _pick_column_by_name(slot: _Slot, held: Mapping[str, set[str]]) -> str:
    """The column of the word before, if that has numbers where these are numbers, and words where these are words."""
    known_words = held.get(slot.before.lower(), set()) if slot.before else set()
    numbers = [all(map(str.isdecimal, words)) for words in (known_words, slot.texts)]
    return slot.before.lower() if known_words and numbers[0] == numbers[1] else ""


def _columns(slots: Sequence[_Slot]) -> Iterator[tuple[str, _Slot]]:
    """Yield the slots that are columns of words, each with all that stands before it."""
    prefix = ""
    for slot in slots:
        if slot.kind == "word" or slot.column:
            yield prefix, slot
        is_fixed = slot.kind in ("mark", "fixed") and not slot.column
        prefix += (" " if slot.texts[0].isspace() else slot.texts[0]) if is_fixed else "\0"


def _pick_most_alike(words: set[str], held: dict[str, set[str]]) -> str:
    """The column that has most of some words, where one has."""
    words = {word for word in words if not word.isdecimal()}
    shares = {
        name: len(words & values) / min(len(words), len(values)) for name, values in held.items() if len(values) > 1 < len(words)
    }
    best = max(shares, key=lambda name: shares[name], default="")
    return best if best and shares[best] >= _SHARED else ""


def _name(before: str) -> str:
    """A column's name: the word that stands before it in all lines."""
    return before.lower() if re.fullmatch(r"[A-Za-z_]\w*", before) else "word"


def _free(name: str, taken: set[str]) -> str:
    numbered = (f"{name}{number}" if number > 1 else name for number in range(1, len(taken) + 2))
    return next(number for number in numbered if number not in taken)


def _pattern(slots: Sequence[_Slot]) -> str:
    """A pattern for the lines of one kind."""
    names: Counter[str] = Counter()
    return "".join(_piece_pattern(slot, names) for slot in slots) + r"\s*"


def _piece_pattern(slot: _Slot, names: Counter[str]) -> str:
    text = slot.texts[0]
    if slot.kind == "time":
        spaces = text.count(" ")
        return _group("time", r"\S+?" if not spaces else r"\S+" + r" +\S+?" * spaces, names)
    if slot.kind == "pairs":
        return _group(PAIRS, ".*?", names)
    if slot.kind == "mark":
        return r"\s+" if text.isspace() and text != "\t" else re.escape(text)
    if slot.kind == "fixed":
        fixed = re.escape(text).replace(r"\ ", r"\s+")
        return _group(slot.column, fixed, names) if slot.column else fixed
    if slot.quoted:
        return '"' + _group(slot.column, '[^"]*', names) + '"'
    return _group(slot.column, r"\S+?" + r"\s+\S+?" * text.count(" "), names)


def _group(name: str, pattern: str, names: Counter[str]) -> str:
    names[name] += 1
    return f"(?P<{name}{names[name] if names[name] > 1 else ''}>{pattern})"


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


def cut_into_pieces(line: str) -> list[Piece]:
    """Cut a line into its pieces; pairs count where a line has two or more."""
    time = _TIME.search(line)
    if time is None:
        return _split_pairs(line)
    return [*_split_pairs(line[: time.start()]), Piece("time", time[0]), *_split_pairs(line[time.end() :])]


def _split_pairs(text: str) -> list[Piece]:
    """The pieces of a text without a time; pairs that follow each other are one piece, what stands between them is words."""
    if len(find_pairs(text)) < 2:
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
