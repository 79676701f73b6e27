"""Values computed once from something, which may be kept longer than the process."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field
from typing import Protocol, Self, TypeVar, cast

V = TypeVar("V")


class Keeper(Protocol):
    """A place that keeps values computed from a play longer than the process."""

    def kept(self, name: str, *kinds: type) -> object:
        """Return the value kept under a name, if it is made of some kinds of objects; None if there is none."""

    def keep(self, name: str, value: object) -> None:
        """Keep something, if that can be."""


@dataclass
class Lasting:
    """Something of which much is made, each once; what is made of it is not made of what is derived from it."""

    _made: dict[object, object] = field(default_factory=dict, init=False, repr=False, compare=False)
    _keeper: Keeper | None = field(default=None, init=False, repr=False, compare=False)

    def once(self, make: Callable[[Self], V]) -> V:
        """Return a function's result, computed once; nobody may change it."""
        if make not in self._made:
            self._made[make] = make(self)
        return cast(V, self._made[make])

    def kept_by(self, keeper: Keeper) -> Self:
        """Return the memo with a keeper of values that take long to make and are small."""
        self._keeper = keeper
        return self

    def lasting(self, name: str, make: Callable[[Self], V], *kinds: type) -> V:
        """Return a function's result, computed once, and kept by the keeper; for what takes long and is small.

        Args:
            name: under which it is kept.
            make: makes it.
            kinds: the classes of the objects in it.
        """
        if name not in self._made:
            kept = self._keeper.kept(name, *kinds) if self._keeper is not None else None
            self._made[name] = make(self) if kept is None else kept
            if kept is None and self._keeper is not None:
                self._keeper.keep(name, self._made[name])
        return cast(V, self._made[name])
