"""Inference of event words from their order: words that open, that end, and that come only once."""

from __future__ import annotations

from collections import Counter, defaultdict
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from typing import Final, NamedTuple

from milepost.wording import percent

_MOSTLY: Final = 0.6  # of the times that a word comes
_FEWEST: Final = 3  # times that a word has to come


class Meaning(NamedTuple):
    """The likely meaning of a word, and the reason."""

    ours: str
    why: str


@dataclass
class _SeenWords:
    """How one word stands among the others.

    Attributes:
        times: how often it comes.
        first: how often as the first at a level; ``last``: as the last of its session; ``leaves``: as the last at a level.
        before, after: the words next to it at the same level.
        most_at_once: how often it comes at most in one session at one level.
    """

    times: int = 0
    first: int = 0
    last: int = 0
    leaves: int = 0
    before: Counter[str] = field(default_factory=Counter)
    after: Counter[str] = field(default_factory=Counter)
    most_at_once: int = 0


def infer_from_sequence(sessions: Sequence[Sequence[tuple[str, str]]]) -> dict[str, Meaning]:
    """The words of which it can be told what they mean.

    Args:
        sessions: per session, the word and the level of each record, in order.
    """
    seen = _count_words(sessions)
    meanings: dict[str, Meaning] = {}
    opener = max(seen, key=lambda word: seen[word].first, default=None)
    if opener is None or seen[opener].first < _FEWEST:
        return {}
    firsts = sum(counts.first for counts in seen.values())
    meanings[opener] = Meaning("start", f"the first at a level in {percent(seen[opener].first / firsts)} of stays")
    for word, counts in seen.items():
        if word != opener and counts.times >= 2 and counts.last == counts.times and counts.most_at_once == 1:
            meanings[word] = Meaning("session_end", f"always the last of its session ({counts.times} of {counts.times})")
    for word, counts in seen.items():
        if (
            word not in meanings
            and counts.times >= _FEWEST
            and counts.most_at_once == 1
            and counts.leaves >= _MOSTLY * counts.times
        ):
            share = percent(counts.leaves / counts.times)
            meanings[word] = Meaning("complete", f"once a session and level, and the last there in {share}")
    _failures(seen, meanings, opener)
    return meanings


def _failures(seen: Mapping[str, _SeenWords], meanings: dict[str, Meaning], opener: str) -> None:
    """Take words before an opening for failures; without any, the only word before one that opens again."""
    failed = [
        word
        for word, counts in seen.items()
        if word not in meanings and counts.times >= _FEWEST and counts.after[opener] >= _MOSTLY * counts.times
    ]
    for word in failed:
        meanings[word] = Meaning("death", f"followed by another try in {percent(seen[word].after[opener] / seen[word].times)}")
    for word, counts in seen.items() if not failed else ():
        only, times = counts.before.most_common(1)[0] if counts.before else (opener, 0)
        alone = word not in meanings and only not in meanings and times == counts.times and times >= _FEWEST and not counts.first
        as_opener = any(after in counts.after for after in seen[opener].after)
        if alone and as_opener and seen[only].after[word] >= _MOSTLY * seen[only].times:
            meanings[only] = Meaning("death", f"followed by another try in {percent(seen[only].after[word] / seen[only].times)}")
            meanings[word] = Meaning("retry", "comes after that alone, and goes on as a beginning does")


def _count_words(sessions: Sequence[Sequence[tuple[str, str]]]) -> dict[str, _SeenWords]:
    seen: dict[str, _SeenWords] = defaultdict(_SeenWords)
    for records in sessions:
        often = Counter(records)
        for place, (word, level) in enumerate(records):
            counts = seen[word]
            counts.times += 1
            counts.most_at_once = max(counts.most_at_once, often[word, level])
            before = records[place - 1] if place else None
            after = records[place + 1] if place + 1 < len(records) else None
            if before is None or before[1] != level:
                counts.first += 1
            else:
                counts.before[before[0]] += 1
            counts.last += after is None
            if after is None or after[1] != level:
                counts.leaves += 1
            else:
                counts.after[after[0]] += 1
    return dict(seen)
