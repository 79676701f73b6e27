"""Changes at a level between two builds: its knobs, causes of bad ends, and the words of its records."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from functools import cached_property
from typing import Literal

from milepost.comparison.causes import causes_by_level, words_by_level
from milepost.comparison.pairing import Pair
from milepost.comparison.row_types import CauseChange, Changed, KnobChange, Verdict, WordChange
from milepost.playback.logged_knobs import knobs_of, said_alike
from milepost.playback.play import Play


@dataclass(frozen=True)
class Changes:
    """The changes at each level.

    Attributes:
        pair: the two plays.
        names: the two builds' names.
        rate: the rate of false claims.
        causal: whether what was changed may be named as a cause.
    """

    pair: Pair
    names: tuple[str, str]
    rate: float
    causal: bool = True

    @cached_property
    def _causes(self) -> dict[int, list[CauseChange]]:
        return causes_by_level(self.pair, self.rate)

    @cached_property
    def _words(self) -> dict[int, list[WordChange]]:
        return words_by_level(self.pair, self.names)

    def at(self, number: int, places: tuple[int | None, int | None], verdict: Verdict | None) -> Changed:
        """Return the changes at a level, and whether they may be the cause of its verdict.

        Args:
            number: the level's number among those of both builds.
            places: where it stands in the course of either build.
            verdict: what is said of its difficulty.
        """
        knobs = self._knobs(*places)
        cause: Literal["likely", "candidates", "none_known"] | None = None
        if self.causal and verdict in ("harder", "easier"):
            cause = "none_known" if not knobs else "likely" if len(knobs) == 1 else "candidates"
        return Changed(knobs=knobs, causes=self._causes.get(number, []), words=self._words.get(number, []), cause=cause)

    def _knobs(self, before: int | None, after: int | None) -> list[KnobChange]:
        if before is None or after is None:
            return []
        old, new = self.pair.plays
        ways: dict[str, str] = {}
        for play in self.pair.plays:
            ways |= play.course.harder if play.course else {}
        return turned(*_known_to_both((old, before), (new, after)), ways)


def _known_to_both(*sides: tuple[Play, int]) -> tuple[dict[str, object], dict[str, object]]:
    """The knobs of a level in two plays; one that only the log of one tells of, as the starts in the other say it, if they do.

    What all levels of a build have in common is no knob there, and yet no news in the other.
    """
    planned = {name for play, place in sides if play.course for name in play.course.levels[place].knobs}
    own = [knobs_of(play, place) for play, place in sides]
    for number, (play, place) in enumerate(sides):
        for name in own[1 - number].keys() - own[number].keys() - planned:
            said = said_alike(play, name, place)
            if said is None:
                del own[1 - number][name]
            else:
                own[number][name] = said
    return own[0], own[1]


def turned(old: Mapping[str, object], new: Mapping[str, object], ways: Mapping[str, str]) -> list[KnobChange]:
    """The knobs of a level that are set otherwise in the later build; ``ways`` says which way makes a level harder."""
    names = [name for name in dict.fromkeys([*old, *new]) if old.get(name) != new.get(name)]
    changed = [(name, old.get(name), new.get(name)) for name in names]
    return [{"knob": name, "from": a, "to": b, "harder": _harder(a, b, ways.get(name))} for name, a, b in changed]


def _harder(before: object, after: object, way: str | None) -> bool | None:
    """Return whether a knob was turned the way that makes a level harder, where the course says which that is."""
    if way is None or isinstance(before, bool | str) or isinstance(after, bool | str):
        return None
    if not isinstance(before, int | float) or not isinstance(after, int | float):
        return None
    return (after > before) == (way == "up")
