"""The packed store: a log in Parquet, parted by a hash of the player; described in docs/store.md.

What a builder has gathered is laid down as it is, so that a log read from the store is the log that was read from its
files, to the last place of a finding. Nothing that is there is ever written over: an addition brings new files, and a new
manifest takes the old one's place when all of them are there.
"""

from __future__ import annotations

import json
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import replace
from hashlib import blake2b
from pathlib import Path
from shutil import rmtree
from typing import Any, Final

import numpy as np

from milepost.arrays import Column, Ints
from milepost.errors import LogError, OutputError
from milepost.level_names import fold_name
from milepost.logs.interface import ABSENT, TAG, BareLog, Place, Records, Refused
from milepost.logs.records.builder import RECORD_COLUMNS, RecordBuilder, records_with
from milepost.logs.records.sink import require_one_player
from milepost.logs.sources.files import STORE_MANIFEST
from milepost.logs.store.checks import Limits, require_sound, require_sound_tables, sound
from milepost.logs.store.manifest import (
    REPLAYED,
    Entry,
    Manifest,
    checksum,
    earlier_name,
    read_latest,
    read_manifest,
    require_no_links,
)
from milepost.logs.store.tables import Cells, SessionTable, read_arrays, read_lists, sessions_of, write_table
from milepost.numerics.whole_numbers import distinct, narrow
from milepost.output import hold_alone, write_text

_NOT_KEPT: Final = "tags not kept"
_OF_SESSIONS: Final = ("name", "player", "build", "epoch", "debug", "tags", "first_clock", "part")
_NO_SESSIONS: Final[dict[str, list[object]]] = {name: [] for name in _OF_SESSIONS}
_BUSY: Final = "{}: another pack is writing to it. Wait until that is done."


def restore(folder: Path, builder: RecordBuilder, records: bool = True) -> Manifest:
    """Put a store's content back into an empty builder, with or without the records themselves.

    Raises:
        LogError: the store is damaged.
    """
    manifest, tables, rows = read_latest(folder, lambda manifest: _content(folder, manifest, records))
    with sound(folder):
        _put_back(builder, manifest, tables, rows)
    return manifest


def _put_back(builder: RecordBuilder, manifest: Manifest, tables: dict[str, Any], rows: dict[str, Column] | None) -> None:
    require_sound_tables(tables, len(manifest.sources))
    names: dict[str, list[str]] = {}
    for kind, text in zip(tables["names"]["kind"], tables["names"]["text"], strict=True):
        names.setdefault(kind, []).append(text)
    sessions = tables["sessions"]
    builder.known.restore(sessions_of(sessions), sessions["first_clock"], sessions["part"], manifest.debug_only)
    builder.names.restore(names)
    values = {name.removeprefix(TAG): known for name, known in names.items() if name.startswith(TAG)}
    builder.tags.restore(values, names.get(_NOT_KEPT, []))
    builder.refusals.restore(_refused(tables["refused"]))
    builder.files = [source["file"] for source in manifest.sources]
    if rows is not None:
        require_sound(rows, Limits.of(builder.log(), len(sessions["name"])))
        builder.restore_columns(rows)


def _content(folder: Path, manifest: Manifest, records: bool) -> tuple[Manifest, dict[str, Any], dict[str, Column] | None]:
    """The manifest, the small tables, and the columns of the records if these are wanted and there are any."""
    _require_whole(folder, [*manifest.tables.values(), *(manifest.records if records else [])])
    with sound(folder):
        tables = {name: read_lists(folder / part["file"]) for name, part in manifest.tables.items()}
        rows = read_arrays([folder / part["file"] for part in manifest.records]) if records and manifest.records else None
        return manifest, tables, rows


def bare_log(folder: Path, manifest: Manifest) -> BareLog:
    """A store's log without its records, as a manifest of it says.

    Raises:
        LogError: the store is damaged.
    """
    builder = RecordBuilder()
    _, tables, _ = _content(folder, manifest, records=False)
    with sound(folder):
        _put_back(builder, manifest, tables, None)
        return builder.log().bare()


def log_and_sessions(folder: Path, manifest: Manifest) -> tuple[BareLog, SessionTable]:
    """Return the log without its sessions, and these.

    Raises:
        LogError: the store is damaged.
    """
    _require_whole(folder, list(manifest.tables.values()))
    files = {name: folder / part["file"] for name, part in manifest.tables.items()}
    builder = RecordBuilder()
    with sound(folder):
        tables = {name: read_lists(files[name]) for name in ("names", "refused")}
        _put_back(builder, manifest, tables | {"sessions": _NO_SESSIONS}, None)
        return builder.log().bare(), SessionTable.read(files["sessions"], manifest.debug_only)


