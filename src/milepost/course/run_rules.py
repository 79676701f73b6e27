"""The course's rules on runs: where one begins, and whether the levels ever end."""

from __future__ import annotations

from dataclasses import dataclass
from difflib import get_close_matches

from milepost.errors import CourseError


@dataclass(frozen=True)
class RunRule:
    """The beginning of runs, if the course gives it.

    Attributes:
        at: the level; None where records say it, or nothing does.
        every_start: whether every start there begins one, and not only one that follows another level.
        endless: whether there is no last level; levels that the course does not have follow it in natural order.
    """

    at: str | None = None
    every_start: bool = False
    endless: bool = False


BY_RECORDS = RunRule()


def read_runs(table: dict[str, object], levels: dict[str, str], path: object) -> RunRule:
    """The rule of a course file.

    Args:
        table: the file.
        levels: the course's levels by their names and aliases.
        path: the file's name.

    Raises:
        CourseError: it names no level, or says what cannot be.
    """
    at, on, endless = table.get("run_starts_at"), table.get("run_starts_on"), table.get("endless", False)
    if not isinstance(endless, bool):
        raise CourseError(f"{path}: endless must be true or false, not {endless!r}.")
    if on is not None and (on != "start" or at is None):
        raise CourseError(f'{path}: run_starts_on: write "start", beside run_starts_at, or leave it out.')
    if at is None:
        return RunRule(endless=endless)
    if not isinstance(at, str) or at not in levels:
        near = get_close_matches(str(at), levels, 1) or list(levels)[:1]
        raise CourseError(f"{path}: run_starts_at: no level is called {at!r}. Write {near[0]!r}, or add that level.")
    return RunRule(levels[at], on == "start", endless)
