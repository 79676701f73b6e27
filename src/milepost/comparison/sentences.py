"""A comparison in sentences: what got easier or harder, whether all moved, and what cannot be told."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from statistics import NormalDist
from typing import TYPE_CHECKING

from milepost.comparison.row_types import Arms, CompareRow, CompareTotals, OwnChoice
from milepost.wording import listed, logits, number, percent, plural, safe

if TYPE_CHECKING:
    from milepost.cleaning.splitting import Split

_NAMED = 3
_SKILLS = tuple(NormalDist().inv_cdf((n + 0.5) / 40) for n in range(40))


def chance_of_clearing(difficulty: float, spread: float) -> float:
    """The chance that a first try clears, over players whose skill spreads like this."""
    from math import exp

    return sum(1 / (1 + exp(max(-700.0, min(700.0, difficulty - spread * skill)))) for skill in _SKILLS) / len(_SKILLS)


def word_in_tries(before: float, change: float, spread: float) -> str:
    """A change of difficulty as first tries: of 10, so many more clear."""
    away = chance_of_clearing(before + change, spread) - chance_of_clearing(before, spread)
    base = 10 if abs(away) >= 0.05 else 100
    count = round(base * abs(away))
    if not count:
        return "hardly a first try in 100 goes otherwise"
    return f"of {base} first tries, {count} {'more' if away > 0 else 'fewer'} {'clears' if count == 1 else 'clear'}"


def word_level(row: CompareRow, spread: float, phrases: Phrases) -> str | None:
    """Return the sentence on a level that got harder or easier; None for other levels."""
    before, delta = row["from"], row["delta"]
    if row["verdict"] not in ("harder", "easier"):
        return None
    claim, knobs = f"{row['level']} {phrases.verdict(row['verdict'])}", _knobs(row) if phrases.causal else ""
    if row["delta_high"] is None or row["delta_low"] is None:
        return f"{claim}: nobody cleared it {phrases.gone[row['verdict'] == 'harder']}.{knobs}"
    difficulty = before["difficulty"] if before is not None else None
    tries = word_in_tries(difficulty or 0.0, delta or 0.0, spread)
    return f"{claim}: {tries} ({_span(row['delta'], row['delta_low'], row['delta_high'])}).{knobs}"


def _knobs(row: CompareRow) -> str:
    changes = [f"{knob['knob']} went from {knob['from']} to {knob['to']}" for knob in row["knobs"]]
    if not changes:
        return ""
    return f" Likely: {changes[0]}." if len(changes) == 1 else f" Changed there: {listed(changes)}."


def _span(value: float | None, low: float | None, high: float | None) -> str:
    if value is None or low is None or high is None:
        return "not known"
    return f"{logits(value, plus=True)} logits, {logits(low, plus=True)} to {logits(high, plus=True)}"


def write_sentences(rows: Sequence[CompareRow], totals: CompareTotals, spread: float, phrases: Phrases) -> list[str]:
    """The comparison, what matters most first."""
    strongest = sorted(rows, key=lambda row: -abs(row["delta"] or 0.0))
    lines = [
        sentence
        for verdict in ("easier", "harder")
        for row in strongest
        if row["verdict"] == verdict and (sentence := row["sentence"])
    ]
    if not lines:
        lines = ["Too few players to say that any level got harder or easier than the others did."]
        lines = lines if phrases.builds else ["Too few players to say that any level is harder or easier than the others are."]
    first = [*_dealt(totals, phrases), *_chosen(phrases)]
    last = [*_list_other_sentences(rows, phrases), *_word_kept(totals, phrases)]
    return [*first, *lines, *_shift(totals, spread, phrases), *_word_same(rows), *_untold(rows, phrases), *last]


def _dealt(totals: CompareTotals, phrases: Phrases) -> list[str]:
    """Return a sentence if sides said to be drawn by lot were not."""
    dealt = totals["compared"]["dealt"]
    if dealt is None or dealt["believed"]:
        return []
    counts = f"{dealt['from']} {phrases.sides[0]} and {dealt['to']} {phrases.sides[1]}"
    p = "less than 0.0001" if dealt["p_value"] < 0.0001 else f"{dealt['p_value']:.4f}"
    asked = "these shares" if totals["compared"]["unit"] == "session" else "such shares of tries"
    return [f"Not by lot: {counts}, and a lot gives {asked} with a chance of {p}. So nothing is claimed of any level."]


def _chosen(phrases: Phrases) -> list[str]:
    """Return the sentence that the players' choice and their skill cannot be separated."""
    if phrases.causal:
        return []
    key = safe(phrases.key)
    return [
        f"Players may have chosen their {key}: what it does and who chose it cannot be told apart (--assigned says otherwise)."
    ]


