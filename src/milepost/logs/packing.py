"""Packs logs into a store, file by file, so that what is packed stays packed whatever happens to the rest."""

from __future__ import annotations

import re
from dataclasses import dataclass
from pathlib import Path
from typing import Final

from milepost.errors import UsageError
from milepost.logs.builder import RecordBuilder
from milepost.logs.interface import ReadOptions
from milepost.logs.logmap import LogMap
from milepost.logs.read import read_source
from milepost.logs.sources import Source, expand
from milepost.logs.store import Manifest, append, checksum, is_store, locked, read_manifest, restore
from milepost.progress import Progress

_AT_ONCE: Final = 256 << 20  # bytes of logs between two writings of the store
_OURS: Final = re.compile(r"records|lock|(sessions|names|refused)-\d+\.parquet|\.store\.json\..*")  # or left behind


@dataclass(frozen=True)
class Packed:
    """What came of it: records in the store, those of them that are new, and files that were in it already."""

    records: int
    added: int
    skipped: list[str]


def pack(
    names: list[str], folder: Path, add: bool, force: bool, log_map: LogMap, options: ReadOptions, progress: Progress
) -> Packed:  # fmt: skip
    """Pack logs into a store.

    Args:
        names: log files, folders and globs.
        folder: the store.
        add: whether to add to a store that is there; files that are in it already are passed over.
        force: whether to replace a store that is there.
        log_map: how to read the logs.
        options: how to read the files.
        progress: told of each step.

    Raises:
        UsageError: there is a store and neither ``add`` nor ``force`` was said, or something else is in its place.
        LogError: a log cannot be read.
        OutputError: the store cannot be written, or another process is writing it.
    """
    sources = expand(names)
    if any(source.path is None or source.store for source in sources):
        raise UsageError("files are packed, not standard input and not another store. Name the log files.")
    if is_store(folder) and not add and not force:
        raise UsageError(f"{folder}: is a store already. --add adds to it, --force packs it anew.")
    if folder.exists() and not is_store(folder) and not _only_ours(folder):
        raise UsageError(f"{folder}: is there, and is no store. Name another place.")
    with locked(folder):
        builder = RecordBuilder()
        manifest = Manifest()
        if is_store(folder):
            old = restore(folder, builder, records=False) if add else read_manifest(folder)
            manifest = old if add else Manifest(additions=old.additions)
        return _pack(sources, folder, manifest, builder, log_map, options, progress)


def _only_ours(folder: Path) -> bool:
    """Whether all that is in a place is what a pack that broke off may have left there."""
    return folder.is_dir() and all(_OURS.fullmatch(one.name) for one in folder.iterdir())


def _pack(
    sources: list[Source], folder: Path, manifest: Manifest, builder: RecordBuilder, log_map: LogMap, options: ReadOptions,
    progress: Progress,
) -> Packed:  # fmt: skip
    replaces = is_store(folder) and not manifest.sources  # then the old store stays until all of the new one is there
    known = {one["sha256"] for one in manifest.sources}
    builder.files = [one["file"] for one in manifest.sources]
    before, waiting, skipped = manifest.rows, 0, []
    for source in sources:
        assert source.path is not None
        digest = checksum(source.path)
        if digest in known:
            skipped.append(source.label)
            continue
        progress.step(f"packing {source.path.name}")
        read_source(builder, source, log_map, progress, options)
        manifest.sources.append({"file": source.label, "bytes": source.size(), "sha256": digest})
        waiting += source.size()
        if waiting >= _AT_ONCE and not replaces:
            manifest, waiting = _laid_down(folder, manifest, builder), 0
    if waiting or replaces or not is_store(folder):
        manifest = _laid_down(folder, manifest, builder)
    return Packed(manifest.rows, manifest.rows - before, skipped)


def _laid_down(folder: Path, manifest: Manifest, builder: RecordBuilder) -> Manifest:
    grown = append(folder, manifest, builder, builder.columns())
    builder.clear_rows()
    return grown
