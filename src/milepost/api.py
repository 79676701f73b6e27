"""The calls for a notebook: replay a log once, then ask of it what you like, as pandas tables."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from pathlib import Path
from typing import Any, Unpack, cast

import pandas as pd

from milepost.audit.audit import audit
from milepost.comparison.compare_in_play import CompareSettings, CompareWithin
from milepost.comparison.trend import Trend
from milepost.difficulty.players import Players
from milepost.difficulty.spikes import Spikes
from milepost.difficulty.whatif import WhatIf
from milepost.folder.small_tables import read_answers, read_themes
from milepost.measures.answers import Answers
from milepost.measures.attempts import AttemptsToClear
from milepost.measures.coverage import Coverage
from milepost.measures.deaths import Deaths
from milepost.measures.funnel import Funnel
from milepost.measures.interface import Question, R, T, Table, put_beside
from milepost.measures.layouts import Layouts
from milepost.measures.leaving import Leaving
from milepost.measures.level import LevelPage, LevelTotals
from milepost.measures.moves import Moves
from milepost.measures.ratings import Ratings
from milepost.measures.raw import raw_counts
from milepost.measures.run_lengths import FunnelPerRun, RunsMeasure
from milepost.measures.sections import Sections
from milepost.measures.times import TimeInLevel, use_clock
from milepost.measures.trace import Trace
from milepost.planning.knob_changes import is_of_knob
from milepost.planning.knob_table import Knobs, add_knob_changes
from milepost.planning.targets import Targets
from milepost.playback.counted_play import count_per
from milepost.playback.play import FullPlay, Play, Summed, with_attempts, with_records
from milepost.replay_log import COUNTED as COUNTED
from milepost.replay_log import count as count
from milepost.replay_log import replay as replay


def check(play: Play) -> pd.DataFrame:
    """Return the findings of a log, a row a finding; ``attrs`` holds the rest: counts, suspects, effects of cleaning."""
    return _frame(audit(play), "details", index="code")


def funnel(play: Summed, *, raw: bool = False, unknown_end: str = "lost", per: str = "player") -> pd.DataFrame:
    """The funnel, a row a level in course order; ``raw`` adds what a naive count of the records would say.

    Args:
        play: a play.
        raw: whether to add these.
        unknown_end: what a session without a known end counts as, `lost` or `censor`.
        per: `player`, or `run` for a funnel of runs.

    Raises:
        UsageError: it is to count as something else.
    """
    if per != "player":
        return _frame(FunnelPerRun()(count_per(with_attempts(play), per)))
    table = Funnel(unknown_end)(play)
    return _frame(put_beside(table, raw_counts(play)) if raw else table)


def attempts(play: Summed, *, per: str = "player") -> pd.DataFrame:
    """Attempts to clear, a row a level; ``distribution`` holds the survival steps.

    Args:
        play: a play.
        per: whether numbers of tries and first clears begin anew in each ``run``, or go on over a ``player``'s runs.
    """
    return _frame(AttemptsToClear()(_per(play, per)))


def times(play: Summed, *, clock: str = "load", idle_cap: float | None = None, per: str = "player") -> pd.DataFrame:
    """Time in level in seconds, a row a level.

    Args:
        play: a play.
        clock: where the time of an attempt begins, at the level's `load` or at its first `input`.
        idle_cap: seconds that a stretch without a record counts at most.
        per: `player`, or `run`, as in `attempts`.
    """
    play = _per(play, per)
    if clock != "load" or idle_cap is not None:
        play = use_clock(with_attempts(play), clock, idle_cap)
    return _frame(TimeInLevel()(play))


def deaths(play: Summed, *, arrival: float = 1.0) -> pd.DataFrame:
    """Return the causes of death in each level, and the places; one within ``arrival`` seconds of the opening is on arrival."""
    return _frame(Deaths(arrival)(play))


def moves(play: Summed) -> pd.DataFrame:
    """Return the moves of players, a row a move: skips, setbacks and what they cost."""
    return _frame(Moves()(play), "moves", index=None)


def runs(play: Summed) -> pd.DataFrame:
    """How far runs get and how they end, a row a level; ``attrs`` holds the runs by number, and how many it takes to win."""
    return _frame(RunsMeasure()(play))


def level(play: Play, name: str) -> LevelTotals:
    """One page on one level, as a document: reach, tries, time, causes, neighbours, plan, sessions to watch."""
    return LevelPage(name)(play).totals


def spikes(play: Summed, *, min_players: int = 5, per: str = "player") -> pd.DataFrame:
    """Difficulty adjusted for who got there, expectation and verdict, a row a level; nothing is claimed of fewer players."""
    return _frame(Spikes(min_players)(_per(play, per)))


def answers(
    play: Play,
    answers: str | Path,
    *,
    order: Mapping[str, Sequence[str] | Question] | None = None,
    themes: str | Path | None = None,
    min_players: int = 5,
) -> pd.DataFrame:
    """Return the answers of players, a row a question and level; ``attrs`` holds the questions and how answers go with tries.

    Args:
        play: a play.
        answers: the table: player, level, question, answer.
        order: of questions that are answered in words, the answers in order, the least first; or what a folder says of them.
        themes: a table of themes to look for in answers in free words: theme, words or pattern.
        min_players: of fewer answers nothing is claimed.

    Raises:
        FolderError: a table cannot be used.
    """
    theme_list = () if themes is None else read_themes(themes)
    questions = {text: ranks if isinstance(ranks, Question) else Question(tuple(ranks)) for text, ranks in (order or {}).items()}
    return _frame(Answers(read_answers(answers), questions, min_players, theme_list)(play), index=None)


def targets(play: Play, planned: Mapping[str, float | str] | None = None, *, min_players: int = 5) -> pd.DataFrame:
    """The plan against the play, a row a target; ``planned`` has those of the whole course, as ``[targets]`` in a folder."""
    return _frame(Targets(planned or {}, min_players)(play), "targets", index=None)


def compare(
    play: FullPlay,
    before: str | None = None,
    after: str | None = None,
    *,
    key: str = "build",
    **settings: Unpack[CompareSettings],
) -> pd.DataFrame:
    """Two builds side by side, a row a level of either; ``attrs`` holds the shift, and what is to be said, in sentences.

    Args:
        play: a play that has its records, as `replay(…, every_record=True)` gives it.
        before, after: the two builds; those not named are the two that appeared last.
        key: a tag, of which two values are compared instead.
        settings: ``min_players``, of fewer nothing is claimed; ``assigned``, `lot` or `crossed`; ``looks`` planned at a running
            test; ``untouched``, levels known not to have changed; ``shares`` that a lot deals out, the one side to the other.

    Raises:
        UsageError: the log does not have two such values.
        RecordsGoneError: the play has let its records go.
    """
    return _frame(CompareWithin(before, after, key, **settings)(play))


def knobs(play: Play, *, min_players: int = 5, reach: float | None = None) -> pd.DataFrame:
    """Return the knobs of each level, a row a level; ``attrs`` has rules that are broken, levers, and what a unit of each does.

    Args:
        play: the play, with its records.
        min_players: of fewer players, nothing is claimed of a level.
        reach: the chance that a first try clears, for which ``attrs`` has the value of each knob that would bring it.

    Raises:
        RecordsGoneError: the play has let its records go; `replay(…, every_record=True)` keeps them.
    """
    return _frame(Knobs(min_players, reach)(play))


def trend(play: Play, *, over: str = "build", min_players: int = 5) -> pd.DataFrame:
    """Return each level step by step, a row a level; ``attrs`` has the steps and the shifts between them.

    Args:
        play: the play, with its records (`every_record=True`).
        over: `build`, `day`, `week`, `month`, or a key of sessions.
        min_players: of fewer players in either step, nothing is claimed.

    Raises:
        UsageError: the log has fewer than two steps.
        RecordsGoneError: the play has let its records go.
    """
    return _frame(Trend(over, min_players)(play))


def whatif(play: Summed, *changes: str) -> pd.DataFrame:
    """The funnel that the fitted model projects after some changes, a row a level.

    Args:
        play: the play; with its records, where a change is of a knob.
        changes: each as ``LEVEL.difficulty=LOGITS``, ``LEVEL.target_clear=CHANCE`` or ``LEVEL.KNOB=VALUE``.

    Raises:
        UsageError: a change makes no sense, or the log does not tell what the knob does.
        RecordsGoneError: a change is of a knob, and the play has let its records go.
    """
    if not any(map(is_of_knob, changes)):
        return _frame(WhatIf(changes)(play))
    full = with_records(cast("Play", play))
    return _frame(add_knob_changes(full, changes, least=5)(full))


def trace(play: FullPlay, session: str | None = None, *, offset: float = 0.0, events: bool = False) -> pd.DataFrame:
    """A session, or all of a player's, or every one, a row an attempt; with ``events`` a row a record, with what it did.

    Args:
        play: the play.
        session: the session's name, or a player's; None for every session.
        offset: how far a recording had run when the session began, in seconds.
        events: whether the rows are records.

    Raises:
        RecordsGoneError: the play has let its records go; `replay(…, every_record=True)` keeps them.
    """
    return _frame(Trace(session, offset, events)(play), "records" if events else "", index=None)


def coverage(play: Summed, *, min_players: int = 5) -> pd.DataFrame:
    """Return how well levels and moves were tested, and how long it takes to get there, a row a level."""
    return _frame(Coverage(min_players)(play))


def leaving(play: Summed, *, unknown_end: str = "lost", return_within: float | None = None) -> pd.DataFrame:
    """Return after which tries players leave, a row a level; ``attrs`` has it by failures in a row and by minutes.

    Args:
        play: the play.
        unknown_end: what a session without a known end counts as, `lost` or `censor`.
        return_within: days within which players may still come back after the log's end.

    Raises:
        UsageError: it is something else, or days are asked for and the log has no time stamps.
    """
    return _frame(Leaving(unknown_end, return_within)(play))


def players(play: Play) -> pd.DataFrame:
    """Return a row a player: sessions, minutes, tries, pace, skill; ``attrs`` says whether the skills are two groups."""
    return _frame(Players()(play), "roster", "player")


def sections(play: Play, *, level: str | None = None) -> pd.DataFrame:
    """Return which part of a level players fail in, a row a section; ``attrs`` has the hardest section of each level."""
    return _frame(Sections(level)(play), "sections", None)


def layouts(play: Summed, *, min_tries: int = 5) -> pd.DataFrame:
    """How much the layout inside a level matters, a row a level and layout."""
    return _frame(Layouts(min_tries)(play), index=None)


def ratings(play: Summed) -> pd.DataFrame:
    """Return the ratings that players get, by the bands that the course declares, a row a level."""
    return _frame(Ratings()(play))


def _per(play: Summed, per: str) -> Summed:
    """The play counted per player, as it is, or per run.

    Raises:
        UsageError: it is to be counted per something else, or only counts per player were kept.
    """
    return play if per == "player" else count_per(with_attempts(play), per)


def _frame(table: Table[R, T], rows: str = "", index: str | None = "level") -> pd.DataFrame:
    """The rows as a frame; what belongs to the whole course is in its ``attrs``."""
    totals = cast("dict[str, Any]", table.totals)
    frame = pd.DataFrame(totals[rows] if rows else table.rows)
    frame.attrs.update({name: value for name, value in totals.items() if name != rows})
    indexed: pd.DataFrame = frame.set_index(index) if index is not None and index in frame else frame
    return indexed