def groups_of_parts(manifest: Manifest) -> list[tuple[int, ...]]:
    """The parts that hold records, those together that share a session or a player."""
    group = list(range(manifest.parts))
    for first, other in manifest.joined:
        old, new = group[first], group[other]
        group = [new if number == old else number for number in group]
    filled = {record["part"] for record in manifest.records}
    by_group: dict[int, list[int]] = {}
    for part in sorted(filled):
        by_group.setdefault(group[part], []).append(part)
    return [tuple(parts) for parts in by_group.values()]


def records_of(
    folder: Path, manifest: Manifest, parts: tuple[int, ...], limits: Limits, names: tuple[str, ...] | None = None
) -> Records:
    """The records of some parts of a store.

    Args:
        folder: the store's folder.
        manifest: its manifest.
        parts: which parts.
        limits: what its values have to keep to; it names the tags.
        names: the columns that are needed, for counts over records in whatever order; the others hold zeros. Where they are not
            named, all are there, in log order.

    Raises:
        LogError: the store is damaged.
    """
    tags = tuple(limits.tags)
    listed = [record for record in manifest.records if record["part"] in parts]
    _require_whole(folder, listed)
    files, wanted = [folder / record["file"] for record in listed], tuple(names or RECORD_COLUMNS)
    tags = () if names else tuple(TAG + name for name in tags)
    with sound(folder):
        columns = read_arrays(files, (*(() if names else ("row",)), *wanted, *tags))
        require_sound(columns, limits)
        if names:
            return records_with({name: columns[name].astype(RECORD_COLUMNS[name]) for name in wanted}, len(columns[wanted[0]]))
        order = np.argsort(columns["row"])
        wide = {name: np.ascontiguousarray(columns[name][order], RECORD_COLUMNS[name]) for name in wanted}
        return records_with(wide | {name: columns[name][order] for name in tags}, len(order))


def _require_whole(folder: Path, files: list[Entry]) -> None:
    for part in files:
        if not (folder / part["file"]).is_file() or checksum(folder / part["file"]) != part["sha256"]:
            raise LogError(f"{folder / part['file']}: is missing or not as it was written. Pack the logs again.")


def append(folder: Path, manifest: Manifest, builder: RecordBuilder, rows: dict[str, Column]) -> Manifest:
    """Add records to a store, with all that the builder knows by now; the manifest is written last.

    Args:
        folder: the store's folder.
        manifest: the store's manifest as read.
        builder: restored from the store, with the new records added.
        rows: the columns of the new records, as the builder gives them.

    Raises:
        OutputError: a file cannot be written.
    """
    return seal(folder, lay_down(folder, manifest, builder, rows), builder)


def lay_down(folder: Path, manifest: Manifest, builder: RecordBuilder, rows: dict[str, Column]) -> Manifest:
    """Write records into their parts; they belong to the store once it is sealed.

    Raises:
        LogError: a session has several players.
        OutputError: a file cannot be written.
    """
    require_one_player(builder.known.sessions, builder.files[0])
    number = manifest.additions + 1
    joined = _lie(builder, rows["session"], manifest.parts) | {(first, other) for first, other in manifest.joined}
    parts = np.array(builder.known.lies_in, dtype=np.int64)[rows["session"]]
    count = len(rows["session"])
    order = np.lexsort((rows["session"], parts))
    bounds = np.searchsorted(parts[order], np.arange(manifest.parts + 1))
    slim = {"row": np.arange(manifest.rows, manifest.rows + count), **{name: narrow(column) for name, column in rows.items()}}
    added = []
    for part in np.flatnonzero(np.diff(bounds)).tolist():
        of_part = order[bounds[part] : bounds[part + 1]]
        columns = {name: np.ascontiguousarray(column[of_part]) for name, column in slim.items()}
        written = _write_columns(folder, f"records/part={part:02d}/{number:06d}.parquet", columns)
        added.append(written | {"part": part, "rows": len(of_part)})
    return replace(
        manifest,
        rows=manifest.rows + count,
        additions=number,
        records=manifest.records + added,
        joined=[list(pair) for pair in sorted(joined)],
    )


def seal(folder: Path, manifest: Manifest, builder: RecordBuilder) -> Manifest:
    """Write what the builder knows of sessions and names, and the manifest, which makes the store what it is now.

    Raises:
        OutputError: a file cannot be written.
    """
    small = {"sessions": _session_columns, "names": _name_columns, "refused": _refused_columns}
    number = manifest.additions
    tables = {name: _write_columns(folder, f"{name}-{number:06d}.parquet", table_of(builder)) for name, table_of in small.items()}
    sealed = replace(manifest, tables=tables, debug_only=sorted(builder.known.debug_only))
    before = _earlier_manifest(folder, sealed)
    for name in (earlier_name(sealed), STORE_MANIFEST):
        write_text(sealed.text(), str(folder / name))
    _sweep(folder, [sealed, *before])
    rmtree(folder / REPLAYED, ignore_errors=True)  # of what the store was
    return sealed


