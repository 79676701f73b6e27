"""Sentences to read before any figure: assumptions that the log contradicts, and records not understood or not used."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from typing import Final, TypedDict

from milepost.audit.suspect_timing import guess_unit
from milepost.errors import LogError
from milepost.measures.cells import Attendance
from milepost.measures.funnel import Funnel
from milepost.measures.funnel_counts import FunnelCounts
from milepost.measures.raw import RawCounts
from milepost.measures.time_counts import TypicalTimes
from milepost.memory import SMALL
from milepost.playback.play import Kinds, Play, Summed
from milepost.playback.tallies import SessionMarks, Tallies, finding_counts, get_tallies, unknown_words
from milepost.vocabulary import BIT, DROPPED, FINDINGS
from milepost.wording import listed, number, percent, plural, safe, words

MANY_RECORDS: Final = 0.05  # of all; a finding that takes more is of high weight
_MANY_SESSIONS: Final = 0.2  # of all; a finding in as many is of high weight where a figure moves by more than the next
_FIVE_POINTS: Final = 0.05
# Findings by which a record, or a field of it, is not used.
TAKING: Final = {"unreadable_record", "bad_field", "unknown_level"} | {code for code, bit in BIT.items() if bit & DROPPED}
_NUMBERS: Final = {finding.code: number for number, finding in enumerate(FINDINGS)}
NEEDED: Final[Kinds] = (Tallies, SessionMarks, Attendance, TypicalTimes, FunnelCounts, RawCounts)  # what has to be counted for it
_SUSPECTS_SAID: Final = frozenset({"funnel", "attempts", "times"})  # the commands that say what leaving out a suspect would move
_FEW: Final = 20  # sessions for each finding whose code alone is of high weight that is not worth a sentence
_MOST_WORDS: Final = 6
_SHARES: Final = {"clear_rate": "clear rate", "drop_off": "drop-off", "try_clear": "chance that a try clears"}


def count_all_records(play: Summed) -> int:
    """How many records the log has, those that could not be read among them."""
    return get_tallies(play).records + play.about.refused


def share_taken(play: Summed, code: str) -> float:
    """The share of all records that a finding takes; 0 for findings that take none."""
    count = finding_counts(play).get(code, 0) if code in TAKING else 0
    return count / count_all_records(play) if count else 0.0


def finding_weights(play: Summed) -> dict[str, str]:
    """The weight of each finding of a play by its code.

    A finding that takes more than a twentieth of the records is of high weight, and so is one that takes any in a fifth of the
    sessions, also at a level where cleaning moves a figure by more than five points.
    """
    return dict(play.compute_once(_finding_weights))


def _finding_weights(play: Summed) -> dict[str, str]:
    counts = finding_counts(play)
    weights = {finding.code: finding.weight for finding in FINDINGS if finding.code in counts}
    weights |= {code: "high" for code in weights if share_taken(play, code) > MANY_RECORDS}
    moving = find_levels_moved(play)
    return weights | {code: "high" for code in weights if _moves(play, code, moving)}


def _moves(play: Summed, code: str, moving: Mapping[int, tuple[str, float, float]]) -> bool:
    tally = get_tallies(play).findings.get(_NUMBERS[code]) if code in TAKING else None
    sessions = play.sums(SessionMarks).sessions
    return tally is not None and tally.sessions >= _MANY_SESSIONS * sessions and not tally.levels.isdisjoint(moving)


def find_levels_moved(play: Summed) -> dict[int, tuple[str, float, float]]:
    """The levels at which cleaning moves a figure by more than five points: by place, the figure, raw and clean."""
    rows, raw, players = play.compute_once(Funnel()).rows, play.summary(RawCounts), max(1, play.sums(Attendance).players)
    moved: dict[int, tuple[str, float, float]] = {}
    for place, row in enumerate(rows):
        reached = int(raw.reached[place])
        figures = [("reached", reached / players, row["reached"] / players)]
        if reached and row["clear_rate"] is not None and row["drop_off"] is not None:
            figures += [
                ("clear_rate", int(raw.cleared[place]) / reached, row["clear_rate"]),
                ("drop_off", int(raw.lost[place]) / reached, row["drop_off"]),
            ]
        for name, before, after in figures:
            if abs(before - after) > _FIVE_POINTS + 1e-9:
                moved.setdefault(place, (name, before, after))
    return moved


class Caution(TypedDict):
    """Something to know before the figures: its code, a sentence, and whether it stands before all else."""

    code: str
    sentence: str
    first: bool


def list_cautions(play: Summed, command: str) -> list[Caution]:
    """Return the sentences to read before a play's figures, in their order.

    Args:
        play: the play.
        command: whose figures they are.
    """
    cautions = play.compute_and_keep(
        "cautions", lambda replayed: [*_assumptions(replayed), *_heavy(replayed), *_list_unknown_words(replayed)]
    )
    if command in _SUSPECTS_SAID and not play.conditions and not play.per_run:
        return cautions + play.compute_and_keep("moving-suspects", lambda replayed: list(_suspects(replayed)))
    return cautions


def require_used(play: Summed) -> None:
    """Refuse a log of which no record is used.

    Raises:
        LogError: none is.
    """
    tallies = get_tallies(play)
    if tallies.records > tallies.dropped or not count_all_records(play):
        return
    losses = [f"{code} {count:,}" for code, count in finding_counts(play).items() if code in TAKING]
    strange = [safe(word) for word in list(unknown_words(play))[:_MOST_WORDS]]
    hint = f" Its event words are {listed(strange)}: a log map says what they mean (milepost map drafts one)." if strange else ""
    raise LogError(f"No record could be used: {', '.join(losses)}.{hint}")


def _assumptions(play: Summed) -> Iterator[Caution]:
    """Check that the log has tries and clears, that the course is a line, and that times are seconds."""
    times = play.sums(TypicalTimes)
    if not times.attempts:
        yield _build_caution(
            "no_attempt", "No try at a level was found in this log, so there are no figures. Does it say when a level begins?"
        )
    elif not times.clears and not (play.n_levels and play.about.open_levels.all()):
        tries = plural(times.attempts, "try", "tries")
        why = "either nobody did, or the log's word for it is not known. milepost map lists its words."
        yield _build_caution("no_clear", f"No try in this log clears a level, of {tries}: {why}")
    counts = finding_counts(play)
    gone = sum(counts.get(code, 0) for code in ("unknown_event", "duplicate_record", "foreign_actor"))
    cut, left = counts.get("after_skip", 0), get_tallies(play).records - gone
    if left and cut > MANY_RECORDS * left:
        statement = f"{cut:,} of {left:,} records ({percent(cut / left)}) come after a skip and were left out"
        would_do = "say in the course which levels are optional or share a leg (milepost course drafts that)"
        sentence = f"{statement}. The course may be no line: {would_do}, or count what follows a skip with --shortcuts keep."
        yield _build_caution("after_skip", sentence)
    moved_on = counts.get("advance_without_clear", 0)
    if moved_on > MANY_RECORDS * (times.clears + moved_on) and times.clears:
        how = f"{moved_on:,} times a player moved on from a level that no clear was logged of, beside {times.clears:,} clears"
        statement = "Clears may be missing: --implied-complete counts moving on as a clear"
        yield Caution(code="advance_without_clear", sentence=f"{how}. {statement}.", first=False)
    guess = guess_unit(play)
    if guess is not None:
        yield Caution(code="time_unit", sentence=f"{guess.why[0].upper()}{guess.why[1:]}.", first=False)


def _build_caution(code: str, sentence: str) -> Caution:
    return Caution(code=code, sentence=sentence, first=True)


def _heavy(play: Summed) -> Iterator[Caution]:
    """Findings of high weight."""
    counts, weights = finding_counts(play), finding_weights(play)
    sessions = play.sums(SessionMarks).sessions
    for finding in FINDINGS:
        code = finding.code
        if weights.get(code) != "high" or code in ("after_skip", "unknown_event"):
            continue
        share = share_taken(play, code)
        if share > MANY_RECORDS:
            taken = f"{counts[code]:,} of {count_all_records(play):,} records ({percent(share)})"
            sentence = f"{code}: {taken}, {finding.meaning}; {finding.done}."
        elif finding.weight == "high":
            if counts[code] <= max(1, sessions // _FEW):
                continue
            sentence = f"{code}: {counts[code]:,}, {finding.meaning}; {finding.done}."
        else:
            sentence = f"{code}: in {_moving(play, code, sessions)}; {finding.done}."
        yield Caution(code=code, sentence=sentence, first=False)


def _moving(play: Summed, code: str, sessions: int) -> str:
    """In how many sessions a finding stands, and which figure moves furthest where it does."""
    tally = next(tally for number, tally in get_tallies(play).findings.items() if FINDINGS[number].code == code)
    moving = find_levels_moved(play)
    place = max(tally.levels & moving.keys(), key=lambda level: abs(moving[level][1] - moving[level][2]))
    figure, raw, clean = moving[place]
    where = f"{safe(play.stops[place])}, where cleaning moves the {_name(figure)} from {percent(raw)} to {percent(clean)}"
    return f"{percent(tally.sessions / sessions)} of the sessions, also at {where}"


def _name(figure: str) -> str:
    return "share of players who got there" if figure == "reached" else words(figure)


def _list_unknown_words(play: Summed) -> Iterator[Caution]:
    """Event words that neither the list nor the map has."""
    strange = sorted(unknown_words(play).items(), key=lambda item: (-item[1], item[0]))
    if not strange:
        return
    records = sum(count for _, count in strange)
    named = [f"{safe(word)} {count:,}" for word, count in strange[:_MOST_WORDS]]
    named += [plural(len(strange) - _MOST_WORDS, "more word")] if len(strange) > _MOST_WORDS else []
    share = f"{plural(records, 'record')} ({percent(records / count_all_records(play))})"
    sentence = (
        f"{share} with event words that were not understood: {listed(named)}. A log map gives them a meaning (milepost map)."
    )
    yield Caution(code="unknown_event", sentence=sentence, first=False)


def _suspects(play: Summed) -> Iterator[Caution]:
    """Yield a caution for each suspect whose leaving out would change a figure by more than five points."""
    if not isinstance(play, Play) or count_all_records(play) > SMALL:
        sentence = "What leaving out suspects would change was not worked out for a log of this size: milepost check lists them."
        yield Caution(code="suspects", sentence=sentence, first=False)
        return
    from milepost.audit.exclusion_effects import measure_exclusion_effects

    left_out = play.about.exclusion.codes if play.about.exclusion is not None else ()
    for code, moved in measure_exclusion_effects(play.before or play).items():
        far = [
            (abs(row["without"] - row["with"]), row)
            for row in moved or ()
            if row["figure"] in _SHARES and row["with"] is not None and row["without"] is not None
        ]
        size, most = max(far, key=lambda pair: pair[0], default=(0.0, None))
        if most is None or size <= _FIVE_POINTS + 1e-9 or code in left_out:
            continue
        change = f"{_SHARES[most['figure']]} at {safe(most['level'])} from {percent(most['with'])} to {percent(most['without'])}"
        several = f", and {number(len(moved or ()) - 1)} more figures" if len(moved or ()) > 2 else ""
        sentence = f"{code} looks odd: leaving it out (--exclude {code}) would change the {change}{several}."
        yield Caution(code=code, sentence=sentence, first=False)
