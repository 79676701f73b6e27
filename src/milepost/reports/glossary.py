"""The glossary of the report's figures, each with its rule; docs/definitions.md has them exactly."""

from __future__ import annotations

from typing import Final, NamedTuple


class Definition(NamedTuple):
    """A figure or a word of the report: what it means, and the rule or source behind it."""

    term: str
    meaning: str
    rule: str = ""


DEFINITIONS: Final = (
    Definition(
        "a try clears",
        "The chance that one try clears: clears over settled tries.",
        "The interval allows for the tries of one player being alike (linearised ratio variance); at 0 or 1, Clopper–Pearson.",
    ),
    Definition(
        "answers: agreement",
        "Whether who needs more tries also answers higher: a rank correlation over pairs of player and level.",
        "Spearman; players drawn 1,000 times for the interval.",
    ),
    Definition(
        "answers: felt harder than it plays",
        "Where the answers put a level among the others, less where its tries put it, by more than chance.",
        "Standard deviations between levels; both errors in the interval.",
    ),
    Definition(
        "attempt, try",
        "From the start of a level to its end: cleared, failed (a death or a reset), left, or cut off. A settled try "
        "cleared or failed.",
        "By player; tries after the first clear are re-runs, and in no first-clear figure.",
    ),
    Definition("cleared", "Players who cleared the level at least once.", "A clear that fires again at once counts once."),
    Definition(
        "cost",
        "Players who would still be playing at the end, had the level been as its surroundings lead one to expect.",
        "The fitted model, played through.",
    ),
    Definition("coverage", "Which levels and moves were hardly tested, and the minutes of play that it takes to reach them."),
    Definition(
        "deaths, per player",
        "Deaths over players who reached the level; re-runs count here.",
        "A death right after a failure is a repeat, and dropped.",
    ),
    Definition(
        "difficulty",
        "How hard a level is, adjusted for who got there, in logits: one more takes a try that clears 1 time in 2 to "
        "about 1 in 4.",
        "A model of each try: skill of the player, difficulty of the level, learning from try to try.",
    ),
    Definition(
        "evidence",
        "How sure a verdict is. Strong: of the levels named like this up to 2 in 100 are expected to be false; fair: "
        "up to 15; weak: more.",
        "Expected share of false claims, from the model of the course.",
    ),
    Definition(
        "few players",
        "Figures of fewer players than the least number are marked *, and nothing is claimed of them.",
        "--min-players, 5 unless said otherwise.",
    ),
    Definition(
        "half need, half take",
        "Tries, or seconds, until half of the players have cleared. “Not yet”: fewer than half had.",
        "Kaplan–Meier: who had not cleared when they stopped counts as not cleared so far.",
    ),
    Definition(
        "interval",
        "Where the figure may lie, 95 %.",
        "Wilson for shares, Greenwood for who is still there, Student for means, Brookmeyer–Crowley for medians of targets.",
    ),
    Definition(
        "lost, drop-off",
        "Players who stopped at a level for good, by quitting or with an unknown end; drop-off is their share of "
        "those who reached it.",
        "Who was cut short by the clock or a crash, or finished, is held against no level.",
    ),
    Definition(
        "met, missed, undecided",
        "Whether a target came true. Met: the measured value fulfils it. Missed: neither it nor any value of its interval does.",
        "Players to tell: intervals shrink with the root of their number.",
    ),
    Definition(
        "move",
        "A step from one level to another: advance, return, setback, skip, entry, exit, repeat.",
        "By the order of the course; a setback costs the re-runs until the player is back.",
    ),
    Definition(
        "new since",
        "Figures that moved by more than 1.96 of their noise since the earlier report.",
        "With shared sessions the difference of the variances, else their sum.",
    ),
    Definition("reached", "Players with an attempt in the level."),
    Definition(
        "spike, dip, step",
        "A level that is harder, or easier, than the levels around it lead one to expect, beyond the course's own "
        "unevenness; a step begins a stretch that stays harder.",
        "At least half a logit, and likelier than not by the model of the course.",
    ),
    Definition(
        "still there (retention)",
        "The share of players that would still be playing after a level if no test had been cut short.",
        "The product of one minus drop-off over the levels so far.",
    ),
    Definition(
        "stopped",
        "The furthest level of a player who has not cleared the last one, by why the last session ended.",
        "Quit, time up, crash, finished, skip, unknown.",
    ),
    Definition(
        "time to clear",
        "Active time of all attempts up to the first clear; pauses and what lies between attempts are left out.",
        "From the level's load, or its first input: --clock.",
    ),
)