def word_choice(choice: OwnChoice, before: str, after: str) -> list[str]:
    """Return what players who tried both by their own choice say."""
    lines, within = [], choice["within"]
    for change in choice["changes"]:
        where = f", most at {safe(change['level'])}" if change["level"] else ""
        lines.append(
            f"{plural(change['players'], 'player')} changed from {safe(change['from'])} to {safe(change['to'])}, "
            f"{change['after_failure']} of {plural(change['changes'], 'time')} right after a failure{where}."
        )
    if within is None or within["size"] is None or within["low"] is None or within["high"] is None:
        players = plural(choice["players"], "player") if choice["players"] else "Nobody"
        return [*lines, f"{players} tried both: too few to tell the two apart within players."]
    span = _span(within["size"], within["low"], within["high"])
    sides = f"a try with {safe(after)} beside one with {safe(before)}"
    if within["low"] <= 0 <= within["high"]:
        finding = f"nothing says that {sides} is harder or easier ({span})"
    else:
        finding = f"{sides} is {'harder' if within['size'] > 0 else 'easier'} ({span})"
    return [*lines, f"Within the {choice['players']} players who tried both, {finding}. They changed when they chose to."]


def word_arms(arms: Arms) -> list[str]:
    """Return what tries before and after a player saw a second arm say, apart."""
    lines = []
    for name, arm in (("Until a player saw a second arm", arms["first"]), ("From then on", arms["later"])):
        if arm["size"] is None or arm["low"] is None or arm["high"] is None:
            lines.append(f"{name}: {plural(arm['tries'], 'try', 'tries')}, and no level was tried with both.")
        else:
            lines.append(f"{name}, in {plural(arm['tries'], 'try', 'tries')}: {_span(arm['size'], arm['low'], arm['high'])}.")
    return lines


def _shift(totals: CompareTotals, spread: float, phrases: Phrases) -> list[str]:
    shift, compared = totals["shift"], totals["compared"]
    size, low, high = shift["size"], shift["low"], shift["high"]
    if size is None or low is None or high is None:
        return ["No level was tried in both, so there is nothing to set side by side."]
    if low <= 0 <= high:
        moved = "moved together" if phrases.builds else "differ together"
        lines = [f"Nothing says that all levels {moved} ({_span(size, low, high)})."]
    else:
        direction, tries = "harder" if size > 0 else "easier", word_in_tries(0.0, size, spread)
        moved = f"{phrases.verdict_of_all(direction)}: {tries} ({_span(size, low, high)})."
        if shift["reading"] != "game" and phrases.builds:
            moved += " That may be the game, or other players: the log cannot tell the two apart."
        if phrases.builds and not compared["untouched"]:
            moved += " Most levels changed alike would look the same; name levels that nobody touched with --untouched."
        lines = [moved]
    if shift["practice"] is not None:
        practice = shift["practice"]
        span = _span(-practice["size"], -practice["high"], -practice["low"])
        lines.append(f"To players who came back, a level that they had seen is harder by {span} (− is easier).")
    elif shift["players_both"] >= 5 and compared["unit"] == "session":
        both = shift["players_both"]
        lines.append(f"{both} players played both; how much easier a level is that they had seen cannot be told from the shift.")
    return lines


def _word_same(rows: Sequence[CompareRow]) -> list[str]:
    same = [row["level"] for row in rows if row["verdict"] == "same"]
    return [f"The same for all that matters: {_names(same)}."] if same else []


def _names(names: list[str]) -> str:
    return listed(names if len(names) <= _NAMED else [*names[:_NAMED], plural(len(names) - _NAMED, "more level")])


