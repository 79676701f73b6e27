"""What the words of the report mean, in short; docs/definitions.md has them exactly."""

from __future__ import annotations

from typing import Final

DEFINITIONS: Final = (
    ("Attempt, try", "From the start of a level to its end: cleared, failed (a death or a reset), left, or cut off. A settled try is one that cleared or failed. Figures are by player and count tries up to the first clear; later ones are re-runs."),  # noqa: E501
    ("Reached, cleared", "Players with an attempt in the level; those of them who cleared it at least once."),
    ("Lost, drop-off", "Players who stopped at a level, for good, by quitting or with an unknown end; drop-off is their share of those who reached it. Who was cut short by the clock, a crash, or finished, is held against no level."),  # noqa: E501
    ("Still there (retention)", "The share of players that would still be playing after a level if no test had been cut short: the product of one minus drop-off over the levels so far. Its interval is Greenwood's."),  # noqa: E501
    ("A try clears (clear rate of a try)", "Clears over settled tries. Its interval allows for the tries of one player being alike."),  # noqa: E501
    ("Tries or time that half need", "By Kaplan–Meier: players who had not cleared when they stopped count as not cleared so far (censored), neither dropped nor taken for clears. “Not yet”: fewer than half had."),  # noqa: E501
    ("Time to clear", "Active time of all attempts up to the first clear; pauses and what lies between attempts are left out."),
    ("Difficulty", "In logits, from a model of each try: skill of the player, difficulty of the level, learning from try to try. Strong players who are the only ones to reach late levels do not make them look easy. A logit more takes a try that clears 1 time in 2 to about 1 in 4."),  # noqa: E501
    ("Spike, dip, step", "A level that is harder, or easier, than the levels around it lead one to expect, beyond the course's own unevenness; a step begins a stretch that stays harder."),  # noqa: E501
    ("Evidence", "Strong: of the levels named like this, up to 2 in 100 are expected to be false; fair: up to 15 in 100; weak: more."),  # noqa: E501
    ("Cost", "Players who would still be playing at the end, had the level been as its surroundings lead one to expect, by the model."),  # noqa: E501
    ("Intervals", "95 %. Figures of fewer players than the least number are marked *, and nothing is claimed of them."),
)