def _earlier_manifest(folder: Path, manifest: Manifest) -> list[Manifest]:
    """The manifest before this one, where this one adds to it; somebody may be reading by it."""
    try:
        before = read_manifest(folder)
    except LogError:
        return []
    return [before] if {record["file"] for record in before.records} <= {record["file"] for record in manifest.records} else []


def _sweep(folder: Path, manifests: list[Manifest]) -> None:
    """Take away what the manifests do not name: tables of before, and what a pack that broke off had written."""
    named = {name for manifest in manifests for name in (*manifest.files(), earlier_name(manifest))}
    for path in [*folder.glob("*.parquet"), *folder.glob("store-*.json"), *folder.glob("records/*/*.parquet")]:
        if path.relative_to(folder).as_posix() not in named:
            path.unlink(missing_ok=True)


@contextmanager
def hold_lock(folder: Path) -> Iterator[None]:
    """Hold a store's lock, making the folder if need be; it is released when the process ends, however it ends.

    Raises:
        LogError: there is a link in the store.
        OutputError: another process holds it, or the folder cannot be made.
    """
    try:
        folder.mkdir(parents=True, exist_ok=True)
        require_no_links(folder)
        (folder / "lock").touch()
    except OSError as error:
        raise OutputError(f"{folder}: cannot be written ({error.strerror or error}). Name a place that can.") from error
    with hold_alone(folder / "lock", _BUSY.format(folder)):
        yield


def part_of(name: str, parts: int) -> int:
    """The part in which a player's records lie."""
    return int.from_bytes(blake2b(name.encode("utf-8", "surrogatepass"), digest_size=4).digest(), "big") % parts


def _lie(builder: RecordBuilder, sessions: Ints, parts: int) -> set[tuple[int, int]]:
    """Say in which part new sessions lie; the pairs of parts that belong together from now on.

    A session stays in the part where its first records lie. Where its player is named only later, that need not be the
    player's own part.
    """
    lies_in, own_sessions = builder.known.lies_in, builder.known.sessions
    lies_in += [ABSENT] * (len(own_sessions.name) - len(lies_in))
    joined = set()
    for session in distinct(sessions).tolist():
        part = part_of(fold_name(own_sessions.player[session] or own_sessions.name[session]), parts)
        if lies_in[session] == ABSENT:
            lies_in[session] = part
        elif lies_in[session] != part:
            joined.add((min(part, lies_in[session]), max(part, lies_in[session])))
    return joined


def _session_columns(builder: RecordBuilder) -> Cells:
    sessions = builder.known.sessions
    return {
        "name": sessions.name,
        "player": sessions.player,
        "build": sessions.build,
        "epoch": [None if epoch is None else str(epoch) for epoch in sessions.epoch],
        "debug": sessions.debug,
        "tags": [json.dumps(tags, ensure_ascii=False) for tags in sessions.tags],
        "first_clock": builder.known.first_clock,
        "part": builder.known.lies_in,
    }


def _name_columns(builder: RecordBuilder) -> Cells:
    pairs = [(kind, text) for kind, names in vars(builder.names).items() for text in names]
    pairs += [(TAG + name, text) for name, values in builder.tags.values().items() for text in values]
    pairs += [(_NOT_KEPT, name) for name in sorted(builder.tags.not_kept)]
    return {"kind": [kind for kind, _ in pairs], "text": [text for _, text in pairs]}


def _refused(columns: dict[str, list[object]]) -> list[Refused]:
    rows = zip(*(columns[name] for name in ("file", "line", "reason", "session", "times")), strict=True)
    return [Refused(Place(file, line), reason, session, times) for file, line, reason, session, times in rows]


def _refused_columns(builder: RecordBuilder) -> Cells:
    refused = builder.refusals.kept
    return {
        "file": [item.place.file for item in refused],
        "line": [item.place.line for item in refused],
        "reason": [item.reason for item in refused],
        "session": [item.session for item in refused],
        "times": [item.times for item in refused],
    }


def _write_columns(folder: Path, name: str, columns: Cells) -> dict[str, object]:
    """Write columns to a Parquet file of a store; its name and checksum."""
    path = folder / name
    try:
        path.parent.mkdir(parents=True, exist_ok=True)
        write_table(path, columns)
        return {"file": name, "sha256": checksum(path)}
    except OSError as error:
        raise OutputError(f"{path}: cannot be written ({error.strerror or error}). Name a place that can.") from error
