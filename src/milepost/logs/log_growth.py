"""Logs that grow: how far each was read, whether what was read still stands there, and the order of what came bit by bit."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, field, replace
from hashlib import sha256
from pathlib import Path
from typing import Any, BinaryIO, Final

import numpy as np

from milepost.arrays import Bools, Ints
from milepost.logs.interface import Log, Records, Sessions

_BLOCK: Final = 1 << 20


@dataclass
class ReadPosition:
    """How far a file was read.

    Attributes:
        length, lines: so many of its bytes and lines.
        digest: the running SHA-256 of these bytes.
        seen: what the system said of the file when it was last looked at: its number, size and time of change.
    """

    length: int = 0
    lines: int = 0
    digest: Any = field(default_factory=sha256)
    seen: tuple[int, ...] = ()

    def take(self, data: bytes) -> None:
        """Go on by some bytes."""
        self.length += len(data)
        self.digest.update(data)

    @property
    def sha256(self) -> str:
        """The checksum of what was read."""
        return str(self.digest.hexdigest())


def find_known_beginning(path: Path, known: Iterable[tuple[int, str]]) -> ReadPosition | None:
    """How far a file was read, if it begins with what was read once; the longest such beginning counts.

    Args:
        path: the file.
        known: lengths in bytes, each with the SHA-256 of what was read.

    Raises:
        OSError: the file cannot be read.
    """
    wanted: dict[int, set[str]] = {}
    for length, digest in known:
        wanted.setdefault(length, set()).add(digest)
    last_seen, reached = None, ReadPosition()
    with path.open("rb") as stream:
        for length in sorted(wanted):
            if length == 0 or not _read_up_to(stream, length, reached):
                continue
            if reached.sha256 in wanted[length]:
                last_seen = replace(reached, digest=reached.digest.copy())
    return last_seen


def _read_up_to(stream: BinaryIO, length: int, reached: ReadPosition) -> bool:
    """Read on until so many bytes; whether there are that many."""
    while reached.length < length:
        data = stream.read(min(_BLOCK, length - reached.length))
        if not data:
            return False
        reached.take(data)
        reached.lines += data.count(b"\n")
    return True


def put_in_log_order(log: Log, rank: Ints) -> Log | None:
    """The log as if its files had been read whole, one after the other.

    Args:
        log: a log whose files were read bit by bit.
        rank: per file, its place in the order in which files are read.

    Returns:
        The log; None where a session's records lie in several files and came out of order, so that it has to be read anew.
    """
    records = log.records
    place = rank[records.file]
    order = np.lexsort((records.line, place))
    if (np.diff(order) > 0).all():
        return log
    if _torn(records, place, len(log.sessions.name)).any():
        return None
    first = np.full(len(log.sessions.name), len(order))
    np.minimum.at(first, records.session[order], np.arange(len(order)))
    by_appearance = np.argsort(first, kind="stable")
    number = np.empty(len(first), np.int64)
    number[by_appearance] = np.arange(len(first))
    columns = records.rows(order)
    columns["session"] = number[columns["session"]]
    sessions = {name: [values[old] for old in by_appearance] for name, values in vars(log.sessions).items()}
    refused = sorted(log.refused, key=lambda item: (rank[item.place.file], item.place.line))
    return replace(log, records=Records.of(columns), sessions=Sessions(**sessions), refused=refused)


def _torn(records: Records, place: Ints, sessions: int) -> Bools:
    """Per session, whether its records lie in several files."""
    least, most = np.full(sessions, np.iinfo(np.int64).max), np.full(sessions, -1)
    np.minimum.at(least, records.session, place)
    np.maximum.at(most, records.session, place)
    torn: Bools = least < most
    return torn
