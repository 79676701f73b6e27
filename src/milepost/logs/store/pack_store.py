"""Packs logs into a store, file by file, so that what is packed stays packed whatever happens to the rest."""

from __future__ import annotations

import re
from dataclasses import dataclass
from pathlib import Path
from typing import Final, Literal

from milepost.errors import UsageError
from milepost.logs.columnar.file_chunks import Pieces
from milepost.logs.follow_logs import read_on
from milepost.logs.formats.detect import tell
from milepost.logs.interface import DEFAULTS, ReadOptions
from milepost.logs.log_growth import ReadPosition, find_known_beginning
from milepost.logs.mapping.logmap import NO_MAP, LogMap
from milepost.logs.mapping.whole_input import needs_all_files
from milepost.logs.read import give_waiting, read_source, require_mapped, suit_options
from milepost.logs.records.builder import RecordBuilder
from milepost.logs.sources.files import Source, expand
from milepost.logs.store.manifest import MOST_PARTS, PARTS, Manifest, checksum, is_store, read_manifest, take_checksums_ahead
from milepost.logs.store.store import hold_lock, lay_down, restore, seal
from milepost.memory import part_within, unpacked_size
from milepost.progress import SILENT, Progress

_AT_ONCE: Final = 128 << 20  # bytes of logs between two writings of the store
_PART: Final = 96 << 20  # bytes of logs for which there is a part, where nobody says how much memory there is
_MANY: Final = 128  # parts at most then, for each of them has a file of each writing
_OURS: Final = re.compile(
    r"records|replayed|lock|(sessions|names|refused)-\d+\.parquet|store-\d+\.json|\.milepost-.*"
)  # or left behind


