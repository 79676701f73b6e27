"""The course: the level sequence with its order, other names and plan, read from TOML."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field, fields, replace
from difflib import get_close_matches
from functools import cached_property
from math import inf
from pathlib import Path
from typing import Any

from milepost.course.course_entries import (
    BY_RECORDS,
    KnobRule,
    MapPicture,
    RunRule,
    read_knob_rules,
    read_marks,
    read_number,
    read_picture,
    read_runs,
    read_target,
    read_text,
    read_texts,
    read_truth,
)
from milepost.course.legs import Leg, build_legs, read_needs, require_together
from milepost.course.promises import Promise, read_promises
from milepost.errors import CourseError
from milepost.level_names import fold_name
from milepost.toml import load_toml
from milepost.vocabulary import FINDINGS, SUSPECTS

_COURSE_KEYS = {
    "name",
    "level",
    "places",
    "known_fault",
    "band",
    "harder",
    "order",
    "promise",
    "run_starts_at",
    "run_starts_on",
    "endless",
    "legs",
    "rules",
}
_FAULT_KEYS = {"code", "level", "build", "note"}


@dataclass(frozen=True)
class Level:
    """One level and its plan: seconds to clear and the chance that one try clears, where planned.

    ``open`` says that there is no way to clear it yet; ``note`` is the analyst's. A range is its middle, too.
    """

    name: str
    aliases: tuple[str, ...] = ()
    chapter: str | None = None
    par_seconds: float | None = None
    target_clear: float | None = None
    target_range: tuple[float, float] | None = None
    knobs: dict[str, Any] = field(default_factory=dict)
    open: bool = False
    note: str | None = None
    builds: tuple[str, ...] = ()  # that have it; all where none is named
    not_in: tuple[str, ...] = ()  # builds that do not
    target_tries: float | None = None  # median tries to clear, at most
    target_kept: float | None = None  # share still playing after it, at least
    picture: MapPicture | None = None
    leg: str | None = None
    route: str | None = None
    optional: bool = False  # off the way: nobody has to play it
    marks: tuple[str, ...] = ()  # of its sections, in order
    par_range: tuple[float, float] | None = None
    tries_range: tuple[float, float] | None = None

    def known_as(self) -> tuple[str, ...]:
        """Its name and its other names."""
        return self.name, *self.aliases

    def is_in(self, build: str) -> bool:
        """Return whether a build has it."""
        return build not in self.not_in and (not self.builds or build in self.builds)


_NO_KEYS = {"picture", "target_range", "par_range", "tries_range"}  # fields that come of other keys
_LEVEL_KEYS = {"map", "map_corners"} | {field.name for field in fields(Level)} - _NO_KEYS


@dataclass(frozen=True)
class KnownFault:
    """A fault that is known: the finding or suspect that it shows as, and where; None means anywhere."""

    code: str
    level: str | None = None
    build: str | None = None
    note: str | None = None


@dataclass(frozen=True)
class Band:
    """A rating for shares of pick-ups from ``low`` up to, but without, ``high``; everything collected is in the top one."""

    name: str
    low: float
    high: float

    def holds(self, share: float) -> bool:
        """Return whether a share gets this rating."""
        return self.low <= share < self.high or (share == 1 == self.high)


@dataclass(frozen=True)
class Course:
    """A level sequence in order; ``places`` are stops that are no levels."""

    name: str | None
    levels: tuple[Level, ...]
    places: tuple[str, ...] = ()
    known_faults: tuple[KnownFault, ...] = ()
    bands: tuple[Band, ...] = ()
    harder: dict[str, str] = field(default_factory=dict)  # per knob, whether "up" or "down" makes a level harder
    unused: tuple[str, ...] = ()  # keys of the file that mean nothing here
    order: dict[str, tuple[str, ...]] = field(default_factory=dict)  # per build that has one of its own, its levels in order
    promises: tuple[Promise, ...] = ()
    runs: RunRule = BY_RECORDS
    needs: dict[str, int] = field(default_factory=dict)  # per leg of which it is said, how many levels have to be cleared

    knob_rules: dict[str, KnobRule] = field(default_factory=dict)

    @cached_property
    def legs(self) -> tuple[Leg, ...]:
        """The legs, in order."""
        return build_legs(self.levels, self.needs)

    @property
    def is_line(self) -> bool:
        """Return whether every leg has one level."""
        return all(len(leg.levels) == 1 for leg in self.legs)

    def names(self) -> list[str]:
        """The levels' names in order."""
        return [level.name for level in self.levels]

    def with_levels(self, names: list[str]) -> Course:
        """The course with more levels after its own, of which it says nothing."""
        return replace(self, levels=(*self.levels, *(Level(name) for name in names))) if names else self

    @property
    def differs_by_build(self) -> bool:
        """Return whether builds differ in their levels or in the order of these."""
        return bool(self.order) or any(level.builds or level.not_in for level in self.levels)

    def of_build(self, build: str | None) -> Course:
        """The course as a build has it."""
        if build is None or not self.differs_by_build:
            return self
        levels = self.levels
        if build in self.order:
            by_name = {name: level for level in levels for name in level.known_as()}
            levels = tuple(by_name[name] for name in self.order[build])
        return replace(self, levels=tuple(level for level in levels if level.is_in(build)), order={})


