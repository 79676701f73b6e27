"""How much a finding matters: by its code, or by the share of the log that it takes, or by the figures where it stands."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Final

from milepost.measures.cells import Attendance
from milepost.measures.funnel import Funnel
from milepost.measures.raw import RawCounts
from milepost.playback.play import Summed
from milepost.playback.tallies import SessionMarks, finding_counts, tallies_of
from milepost.vocabulary import BIT, DROPPED, FINDINGS

MANY_RECORDS: Final = 0.05  # of all; a finding that takes more is of high weight
_MANY_SESSIONS: Final = 0.2  # of all; a finding in as many is of high weight where a figure moves by more than the next
_FIVE_POINTS: Final = 0.05 + 1e-9
# Findings by which a record, or a field of it, is not used.
TAKING: Final = {"unreadable_record", "bad_field", "unknown_level"} | {code for code, bit in BIT.items() if bit & DROPPED}
_NUMBERS: Final = {finding.code: number for number, finding in enumerate(FINDINGS)}


def all_records(play: Summed) -> int:
    """How many records the log has, those that could not be read among them."""
    return tallies_of(play).records + play.about.refused


def share_taken(play: Summed, code: str) -> float:
    """The share of all records that a finding takes; 0 for findings that take none."""
    count = finding_counts(play).get(code, 0) if code in TAKING else 0
    return count / all_records(play) if count else 0.0


def finding_weights(play: Summed) -> dict[str, str]:
    """The weight of each finding of a play by its code.

    A finding that takes more than a twentieth of the records is of high weight, and so is one that takes any in a fifth of the
    sessions, also at a level where cleaning moves a figure by more than five points.
    """
    return dict(play.once(_finding_weights))


def _finding_weights(play: Summed) -> dict[str, str]:
    counts = finding_counts(play)
    weights = {finding.code: finding.weight for finding in FINDINGS if finding.code in counts}
    weights |= {code: "high" for code in weights if share_taken(play, code) > MANY_RECORDS}
    moving = levels_moved(play)
    return weights | {code: "high" for code in weights if _moves(play, code, moving)}


def _moves(play: Summed, code: str, moving: Mapping[int, tuple[str, float, float]]) -> bool:
    found = tallies_of(play).findings.get(_NUMBERS[code]) if code in TAKING else None
    sessions = play.sums(SessionMarks).sessions
    return found is not None and found.sessions >= _MANY_SESSIONS * sessions and not found.levels.isdisjoint(moving)


def levels_moved(play: Summed) -> dict[int, tuple[str, float, float]]:
    """The levels at which cleaning moves a figure by more than five points: by place, the figure, raw and clean."""
    rows, raw, players = play.once(Funnel()).rows, play.summary(RawCounts), max(1, play.sums(Attendance).players)
    found: dict[int, tuple[str, float, float]] = {}
    for place, row in enumerate(rows):
        reached = int(raw.reached[place])
        figures = [("reached", reached / players, row["reached"] / players)]
        if reached and row["clear_rate"] is not None and row["drop_off"] is not None:
            figures += [
                ("clear_rate", int(raw.cleared[place]) / reached, row["clear_rate"]),
                ("drop_off", int(raw.lost[place]) / reached, row["drop_off"]),
            ]
        for name, before, after in figures:
            if abs(before - after) > _FIVE_POINTS:
                found.setdefault(place, (name, before, after))
    return found
