"""Replayed logs that are kept in folders, with what was made of them: believed only if all they rest on is as it was."""

from __future__ import annotations

import json
import os
import shutil
from contextlib import suppress
from dataclasses import dataclass, replace
from functools import cache, partial
from hashlib import sha256
from pathlib import Path
from secrets import token_hex
from typing import TYPE_CHECKING, Final, TypeVar, cast

from milepost.cleaning.gate import Admitted
from milepost.cleaning.names import Stops
from milepost.errors import LogError
from milepost.logs.interface import BareLog, Log
from milepost.logs.store.kept_values import ValuesError, WrittenValues, read_values, write_values
from milepost.playback.attempt_tables import AttemptTable, Ends, MoveTable
from milepost.playback.play import Play
from milepost.version import __version__

if TYPE_CHECKING:
    from collections.abc import Callable, Mapping

    from milepost.course.course import Course
    from milepost.rules import ReplayRules

V = TypeVar("V")
_PLAY: Final = "play"  # the folder of the play itself, within its own
_OF_GATED: Final[dict[str, type]] = {
    "log": BareLog,
    "stops": Stops,
    **dict.fromkeys(("debug_sessions", "bounds", "coarse", "players", "player", "sequence", "run_starts"), object),
}
_OF_PLAY: Final[dict[str, type]] = {
    "attempts": AttemptTable,
    "moves": MoveTable,
    "end": Ends,
    **dict.fromkeys(("endless", "inferred"), object),
}


def place_of(folder: Path, about: tuple[object, ...]) -> Path:
    """A play's place in a folder, named after what tells a question, asked of this state of the program, from any other."""
    text = repr(about)
    assert " object at 0x" not in text, "a key says where something lies, not what it is"
    return folder / sha256(json.dumps([__version__, _program(), text]).encode()).hexdigest()[:32]


@cache
def _program() -> list[list[str | int]]:
    """The sources of the program as they are now: whoever works on them is not told what they said before."""
    root = Path(__file__).parent
    states = ((path, path.stat()) for path in sorted(root.glob("**/*.py")))
    return [[path.relative_to(root).as_posix(), state.st_size, state.st_mtime_ns] for path, state in states]


@dataclass(frozen=True, eq=False, repr=False)
class PlayPlace:
    """A folder for a replayed log, and for what is made of it.

    Attributes:
        folder: the folder; it need not be there.
        most: bytes that all such folders beside it may take; what was asked for longest ago goes first.
    """

    folder: Path
    most: int

    def load(self, name: str, *kinds: type) -> object:
        """Return the value kept under a name; None if there is none, or if it cannot be trusted."""
        try:
            return read_values(self.folder / name).value(name, *kinds)
        except ValuesError:
            shutil.rmtree(self.folder / name, ignore_errors=True)
            return None

    def save(self, name: str, value: object) -> None:
        """Keep something, if that can be."""
        self._lay_down(name, {name: value})

    def compute(self, name: str, make: Callable[[], V]) -> V:
        """Return the value kept under a name, or compute it and keep it."""
        result = self.load(name)
        if result is None:
            result = make()
            self.save(name, result)
        else:
            self._touch()
        return cast("V", result)

    def play(self, course: Course | None, rules: ReplayRules) -> Play | None:
        """Return the play that is kept; None if there is none, or if it is not as it was written."""
        if not (self.folder / _PLAY).is_dir():
            return None
        try:
            written = read_values(self.folder / _PLAY)
            gated = Admitted(course=course, **{name: written.value(name, kind) for name, kind in _OF_GATED.items()})
            if course is not None:
                gated = replace(gated, course=course.with_levels(gated.stops.names[len(course.levels) : gated.stops.n_levels]))
            parts = {name: written.value(name, kind) for name, kind in _OF_PLAY.items()}
            self._touch()
            return Play(gated, rules=rules, recall=partial(self._recalled, written), **parts)
        except (ValuesError, TypeError):
            shutil.rmtree(self.folder, ignore_errors=True)
            return None

    def keep_play(self, play: Play) -> None:
        """Lay a play down, with what was made of its records; where that cannot be, it will be replayed again."""
        gated = play.gated
        values = {kind.__qualname__: value for kind, value in play.summaries.items()}
        values |= {name: getattr(gated, name) for name in _OF_GATED} | {name: getattr(play, name) for name in _OF_PLAY}
        values["log"] = gated.log.bare() if isinstance(gated.log, Log) else gated.log
        self._lay_down(_PLAY, values)

    def _recalled(self, written: WrittenValues, kind: type) -> object:
        """Return the values made of the records, by kind.

        Raises:
            LogError: it is not what it was; the next question is replayed.
        """
        try:
            return written.value(kind.__qualname__, kind)
        except ValuesError:
            shutil.rmtree(self.folder, ignore_errors=True)
            where = self.folder
            raise LogError(f"{where}: what was kept of an earlier question was damaged, and is gone now. Ask again.") from None

    def _lay_down(self, name: str, values: Mapping[str, object]) -> None:
        """Write values as a folder, all or nothing; where that cannot be, nothing is kept."""
        beside = self.folder.parent / f".milepost-{os.getpid()}-{token_hex(4)}"
        with suppress(OSError):
            new = not self.folder.is_dir()
            self.folder.mkdir(parents=True, exist_ok=True)
            try:
                beside.mkdir()
                write_values(beside, values)
                os.rename(beside, self.folder / name)  # noqa: PTH104  # which fails where another process was first
            finally:
                shutil.rmtree(beside, ignore_errors=True)
            if new:
                self._forget()

    def _touch(self) -> None:
        """Note that somebody asked for it now."""
        with suppress(OSError):
            os.utime(self.folder)

    def _forget(self) -> None:
        """Take away what nobody asked for lately, and what broke off."""
        asked = sorted(
            (entry for entry in self.folder.parent.iterdir() if entry.is_dir()), key=lambda entry: entry.stat().st_mtime
        )
        sizes = [sum(file.stat().st_size for file in entry.rglob("*") if file.is_file()) for entry in asked]
        for number, old in enumerate(asked[:-1]):
            if sum(sizes[number:]) > self.most:
                shutil.rmtree(old, ignore_errors=True)
