"""Drafts a course file from a replayed log: the levels in the order in which players came to them, renamed ones joined."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from itertools import pairwise
from typing import Final, NamedTuple

import numpy as np

from milepost.arrays import Ints
from milepost.level_names import natural_key
from milepost.measures.attempts import AttemptsToClear
from milepost.measures.times import TimeInLevel
from milepost.numerics.whole_numbers import distinct
from milepost.playback.infer import count_precedence
from milepost.playback.logged_knobs import logged_knobs
from milepost.playback.play import FullPlay, Play
from milepost.toml import toml_key, toml_text, toml_texts, toml_value
from milepost.vocabulary import CLEARED, DIED, TRANSITION, WAS_RESET
from milepost.wording import number, percent, plural, safe, seconds

_WHY_MENUS: Final = "nobody fails or clears there, and they are gone to from many levels: menus or screens"
_FEWEST_BEFORE: Final = 3  # levels that one has to be gone to from, to be taken for a menu
_BETWEEN: Final = 0.5  # and the share of all that are played


def draft_course(play: FullPlay, name: str) -> str:
    """A commented course file: order inferred from the log, other spellings and names as aliases, places that are no levels."""
    lines = [
        f"# A draft of a course, from {plural(int(play.counts.sum()), 'player')}. The order is inferred from who was where",
        "# first: check it, and put in what was planned.",
        f"name = {toml_text(name)}",
    ]
    menus = find_menus(play)
    for places, why in ((_places(play), "only gone to, never played"), ([play.stops[menu] for menu in menus], _WHY_MENUS)):
        lines += [f"# {', '.join(toml_text(place) for place in places)}: {why}"] if places else []
    if places := [*_places(play), *(play.stops[menu] for menu in menus)]:
        lines.append(f"places = {toml_texts(places)}")
    named = [level for level in levels_by_any_name(play) if level.level not in menus]
    evidence = leg_evidence(play, [level.level for level in named])
    for level in named:
        lines += _level(play, level, evidence.get(level.level))
    return "\n".join(lines) + "\n"


def _level(play: Play, level: OneLevel, evidence: LegEvidence | None) -> list[str]:
    """The table of one level, with what was measured under each of its names."""
    stops, names = play.stops, [level.level, *level.others]
    aliases = [*[stops[other] for other in level.others], *[spelling for name in names for spelling in _spellings(play, name)]]
    lines = ["", "[[level]]", f"name = {toml_text(stops[level.level])}"]
    if aliases:
        lines.append(f"aliases = {toml_texts(aliases)}")
    lines += _leg_lines(evidence) if evidence is not None else []
    for renaming in level.renamings:
        former = f"{toml_text(stops[renaming.level])} of build {toml_text(renaming.build)}"
        latter = f"{toml_text(stops[renaming.next_level])} of build {toml_text(renaming.next_build)}"
        lines.append(f"# {former} stands where {latter} does: taken for one level,")
        lines.append("# renamed; if they are two, take the alias out and give each a table of its own")
    lines += [_measured(play, name, f" as {toml_text(stops[name])}" if level.others else "") for name in names]
    lines += ["# par_seconds = 40", "# target_clear = 0.8  # or a range: [0.7, 0.9]"]
    return lines + _knobs(play, names)


def _leg_lines(evidence: LegEvidence) -> list[str]:
    """The leg of a level and whether it is off the way, with what speaks for it."""
    lines = [f"# {safe(why)}" for why in evidence.why]
    lines += [f'leg = "Leg {evidence.leg + 1}"  # levels of a leg are played in any order'] if evidence.leg is not None else []
    return lines + (["optional = true  # off the way: nobody has to play it"] if evidence.optional else [])


def _knobs(play: Play, levels: list[int]) -> list[str]:
    """The knobs of a level as its starts tell them; of one with several names, those of the last that has any."""
    knob_sets = [knobs for level in levels if (knobs := logged_knobs(play)[level])]
    if not knob_sets:
        return []
    lines = [f"{toml_key(name)} = {toml_value(value)}" for name, value in knob_sets[-1].items()]
    return ["[level.knobs]  # as all starts there say", *lines]


def _measured(play: Play, level: int, named: str) -> str:
    tries, time = play.compute_once(AttemptsToClear()).rows[level], play.compute_once(TimeInLevel()).rows[level]
    return (
        f"# measured{named}: {plural(tries['players'], 'player')}, a try clears {percent(tries['try_clear'])}, "
        f"median tries {number(tries['p50'])}, median time {seconds(time['p50'])}"
    )


def _spellings(play: Play, level: int) -> list[str]:
    logged = play.gated.log.stops
    return sorted(
        {
            name
            for name, code in zip(logged, play.gated.stops.code.tolist(), strict=True)
            if code == level and name != play.stops[level]
        }
    )


def find_menus(play: Play) -> list[int]:
    """Return the names under levels that seem to be menus or screens: nobody fails or clears there, and they stand between many.

    Args:
        play: the log, replayed.
    """
    attempts = play.attempts
    settled = set(distinct(attempts.level[attempts.ended(CLEARED, DIED, WAS_RESET)]).tolist())
    before: dict[int, set[int]] = {}
    for player, after, level, next_level in zip(
        attempts.player[:-1], attempts.player[1:], attempts.level[:-1].tolist(), attempts.level[1:].tolist(), strict=True
    ):
        if player == after and level != next_level:
            before.setdefault(next_level, set()).add(level)
    others = len(settled)
    return [
        level
        for level in range(play.n_levels)
        if level not in settled and len(before.get(level, ())) >= max(_FEWEST_BEFORE, _BETWEEN * others)
    ]


def _places(play: FullPlay) -> list[str]:
    """Names that only transitions have."""
    records, gated = play.gated.log.records, play.gated
    named = set(distinct(gated.to[(records.event == TRANSITION) & (gated.to >= play.n_levels)]).tolist())
    played = set(distinct(gated.level[(records.event != TRANSITION) & (gated.level >= 0)]).tolist())
    return [play.stops[stop] for stop in sorted(named - played)]


_IN_A_ROW = 3  # more levels than these between two that stayed are a new stretch, not new names


class Renaming(NamedTuple):
    """A level that has another name in the next build, at the same place."""

    build: str
    level: int
    next_build: str
    next_level: int


@dataclass(frozen=True)
class OneLevel:
    """A level with all its names.

    Attributes:
        level: the one by whose name it goes, that of the latest build.
        others: the ones by its other names.
        renamings: what tells that they are one.
    """

    level: int
    others: list[int]
    renamings: list[Renaming]


def levels_by_any_name(play: Play) -> list[OneLevel]:
    """The levels of a course, in order; those that stand at the same place in different builds are one.

    Between two levels that two builds in a row have (or from one to an end of the course), as many levels under other names are
    taken, in order, for the same ones, unless a build has both.

    Args:
        play: a play without a course.
    """
    builds = _levels_of_builds(play)
    group = {level: {level} for level in range(play.n_levels)}
    kept: list[Renaming] = []
    for renaming in _renamings(builds):
        both = group[renaming.level] | group[renaming.next_level]
        if all(len(both & levels) <= 1 for levels in builds.values()):
            kept.append(renaming)
            group |= dict.fromkeys(both, both)
    latest = {level: place for place, levels in enumerate(builds.values()) for level in levels}
    levels = []
    for level in range(play.n_levels):
        chosen = max(group[level], key=lambda name: (latest.get(name, -1), -name))
        if chosen == level:
            renamings = [renaming for renaming in kept if renaming.level in group[level]]
            levels.append(OneLevel(level, sorted(group[level] - {level}), renamings))
    return levels


def _renamings(builds: dict[str, set[int]]) -> Iterator[Renaming]:
    """Yield the levels that stand at the same place in each two builds in a row."""
    for first, then in pairwise(builds):
        for before, after in _stretches(builds[first], builds[then]):
            if len(before) == len(after) <= _IN_A_ROW:
                yield from (Renaming(first, old, then, new) for old, new in zip(before, after, strict=True))


def _levels_of_builds(play: Play) -> dict[str, set[int]]:
    """Per build, in order, the levels that were played in it."""
    by_build: dict[str, set[int]] = {}
    builds = play.gated.log.sessions.build
    width = max(1, len(play.stops))
    for key in distinct(play.attempts.session * width + play.attempts.level).tolist():
        build, level = builds[key // width], key % width
        if build is not None and level < play.n_levels:
            by_build.setdefault(build, set()).add(level)
    return {build: by_build[build] for build in sorted(by_build, key=natural_key)}


def _stretches(before: set[int], after: set[int]) -> Iterator[tuple[list[int], list[int]]]:
    """Yield each build's own levels before, between and after the shared ones; none if they share none."""
    shared = sorted(before & after)
    if not shared:
        return
    for low, high in pairwise([-1, *shared, max(before | after) + 1]):
        yield sorted(n for n in before if low < n < high), sorted(n for n in after if low < n < high)


