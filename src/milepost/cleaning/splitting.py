"""Two groups of sessions out of a log, such as two builds: which they are, and which course each was played by."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, field

import numpy as np

from milepost.arrays import Bools
from milepost.cleaning.selection import group_sessions, known_tags, session_values, values_seen
from milepost.course.course import Course
from milepost.errors import UsageError
from milepost.level_names import natural_key
from milepost.logs.interface import BareLog
from milepost.wording import listed


@dataclass(frozen=True)
class Split:
    """Two values of a key of sessions, and the course of each.

    Attributes:
        key: `build`, or another field or tag.
        before, after: its two values.
        courses: the course of each; None where its order is inferred.
        chosen: whether nobody named the values, so that they were chosen.
    """

    key: str
    before: str
    after: str
    courses: tuple[Course | None, Course | None] = (None, None)
    chosen: bool = field(default=False, compare=False)

    def groups(self, log: BareLog) -> Iterator[tuple[Bools, Course | None]]:
        """Per group, its sessions and its course."""
        values = session_values(log, self.key)
        for wanted, course in zip((self.before, self.after), self.courses, strict=True):
            yield np.array([value == wanted for value in values], dtype=np.bool_), course

    def left_out(self, log: BareLog) -> tuple[int, int]:
        """How many sessions have another value, and how many have none."""
        values = session_values(log, self.key)
        return sum(value is not None and value not in (self.before, self.after) for value in values), values.count(None)


def groups_with_courses(log: BareLog, key: str, course: Course | None) -> list[tuple[str | None, Bools, Course | None]]:
    """The values of a key, each with the sessions that have it and the course that these are replayed by: a build has its own.

    Raises:
        UsageError: the log has no such field or tag, or it differs within sessions.
    """
    return [
        (value, sessions, course.of_build(value) if course is not None and key == "build" else course)
        for value, sessions in group_sessions(log, key)
    ]


def split_of(
    log: BareLog, key: str, before: str | None, after: str | None, courses: tuple[Course | None, Course | None]
) -> Split:
    """The two groups that are asked for; of those not named, the two that appeared last.

    Args:
        log: a log.
        key: the key of sessions.
        before, after: the values, where they are named.
        courses: the course of each, which may differ by build.

    Raises:
        UsageError: the log does not have two such values.
    """
    values = session_values(log, key)
    seen = _order_by_appearance(log, values)
    if not seen:
        raise UsageError(f"the log has no {key}: there is nothing to compare. {known_tags(log)}")
    for named in (before, after):
        if named is not None and named not in seen:
            raise UsageError(f"no session has {key} {named!r}. {values_seen(log, key)}")
    left = [value for value in seen if value not in (before, after)]
    if before is not None and before == after:
        raise UsageError(f"{key} {before!r} cannot be compared with itself. Name two different ones: --from and --to.")
    if (before is None) + (after is None) > len(left):
        raise UsageError(f"the log has one {key} only, {listed(seen)}: there is nothing to compare it with.")
    chosen = before is None or after is None
    if after is None:
        later = [value for value in left if before is None or seen.index(value) > seen.index(before)]
        after = (later or left)[-1]
        left.remove(after)
    if before is None:
        earlier = [value for value in left if seen.index(value) < seen.index(after)]
        before = (earlier or left)[-1]
    of_builds = key == "build"
    by_side = tuple(
        course.of_build(value) if course is not None and of_builds else course
        for course, value in zip(courses, (before, after), strict=True)
    )
    return Split(key, before, after, (by_side[0], by_side[1]), chosen)


def values_in_order(log: BareLog, key: str) -> list[str]:
    """The values of a key of sessions, by when they appeared first.

    Raises:
        UsageError: the log has no such field or tag.
    """
    values = _order_by_appearance(log, session_values(log, key))
    if not values:
        raise UsageError(f"the log has no {key}: there is nothing to compare. {known_tags(log)}")
    return values


def _order_by_appearance(log: BareLog, values: list[str | None]) -> list[str]:
    """The values by when they appeared first: by time stamps where there are any, else by their place in the log."""
    first: dict[str, tuple[int, int]] = {}
    stamped = all(epoch is not None for epoch in log.sessions.epoch)
    for place, (value, epoch) in enumerate(zip(values, log.sessions.epoch, strict=True)):
        if value is not None:
            moment = (epoch or 0) if stamped else 0
            first[value] = min(first.get(value, (moment, place)), (moment, place))
    in_log = sorted(first, key=lambda value: first[value])
    return in_log if stamped else sorted(in_log, key=lambda value: natural_key(value)) if _numbered(in_log) else in_log


def _numbered(values: list[str]) -> bool:
    """Return whether all values begin with a number, as versions do, so that their order is known without stamps."""
    return all(value.lstrip("vV")[:1].isdigit() for value in values)
