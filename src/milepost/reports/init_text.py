"""The text on a playtest folder that was just made."""

from __future__ import annotations

from typing import TYPE_CHECKING, Final

from milepost.measures.funnel import Funnel
from milepost.playback.tallies import finding_counts, tallies_of
from milepost.wording import listed, percent, plural, safe

if TYPE_CHECKING:
    from milepost.drafts.map_by_trial import DraftedMap
    from milepost.drafts.playtest_folder import CreatedFolder
    from milepost.playback.play import Play

_SHOWN: Final = 5  # levels of the funnel


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
    if begun.draft is not None:
        lines += _on_the_map(begun.draft)
    if "course.toml" in begun.written:
        lines.append("- course.toml: the order of the levels is inferred from who was where first. Put in what was planned.")
    heavy = sum(finding_counts(play).values())
    lines.append(f"- milepost check: {plural(heavy, 'finding')} in the log so far, and what was done about each.")
    lines += ["", *_first_levels(play)]
    inside = "" if folder in (".", "") else f"cd {safe(folder)}, then "
    lines += ["", f"From here on: {inside}milepost funnel, milepost spikes, milepost report -o report.html."]
    return "\n".join(lines) + "\n"


def _on_the_map(draft: DraftedMap) -> list[str]:
    """Return what is to be said of the draft of a map."""
    lines = ["- map.toml: how the log was understood. It is a guess with its reasons; mend what it got wrong."]
    if not draft.sure:
        lines.insert(0, "- DOUBTFUL: the draft leaves much of the log unexplained. Check it before you believe a figure.")
    for question in draft.questions:
        what = f"{safe(question.key)} is taken for {safe(question.likelier)}; if it is {safe(question.other)}"
        lines.append(f"- Not sure: {what}, add --set {safe(question.key)}={safe(question.other)} --force.")
    return lines


def _first_levels(play: Play) -> list[str]:
    """Return the beginning of the funnel, so that a wrong draft is seen at once."""
    rows = Funnel()(play).rows[:_SHOWN]
    lines = ["The funnel begins so:"]
    for row in rows:
        rate = "" if row["clear_rate"] is None else f" ({percent(row['clear_rate'])})"
        lines.append(
            f"  {safe(row['level'])}: {plural(row['reached'], 'player')} reached it, {row['cleared']:,} cleared it{rate}"
        )
    return lines if rows else ["No try at a level was found: the funnel is empty."]
