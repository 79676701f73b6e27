"""Sentences on what was left out as suspect, and on tries outside the conditions."""

from __future__ import annotations

from collections.abc import Mapping
from typing import TYPE_CHECKING, Final

from milepost.reports.head_types import Suspected
from milepost.wording import listed, number, percent, plural, safe

if TYPE_CHECKING:
    from milepost.audit.evidence import Excluding
    from milepost.cleaning.selection import Exclusion
    from milepost.playback.play import Play
    from milepost.reports.head_types import Head, Settings

_SHARES: Final = ("clear_rate", "drop_off", "try_clear")
_NAMES: Final = {
    "clear_rate": "the clear rate",
    "drop_off": "the drop-off",
    "try_clear": "the chance that a try clears",
    "p50": "median tries",
    "reached": "players",
}


def count_suspected(play: Play, exclusion: Exclusion) -> Suspected:
    """Return the suspects left out."""
    from milepost.audit.exclusion_effects import figures_to_compare, list_changed_figures

    names = set(play.gated.log.sessions.name)
    everybody = names if play.before is None else set(play.before.gated.log.sessions.name)
    return Suspected(
        codes=list(exclusion.codes),
        void=int(play.attempts.void.sum()),
        sessions=len(exclusion.sessions & everybody),
        cuts=len(exclusion.cuts.keys() & names),
        ends=len(exclusion.faults & names),
        clears=sum(len(spans) for name, spans in exclusion.cleared.items() if name in names),
        moved=None
        if play.before is None
        else list_changed_figures(figures_to_compare(play.before), figures_to_compare(play), int(play.before.counts.sum())),
    )


def word_changes(moved: list[Excluding]) -> str:
    """The figures that leaving something out changes, in words."""
    if not moved:
        return "no figure by more than a point"
    levels, such = dict.fromkeys(row["level"] for row in moved), "such as " if len(moved) > 1 else ""
    return f"{plural(len(moved), 'figure')} at {plural(len(levels), 'level')}: {such}{_largest(moved)}"


def _largest(moved: list[Excluding]) -> str:
    """The figure that moves furthest, in words; shares before counts."""

    def far(row: Excluding) -> tuple[bool, float]:
        return row["figure"] in _SHARES, abs((row["without"] or 0.0) - (row["with"] or 0.0))

    largest = max(moved, key=far)
    worded = percent if largest["figure"] in _SHARES else number
    name = _NAMES.get(largest["figure"], largest["figure"])
    return f"{name} at {safe(largest['level'])} from {worded(largest['with'])} to {worded(largest['without'])}"


def word_exclusion(report: Head) -> list[str]:
    """Return the sentences on what was left out, and on the tries that are counted."""
    lines = []
    if "excluded" in report:
        excluded = report["excluded"]
        why = (
            "as suspect (" + ", ".join(excluded["codes"]) + ")"
            if excluded["codes"]
            else "because they break a promise of the course"
        )
        counts = {
            plural(excluded["void"], "try", "tries"): excluded["void"],
            plural(excluded["sessions"], "session"): excluded["sessions"],
            f"{plural(excluded['cuts'], 'session')} from a jump on": excluded["cuts"],
            f"{plural(excluded['ends'], 'end')} as no decision": excluded["ends"],
        }
        gone = [text for text, count in counts.items() if count]
        effect = f" That changes {word_changes(excluded['moved'])}." if excluded["moved"] is not None and gone else ""
        lines.append(f"Left out {why}: {listed(gone) if gone else 'nothing was found'}.{effect}")
        if excluded["clears"]:
            lines.append(
                f"{plural(excluded['clears'], 'crash', 'crashes')} with everything done "
                f"{'counts' if excluded['clears'] == 1 else 'count'} as cleared."
            )
    if report.get("per") == "run":
        units = "" if report["command"] == "spikes" else ", and players stand for runs"
        lines.append(f"Counted per run: numbers of tries and first clears begin anew in each{units}.")
    if "asked" in report:
        asked = listed([safe(condition) for condition in report["asked"]])
        lines.append(f"Only tries with {asked} are looked at, so that figures by the number of a try cannot be given.")
    return lines


_NAMED: Final = {"logs": "the log"}
_PLAIN: Final = {"where": "where", "exclude": "without"}


def said_of(settings: Settings) -> str:
    """It as a line."""
    if not settings["taken"]:
        return f"Settings were taken from {safe(settings['file'])}."
    return (
        f"Taken from {safe(settings['file'])}: {listed([_word_setting(key, value) for key, value in settings['taken'].items()])}."
    )


def _word_setting(key: str, value: object) -> str:
    if isinstance(value, Mapping):
        return ", ".join(f"{name} {_word_value(item)}" for name, item in value.items())
    texts = ", ".join(safe(str(item)) for item in (value if isinstance(value, list) else [value]))
    return f"{_PLAIN[key]} {texts}" if key in _PLAIN else f"{_NAMED.get(key, f'the {key}')} ({texts})"


def _word_value(value: object) -> str:
    return str(value).lower() if isinstance(value, bool) else f"{value:g}" if isinstance(value, float) else str(value)
