"""Drafts a course file from a replayed log: the levels in the order in which players came to them."""

from __future__ import annotations

from milepost.measures.attempts import AttemptsToClear
from milepost.measures.times import TimeInLevel
from milepost.numerics.whole_numbers import distinct
from milepost.playback.play import Play
from milepost.toml import toml_text, toml_texts
from milepost.vocabulary import TRANSITION
from milepost.wording import number, percent, plural, seconds


def draft_course(play: Play, name: str) -> str:
    """A commented course file: order inferred from the log, other spellings as aliases, places that are no levels."""
    tries, times = AttemptsToClear()(play).rows, TimeInLevel()(play).rows
    lines = [
        f"# A draft of a course, from {plural(int(play.counts.sum()), 'player')}. The order is inferred from who was where first:",  # noqa: E501
        "# check it, and put in what was planned.",
        f"name = {toml_text(name)}",
    ]
    places = _places(play)
    if places:
        lines.append(f"places = {toml_texts(places)}  # only gone to, never played")
    for level in range(play.n_levels):
        row, time = tries[level], times[level]
        aliases = _spellings(play, level)
        lines += ["", "[[level]]", f"name = {toml_text(play.stops[level])}"]
        if aliases:
            lines.append(f"aliases = {toml_texts(aliases)}")
        lines.append(f"# measured: {plural(row['players'], 'player')}, a try clears {percent(row['try_clear'])}, "
                     f"median {number(row['p50'])} tries and {seconds(time['p50'])}")  # fmt: skip
        lines += ["# par_seconds = 40", "# target_clear = 0.8  # or a range: [0.7, 0.9]"]
    return "\n".join(lines) + "\n"


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