def _untold(rows: Sequence[CompareRow], phrases: Phrases) -> list[str]:
    untold = [row for row in rows if row["verdict"] == "no_telling"]
    if not untold:
        return []
    needed = [count for row in untold if (count := row["players_needed"])]
    enough = ""
    if needed:
        least, most = number(min(needed)), number(max(needed))
        span = least if least == most else f"{least} to {most}"
        enough = f" To tell what is seen there would take {span} players {phrases.each}."
    return [f"Too few players to say at {_names([row['level'] for row in untold])}.{enough}"]


def _list_other_sentences(rows: Sequence[CompareRow], phrases: Phrases) -> list[str]:
    lines, where = [], "" if phrases.builds else f" {phrases.sides[1]}"
    for verdict, text in (("longer", "takes longer"), ("shorter", "takes less time")):
        names = [row["level"] for row in rows if row["time_verdict"] == verdict]
        if names:
            lines.append(f"The try that clears {text}{where} at {_names(names)}.")
    for verdict in ("more", "fewer"):
        names = [row["level"] for row in rows if row["quit_verdict"] == verdict]
        if names:
            lines.append(f"{verdict.capitalize()} quit after a try{where} at {_names(names)}.")
    for status, text in (("added", phrases.only[1]), ("removed", phrases.only[0])):
        names = [row["level"] for row in rows if row["status"] == status]
        if names:
            lines.append(f"{text}: {_names(names)}.")
    moved = [row["level"] for row in rows if row["moved"]]
    return lines + ([f"Standing elsewhere: {_names(moved)}."] if moved else [])


def _word_kept(totals: CompareTotals, phrases: Phrases) -> list[str]:
    kept = totals["kept_at_end"]
    change = kept["change"]
    if kept["from"] is None or kept["to"] is None:
        return []
    span = ""
    if change is not None:
        word = "change" if phrases.builds else "difference"
        span = f", a {word} of {100 * change['low']:+.0f} to {100 * change['high']:+.0f} points".replace("-", "−")
    return [
        f"Still there at the end: {percent(kept['from'])} {phrases.sides[0]}, {percent(kept['to'])} {phrases.sides[1]}{span}."
    ]


@dataclass(frozen=True)
class Phrases:
    """Words for two sides.

    Attributes:
        key: by what they differ.
        before, after: their values.
        causal: whether the side may be named as the cause: of builds, and of what was given to players and not chosen by them.
    """

    key: str
    before: str
    after: str
    causal: bool

    @classmethod
    def of(cls, split: Split, arranged: bool) -> Phrases:
        """Return the phrases of a split; ``arranged`` says that no player chose a side."""
        return cls(split.key, split.before, split.after, split.key == "build" or arranged)

    @property
    def builds(self) -> bool:
        """Return whether they are builds, of which one comes after the other."""
        return self.key == "build"

    def verdict(self, word: str) -> str:
        """Return the phrase for a level that is harder or easier."""
        return f"got {word}" if self.builds else f"is {word} with {self._after} than with {self._before}"

    def verdict_of_all(self, word: str) -> str:
        """Return the phrase for all levels together, harder or easier."""
        return f"All levels got {word}" if self.builds else f"All levels are {word} with {self._after} than with {self._before}"

    @property
    def gone(self) -> tuple[str, str]:
        """Return the phrases for a level that nobody cleared on the one side, and on the other."""
        return ("before", "any more") if self.builds else (f"with {self._before}", f"with {self._after}")

    @property
    def sides(self) -> tuple[str, str]:
        """Behind figures of either side."""
        return ("before", "after") if self.builds else (f"with {self._before}", f"with {self._after}")

    @property
    def only(self) -> tuple[str, str]:
        """Return the phrases for levels that only one side has, and only the other."""
        return ("Gone", "New") if self.builds else (f"Only with {self._before}", f"Only with {self._after}")

    @property
    def each(self) -> str:
        """In each of the two."""
        return "in each build" if self.builds else f"with each {safe(self.key)}"

    @property
    def _before(self) -> str:
        return safe(self.before)

    @property
    def _after(self) -> str:
        return safe(self.after)
