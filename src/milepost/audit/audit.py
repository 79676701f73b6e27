"""The audit of a log: what is in it, what was found, what was done about it, and how far that moves the answer."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import NotRequired, TypedDict

import numpy as np

from milepost.arrays import Bools
from milepost.audit.cautions import finding_weights
from milepost.audit.cleaning_effects import MovedRow, RawBesideClean, compare_raw_with_clean, list_moved_levels
from milepost.audit.evidence import Evidence, Excluding, Suspect
from milepost.audit.exclusion_effects import measure_exclusion_effects
from milepost.audit.promise_checks import PromiseRow, list_promises
from milepost.audit.suspects import find_suspects
from milepost.course.course import KnownFault
from milepost.logs.interface import ABSENT, MapMet, PlayersMet, count_refused
from milepost.logs.records.sink import copies_mask
from milepost.measures.interface import Table
from milepost.numerics.whole_numbers import distinct
from milepost.playback.play import Play
from milepost.playback.tallies import PLACES, FoundAt, differs_mask, get_tallies, unknown_words
from milepost.vocabulary import EVENTS, FINDINGS, Finding


class Span(TypedDict):
    """From when to when the sessions run, and how long they last, in seconds."""

    first_day: str | None
    last_day: str | None
    median_session: float | None
    longest_session: float | None


class PlayersTable(TypedDict):
    """The table of players: its file, and who is only in it, or only in the log."""

    file: str
    only_in_table: list[str]
    only_in_log: list[str]


class Contents(Span):
    """The contents of the log; ``used`` and ``reported`` add up to ``records``."""

    files: list[str]
    records: int
    used: int
    reported: int
    builds: dict[str, int]
    events: dict[str, int]
    unknown_words: dict[str, int]
    map: MapMet | None
    players_table: PlayersTable | None
    levels_seen: int


class Labelled(TypedDict):
    """A finding or suspect; ``known`` is the note of a declared fault that it is an instance of, or that there is one."""

    code: str
    count: int
    sessions: int
    known: str | bool | None


class FoundWhere(TypedDict):
    """The level and the build of a place; null where it has none."""

    level: str | None
    build: str | None


class Detail(Labelled):
    """A finding: what it means, what was done, how much it weighs, and where it was first made (``at`` goes with ``places``)."""

    at: list[FoundWhere]

    session_share: float | None
    meaning: str
    done: str
    weight: str
    places: list[str]
    excluding: NotRequired[list[Excluding] | None]


class SuspectRow(Labelled):
    """Something that looks wrong and may be true."""

    levels: list[str]
    why: str
    builds: list[str]
    field: str | None
    places: list[str]
    weight: str
    excluding: list[Excluding] | None


class AuditTotals(Contents):
    """The contents of the log, its findings, and the figures that cleaning changes."""

    details: list[Detail]
    suspects: list[SuspectRow]
    promises: list[PromiseRow]
    moved: list[MovedRow]


def audit(play: Play) -> Table[RawBesideClean, AuditTotals]:
    """The audit: totals with details, suspects and what moved; a row a level with raw beside clean figures.

    Faults that are declared in the course are labelled as known.
    """
    known = play.course.known_faults if play.course else ()
    rows = compare_raw_with_clean(play)
    first = play.before or play  # suspects are judged before anything is left out
    evidence, moves = Evidence(first), measure_exclusion_effects(first)
    return Table(
        rows,
        AuditTotals(
            **count_contents(play),
            details=_add_exclusion_effects(list_findings(play, known, Evidence(play)), moves),
            suspects=[_build_row(suspect, known, evidence, moves) for suspect in find_suspects(first)],
            promises=list_promises(first),
            moved=list_moved_levels(rows, int(play.counts.sum())),
        ),
    )


def _add_exclusion_effects(rows: list[Detail], moves: dict[str, list[Excluding] | None]) -> list[Detail]:
    """The findings, those that can be left out with what that would move."""
    for row in rows:
        if row["code"] in moves:
            row["excluding"] = moves[row["code"]]
    return rows


def count_contents(play: Play) -> Contents:
    """Return the contents of the log: counts of everything; records used and reported add up to all."""
    log, tallies = play.gated.log, get_tallies(play)
    refused = count_refused(log.refused)
    counted = ~copies_mask(log.sessions)
    named = [build for build, counts in zip(log.sessions.build, counted.tolist(), strict=True) if counts and build is not None]
    return Contents(
        files=log.files,
        records=tallies.records + refused,
        used=tallies.records - tallies.dropped,
        reported=tallies.dropped + refused,
        builds={build: named.count(build) for build in sorted(set(named))},
        events={word: count for word, count in zip(EVENTS, tallies.events.tolist(), strict=True) if count},
        unknown_words=dict(sorted(unknown_words(play).items(), key=lambda item: (-item[1], item[0]))),
        map=log.map_use,
        levels_seen=len(distinct(play.attempts.level)),
        players_table=_players_table(log.players),
        **_span(play),
    )


def _players_table(met: PlayersMet | None) -> PlayersTable | None:
    if met is None:
        return None
    return PlayersTable(file=met.file, only_in_table=[*met.only_there], only_in_log=[*met.only_here])


def _span(play: Play) -> Span:
    lengths = get_tallies(play).seconds
    stamps = [epoch for epoch in play.gated.log.sessions.epoch if epoch is not None]
    return Span(
        first_day=_day(min(stamps)) if stamps else None,
        last_day=_day(max(stamps)) if stamps else None,
        median_session=float(np.median(lengths)) if len(lengths) else None,
        longest_session=float(lengths.max()) if len(lengths) else None,
    )


def _day(epoch: int) -> str | None:
    from datetime import UTC, datetime, timedelta

    try:
        return (datetime(1970, 1, 1, tzinfo=UTC) + timedelta(microseconds=epoch // 1000)).date().isoformat()
    except OverflowError:
        return None


def list_findings(play: Play, known: tuple[KnownFault, ...], evidence: Evidence) -> list[Detail]:
    """Each finding: count, sessions, share of sessions, what was done, weight, and the first places."""
    entries = [_refused(play)] if play.gated.log.refused else []
    for number, finding in enumerate(FINDINGS[1:], 1):
        if finding.code == "coarse_clock":
            entries += _count_by_session(play, finding, play.gated.coarse)
        elif finding.code == "player_tag_differs":
            entries += _count_by_session(play, finding, differs_mask(play))
        elif finding.code == "no_session_end":
            entries += _count_by_session(play, finding, play.endless)
        elif number in get_tallies(play).findings:
            tally = get_tallies(play).findings[number]
            count = tally.sessions if finding.code == "clock_wrapped" else tally.records
            entries.append(_Found(finding, count, tally.sessions, tally.places, play))
    log, weights = play.gated.log, finding_weights(play)
    sessions = len({*log.sessions.name, *(refused.session for refused in log.refused if refused.session is not None)})
    rows = [
        entry.row(sessions, weights[entry.finding.code], _declared_note(entry.finding.code, [], [], known, evidence))
        for entry in entries
    ]
    return sorted(rows, key=lambda row: -row["count"])


@dataclass(frozen=True, eq=False, repr=False)
class _Found:
    finding: Finding
    count: int
    sessions: int
    places: Sequence[FoundAt]
    play: Play
    reasons: Sequence[str] = ()  # why a record was refused, beside its place

    def row(self, total: int, weight: str, known: str | bool | None) -> Detail:
        """Return the row that `check` shows; ``total`` counts all sessions, also those that only unreadable records name."""
        finding = self.finding
        return Detail(
            code=finding.code,
            count=self.count,
            sessions=self.sessions,
            session_share=self.sessions / total if total else None,
            meaning=finding.meaning,
            done=finding.done,
            weight=weight,
            places=self._texts(),
            at=[self._place_names(place) for place in self.places],
            known=known,
        )

    def _texts(self) -> list[str]:
        files = self.play.gated.log.files
        texts = [f"{files[place.file]}:{place.line}" for place in self.places]
        return [f"{text} ({why})" for text, why in zip(texts, self.reasons, strict=True)] if self.reasons else texts

    def _place_names(self, place: FoundAt) -> FoundWhere:
        return FoundWhere(level=self.play.stops[place.level] if place.level >= 0 else None, build=place.build)


def _refused(play: Play) -> _Found:
    log = play.gated.log
    first = log.refused[:PLACES]
    build = dict(zip(log.sessions.name, log.sessions.build, strict=True))
    places = [FoundAt(*item.place, ABSENT, build.get(item.session) if item.session is not None else None) for item in first]
    sessions = {item.session for item in log.refused if item.session is not None}
    return _Found(FINDINGS[0], count_refused(log.refused), len(sessions), places, play, [item.reason for item in first])


def _count_by_session(play: Play, finding: Finding, where: Bools) -> list[_Found]:
    """A finding that is counted by session; its places are the sessions' last records."""
    sessions = np.flatnonzero(where & ~copies_mask(play.gated.log.sessions))
    if not len(sessions):
        return []
    times, builds = play.session_times, play.gated.log.sessions.build
    filled = sessions[times.file[sessions] >= 0][:PLACES].tolist()
    places = [FoundAt(int(times.file[session]), int(times.line[session]), ABSENT, builds[session]) for session in filled]
    return [_Found(finding, len(sessions), len(sessions), places, play)]


