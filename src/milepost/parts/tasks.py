"""Work on one part of a packed store: what a worker does, and what it sends back.

Parts share no player and no session, and know the sessions and names of the whole by the same numbers; so what comes of them
merges, and the whole is what it would be in one piece.
"""

from __future__ import annotations

from dataclasses import dataclass, field, replace
from functools import lru_cache
from pathlib import Path
from typing import Any

import numpy as np

from milepost.arrays import Bools, Ints
from milepost.course.course import Course
from milepost.errors import LogError
from milepost.gate.anonymous import anonymous
from milepost.gate.exclusion import Exclusion
from milepost.gate.gate import Gated, gate, without_debug
from milepost.gate.names import Stops
from milepost.gate.selection import Condition, only
from milepost.gate.survey import Survey, survey_of
from milepost.logs.interface import BareLog, L, Log
from milepost.parts.slim import Slim, slim_columns, slimmed
from milepost.playback.around import SessionTimes
from milepost.playback.attributes import all_attributes
from milepost.playback.idle import active_without_idle
from milepost.playback.infer import Precedence
from milepost.playback.play import Summary, registered
from milepost.playback.replay import levels_in_play, replay_gated
from milepost.progress import SILENT
from milepost.rules import ReplayRules
from milepost.store.manifest import Manifest, kept_as, read_manifest
from milepost.store.store import bare_log, records_of

_SURVEYED = ("session", "event", "level", "to", "whole")


@dataclass(frozen=True)
class Part:
    """Some parts of a store that belong together.

    Attributes:
        store: the store's folder, as every worker sees it.
        additions: how often it had been added to.
        stamp: of its manifest, so that no worker takes another store of its name, or an older or newer state, for it.
        numbers: which parts.
    """

    store: str
    additions: int
    stamp: str
    numbers: tuple[int, ...]


@dataclass(frozen=True)
class Wanted:
    """What is replayed, and how.

    Attributes:
        course: the course, if one is given.
        rules: the replay's settings.
        kept: per session of the store, whether it takes part; None where all do.
        anonymous: whether names of people are left out.
        idle_cap: seconds that a stretch without a record counts at most, where there is such a bound.
        exclusion: what is left out as suspect.
        summaries: what is made of the records before they are let go.
    """

    course: Course | None
    rules: ReplayRules
    kept: Bools | None = None
    anonymous: bool = False
    idle_cap: float | None = None
    exclusion: Exclusion | None = None
    summaries: tuple[type[Summary], ...] = field(default_factory=registered)

    def of(self, log: L) -> L:
        """What is wanted of a log, or of a part of it."""
        log = log if self.kept is None else only(log, self.kept)
        log = anonymous(log) if self.anonymous else log
        return log if self.exclusion is None else only(log, self.exclusion.kept(log))


@dataclass(frozen=True)
class PlayedPart:
    """What came of a part.

    Attributes:
        sessions: the numbers of its sessions; the columns by session are theirs.
        begins: where each session begins in the part's order of replay.
        lengths: how many records each has in it.
        attempts: the table's columns by name, slim; so are ``around``, ``attributes`` and ``moves``.
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
    attempts: dict[str, Slim]
    around: dict[str, Slim]
    attributes: dict[str, Slim]
    moves: dict[str, Slim]
    stops: Stops
    summaries: dict[type, Any]


@lru_cache(maxsize=1)
def opened(store: str, additions: int, stamp: str) -> tuple[Manifest, BareLog]:
    """A store's manifest, which it may have had before others added to it, and its log without records.

    Raises:
        LogError: the store is damaged, or has become another in the meantime.
    """
    folder = Path(store)
    manifest = read_manifest(folder, kept_as(Manifest(additions=additions)))
    if manifest.stamp() != stamp:
        raise LogError(f"{store}: was packed anew in the meantime. Ask again.")
    return manifest, bare_log(folder, manifest)


def _log_of(part: Part, columns: tuple[str, ...] | None = None) -> Log:
    """The log of a part; whoever uses it does not change its lists."""
    manifest, log = opened(part.store, part.additions, part.stamp)
    tags = () if columns else tuple(log.tags)
    return Log(**vars(log), records=records_of(Path(part.store), manifest, part.numbers, tags, columns))


def hits_of_part(part: Part, condition: Condition) -> Bools:
    """Per session of the store, whether a record in the part fits a condition on records."""
    return condition.hits(_log_of(part))


def survey_part(part: Part, wanted: Wanted) -> Survey:
    """Count names and clocks."""
    log = wanted.of(_log_of(part, _SURVEYED))
    return survey_of(log if wanted.rules.keep_debug else without_debug(log)[0])


def _gated(part: Part, wanted: Wanted, survey: Survey) -> tuple[Gated, Ints]:
    """The part as the gate lets it through, for its own sessions only, and their numbers."""
    gated = gate(wanted.of(_log_of(part)), wanted.course, wanted.rules.keep_debug, survey, wanted.exclusion)
    own = np.zeros(len(gated.player), np.bool_)
    own[gated.log.records.session] = True
    gated.sequence = gated.sequence[own[gated.sequence]]
    return gated, np.flatnonzero(own)


def levels_of_part(part: Part, wanted: Wanted, survey: Survey) -> Precedence:
    """Who came to which level first, to infer the order of the levels from."""
    return levels_in_play(_gated(part, wanted, survey)[0], wanted.rules)


def play_part(part: Part, wanted: Wanted, survey: Survey, order: list[int] | None) -> PlayedPart:
    """Replay a part, and let its records go."""
    gated, sessions = _gated(part, wanted, survey)
    play = replay_gated(gated, wanted.rules, order, SILENT)
    attempts = play.attempts
    if wanted.idle_cap is not None:
        attempts = replace(attempts, active=active_without_idle(play, wanted.idle_cap))
    times = SessionTimes(*(column[sessions] for column in vars(play.session_times).values()))
    return PlayedPart(
        sessions,
        gated.bounds[sessions],
        np.diff(gated.bounds)[sessions],
        play.end.codes[sessions],
        play.endless[sessions],
        gated.coarse[sessions],
        times,
        slimmed(attempts),
        slimmed(play.around),
        slim_columns(all_attributes(play).columns),
        slimmed(play.moves),
        play.gated.stops,
        {kind: play.summary(kind) for kind in wanted.summaries},
    )
