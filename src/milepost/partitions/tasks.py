"""Work on one part of a log: what a worker does, and what it sends back.

Parts share no player and no session, and know the sessions and names of the whole by the same numbers; so what comes of them
merges, and the whole is what it would be in one piece.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any, Protocol

import numpy as np

from milepost import engine
from milepost.arrays import Bools, Ints
from milepost.cleaning.anonymous import replace_names
from milepost.cleaning.names import Stops
from milepost.cleaning.selection import Condition, Exclusion, keep_sessions
from milepost.cleaning.survey import Survey
from milepost.course.course import Course
from milepost.folder.player_table import PlayerTable, with_players
from milepost.logs.interface import L, Log
from milepost.partitions.compressed_columns import CompressedColumn, compress_columns, compress_table
from milepost.playback.attempt_tables import SessionTimes
from milepost.playback.attributes import all_attributes
from milepost.playback.infer import Precedence
from milepost.playback.play import FullPlay, Kinds
from milepost.rules import ReplayRules

_SURVEYED = ("session", "event", "level", "to", "whole", "second")


class Part(Protocol):
    """All the records of some players."""

    def log(self, columns: tuple[str, ...] | None = None) -> Log:
        """The log of these players, with the sessions and names of the whole; whoever uses it does not change its lists.

        Args:
            columns: those of the records that are needed, where not all are; the others hold zeros.
        """

    def by_itself(self, columns: tuple[str, ...] | None = None) -> Log:
        """Return the part with its own sessions only, numbered among themselves."""

    def free(self) -> None:
        """Nobody will ask it again: what of it is held in memory may go."""


@dataclass(frozen=True, eq=False, repr=False)
class PartRequest:
    """The request for a part: what to replay, and how.

    Attributes:
        course: the course, if one is given.
        rules: the replay's settings.
        kept: per session of the log, whether it takes part; None where all do.
        players: the table of players, whose columns are tags of their sessions.
        anonymous: whether names of people are left out.
        idle_cap: seconds that a stretch without a record counts at most, where there is such a bound.
        exclusion: what is left out as suspect.
        summarised: whether summaries are made of its records.
    """

    course: Course | None
    rules: ReplayRules
    kept: Bools | None = None
    players: PlayerTable | None = None
    anonymous: bool = False
    idle_cap: float | None = None
    exclusion: Exclusion | None = None
    summarised: bool = True

    @property
    def summaries(self) -> Kinds:
        """Return the kinds of summaries that are made of its records."""
        return engine.all_summaries() if self.summarised else ()

    def of(self, log: L) -> L:
        """Return the request for a log or a part of it; a part by itself gets the tags of the table of players, too."""
        if log.numbers is not None:
            log = with_players(log, self.players)
        if self.kept is not None:
            log = keep_sessions(log, self.kept if log.numbers is None else self.kept[log.numbers])
        log = replace_names(log) if self.anonymous else log
        return log if self.exclusion is None else keep_sessions(log, self.exclusion.keeps(log))


@dataclass(frozen=True, eq=False, repr=False)
class PlayedPart:
    """The result of a part.

    Attributes:
        sessions: the numbers of its sessions; the columns by session are theirs.
        begins: where each session begins in the part's order of replay.
        lengths: how many records each has in it.
        attempts: the table's columns by name, packed; so are ``around``, ``attributes`` and ``moves``.
        stops: what the names stand for; the same in every part.
        summaries: what was made of its records.
    """

    sessions: Ints
    begins: Ints
    lengths: Ints
    end: Ints
    endless: Bools
    coarse: Bools
    times: SessionTimes
    attempts: dict[str, CompressedColumn]
    around: dict[str, CompressedColumn]
    attributes: dict[str, CompressedColumn]
    moves: dict[str, CompressedColumn]
    stops: Stops
    summaries: dict[type, Any]


def hits_of_part(part: Part, condition: Condition) -> Bools:
    """Per session of the store, whether a record in the part fits a condition on records."""
    return condition.hits(part.log())


def request_of_part(part: Part, wanted: PartRequest, alone: bool, columns: tuple[str, ...] | None = None) -> Log:
    """Return the request for a part: by itself, or with the sessions of the whole."""
    return wanted.of(part.by_itself(columns) if alone else part.log(columns))


def survey_part(part: Part, wanted: PartRequest, alone: bool) -> Survey:
    """Count names and clocks."""
    return engine.survey(request_of_part(part, wanted, alone, _SURVEYED), wanted.rules)


def levels_of_part(part: Part, wanted: PartRequest, alone: bool, survey: Survey) -> Precedence:
    """Return which levels the players of a part tried first, to infer the order of the levels from."""
    gated = engine.clean(request_of_part(part, wanted, alone), wanted.course, wanted.rules, survey, wanted.exclusion)
    return engine.levels_first_tried(gated, wanted.rules)


def replay_part(log: Log, wanted: PartRequest, survey: Survey, order: list[int] | None) -> FullPlay:
    """Replay a part as requested."""
    gated = engine.clean(log, wanted.course, wanted.rules, survey, wanted.exclusion)
    return engine.replay(gated, wanted.rules, order, idle_cap=wanted.idle_cap)


def play_part(part: Part, wanted: PartRequest, survey: Survey, order: list[int] | None) -> PlayedPart:
    """Replay a part, and let its records go."""
    play = replay_part(wanted.of(part.log()), wanted, survey, order)
    gated, sessions = play.gated, np.sort(play.gated.sequence)
    times = SessionTimes(*(column[sessions] for column in vars(play.session_times).values()))
    return PlayedPart(
        sessions,
        gated.bounds[sessions],
        np.diff(gated.bounds)[sessions],
        play.end.codes[sessions],
        play.endless[sessions],
        gated.coarse[sessions],
        times,
        compress_table(play.attempts),
        compress_table(play.around),
        compress_columns(all_attributes(play).columns),
        compress_table(play.moves),
        play.gated.stops,
        {kind: play.summary(kind) for kind in wanted.summaries},
    )
