"""The parts of a packed store."""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache
from pathlib import Path

from milepost.errors import LogError
from milepost.logs.interface import BareLog, Log
from milepost.logs.read import nothing_in
from milepost.store.manifest import Manifest, kept_as, latest, read_manifest
from milepost.store.store import bare_log, groups_of_parts, records_of


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
        tags = () if columns else tuple(log.tags)
        return Log(**vars(log), records=records_of(Path(self.store), manifest, self.numbers, tags, columns))

    def let_go(self) -> None:
        """Nothing of it is held in memory."""


@lru_cache(maxsize=1)
def opened(store: str, additions: int, stamp: str) -> tuple[Manifest, BareLog]:
    """A store's manifest, which it may have had before others added to it, and its log without records.

    Raises:
        LogError: the store is damaged, or has become another in the meantime.
    """
    folder = Path(store)
    manifest = read_manifest(folder, kept_as(Manifest(additions=additions)))
    if manifest.stamp() != stamp:
        raise LogError(f"{store}: was packed anew in the meantime. Ask again.")
    return manifest, bare_log(folder, manifest)


def open_store(folder: Path) -> tuple[BareLog, list[StoredPart]]:
    """A store's log without records, and its parts that hold some.

    Args:
        folder: the store's folder; workers elsewhere see it under the same name.

    Raises:
        LogError: the store is damaged, or holds no record that can be used.
    """
    store = str(folder.resolve())
    manifest, log = latest(folder, lambda manifest: opened(store, manifest.additions, manifest.stamp()))
    if not manifest.records:
        raise nothing_in(log)
    groups = groups_of_parts(manifest)
    return log, [StoredPart(store, manifest.additions, manifest.stamp(), numbers) for numbers in groups]
