"""A comparison of two groups of a log: which they are, and what is replayed of each."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Final, NamedTuple, Protocol, TypedDict, cast

import numpy as np

from milepost.arrays import Bools, Ints
from milepost.audit.record_checks import Varying
from milepost.cleaning.selection import keep_sessions, parse_condition
from milepost.cleaning.splitting import Split, split_of
from milepost.comparison.compare import Assigned, Compare
from milepost.comparison.row_types import Arms, Change, CompareRow, CompareTotals, OwnChoice, OwnShift
from milepost.comparison.sentences import word_arms, word_choice
from milepost.course.course import Course
from milepost.errors import UsageError
from milepost.logs.interface import BareLog
from milepost.measures.answer_changes import AnswerChange, compare_means
from milepost.measures.answers import Answers
from milepost.measures.interface import Table
from milepost.numerics.whole_numbers import count_values, distinct
from milepost.playback.attempt_filters import group_attempts, keep_fitting, look_at
from milepost.playback.attributes import attribute, is_attribute
from milepost.playback.play import Play, with_records
from milepost.playback.replay import replay_log
from milepost.vocabulary import DIED, WAS_RESET
from milepost.wording import listed

_FEWEST_BOTH: Final = 8  # players who tried both, from which the two are told apart within them


class CompareSettings(TypedDict, total=False):
    """See `CompareWithin`."""

    min_players: int
    assigned: Assigned | None
    looks: int
    untouched: tuple[str, ...]
    shares: tuple[float, float]


@dataclass(frozen=True)
class CompareWithin:
    """Two builds, or two values of another key.

    Attributes:
        before, after: the two values; those not named are the two that appeared last.
        key: `build`, or a tag.
        min_players: of fewer players in either, nothing is claimed.
        assigned: how players came to their build: by `lot`, or all to both in `crossed` order.
        looks: how often a running test is looked at, as planned.
        untouched: levels known not to have changed.
        shares: what a lot deals out, the one side to the other.
        courses: of the two groups, where they differ from the log's.
    """

    before: str | None = None
    after: str | None = None
    key: str = "build"
    min_players: int = 5
    assigned: Assigned | None = None
    looks: int = 1
    untouched: tuple[str, ...] = ()
    shares: tuple[float, float] = (1.0, 1.0)
    courses: tuple[Course | None, Course | None] = (None, None)

    def __call__(self, play: Play) -> Table[CompareRow, CompareTotals]:
        """One row a level of either.

        Raises:
            UsageError: the log does not have two such values, or the key changes within sessions.
            RecordsGoneError: the play has let its records go.
        """
        return self.of(_ReplayedLog(play)).table

    def of(self, log: DivisibleLog) -> TwoGroups:
        """Replay both groups, each by its own course, and set them side by side.

        Raises:
            UsageError: the log does not have two such values, or the key changes within sessions.
        """
        if self.looks < 1:
            raise UsageError(f"looks={self.looks}: a test is looked at once or more often.")
        sessions = log.sessions
        if is_attribute(self.key):
            split, plays = split_by_attribute(log.play(), self.key, self.before, self.after)
        else:
            before, after = (course or log.course for course in self.courses)
            split = split_of(sessions, self.key, self.before, self.after, (before, after))
            plays = log.replay_sides(split)
            for play in plays:
                require_by_session(play, self.key)
        settings = Compare(split, self.min_players, self.assigned, self.looks, self.untouched, self.shares)
        return TwoGroups(sessions, split, plays, compare_sides(settings, plays, sessions.sessions.name))


class DivisibleLog(Protocol):
    """A log of which two groups can be replayed."""

    @property
    def course(self) -> Course | None:
        """The course, if one is given."""

    @property
    def sessions(self) -> BareLog:
        """The log, of which only the sessions may be asked."""

    def play(self) -> Play:
        """Replay it."""

    def replay_sides(self, split: Split) -> tuple[Play, Play]:
        """Replay two groups of sessions, each by itself and by its own course."""


class TwoGroups(NamedTuple):
    """Two groups of a log, replayed and set side by side."""

    log: BareLog
    split: Split
    plays: tuple[Play, Play]
    table: Table[CompareRow, CompareTotals]


@dataclass(frozen=True, eq=False, repr=False)
class _ReplayedLog:
    """A log that was replayed, of which groups are replayed anew."""

    replayed: Play

    @property
    def course(self) -> Course | None:
        """The course, if one is given."""
        return self.replayed.course

    @property
    def sessions(self) -> BareLog:
        """The log."""
        return self.replayed.gated.log

    def play(self) -> Play:
        """Return the play."""
        return self.replayed

    def replay_sides(self, split: Split) -> tuple[Play, Play]:
        """Replay two groups of sessions, as the whole was."""
        play = with_records(self.replayed)
        conditions = tuple(parse_condition(text) for text in play.conditions)
        before, after = (
            keep_fitting(
                replay_log(keep_sessions(play.gated.log, sessions), course, play.rules, exclusion=play.gated.exclusion),
                conditions,
            )
            for sessions, course in split.groups(play.gated.log)
        )
        return before, after


def compare_sides(settings: Compare, sides: tuple[Play, Play], sessions: Sequence[str]) -> Table[CompareRow, CompareTotals]:
    """Set two sides side by side; where these are tries of the same players, with what the players' own changes say."""
    table = settings(*sides, sessions)
    if not is_attribute(settings.split.key):
        return table
    if settings.assigned == "lot":
        table.totals["arms"] = arms = _arms(settings, sides, sessions)
        table.totals["sentences"] += word_arms(arms)
    elif settings.assigned is None:
        table.totals["own_choice"] = choice = _describe_own_choice(settings, sides, sessions)
        table.totals["sentences"][1:1] = word_choice(choice, settings.split.before, settings.split.after)
    return table


