"""The parts of a packed store."""

from __future__ import annotations

from dataclasses import dataclass, replace
from functools import lru_cache
from pathlib import Path

from milepost.errors import LogError
from milepost.logs.interface import BareLog, Log
from milepost.logs.read import nothing_in
from milepost.logs.store.checks import Limits, sound
from milepost.logs.store.manifest import Manifest, kept_as, latest, read_manifest
from milepost.logs.store.sessions import SessionTable
from milepost.logs.store.store import bare_log, groups_of_parts, log_and_sessions, records_of
from milepost.partitions.local_sessions import Opened, own_sessions


@dataclass(frozen=True)
class StoredPart:
    """Some parts of a store that belong together.

    Attributes:
        store: the store's folder, as every worker sees it.
        additions: how often it had been added to.
        stamp: of its manifest, so that no worker takes another store of its name, or an older or newer state, for it.
        numbers: which parts.
    """

    store: str
    additions: int
    stamp: str
    numbers: tuple[int, ...]

    def log(self, columns: tuple[str, ...] | None = None) -> Log:
        """The log of the part.

        Args:
            columns: those of the records that are needed, where not all are; the others hold zeros.

        Raises:
            LogError: the store is damaged, or has become another in the meantime.
        """
        manifest, log = opened(self.store, self.additions, self.stamp)
        limits = Limits.of(log, len(log.sessions.name))
        return Log(**vars(log), records=records_of(Path(self.store), manifest, self.numbers, limits, columns))

    def by_itself(self, columns: tuple[str, ...] | None = None) -> Log:
        """Return the part with its own sessions only; the others are not made.

        Raises:
            LogError: the store is damaged, or has become another in the meantime.
        """
        manifest, bare, sessions = _without_sessions(self.store, self.additions, self.stamp)
        limits = Limits.of(bare, len(sessions.debug))
        own, records = own_sessions(records_of(Path(self.store), manifest, self.numbers, limits, columns))
        with sound(Path(self.store)):
            return Log(**vars(replace(bare, sessions=sessions.some(own), numbers=own)), records=records)

    def let_go(self) -> None:
        """Nothing of it is held in memory."""


@lru_cache(maxsize=1)
def opened(store: str, additions: int, stamp: str) -> tuple[Manifest, BareLog]:
    """A store's manifest, which it may have had before others added to it, and its log without records.

    Raises:
        LogError: the store is damaged, or has become another in the meantime.
    """
    manifest = _manifest(store, additions, stamp)
    return manifest, bare_log(Path(store), manifest)


@lru_cache(maxsize=1)
def _without_sessions(store: str, additions: int, stamp: str) -> tuple[Manifest, BareLog, SessionTable]:
    """Return the store's log without sessions, which stay compressed.

    Raises:
        LogError: the store is damaged, or has become another in the meantime.
    """
    manifest = _manifest(store, additions, stamp)
    return manifest, *log_and_sessions(Path(store), manifest)


def _manifest(store: str, additions: int, stamp: str) -> Manifest:
    """A state of a store.

    Raises:
        LogError: it has become another in the meantime.
    """
    manifest = read_manifest(Path(store), kept_as(Manifest(additions=additions)))
    if manifest.stamp() != stamp:
        raise LogError(f"{store}: was packed anew in the meantime. Ask again.")
    return manifest


def open_store(folder: Path) -> tuple[list[StoredPart], Opened, Opened, int]:
    """A store's parts that hold some records, what gives its log without records, and without sessions as well, and its records.

    Args:
        folder: the store's folder; workers elsewhere see it under the same name.

    Raises:
        LogError: the store is damaged, or holds no record that can be used.
    """
    store = str(folder.resolve())
    manifest = latest(folder, lambda manifest: _manifest(store, manifest.additions, manifest.stamp()))
    state = (store, manifest.additions, manifest.stamp())
    if not manifest.records:
        raise nothing_in(_without_sessions(*state)[1])
    parts = [StoredPart(*state, numbers) for numbers in groups_of_parts(manifest)]
    return parts, lambda: opened(*state)[1], lambda: _without_sessions(*state)[1], manifest.rows
