"""Sentences on the news since an earlier report."""

from __future__ import annotations

from typing import TYPE_CHECKING, Final

from milepost.wording import listed, percent, plural, safe

if TYPE_CHECKING:
    from milepost.reports.since import Moved, NewFinding, NewVerdict, Since

_FIGURES: Final = {
    "clear_rate": "players who clear it",
    "drop_off": "players lost there",
    "retention": "still playing after it",
    "first_try": "cleared at the first try",
    "try_clear": "a try clears",
}
_KINDS: Final = {"none": "nothing stands out", "spike": "a spike", "dip": "a dip", "step": "a step up"}
_MOST: Final = 8


def since_sentences(since: Since) -> list[str]:
    """Return the sentences on the news, the verdicts first."""
    gone = f", and {since['sessions_gone']} are no longer there" if since["sessions_gone"] else ""
    said = [f"Since {safe(since['file'])}: {plural(since['new_sessions'], 'new session')}{gone}."]
    said += [_verdict(one) for one in since["verdicts"]]
    said += [
        _moved(one)
        for one in sorted(since["moved"], key=lambda one: -abs(one["after"] - one["before"]) / max(one["noise"], 1e-9))[:_MOST]
    ]
    if len(since["moved"]) > _MOST:
        said.append(f"{len(since['moved']) - _MOST} more figures moved beyond their noise; the JSON form has all.")
    if since["moved"]:
        by_chance = max(1, round(since["compared"] / 20))
        said.append(f"{since['compared']} figures were compared; some {by_chance} would move as far by chance.")
    if since["findings"]:
        said.append(f"Newly found in the log: {listed([_found(one) for one in since['findings']])}.")
    for key, what in (("levels_added", "New in the course"), ("levels_removed", "No longer in the course")):
        if names := since["levels_added"] if key == "levels_added" else since["levels_removed"]:
            said.append(f"{what}: {listed([safe(name) for name in names])}.")
    return said if len(said) > 1 else [*said, "No verdict changed, and no figure moved beyond its noise."]


def _verdict(one: NewVerdict) -> str:
    before, after = _KINDS.get(one["before"], one["before"]), _KINDS.get(one["after"], one["after"])
    if one["before"] == one["after"]:
        evidence = f"its evidence was {one['evidence_before']} and is {one['evidence_after']}"
        return f"{safe(one['level'])}: still {after}; {evidence}."
    evidence = f" ({one['evidence_after']} evidence)" if one["after"] != "none" else ""
    return f"{safe(one['level'])}: {before} before, {after} now{evidence}."


def _found(one: NewFinding) -> str:
    return f"{one['code']} {one['count']:,}"


def _moved(one: Moved) -> str:
    what = _FIGURES.get(one["figure"], one["figure"])
    return f"{safe(one['level'])}: {what}, {percent(one['before'])} before and {percent(one['after'])} now."
