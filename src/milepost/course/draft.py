"""Drafts a course file from a replayed log: the levels in the order in which players came to them."""

from __future__ import annotations

from milepost.course.renamed import renamed_levels
from milepost.measures.attempts import AttemptsToClear
from milepost.measures.times import TimeInLevel
from milepost.numerics.whole_numbers import distinct
from milepost.playback.play import Play
from milepost.toml import toml_text, toml_texts
from milepost.vocabulary import TRANSITION
from milepost.wording import number, percent, plural, seconds


def draft_course(play: Play, name: str) -> str:
    """A commented course file: order inferred from the log, other spellings and names as aliases, places that are no levels."""
    lines = [
        f"# A draft of a course, from {plural(int(play.counts.sum()), 'player')}. The order is inferred from who was where",
        "# first: check it, and put in what was planned.",
        f"name = {toml_text(name)}",
    ]
    places = _places(play)
    if places:
        lines.append(f"places = {toml_texts(places)}  # only gone to, never played")
    renamed = renamed_levels(play)
    later = {old: new for _, old, _, new in renamed}
    for level in range(play.n_levels):
        if level not in later:
            lines += _level(play, level, [one for one in renamed if _last(later, one[1]) == level])
    return "\n".join(lines) + "\n"


def _last(later: dict[int, int], level: int) -> int:
    """The level by its last name."""
    while level in later:
        level = later[level]
    return level


def _level(play: Play, level: int, renamed: list[tuple[str, int, str, int]]) -> list[str]:
    """The table of one level, with what was measured under each of its names."""
    stops, names = play.stops, [level, *[old for _, old, _, _ in renamed]]
    aliases = [*[stops[old] for old in names[1:]], *[spelling for own in names for spelling in _spellings(play, own)]]
    lines = ["", "[[level]]", f"name = {toml_text(stops[level])}"]
    if aliases:
        lines.append(f"aliases = {toml_texts(aliases)}")
    for first, old, then, new in renamed:
        here, there = (f"{toml_text(stops[stop])} of build {toml_text(build)}" for stop, build in ((old, first), (new, then)))
        lines.append(f"# {here} stands where {there} does: taken for one level,")
        lines.append("# renamed; if they are two, take the alias out and give each a table of its own")
    lines += [_measured(play, own, f" as {toml_text(stops[own])}" if renamed else "") for own in names]
    return [*lines, "# par_seconds = 40", "# target_clear = 0.8  # or a range: [0.7, 0.9]"]


def _measured(play: Play, level: int, named: str) -> str:
    tries, time = play.once(AttemptsToClear()).rows[level], play.once(TimeInLevel()).rows[level]
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


def _places(play: Play) -> list[str]:
    """Names that only transitions have."""
    records, gated = play.gated.log.records, play.gated
    named = set(distinct(gated.to[(records.event == TRANSITION) & (gated.to >= play.n_levels)]).tolist())
    played = set(distinct(gated.level[(records.event != TRANSITION) & (gated.level >= 0)]).tolist())
    return [play.stops[stop] for stop in sorted(named - played)]