def read_course(path: str | Path) -> Course:
    """Read a course file.

    Raises:
        CourseError: the file cannot be read, has no levels, or has a name twice or a value that makes no sense.
    """
    table = load_toml(path, "course", CourseError)
    rows = table.get("level")
    if not isinstance(rows, list) or not rows:
        raise CourseError(f"{path}: the course has no levels. Add a [[level]] table with a name for each.")
    levels = tuple(_level(row, f"{path}: level {number}", Path(path).parent) for number, row in enumerate(rows, 1))
    places = read_texts(table.get("places", []), f"{path}: places")
    _refuse_doubles(path, levels, places)
    unused = [key for key in table if key not in _COURSE_KEYS]
    unused += sorted({f"level.{key}" for row in rows for key in row if key not in _LEVEL_KEYS})
    name = table.get("name")
    if name is not None and not isinstance(name, str):
        raise CourseError(f"{path}: name must be text, not {name!r}.")
    faults = _faults(table.get("known_fault", []), path)
    rows_of_bands = table.get("band", [])
    if not isinstance(rows_of_bands, list):
        raise CourseError(f"{path}: band is no list of tables. Write [[band]] and its keys below.")
    bands = tuple(_band(row, f"{path}: band {number}") for number, row in enumerate(rows_of_bands, 1))
    harder, order = _harder(table.get("harder", {}), path), _orders(table.get("order", {}), levels, path)
    needs = read_needs(table.get("legs", {}), levels, path)
    knob_rules = read_knob_rules(table.get("rules", {}), path)
    known = {other: level.name for level in levels for other in level.known_as()}
    promises = read_promises(table.get("promise", []), known, path)
    runs = read_runs(table, known, path)
    course = Course(name, levels, places, faults, bands, harder, tuple(unused), order, promises, runs, needs, knob_rules)
    for build in {*order, *(build for level in levels for build in (*level.builds, *level.not_in))}:
        if not course.of_build(build).levels:
            raise CourseError(f"{path}: build {build!r} has no level. Name it in the builds of a level, or in its order.")
    return course


def _orders(table: object, levels: tuple[Level, ...], path: str | Path) -> dict[str, tuple[str, ...]]:
    """Per build that has one, the order of its levels, by their names."""
    if not isinstance(table, dict):
        raise CourseError(f'{path}: order is a table of builds, each with its levels in order, such as "0.7" = ["Mill Pond"].')
    known = {name: level.name for level in levels for name in level.known_as()}
    orders = {}
    for build, names in table.items():
        listed = read_texts(names, f"{path}: order.{build}")
        for name in listed:
            if name not in known:
                near = get_close_matches(name, known, 1) or list(known)[:1]
                raise CourseError(f"{path}: order.{build}: no level is called {name!r}. Write {near[0]!r}, or add that level.")
        order = tuple(known[name] for name in listed)
        if len(set(order)) < len(order):
            twice = next(name for name in order if order.count(name) > 1)
            raise CourseError(f"{path}: order.{build}: {twice!r} stands there twice. Each level has one place.")
        by_name = {level.name: level for level in levels}
        require_together([by_name[name] for name in order], f"{path}: order.{build}")
        orders[build] = order
    return orders


def _band(row: object, where: str) -> Band:
    if not isinstance(row, dict) or not isinstance(row.get("name"), str):
        raise CourseError(f"{where}: has no name. Write [[band]] with name, from and to.")
    low, high = (read_number(row.get(key, default), 0.0, 1.0, f"{where}: {key}") for key, default in (("from", 0.0), ("to", 1.0)))
    if low is None or high is None or low >= high:
        raise CourseError(f"{where}: from ({low}) must be below to ({high}).")
    return Band(row["name"], low, high)


def _harder(table: object, path: str | Path) -> dict[str, str]:
    if not isinstance(table, dict) or any(not isinstance(value, str) or value not in ("up", "down") for value in table.values()):
        raise CourseError(f'{path}: harder is a table of knobs with "up" or "down", not {table!r}.')
    return dict(table)


