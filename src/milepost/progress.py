"""How long work tells how far it is; silent unless somebody listens."""

from __future__ import annotations

from typing import Protocol


class Progress(Protocol):
    """Hears of steps and of how much of a step is done."""

    def step(self, task: str, total: int | None = None) -> None:
        """Begin a step, described in a few words, and how much there is to do in it, where that is known."""

    def advance(self, amount: int) -> None:
        """Add to the amount done in this step (records or bytes, as the step counts)."""


class Silent:
    """The default: hears everything, says nothing."""

    def step(self, task: str, total: int | None = None) -> None:
        """Ignore the step."""

    def advance(self, amount: int) -> None:
        """Ignore the amount."""


SILENT = Silent()