def _arms(settings: Compare, sides: tuple[Play, Play], sessions: Sequence[str]) -> Arms:
    player, side = sides[0].attempts.player, _side_of_try(sides)
    changed = _changes(player, side)
    second = np.full(len(sides[0].gated.players), len(player))
    np.minimum.at(second, player[changed], changed)
    before = np.arange(len(player)) < second[player]
    return Arms(first=_shift(settings, sides, before, sessions), later=_shift(settings, sides, ~before, sessions))


def _describe_own_choice(settings: Compare, sides: tuple[Play, Play], sessions: Sequence[str]) -> OwnChoice:
    table, side, count = sides[0].attempts, _side_of_try(sides), len(sides[0].gated.players)
    tried = [np.bincount(table.player[side == number], minlength=count) > 0 for number in (0, 1)]
    both = np.flatnonzero(tried[0] & tried[1])
    enough = len(both) >= max(settings.min_players, _FEWEST_BOTH)
    within = _shift(settings, sides, np.isin(table.player, both), sessions) if enough else None
    changed = _changes(table.player, side)
    names = settings.split.before, settings.split.after
    changes = [_change(sides[0], changed[side[changed] == to], names[1 - to], names[to]) for to in (1, 0)]
    return OwnChoice(players=len(both), changes=[row for row in changes if row["changes"]], within=within)


def _change(play: Play, rows: Ints, before: str, after: str) -> Change:
    """Tell of the tries with which players changed from one side to the other."""
    table = play.attempts
    same = rows[(rows > 0) & (table.player[rows - 1] == table.player[rows])]
    failed = same[table.ended(DIED, WAS_RESET)[same - 1]]
    levels, counts = count_values(table.level[rows])
    return {
        "from": before,
        "to": after,
        "players": len(distinct(table.player[rows])),
        "changes": len(rows),
        "after_failure": len(failed),
        "level": play.stops[levels[np.argmax(counts)]] if len(levels) else None,
    }


def _side_of_try(sides: tuple[Play, Play]) -> Ints:
    """Per attempt, the side that it is on; -1 for neither."""
    table, play = sides[0].attempts, sides[0]
    counted = play.counts[table.player] & (table.level < play.n_levels)
    return np.where(counted & table.taken, 0, np.where(counted & sides[1].attempts.taken, 1, -1))


def _changes(player: Ints, side: Ints) -> Ints:
    """Return the tries on another side than their player's one before."""
    rows = np.flatnonzero(side >= 0)
    other = (np.diff(player[rows]) == 0) & (np.diff(side[rows]) != 0)
    changed: Ints = rows[1:][other]
    return changed


def _shift(settings: Compare, sides: tuple[Play, Play], chosen: Bools, sessions: Sequence[str]) -> OwnShift:
    """By how much the later side is harder on some of the tries."""
    before, after = (look_at(side, chosen, "some of the tries") for side in sides)
    shift = replace(settings, assigned=None)(before, after, sessions).totals["shift"]
    tries = int((chosen & (_side_of_try(sides) >= 0)).sum())
    return OwnShift(tries=tries, size=shift["size"], low=shift["low"], high=shift["high"])


def split_by_attribute(play: Play, key: str, before: str | None, after: str | None) -> tuple[Split, tuple[Play, Play]]:
    """Two values of an attribute of tries, each with the play that looks at its tries; those not named are the first two.

    Raises:
        UsageError: the log does not have two such values.
    """
    groups = {value: side for value, side in group_attempts(play, key).plays(play, key) if value is not None}
    for named in (before, after):
        if named is not None and named not in groups:
            raise UsageError(f"no try has {key} {named!r}. Its values are: {listed([repr(value) for value in groups])}.")
    if before is not None and before == after:
        raise UsageError(f"{key} {before!r} cannot be compared with itself. Name two different ones: --from and --to.")
    left = [value for value in groups if value not in (before, after)]
    if (before is None) + (after is None) > len(left):
        raise UsageError(f"the log has one {key} only, {listed(list(groups))}: there is nothing to compare it with.")
    chosen = before is None or after is None
    before = left.pop(0) if before is None else before
    after = left.pop(0) if after is None else after
    split = Split(key, before, after, (play.course, play.course), chosen)
    return split, (groups[before], groups[after])


def count_tries_left_out(sides: tuple[Play, Play], key: str) -> tuple[int, int]:
    """How many tries at levels of the course are on neither side because they have another value, and because they have none."""
    table, play = sides[0].attempts, sides[0]
    counted = play.counts[table.player] & ~table.void & (table.level < play.n_levels)
    counted &= ~(table.taken | sides[1].attempts.taken)
    given = attribute(play, key).codes >= 0
    return int((counted & given).sum()), int((counted & ~given).sum())


def require_by_session(play: Play, key: str) -> None:
    """Refuse a key of sessions that changes within some, so that it cannot divide them.

    Raises:
        UsageError: it does.
    """
    if key in play.gated.log.tags and key in play.summary(Varying).names:
        raise UsageError(
            f"--key {key}: it changes within sessions, so that these cannot be divided by it. --key start.{key} compares tries."
        )


def compare_answers(measure: Answers, plays: tuple[Play, Play]) -> list[AnswerChange]:
    """What players of one group answered beside those of the other; who is in both counts only where the table says a build."""
    players = [{name for name, counts in zip(play.gated.players, play.counts, strict=True) if counts} for play in plays]
    both = players[0] & players[1]
    answers = [answer for answer in measure.answers if answer.build is not None or answer.player not in both]
    with_answers = replace(measure, answers=answers, earlier=None)
    before, after = (cast("list[Mapping[str, object]]", with_answers(play).totals["questions"]) for play in plays)
    return compare_means(before, after, measure.least)
