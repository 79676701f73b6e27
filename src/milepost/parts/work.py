"""What is asked of whoever does the work."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True)
class Work:
    """Who does the work, and with how much memory.

    Attributes:
        jobs: processes of this machine.
        cluster: the address of a scheduler whose workers do it, instead.
        memory: about how many bytes may be used in all; None for no limit.
    """

    jobs: int = 1
    cluster: str | None = None
    memory: int | None = None

    @property
    def in_parts(self) -> bool:
        """Whether any of it asks for work over parts."""
        return self.jobs > 1 or self.cluster is not None or self.memory is not None
