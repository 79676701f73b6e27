"""Questions that players are asked, and their answers."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True)
class Answer:
    """An answer, and of which player, to which question, at which level, if it was about one."""

    player: str
    level: str | None
    question: str
    answer: str


@dataclass(frozen=True)
class Question:
    """A question that players answer.

    Attributes:
        order: its answers in order, where they are words.
        harder: whether later or higher answers mean harder ("up") or easier ("down"); None where it does not ask for that.
    """

    order: tuple[str, ...] = ()
    harder: str | None = None
