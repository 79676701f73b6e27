"""A packed store that remembers: what was replayed of it lies beside its records, until anything it rests on changes."""

from __future__ import annotations

import json
import os
import shutil
from contextlib import suppress
from dataclasses import dataclass, replace
from functools import cache, cached_property, partial
from hashlib import sha256
from importlib import import_module
from pathlib import Path
from secrets import token_hex
from typing import TYPE_CHECKING, Final, TypeVar, cast

from milepost.cleaning.gate import Admitted
from milepost.cleaning.names import Stops
from milepost.errors import LogError
from milepost.logs.interface import BareLog
from milepost.logs.store.kept_values import ValuesError, WrittenValues, read_values, write_values
from milepost.logs.store.manifest import REPLAYED, read_manifest
from milepost.memory import memory_of_attempts
from milepost.playback.attempt_tables import AttemptTable, Ends, MoveTable
from milepost.playback.play import Play
from milepost.version import __version__

if TYPE_CHECKING:
    from collections.abc import Callable, Mapping, Sequence

    from milepost.cleaning.selection import Exclusion
    from milepost.cleaning.splitting import Split
    from milepost.course.course import Course
    from milepost.partitions.execution import ExecutionPlan, LogRequest
    from milepost.partitions.partitioned_source import LoadedParts
    from milepost.playback.play import Kinds, Summed
    from milepost.rules import ReplayRules

V = TypeVar("V")
MOST: Final = 2 << 30  # bytes of plays that are kept of a store; what was asked for longest ago goes first
_OF_GATED: Final[dict[str, type]] = {
    "log": BareLog,
    "stops": Stops,
    **dict.fromkeys(("debug_sessions", "bounds", "coarse", "players", "player", "sequence"), object),
}
_OF_PLAY: Final[dict[str, type]] = {
    "attempts": AttemptTable,
    "moves": MoveTable,
    "end": Ends,
    **dict.fromkeys(("endless", "inferred"), object),
}
_SUMMARIES: Final = (
    "audit.promise_checks",
    "audit.record_checks",
    "comparison.changed",
    "measures.raw",
    "playback.runs",
    "playback.tallies",
)


@dataclass(frozen=True)
class StoredLog:
    """A store as it is asked for.

    Attributes:
        asked: the store, and what of it.
        way: how it is replayed.
        anonymous: whether names of people are left out.
        idle_cap: seconds that a stretch without a record counts at most, where there is such a bound.
    """

    asked: LogRequest
    way: ExecutionPlan
    anonymous: bool = False
    idle_cap: float | None = None

    @property
    def course(self) -> Course | None:
        """The course, if one is given."""
        return self.asked.course

    def play(self, exclusion: Exclusion | None = None, last: bool = False) -> Play:
        """Return the kept play, or replay the log; nothing of it is held in memory."""
        if exclusion is not None:
            return self._parts.play(exclusion)
        return self._remembered((), lambda: (self._parts.play(),), (self.course,))[0]

    def made(self, name: str, make: Callable[[Play], V]) -> V:
        """Return a function's kept result, without loading the play; or compute it now and keep it."""
        return _made(self._place((0,)), name, lambda: make(self.play()))

    def counted(self, name: str | None, make: Callable[[Summed], V], kinds: Kinds) -> V:
        """Return a function's result on counts; the play is kept for other questions, if it is not too large."""
        place = self._place((0,))
        if place.is_dir() or _comfortable(self.asked):
            return make(self.play()) if name is None else self.made(name, make)

        def counted() -> V:
            return _loaded(self, ()).counted(name, make, kinds)

        return counted() if name is None else _made(self._place(("counts",)), name, counted)

    def _remembered(
        self, more: tuple[object, ...], replayed: Callable[[], Sequence[Play]], courses: tuple[Course | None, ...]
    ) -> list[Play]:
        """The plays that are the answer to a question, kept or replayed; one for each course."""
        places = [self._place((*more, number)) for number in range(len(courses))]
        plays = [_kept(place, course, self.asked.rules) for place, course in zip(places, courses, strict=True)]
        found = [play for play in plays if play is not None]
        if len(found) < len(plays):
            found = list(replayed())
            for place, play in zip(places, found, strict=True):
                _keep(place, play)
        again = None if more else lambda exclusion, sessions: self._parts.again(exclusion, sessions)
        return [replace(play, again=again).kept_by(_Beside(place)) for place, play in zip(places, found, strict=True)]

    def grouped(self, key: str, exclusion: Exclusion | None = None) -> list[tuple[str | None, Play]]:
        """Replay each group of sessions by itself."""
        return self._parts.grouped(key, exclusion)

    def sides(self, split: Split, exclusion: Exclusion | None = None) -> tuple[Play, Play]:
        """Replay two groups of sessions, each by itself and by its own course."""
        if exclusion is not None:
            return self._parts.sides(split, exclusion)
        before, after = self._remembered((split,), lambda: self._parts.sides(split), split.courses)
        return before, after

    @property
    def sessions(self) -> BareLog:
        """The log without its records."""
        return self._parts.sessions

    def without_names(self) -> StoredLog:
        """Return the log with pseudonyms for people."""
        return replace(self, anonymous=True)

    def without_idle(self, cap: float | None) -> StoredLog:
        """Return the log with a bound on how many seconds a stretch without a record counts."""
        return replace(self, idle_cap=cap)

    @cached_property
    def _parts(self) -> LoadedParts:
        return _loaded(self, _SUMMARIES)  # all of them, so that whatever is asked next has what it needs

    def _place(self, more: tuple[object, ...]) -> Path:
        """A play's folder, named after what tells this question, of this state of store and program, from any other."""
        asked, folder = self.asked, Path(self.asked.names[0])
        stamp = read_manifest(folder).stamp()
        about = (asked.course, asked.rules, asked.conditions, asked.players, self.anonymous, self.idle_cap, more)
        key = sha256(json.dumps([stamp, __version__, _program(), repr(about)]).encode()).hexdigest()[:32]
        return folder / REPLAYED / key


