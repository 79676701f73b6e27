"""What is asked of whoever does the work, and whether a log is small enough to do without parts."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Final, TypedDict

from milepost.logs.sources.files import expand
from milepost.logs.sources.remote import is_address
from milepost.sizing import memory_of_machine, memory_of_whole, unpacked

_SHARE: Final = 2  # of this machine's memory, one part in so many is the most that a log takes as a whole


class WorkSettings(TypedDict, total=False):
    """See `Work`."""

    jobs: int
    cluster: str | None
    memory: int | None


@dataclass(frozen=True)
class Work:
    """Who does the work, and with how much memory.

    Attributes:
        jobs: processes of this machine.
        cluster: the address of a scheduler whose workers do it, instead.
        memory: about how many bytes may be used in all; None where nobody has said.
    """

    jobs: int = 1
    cluster: str | None = None
    memory: int | None = None

    @property
    def in_parts(self) -> bool:
        """Whether any of it asks for work over parts."""
        return self.jobs > 1 or self.cluster is not None or self.memory is not None

    def suited_to(self, names: list[str]) -> Work:
        """The same without a bound on memory where the log fits, and with one where it would take too much of this machine.

        Args:
            names: log files, folders and globs; a packed store, standard input and addresses are left to what was said.

        Raises:
            LogError: a name stands for nothing.
        """
        if self.jobs > 1 or self.cluster is not None or any(name == "-" or is_address(name) for name in names):
            return self
        sources = expand(names)
        if sources[0].store is not None:
            return self
        takes = memory_of_whole(sum(unpacked(source.label, source.size()) for source in sources))
        if self.memory is not None:
            return replace(self, memory=None) if takes <= self.memory else self
        own = memory_of_machine()
        return replace(self, memory=own // (2 * _SHARE)) if own is not None and takes > own // _SHARE else self


ALONE: Final = Work()  # one process, as much memory as it takes
