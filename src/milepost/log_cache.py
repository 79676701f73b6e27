"""A small log that remembers: what was replayed of it is kept in the user's cache, under the contents of its files."""

from __future__ import annotations

import os
from contextlib import suppress
from dataclasses import dataclass, replace
from functools import cached_property
from hashlib import file_digest
from typing import TYPE_CHECKING, Final, TypeVar

from milepost import process_cache
from milepost.audit.cautions import NEEDED
from milepost.errors import RecordsGoneError
from milepost.kept_plays import KeptLog, PlayPlace, place_of
from milepost.logs.sources.files import expand
from milepost.logs.sources.remote import is_address
from milepost.output import cache_folder
from milepost.playback.attempt_tables import AroundAttempts, SessionTimes
from milepost.playback.play import registered
from milepost.whole_log import WholeLog

if TYPE_CHECKING:
    from collections.abc import Callable
    from pathlib import Path

    from milepost.cleaning.selection import Exclusion
    from milepost.cleaning.splitting import Split
    from milepost.logs.interface import BareLog
    from milepost.partitions.execution import LogRequest
    from milepost.playback.play import Kinds, Play, Summed

V = TypeVar("V")
MOST: Final = 200 << 20  # bytes of all logs together; what was asked for longest ago goes first
LARGEST: Final = 32 << 20  # bytes of a log's files, up to which it is small
SWITCH: Final = "MILEPOST_REMEMBER"  # in the environment: `no`, and nothing is kept of small logs


def remembered(asked: LogRequest) -> RememberedLog | None:
    """The log, if what was replayed of it is kept; None where it is no small log in files, or nothing can be kept.

    Raises:
        LogError: a name stands for nothing.
    """
    if os.environ.get(SWITCH) == "no" or process_cache.is_used() or any(name == "-" or is_address(name) for name in asked.names):
        return None
    files = [source.path for source in expand(asked.names)]
    contents = _contents([path for path in files if path is not None and path.is_file()])
    folder = cache_folder("logs") if contents is not None and len(contents) == len(files) else None
    return None if folder is None else RememberedLog(asked, folder, (*asked.names, *(contents or ())))


def _contents(files: list[Path]) -> tuple[str, ...] | None:
    """What is in some files, in short; None where they are too large, or cannot be read, which reading them will say."""
    with suppress(OSError):
        if sum(path.stat().st_size for path in files) <= LARGEST:
            return tuple(_digest(path) for path in files)
    return None


def _digest(path: Path) -> str:
    with path.open("rb") as stream:
        return file_digest(stream, "sha256").hexdigest()


def _with_summaries(play: Play) -> Play:
    """The play, after what every document says of its records was made of them."""
    for kind in set(NEEDED) & set(registered()):
        play.summary(kind)
    return replace(play, known={**play.known, AroundAttempts: play.around, SessionTimes: play.session_times})


@dataclass(frozen=True)
class RememberedLog(KeptLog):
    """A small log as it is asked for.

    Attributes:
        folder: where what is made of logs is kept.
        contents: what tells its files from any others.
    """

    folder: Path
    contents: tuple[str, ...]

    def play(self, exclusion: Exclusion | None = None, last: bool = False) -> Play:
        """Replay it; the play keeps the records, and what it takes to answer another question is kept without them."""
        if exclusion is not None:
            return self._whole.play(exclusion, last)
        play = self._whole.play()
        if self._kept is None:
            self._place.keep_play(_with_summaries(play))
        return play.kept_by(self._place)

    def made(self, name: str, make: Callable[[Play], V]) -> V:
        """Return a function's kept result, or compute it now and keep it."""
        return self._place.made(name, lambda: make(self.play()))

    def counted(self, name: str | None, make: Callable[[Summed], V], kinds: Kinds) -> V:
        """Return a function's result on counts: a kept one, or one of the kept play where that has all it takes."""

        def counted() -> V:
            if self._kept is not None:
                with suppress(RecordsGoneError):
                    return make(self._kept)
            return make(self.play())

        return counted() if name is None else self._place.made(name, counted)

    def grouped(self, key: str, exclusion: Exclusion | None = None) -> list[tuple[str | None, Play]]:
        """Replay each group of sessions by itself."""
        return self._whole.grouped(key, exclusion)

    def sides(self, split: Split, exclusion: Exclusion | None = None) -> tuple[Play, Play]:
        """Replay two groups of sessions, each by itself and by its own course."""
        return self._whole.sides(split, exclusion)

    @property
    def sessions(self) -> BareLog:
        """The log, of which only the sessions may be asked."""
        return self._whole.sessions if self._kept is None else self._kept.gated.log

    @cached_property
    def _whole(self) -> WholeLog:
        whole = WholeLog.of(self.asked).without_idle(self.idle_cap)
        return whole.without_names() if self.anonymous else whole

    @cached_property
    def _kept(self) -> Play | None:
        play = self._place.play(self.course, self.asked.rules)
        if play is None:
            return None
        again = lambda exclusion, sessions: self._whole.some(sessions, exclusion)  # noqa: E731
        return replace(play, again=again).kept_by(self._place)

    @cached_property
    def _place(self) -> PlayPlace:
        """The play's place, by what tells this question from any other."""
        asked = self.asked
        how = (asked.log_map, asked.options, asked.course, asked.rules, asked.conditions, asked.players)
        return PlayPlace(place_of(self.folder, (self.contents, how, self.anonymous, self.idle_cap)), MOST)
