"""Types of the head of every document: the course, counted players, findings, exclusions, and sources of settings."""

from __future__ import annotations

from typing import NotRequired, TypedDict

from milepost.audit.cautions import Caution
from milepost.audit.evidence import Excluding
from milepost.folder.notes import Noted


class LegHead(TypedDict):
    """A leg of the course: its levels, how many it needs (None with routes), the route of each level that has one."""

    leg: str
    levels: list[str]
    needs: int | None
    routes: dict[str, str]
    optional: list[str]


class CourseHead(TypedDict):
    """The levels in order, and whether that was inferred; its legs, where it is no line."""

    levels: list[str]
    inferred: bool
    legs: NotRequired[list[LegHead]]
    name: NotRequired[str | None]


class LeftOut(TypedDict):
    """The players left out."""

    debug_sessions: int
    players_without_attempt: int
    excluded_sessions: NotRequired[int]
    other_builds: NotRequired[int]
    no_build: NotRequired[int]
    no_date: NotRequired[int]


class Suspected(TypedDict):
    """The suspects left out: by which codes, and how many attempts, sessions, cuts and ends; clears were credited.

    ``moved`` are the figures that this moves by more than a point; null where the log without it was not kept, as in groups.
    """

    codes: list[str]
    void: int
    sessions: int
    cuts: int
    ends: int
    clears: int
    moved: list[Excluding] | None


class Settings(TypedDict):
    """The settings from the file of the playtest folder: values as they stand there, by key."""

    file: str
    taken: dict[str, object]


class Head(TypedDict):
    """The head of every document; ``findings`` are counts by code."""

    format: int
    command: str
    course: CourseHead
    players: int
    sessions: int
    left_out: LeftOut
    findings: dict[str, int]
    cautions: list[Caution]
    excluded: NotRequired[Suspected]
    asked: NotRequired[list[str]]
    per: NotRequired[str]
    min_players: NotRequired[int]
    notes: NotRequired[dict[str, str]]
    open_levels: NotRequired[list[str]]
    settings: NotRequired[Settings]
    noted: NotRequired[list[Noted]]
