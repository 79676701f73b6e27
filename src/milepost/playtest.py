"""A playtest folder in a notebook: the log replayed once by the folder's settings, every measure a method."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from functools import cached_property, partial
from pathlib import Path

import pandas as pd

from milepost import api
from milepost.errors import FolderError
from milepost.figures.inline import figure
from milepost.folder.notes import read_notes, read_recordings
from milepost.folder.settings import FILE, Folder, find_folder
from milepost.folder.small_tables import read_answers
from milepost.playback.play import FullPlay
from milepost.reports.notes_and_recordings import by_course
from milepost.reports.registry import MEASURES


@dataclass(frozen=True)
class Playtest:
    """A playtest folder.

    ``playtest.funnel()``, ``playtest.spikes()`` and so on are the calls of these names on its play, with their arguments;
    ``playtest.figure("spikes")`` draws.

    Attributes:
        folder: what its file says.
    """

    folder: Folder

    @cached_property
    def play(self) -> FullPlay:
        """The log, replayed by the folder's settings."""
        return api.replay(
            list[str | Path](self._logs()),
            self.folder.path("course"),
            self.folder.path("map"),
            every_record=True,
            players=self.folder.path("players"),
            settings=self.folder.replay,
            where=self.folder.where,
            exclude=self.folder.exclude,
        )

    def _logs(self) -> list[str]:
        if not self.folder.logs:
            raise FolderError(f'{self.folder.shown}: names no logs. Add a line such as logs = ["logs"].')
        return self.folder.log_paths()

    def __getattr__(self, name: str) -> Callable[..., object]:
        """A measure as a method."""
        if name not in MEASURES:
            raise AttributeError(f"a playtest has no {name!r}; it has {', '.join(MEASURES)}, figure, notes and recordings")
        return partial(getattr(api, name), self.play)

    def __dir__(self) -> list[str]:
        """Return the names of its attributes, with the measures."""
        return sorted({*super().__dir__(), *MEASURES})

    def answers(self, **more: Mapping[str, object]) -> pd.DataFrame:
        """Return the players' answers, by the folder's table and its orders of answers; see `milepost.answers`."""
        path = self._answers()
        return api.answers(self.play, path, **{"order": self.folder.questions, **more})  # type: ignore[arg-type]

    def _answers(self) -> str:
        path = self.folder.path("answers")
        if path is None:
            raise FolderError(f'{self.folder.shown}: names no answers. Add a line such as answers = "answers.csv".')
        return path

    def targets(self, **more: int) -> pd.DataFrame:
        """The plan of the course and of the folder against the play; see `milepost.targets`."""
        return api.targets(self.play, self.folder.targets, **more)

    def figure(self, measure: str = "funnel", **settings: object) -> object:
        """A measure's figure; see `milepost.figure`."""
        if measure == "answers":
            settings = {"answers": read_answers(self._answers()), "questions": self.folder.questions, **settings}
        if measure == "targets":
            settings = {"course": self.folder.targets, **settings}
        return figure(self.play, measure, **settings)  # type: ignore[arg-type]

    @property
    def notes(self) -> pd.DataFrame:
        """The analyst's notes, a row each, with the course's names of levels."""
        path = self.folder.path("notes")
        return pd.DataFrame(by_course(read_notes(path), self.play.course) if path else [])

    @property
    def recordings(self) -> pd.DataFrame:
        """The recordings, a row a session; ``offset`` in seconds."""
        path = self.folder.path("recordings")
        rows = read_recordings(path) if path else {}
        return pd.DataFrame(
            [{"session": name, "place": recording.place, "offset": recording.offset} for name, recording in rows.items()]
        )


def open_playtest(folder: str | Path = ".") -> Playtest:
    """A playtest folder, by the file in it or in the nearest folder around it.

    Raises:
        FolderError: there is none, or it cannot be used.
    """
    path = find_folder(Path(folder))
    if path is None:
        raise FolderError(f"{folder}: no {FILE} is there or above. milepost init LOG makes one.")
    return Playtest(path)