def _faults(rows: object, path: str | Path) -> tuple[KnownFault, ...]:
    if not isinstance(rows, list):
        raise CourseError(f"{path}: known_fault is no list of tables. Write [[known_fault]] and its keys below.")
    known = (*(finding.code for finding in FINDINGS), *SUSPECTS)
    for number, row in enumerate(rows, 1):
        where = f"{path}: known_fault {number}"
        texts = isinstance(row, dict) and all(isinstance(value, str) for value in row.values())
        if not texts or "code" not in row or row.keys() - _FAULT_KEYS:
            raise CourseError(f"{where}: has the texts code, level, build and note, of which code is needed.")
        if row["code"] not in known:
            near = get_close_matches(row["code"], known, 1) or ["stuck"]
            raise CourseError(f"{where}: code: nothing that check finds is called {row['code']!r}. Write {near[0]} or another.")
    return tuple(KnownFault(**row) for row in rows)


def _described(row: Mapping[str, object], where: str) -> tuple[str | None, dict[str, object], bool, str | None]:
    """Return a level's chapter and knobs, whether there is no way to clear it yet, and its note."""
    chapter, knobs = row.get("chapter"), row.get("knobs", {})
    if chapter is not None and not isinstance(chapter, str):
        raise CourseError(f"{where}: chapter must be text, not {chapter!r}.")
    if not isinstance(knobs, dict):
        raise CourseError(f"{where}: knobs must be a table of names and values, not {knobs!r}.")
    is_open, note = row.get("open", False), row.get("note")
    if not isinstance(is_open, bool):
        raise CourseError(f"{where}: open must be true or false, not {is_open!r}.")
    if note is not None and not isinstance(note, str):
        raise CourseError(f"{where}: note must be text, not {note!r}.")
    return chapter, knobs, is_open, note


def _level(row: object, where: str, folder: Path) -> Level:
    if not isinstance(row, dict):
        raise CourseError(f"{where}: is no table. Write [[level]] and its keys below.")
    name = row.get("name")
    if not isinstance(name, str) or not name.strip():
        raise CourseError(f'{where}: has no name. Add a line such as name = "Mill Pond".')
    where = f"{where} ({name})"
    chapter, knobs, is_open, note = _described(row, where)
    target, target_range = read_target(row.get("target_clear"), 0.0, 1.0, f"{where}: target_clear")
    par, par_range = read_target(row.get("par_seconds"), 0.0, inf, f"{where}: par_seconds")
    tries, tries_range = read_target(row.get("target_tries"), 1.0, inf, f"{where}: target_tries")
    return Level(
        name,
        read_texts(row.get("aliases", []), f"{where}: aliases"),
        chapter,
        par,
        target,
        target_range,
        knobs,
        is_open,
        note,
        read_texts(row.get("builds", []), f"{where}: builds"),
        read_texts(row.get("not_in", []), f"{where}: not_in"),
        tries,
        read_number(row.get("target_kept"), 0.0, 1.0, f"{where}: target_kept"),
        read_picture(row.get("map"), row.get("map_corners"), folder, where),
        read_text(row.get("leg"), f"{where}: leg"),
        read_text(row.get("route"), f"{where}: route"),
        read_truth(row.get("optional", False), f"{where}: optional"),
        read_marks(row.get("marks", []), f"{where}: marks"),
        par_range,
        tries_range,
    )


def _refuse_doubles(path: str | Path, levels: tuple[Level, ...], places: tuple[str, ...]) -> None:
    owner: dict[str, str] = {}
    for level in levels:
        for name in level.known_as():
            if name in owner:
                raise CourseError(
                    f"{path}: the name {name!r} is given twice, in {owner[name]!r} and in {level.name!r}. "
                    "Each name and alias may stand for one level only."
                )
            owner[name] = level.name
    for place in places:
        if place in owner:
            raise CourseError(f"{path}: {place!r} is a place and a level. Take it out of one of the two.")


def level_names(course: Course) -> tuple[dict[str, int], dict[str, set[int]]]:
    """The levels by exact name or alias, and the sets of levels by folded form."""
    exact: dict[str, int] = {}
    by_fold: dict[str, set[int]] = {}
    for number, level in enumerate(course.levels):
        for name in level.known_as():
            exact[name] = number
            by_fold.setdefault(fold_name(name), set()).add(number)
    return exact, by_fold


def find_place(course: Course, name: str) -> int | None:
    """The place of the level that a name stands for: its own or an alias, else a spelling of just one level; None for none."""
    exact, by_fold = level_names(course)
    alike = by_fold.get(fold_name(name), set())
    if name in exact:
        return exact[name]
    return next(iter(alike)) if len(alike) == 1 else None