_SHARE: Final = 0.2  # of the players who show it, from which two levels have no order, or one is off the way
_FEWEST: Final = 5  # players who have to show it


@dataclass(frozen=True)
class LegEvidence:
    """What a level may be in a course that is no line.

    Attributes:
        leg: the number of the leg that it shares with others; None where it stands alone.
        optional: whether it seems to be off the way.
        why: what speaks for it, a sentence each.
    """

    leg: int | None
    optional: bool
    why: tuple[str, ...]


def leg_evidence(play: Play, levels: list[int]) -> dict[int, LegEvidence]:
    """Return what levels may be of which the log says that they are no plain steps of a line.

    Neighbours that a fifth of those who attempted both attempted the other way round share a leg; a level that a fifth of those
    who got further never attempted is off the way.

    Args:
        play: the log, replayed.
        levels: the levels in their order.
    """
    counted = play.counts[play.attempts.player]
    seen = count_precedence(play.attempts.player[counted], play.attempts.level[counted])
    place = {int(level): number for number, level in enumerate(seen.levels)}
    known = [level for level in levels if level in place]
    legs, reasons = _legs(known, seen.before, place, play.stops)
    skipped = _skipped(play, known)
    evidence = {}
    for level in known:
        missed, further = skipped[level]
        optional = further >= _FEWEST and missed >= _SHARE * further
        why = list(reasons.get(level, ()))
        if optional:
            why.append(f"{missed:,} of {plural(further, 'player')} who got further never tried it ({percent(missed / further)})")
        if level in legs or optional:
            evidence[level] = LegEvidence(legs.get(level), optional, tuple(why))
    return evidence


