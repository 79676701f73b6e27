"""How two sides of a comparison are named: builds follow each other, other groups stand beside each other."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

from milepost.wording import safe

if TYPE_CHECKING:
    from milepost.cleaning.splitting import Split


@dataclass(frozen=True)
class Phrases:
    """Words for two sides.

    Attributes:
        key: by what they differ.
        before, after: their values.
        causal: whether the side may be named as the cause: of builds, and of what was given to players and not chosen by them.
    """

    key: str
    before: str
    after: str
    causal: bool

    @classmethod
    def of(cls, split: Split, arranged: bool) -> Phrases:
        """Return the phrases of a split; ``arranged`` says that no player chose a side."""
        return cls(split.key, split.before, split.after, split.key == "build" or arranged)

    @property
    def builds(self) -> bool:
        """Return whether they are builds, of which one comes after the other."""
        return self.key == "build"

    def verdict(self, word: str) -> str:
        """Return the phrase for a level that is harder or easier."""
        return f"got {word}" if self.builds else f"is {word} with {self._after} than with {self._before}"

    def verdict_of_all(self, word: str) -> str:
        """Return the phrase for all levels together, harder or easier."""
        return f"All levels got {word}" if self.builds else f"All levels are {word} with {self._after} than with {self._before}"

    @property
    def gone(self) -> tuple[str, str]:
        """Return the phrases for a level that nobody cleared on the one side, and on the other."""
        return ("before", "any more") if self.builds else (f"with {self._before}", f"with {self._after}")

    @property
    def sides(self) -> tuple[str, str]:
        """Behind figures of either side."""
        return ("before", "after") if self.builds else (f"with {self._before}", f"with {self._after}")

    @property
    def only(self) -> tuple[str, str]:
        """Return the phrases for levels that only one side has, and only the other."""
        return ("Gone", "New") if self.builds else (f"Only with {self._before}", f"Only with {self._after}")

    @property
    def each(self) -> str:
        """In each of the two."""
        return "in each build" if self.builds else f"with each {safe(self.key)}"

    @property
    def _before(self) -> str:
        return safe(self.before)

    @property
    def _after(self) -> str:
        return safe(self.after)
