"""The calls that read a log and replay it, for a notebook."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import replace
from pathlib import Path
from typing import TYPE_CHECKING, Final, Literal, Unpack, cast, overload

from milepost.course.course import read_course
from milepost.errors import UsageError
from milepost.folder.player_table import read_players
from milepost.logs.mapping.logmap import NO_MAP, read_map
from milepost.logs.sources.files import look_afresh
from milepost.open_log import open_log
from milepost.partitions.execution import LogRequest, Work, WorkSettings
from milepost.playback.attempt_filters import parse_conditions
from milepost.playback.play import FullPlay, Play, Summed, with_records
from milepost.reports.build_document import needs_of
from milepost.reports.registry import MEASURES
from milepost.rules import ReplayRules

if TYPE_CHECKING:
    from milepost.measures.interface import CountingMeasure

COUNTED: Final = (
    *("funnel", "attempts", "times", "deaths", "moves", "spikes", "coverage"),
    *("leaving", "layouts", "ratings", "runs", "whatif"),
)


class ReplaySettings(WorkSettings, total=False):
    """See `replay`."""

    where: Sequence[str]
    exclude: Sequence[str]
    players: str | Path | None
    settings: Mapping[str, float | bool]


@overload
def replay(
    logs: str | Path | list[str | Path],
    course: str | Path | None = None,
    log_map: str | Path | None = None,
    rules: ReplayRules | None = None,
    *,
    every_record: Literal[True],
    **chosen: Unpack[ReplaySettings],
) -> FullPlay:
    """Keeping the records."""


@overload
def replay(
    logs: str | Path | list[str | Path],
    course: str | Path | None = None,
    log_map: str | Path | None = None,
    rules: ReplayRules | None = None,
    *,
    every_record: bool = False,
    **chosen: Unpack[ReplaySettings],
) -> Play:
    """Without records where the log is replayed in parts."""


def replay(
    logs: str | Path | list[str | Path],
    course: str | Path | None = None,
    log_map: str | Path | None = None,
    rules: ReplayRules | None = None,
    *,
    every_record: bool = False,
    **chosen: Unpack[ReplaySettings],
) -> Play:
    """Read logs and replay them.

    Args:
        logs: files, folders or globs that make up one log.
        course: the course file; without it the order of the levels is inferred.
        log_map: the log map, where the log was not written for Mile Post.
        rules: the replay's settings; by default those of the log map, or the built-in ones.
        every_record: whether to keep the records, which `trace` and `compare` look at, however large the log is.
        chosen: ``where``, conditions on sessions and on tries, and ``exclude``, codes of what is left out as suspect, both
            as on the command line; ``players``, the table of players, whose columns are tags; ``settings`` of the replay that
            go before those of the log map; and who does the work on a large log: ``jobs``, threads that work on its parts, or
            ``cluster``, the address of a Dask scheduler whose workers do so; ``memory``, about how many bytes may be used in
            all.

    Raises:
        MilePostError: a log, course or map cannot be used.
    """
    asked = replace(_request(logs, course, log_map, rules, chosen), every_record=every_record)
    play = open_log(asked).play()
    return with_records(play) if every_record else play


def count(
    logs: str | Path | list[str | Path],
    course: str | Path | None = None,
    log_map: str | Path | None = None,
    rules: ReplayRules | None = None,
    *,
    measures: Sequence[str] = COUNTED,
    **chosen: Unpack[ReplaySettings],
) -> Summed:
    """Replay logs of whatever size for measures that need nothing but counts, and keep no more of them.

    Args:
        logs, course, log_map, rules: as of `replay`.
        measures: the calls that will be made on it; at most all that need nothing but counts, as by default.
        chosen: as of `replay`.

    Raises:
        UsageError: a measure needs more than counts.
        MilePostError: a log, course or map cannot be used.
    """
    for name in measures:
        if name not in COUNTED:
            raise UsageError(f"measures={name!r}: it needs more than counts. These do not: {', '.join(COUNTED)}.")
    kinds = needs_of(cast("CountingMeasure", MEASURES[name].measure) for name in measures)
    return open_log(_request(logs, course, log_map, rules, chosen)).compute_from_counts(None, lambda play: play, kinds)


def _request(
    logs: str | Path | list[str | Path],
    course: str | Path | None,
    log_map: str | Path | None,
    rules: ReplayRules | None,
    chosen: ReplaySettings,
) -> LogRequest:
    """Return the request for a replay, with the files as they are now."""
    look_afresh()
    names = [str(name) for name in (logs if isinstance(logs, list) else [logs])]
    mapping = read_map(log_map) if log_map is not None else NO_MAP
    plan = read_course(course) if course is not None else None
    rules = rules or ReplayRules(**{**mapping.replay, **chosen.get("settings", {})})
    sessions, attempts = parse_conditions(chosen.get("where", ()), plan)
    given = chosen.get("players")
    return LogRequest(
        names,
        plan,
        rules,
        mapping,
        conditions=sessions,
        of_attempts=attempts,
        exclude=tuple(chosen.get("exclude", ())),
        players=None if given is None else read_players(given),
        work=Work(chosen.get("jobs"), chosen.get("cluster"), chosen.get("memory")),
    )