def _legs(
    levels: list[int], before: Ints, place: dict[int, int], names: list[str]
) -> tuple[dict[int, int], dict[int, list[str]]]:
    """The legs of levels that have no order among themselves, and why."""
    legs: dict[int, int] = {}
    reasons: dict[int, list[str]] = {}
    for level, following in zip(levels, levels[1:], strict=False):
        forth, back = int(before[place[level], place[following]]), int(before[place[following], place[level]])
        both = forth + back
        if both >= _FEWEST and min(forth, back) >= _SHARE * both:
            legs[following] = legs.setdefault(level, len(legs))
            other = (
                f"{min(forth, back):,} of {plural(both, 'player')} who tried both tried {names[following]} before {names[level]}"
            )
            reasons.setdefault(level, []).append(other)
    return legs, reasons


def _skipped(play: Play, levels: list[int]) -> dict[int, tuple[int, int]]:
    """Per level, how many players who got further never attempted it, and how many got further."""
    table, n_players = play.attempts, len(play.gated.players)
    tried = np.zeros((len(levels), n_players), np.bool_)
    for rank, level in enumerate(levels):
        tried[rank, table.player[table.level == level]] = True
    tried[:, ~play.counts] = False
    later = np.zeros(n_players, np.bool_)
    skips = {}
    for rank in range(len(levels) - 1, -1, -1):
        skips[levels[rank]] = (int((later & ~tried[rank]).sum()), int(later.sum()))
        later |= tried[rank]
    return skips
