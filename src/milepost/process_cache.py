"""Logs that are read and replayed once for several commands in one process, as long as their files stay as they are."""

from __future__ import annotations

from collections.abc import Callable, Hashable, Iterator
from contextlib import contextmanager
from typing import TYPE_CHECKING, Final, TypeVar, cast

from milepost import engine
from milepost.folder.player_table import with_players
from milepost.logs.sources.files import expand
from milepost.playback.replay import replay_log

if TYPE_CHECKING:
    from milepost.cleaning.selection import Exclusion
    from milepost.course.course import Course
    from milepost.logs.interface import Log
    from milepost.partitions.execution import LogRequest
    from milepost.playback.play import FullPlay
    from milepost.progress import Progress
    from milepost.rules import ReplayRules

V = TypeVar("V")
_MOST: Final = 40  # logs and plays; then all are freed
_known: dict[Hashable, tuple[object, object]] | None = None


@contextmanager
def read_once() -> Iterator[None]:
    """Have what is opened in here kept for whoever opens it again in here; nobody may change what he is given."""
    global _known
    before, _known = _known, {}
    try:
        yield
    finally:
        _known = before


def is_used() -> bool:
    """Return whether somebody has what is opened kept in this process."""
    return _known is not None


def log_of(asked: LogRequest, progress: Progress) -> Log:
    """The whole log that is asked for, with what the table of players says.

    Raises:
        MilePostError: it cannot be read.
    """
    states = None if _known is None else _states(asked.names)
    if states is None:
        return with_players(engine.read_log(asked, progress), asked.players)
    read_by = ("log", *asked.names, states, repr(asked.log_map), asked.options)
    log = _compute_once(read_by, None, lambda: engine.read_log(asked, progress))
    return _compute_once(("players", id(log), repr(asked.players)), log, lambda: with_players(log, asked.players))


def _states(names: list[str]) -> tuple[Hashable, ...] | None:
    """Return a fingerprint of the named files as they are; None if there can be none, as for standard input."""
    files = [source.path for source in expand(names)]
    if any(path is None or not path.is_file() for path in files):
        return None
    states = [(path.resolve(), path.stat()) for path in files if path is not None]
    return tuple((path, state.st_mtime_ns, state.st_size, state.st_ino) for path, state in states)


def replay_once(log: Log, course: Course | None, rules: ReplayRules, progress: Progress, exclusion: Exclusion | None) -> FullPlay:
    """A log replayed."""
    if _known is None or exclusion is not None:
        return replay_log(log, course, rules, progress, exclusion)
    return _compute_once(("play", id(log), repr(course), rules), log, lambda: replay_log(log, course, rules, progress))


def _compute_once(key: Hashable, used: object, make: Callable[[], V]) -> V:
    """Return the value made under a key before; the key's objects are kept, so that their ids stay theirs."""
    assert _known is not None
    if key not in _known:
        value = make()
        if len(_known) >= _MOST:
            _known.clear()
        _known[key] = (value, used)
    return cast(V, _known[key][0])
