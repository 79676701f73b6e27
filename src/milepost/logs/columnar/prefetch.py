"""Pieces of large files, which are parsed ahead of whoever takes them, in order."""

from __future__ import annotations

from collections import deque
from collections.abc import Callable, Iterator
from concurrent.futures import Future, ThreadPoolExecutor
from dataclasses import dataclass
from typing import TypeVar

K = TypeVar("K")
V = TypeVar("V")


@dataclass(frozen=True)
class Pieces:
    """How large files are read.

    Attributes:
        size: bytes of a piece, as JSON Lines has them.
        done: called whenever the records of a piece are with the builder.
        ahead: how many pieces are parsed at the same time, each in a thread, while another one goes to the builder.
    """

    size: int
    done: Callable[[], None]
    ahead: int = 1


def done_ahead(work: Iterator[tuple[K, Callable[[], V]]], ahead: int) -> Iterator[tuple[K, V]]:
    """Yield each job's result with its name; some jobs run ahead in threads while one result is taken."""
    waiting: deque[tuple[K, Future[V]]] = deque()
    with ThreadPoolExecutor(ahead) as threads:
        for name, piece in work:
            waiting.append((name, threads.submit(piece)))
            if len(waiting) > ahead:
                yield _first(waiting)
        while waiting:
            yield _first(waiting)


def _first(waiting: deque[tuple[K, Future[V]]]) -> tuple[K, V]:
    name, result = waiting.popleft()
    return name, result.result()
