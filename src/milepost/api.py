"""The calls for a notebook: replay a log once, then ask of it what you like, as pandas tables."""

from __future__ import annotations

from pathlib import Path

import pandas as pd

from milepost.difficulty.spikes import Spikes
from milepost.logs.course import read_course
from milepost.logs.interface import ReadOptions
from milepost.logs.logmap import NO_MAP, read_map
from milepost.logs.read import read
from milepost.measures.attempts import AttemptsToClear
from milepost.measures.funnel import Funnel
from milepost.measures.interface import Table, beside
from milepost.measures.raw import raw_counts
from milepost.measures.times import TimeInLevel
from milepost.parts.work import Work
from milepost.playback.play import Play
from milepost.playback.replay import replay_log
from milepost.rules import ReplayRules


def replay(
    logs: str | Path | list[str | Path],
    course: str | Path | None = None,
    log_map: str | Path | None = None,
    rules: ReplayRules | None = None,
    *,
    jobs: int = 1,
    cluster: str | None = None,
    memory: int | None = None,
) -> Play:
    """Read logs and replay them.

    Args:
        logs: files, folders or globs that make up one log.
        course: the course file; without it the order of the levels is inferred.
        log_map: the log map, where the log was not written for Mile Post.
        rules: the replay's settings; by default those of the log map, or the built-in ones.
        jobs: processes that work on the log's parts; a script needs the usual ``if __name__ == "__main__"`` then.
        cluster: the address of a Dask scheduler whose workers do so, instead.
        memory: about how many bytes may be used in all; a log that is small enough is replayed as a whole.

    Raises:
        MilePostError: a log, course or map cannot be used.
    """
    names = [str(name) for name in (logs if isinstance(logs, list) else [logs])]
    mapping = read_map(log_map) if log_map is not None else NO_MAP
    plan = read_course(course) if course is not None else None
    rules, work = rules or ReplayRules(**mapping.replay), Work(jobs, cluster, memory).suited_to(names)
    if not work.in_parts:
        return replay_log(read(names, mapping), plan, rules)
    from milepost.parts.loaded import load_parts

    return load_parts(names, (mapping, ReadOptions()), (), plan, rules, work).play()


def funnel(play: Play, *, raw: bool = False, censor_unknown: bool = False) -> pd.DataFrame:
    """The funnel, a row a level in course order; ``raw`` adds what a naive count of the records would say."""
    table = Funnel(censor_unknown)(play)
    if raw:
        table = beside(table, raw_counts(play))
    return _frame(table)


def attempts(play: Play) -> pd.DataFrame:
    """Attempts to clear, a row a level; ``distribution`` holds the survival steps."""
    return _frame(AttemptsToClear()(play))


def times(play: Play) -> pd.DataFrame:
    """Time in level in seconds, a row a level."""
    return _frame(TimeInLevel()(play))


def spikes(play: Play, *, min_players: int = 5) -> pd.DataFrame:
    """Difficulty adjusted for who got there, expectation and verdict, a row a level; nothing is claimed of fewer players."""
    return _frame(Spikes(min_players)(play))


def _frame(table: Table) -> pd.DataFrame:
    frame = pd.DataFrame(table.rows)
    return frame.set_index("level") if "level" in frame else frame