@dataclass(frozen=True)
class Layout:
    """How a store is laid out.

    Attributes:
        parts: into how many parts players are divided.
        at_once: bytes of logs between two writings.
            A large file of JSON Lines or Parquet is read in pieces of so many bytes, so that memory stays bounded.
    """

    parts: int = PARTS
    at_once: int = _AT_ONCE

    @classmethod
    def of(cls, size: int, memory: int | None, jobs: int) -> Layout:
        """Return the layout for logs of so many bytes of JSON Lines, by the memory and the processes that share it."""
        if memory is None:
            return cls(parts=max(PARTS, 2 * jobs, min(_MANY, size // _PART)))
        part = part_within(memory // jobs)
        return cls(min(MOST_PARTS, max(2 * jobs, -(-size // part))), part)


@dataclass(frozen=True)
class PackResult:
    """The result of packing: records in the store, new ones, and files that were in it already."""

    records: int
    added: int
    skipped: list[str]


@dataclass(frozen=True)
class Into:
    """The store to pack into.

    Attributes:
        folder: the store.
        if_there: what becomes of a store that is there: `refuse`, `add` to it (files that are in it are passed over), `replace`.
        layout: how a new store is laid out, where that does not go by the size of what is packed first; a store that is there
            keeps its parts.
    """

    folder: Path
    if_there: Literal["refuse", "add", "replace"] = "refuse"
    layout: Layout | None = None


def pack(
    names: list[str], into: Into, log_map: LogMap = NO_MAP, options: ReadOptions = DEFAULTS, progress: Progress = SILENT
) -> PackResult:
    """Pack logs into a store.

    Args:
        names: log files, folders and globs.
        into: the store.
        log_map: how to read the logs.
        options: how to read the files.
        progress: told of each step.

    Raises:
        UsageError: there is a store, which is to be refused, or something else is in its place.
        LogError: a log cannot be read.
        OutputError: the store cannot be written, or another process is writing it.
    """
    sources, folder = expand(names), into.folder
    if any(source.path is None or source.store for source in sources):
        raise UsageError("files are packed, not standard input and not another store. Name the log files.")
    if is_store(folder) and into.if_there == "refuse":
        raise UsageError(f"{folder}: is a store already. --add adds to it, --force packs it anew.")
    if folder.exists() and not is_store(folder) and not _holds_only_ours(folder):
        raise UsageError(f"{folder}: is there, and is no store. Name another place.")
    if is_store(folder) and into.if_there == "add" and needs_all_files(log_map):
        reason = "its query, or its gaps between sessions, look at all files at once"
        raise UsageError(f"{log_map.path}: {reason}. Pack them all anew, with --force.")
    layout = into.layout or Layout.of(sum(unpacked_size(source.label, source.size()) for source in sources), None, 1)
    with hold_lock(folder):
        builder, add = RecordBuilder(), into.if_there == "add"
        manifest = Manifest(parts=layout.parts)
        if is_store(folder):
            old = restore(folder, builder, records=False) if add else read_manifest(folder)
            manifest = old if add else Manifest(parts=layout.parts, additions=old.additions)
        return _Packing(folder, manifest, builder, layout).pack(sources, log_map, options, progress)


def _holds_only_ours(folder: Path) -> bool:
    """Return whether all that is in a place is what a pack that broke off may have left there."""
    return folder.is_dir() and all(_OURS.fullmatch(file.name) for file in folder.iterdir())


@dataclass(eq=False, repr=False)
class _Packing:
    """A store while it is written.

    Attributes:
        folder: its folder.
        manifest: its manifest as far as it was written.
        builder: what was read and is not laid down yet.
        layout: how it is laid out.
    """

    folder: Path
    manifest: Manifest
    builder: RecordBuilder
    layout: Layout

    def pack(self, sources: list[Source], log_map: LogMap, options: ReadOptions, progress: Progress) -> PackResult:
        """Read the sources that are not in the store yet, and lay them down."""
        replaces = is_store(self.folder) and not self.manifest.sources  # the old store stays until all of the new one is there
        self.builder.files = [source["file"] for source in self.manifest.sources]
        before, waiting, skipped = self.manifest.rows, 0, []
        take_checksums_ahead(source.path for source in sources if source.path is not None)
        for source in sources:
            assert source.path is not None
            digest = checksum(source.path)
            if any(source["sha256"] == digest for source in self.manifest.sources):
                skipped.append(source.label)
                continue
            progress.step(f"packing {source.path.name}")
            if self._read_on(source, digest, log_map, options):
                waiting += source.size()
                continue
            read_source(self.builder, source, log_map, progress, options, Pieces(self.layout.at_once, self._lay_down))
            self.manifest.sources.append({"file": source.label, "bytes": source.size(), "sha256": digest})
            waiting += source.size()
            if waiting >= self.layout.at_once and not replaces and not needs_all_files(log_map):
                self._lay_down()
                self._seal()
                waiting = 0
        give_waiting(self.builder)
        require_mapped(self.builder)
        if waiting or replaces or not is_store(self.folder):
            self._lay_down()
            self._seal()
        return PackResult(self.manifest.rows, self.manifest.rows - before, skipped)

    def _read_on(self, source: Source, digest: str, log_map: LogMap, options: ReadOptions) -> bool:
        """Read what has been added to a file since it was packed; false where it is not one that has grown.

        Raises:
            UsageError: it has grown, and what came cannot be told from what was there.
        """
        assert source.path is not None
        known = [(source["bytes"], source["sha256"]) for source in self.manifest.sources if source["sha256"] is not None]
        reached = find_known_beginning(source.path, known) if known else None
        if reached is None:
            return False
        file = next(n for n, source in enumerate(self.manifest.sources) if source["sha256"] == reached.sha256)
        form = tell(source, suit_options(options, log_map))
        if form != "jsonl" or log_map.reshapes or needs_all_files(log_map) or not _ends_with_a_line(source.path, reached):
            raise UsageError(f"{source.label}: has grown since it was packed, not by whole lines of JSON. --force packs anew.")
        with source.path.open("rb") as stream:
            read_on(self.builder, file, stream, reached, log_map, to_the_end=True)
        self.manifest.sources[file] = {"file": source.label, "bytes": source.size(), "sha256": digest}
        return True

    def _lay_down(self) -> None:
        self.manifest = lay_down(self.folder, self.manifest, self.builder, self.builder.columns())
        self.builder.clear_rows()

    def _seal(self) -> None:
        self.manifest = seal(self.folder, self.manifest, self.builder)


def _ends_with_a_line(path: Path, reached: ReadPosition) -> bool:
    """Return whether what was read of a file ends where a line does, in a file that is not packed."""
    with path.open("rb") as stream:
        stream.seek(reached.length - 1)
        return stream.read(1) == b"\n"