def _loaded(log: StoredLog, summaries: tuple[str, ...]) -> LoadedParts:
    """A store's parts, after the modules of some summaries were loaded."""
    from milepost.partitions.partitioned_source import load_parts

    for name in summaries:
        import_module(f"milepost.{name}")
    parts = load_parts(log.asked, log.way).without_idle(log.idle_cap)
    return parts.without_names() if log.anonymous else parts


def _comfortable(asked: LogRequest) -> bool:
    """Return whether the attempts of all of a store fit into memory."""
    records = sum(one["rows"] for one in read_manifest(Path(asked.names[0])).records)
    return memory_of_attempts(records) <= asked.work.most


@cache
def _program() -> list[list[str | int]]:
    """The sources of the program as they are now: whoever works on them is not told what they said before."""
    root = Path(__file__).parent
    states = ((path, path.stat()) for path in sorted(root.glob("**/*.py")))
    return [[path.relative_to(root).as_posix(), state.st_size, state.st_mtime_ns] for path, state in states]


def _keep(place: Path, play: Play) -> None:
    """Lay a play down; where that cannot be, it will be replayed again."""
    gated = play.gated
    values = {kind.__qualname__: value for kind, value in play.known.items()}
    values |= {name: getattr(gated, name) for name in _OF_GATED} | {name: getattr(play, name) for name in _OF_PLAY}
    with suppress(OSError):
        place.parent.mkdir(exist_ok=True)
        _lay_down(place, values)
        _forget(place.parent)


def _lay_down(place: Path, values: Mapping[str, object]) -> None:
    """Write values as a folder, all or nothing."""
    beside = place.parent / f".milepost-{os.getpid()}-{token_hex(4)}"
    beside.mkdir()
    try:
        write_values(beside, values)
        os.rename(beside, place)  # noqa: PTH104  # which fails where another process was first
    finally:
        shutil.rmtree(beside, ignore_errors=True)


@dataclass(frozen=True)
class _Beside:
    """Values made of a play, in folders within its own."""

    place: Path

    def kept(self, name: str, *kinds: type) -> object:
        """Return the value kept under a name; None if there is none, or if it cannot be trusted."""
        try:
            return read_values(self.place / name).value(name, *kinds)
        except ValuesError:
            shutil.rmtree(self.place / name, ignore_errors=True)
            return None

    def keep(self, name: str, value: object) -> None:
        """Keep something, if that can be."""
        with suppress(OSError):
            if not self.place.is_dir():
                self.place.mkdir(parents=True)
                _forget(self.place.parent)
            _lay_down(self.place / name, {name: value})


def _recalled(place: Path, written: WrittenValues, kind: type) -> object:
    """Return the values made of the records, by kind.

    Raises:
        LogError: it is not what it was; the next question is replayed.
    """
    try:
        return written.value(kind.__qualname__, kind)
    except ValuesError:
        shutil.rmtree(place, ignore_errors=True)
        raise LogError(f"{place}: what was kept of an earlier question was damaged, and is gone now. Ask again.") from None


def _made(place: Path, name: str, make: Callable[[], V]) -> V:
    """Return the value kept under a name in a place, or compute it and keep it."""
    beside = _Beside(place)
    made = beside.kept(name)
    if made is None:
        made = make()
        beside.keep(name, made)
    else:
        _touch(place)
    return cast("V", made)


def _touch(place: Path) -> None:
    """Note that somebody asked for it now."""
    with suppress(OSError):
        os.utime(place)


def _forget(folder: Path) -> None:
    """Take away what nobody asked for lately, and what broke off."""
    asked = sorted((one for one in folder.iterdir() if one.is_dir()), key=lambda one: one.stat().st_mtime)
    sizes = [sum(file.stat().st_size for file in one.rglob("*") if file.is_file()) for one in asked]
    for number, old in enumerate(asked[:-1]):
        if sum(sizes[number:]) > MOST:
            shutil.rmtree(old, ignore_errors=True)


def _kept(place: Path, course: Course | None, rules: ReplayRules) -> Play | None:
    """Return a kept value; None if there is none, or if it is not as it was written."""
    if not place.is_dir():
        return None
    try:
        written = read_values(place)
        gated = Admitted(course=course, **{name: written.value(name, kind) for name, kind in _OF_GATED.items()})
        if course is not None:
            gated = replace(gated, course=course.with_levels(gated.stops.names[len(course.levels) : gated.stops.n_levels]))
        own = {name: written.value(name, kind) for name, kind in _OF_PLAY.items()}
        _touch(place)
        return Play(gated, rules=rules, recall=partial(_recalled, place, written), **own)
    except (ValuesError, TypeError):
        shutil.rmtree(place, ignore_errors=True)
        return None