def _build_row(
    suspect: Suspect, known: tuple[KnownFault, ...], evidence: Evidence, moves: dict[str, list[Excluding] | None]
) -> SuspectRow:
    return SuspectRow(
        code=suspect.code,
        levels=suspect.levels,
        count=suspect.count,
        sessions=len(suspect.sessions),
        why=suspect.why,
        builds=suspect.builds,
        known=_declared_note(suspect.code, suspect.levels, suspect.builds, known, evidence),
        field=suspect.field,
        places=suspect.places,
        weight=suspect.weight,
        excluding=moves.get(suspect.code),
    )


def _declared_note(
    code: str, levels: list[str], builds: list[str], known: tuple[KnownFault, ...], evidence: Evidence
) -> str | bool | None:
    """The note of a declared fault that something is an instance of, or that there is one."""
    for fault in known:
        touched = fault.level is None or fault.level in levels
        built = fault.build is None or fault.build in (builds or evidence.builds)
        if fault.code == code and touched and built:
            return fault.note or True
    return None


def count_weighty(document: AuditTotals, weight: str) -> int:
    """How many findings and suspects, each code once, weigh at least so much and are not declared as known."""
    order = ("low", "medium", "high")
    heavy = order[order.index(weight) :]
    rows: list[Detail | SuspectRow] = [*document["suspects"], *document["details"]]
    return len({row["code"] for row in rows if row["weight"] in heavy and row["known"] is None})


def has_weighty(document: AuditTotals, weight: str) -> bool:
    """Return whether anything at least as weighty as ``weight`` was found that is not declared as known."""
    return count_weighty(document, weight) > 0
