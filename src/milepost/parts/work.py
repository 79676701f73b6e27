"""What is asked of whoever does the work, and whether a log is replayed as a whole or in parts."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Final, NamedTuple, TypedDict

from milepost.logs.sources.files import expand
from milepost.logs.sources.remote import is_address
from milepost.sizing import COMFORT, memory_of_held, memory_of_machine, memory_of_whole, unpacked

_SHARE: Final = 2  # of this machine's memory, one part in so many is the most that a log takes in memory
_MOST: Final = 1 << 62  # bytes, where nothing says how many there are


class WorkSettings(TypedDict, total=False):
    """See `Work`."""

    jobs: int
    cluster: str | None
    memory: int | None


@dataclass(frozen=True)
class Work:
    """Who does the work, and with how much memory.

    Attributes:
        jobs: threads of this process.
        cluster: the address of a scheduler whose workers do it, instead.
        memory: about how many bytes may be used in all; None where nobody has said.
    """

    jobs: int = 1
    cluster: str | None = None
    memory: int | None = None

    def way(self, names: list[str]) -> Way:
        """How a log is replayed that may be large.

        Args:
            names: log files, folders and globs; a packed store, standard input and addresses, whose size nobody knows beforehand,
                go in parts only where that was said.

        Raises:
            LogError: a name stands for nothing.
        """
        if self.cluster is not None:
            return Way(packed=True, memory=self.memory)
        if any(name == "-" or is_address(name) for name in names):
            return Way(held=self.jobs > 1, packed=self.jobs == 1 and self.memory is not None, memory=self.memory)
        sources = expand(names)
        if sources[0].store is not None:
            return Way(packed=self.jobs > 1 or self.memory is not None, memory=self.memory)
        return self._way_of_size(sum(unpacked(source.label, source.size()) for source in sources))

    def _way_of_size(self, size: int) -> Way:
        """The same for logs of so many bytes of JSON Lines."""
        own = memory_of_machine()
        most = self.memory if self.memory is not None else _MOST if own is None else own // _SHARE
        comfort = most if self.memory is not None else min(most, COMFORT)
        if self.jobs == 1 and memory_of_whole(size) <= comfort:
            return Way()
        if memory_of_held(size) <= most:
            return Way(held=True)
        return Way(packed=True, memory=most if self.memory is not None else most // _SHARE)


class Way(NamedTuple):
    """How a log is replayed: as a whole, or in parts.

    Attributes:
        held: whether all of it is held in memory.
        packed: whether it lies in a store, made for the moment if need be.
        memory: about how many bytes may be used in all, where it is packed for the moment; None where any will do.
    """

    held: bool = False
    packed: bool = False
    memory: int | None = None

    @property
    def in_parts(self) -> bool:
        """Whether it is replayed part by part."""
        return self.held or self.packed


ALONE: Final = Work()  # one process, as much memory as it takes
