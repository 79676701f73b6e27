"""A log that cannot be read as it is: which of its columns are likely what, in a sentence."""

from __future__ import annotations

from typing import TYPE_CHECKING

from milepost.drafts.map_by_trial import draft_by_trial
from milepost.errors import MilePostError
from milepost.logs.interface import DEFAULTS
from milepost.wording import listed, percent, safe

if TYPE_CHECKING:
    from milepost.drafts.map_by_trial import DraftedMap

_FEWEST = 0.5  # of the records, that a draft has to explain to be spoken of


def likely_columns(names: list[str]) -> str:
    """Return a sentence on the likeliest columns of a log, and what speaks for them; an empty text where there are none."""
    if "-" in names:
        return ""
    try:
        draft = draft_by_trial(names, DEFAULTS)
    except MilePostError:
        return ""
    if draft.trial.explained < _FEWEST:
        return ""
    why = f"{percent(draft.trial.explained)} of its records are explained so, and {percent(draft.trial.settled)} of tries end"
    said = listed([f"{ours} '{safe(theirs)}'" for ours, theirs in _columns(draft)])
    doubt = "" if draft.sure else " It is a doubtful guess."
    return f"The likeliest columns are {said}: {why}.{doubt}" if said else f"A map was found for it: {why}.{doubt}"


def _columns(draft: DraftedMap) -> list[tuple[str, str]]:
    """What the draft takes for what, by ours."""
    candidate = draft.candidate
    if candidate is None:
        return []
    level, event = " with ".join(candidate.roles.level_names), candidate.roles.event_names[-1]
    time = " with ".join(candidate.time.names) if candidate.time is not None else ""
    word = "result" if candidate.rows else "event"
    found = [("session", candidate.session), ("player", candidate.player), ("time", time), (word, event), ("level", level)]
    return [(ours, theirs) for ours, theirs in found if theirs]
