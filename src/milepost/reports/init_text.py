"""The text on a playtest folder that was just made."""

from __future__ import annotations

from typing import TYPE_CHECKING

from milepost.playback.tallies import finding_counts, tallies_of
from milepost.wording import listed, plural, safe

if TYPE_CHECKING:
    from milepost.drafts.playtest_folder import CreatedFolder


def begun_text(begun: CreatedFolder, folder: str) -> str:
    """Return the text on the files read, the files written, and what to look at."""
    play = begun.play
    lines = [
        f"Read: {plural(tallies_of(play).records, 'record')} of {plural(int(play.counts.sum()), 'player')} in "
        f"{plural(play.n_levels, 'level')}.",
        f"Written in {safe(folder)}: {listed(begun.written)}.",
    ]
    if begun.kept:
        lines.append(f"There already, and used: {listed(begun.kept)}.")
    lines += ["", "Look at these:"]
    if begun.sketched:
        lines.append("- map.toml: how the log was understood. It is a guess with its reasons; mend what it got wrong.")
    if "course.toml" in begun.written:
        lines.append("- course.toml: the order of the levels is inferred from who was where first. Put in what was planned.")
    heavy = sum(finding_counts(play).values())
    lines.append(f"- milepost check: {plural(heavy, 'finding')} in the log so far, and what was done about each.")
    inside = "" if folder in (".", "") else f"cd {safe(folder)}, then "
    lines += ["", f"From here on: {inside}milepost funnel, milepost spikes, milepost report -o report.html."]
    return "\n".join(lines) + "\n"
