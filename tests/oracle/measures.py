"""Naive measures, straight from the definitions, over the naive replay's attempts."""

from collections import Counter
from math import exp, log, sqrt
from statistics import median

from scipy.stats import beta

from oracle import legs

Z = 1.959963984540054
CAUSES = ("quit", "time_up", "crash", "finished", "skip", "unknown")
SETTLED = ("complete", "death", "reset")


def wilson(k, n):
    if n == 0:
        return None, None
    p, z2 = k / n, Z * Z
    centre = (p + z2 / 2 / n) / (1 + z2 / n)
    half = Z * sqrt(p * (1 - p) / n + z2 / 4 / n / n) / (1 + z2 / n)
    return centre - half, centre + half


def exact(k, n):
    low = 0.0 if k == 0 else float(beta.ppf(0.025, k, n - k + 1))
    return low, 1.0 if k == n else float(beta.ppf(0.975, k + 1, n - k))


class Play:
    """The naive play with the players who count."""

    def __init__(self, play, still_open=(), void=lambda attempt, play: False, course=None):
        self.open = set(still_open)
        for attempt in play["attempts"]:
            attempt["void"] = void(attempt, play)
        self.names, self.sessions = play["names"], play["sessions"]
        course = dict(course or {}, level=(course or {}).get("level") or [{"name": name} for name in self.names])
        course["level"] = [level | {"open": level["name"] in self.open} for level in course["level"]]
        self.legs = legs.legs(course)
        everyone = list(dict.fromkeys(s["player"] for s in self.sessions))
        tried = {a["player"] for a in play["attempts"] if a["level"] in self.names}
        self.players = [player for player in everyone if player in tried]
        self.attempts = [a for a in play["attempts"] if a["player"] in tried]
        self.moves = [m for m in play["moves"] if m["player"] in tried]
        self.first = [a for a in self.attempts if not a["rerun"]]
        tried_levels = {a["level"] for a in self.attempts}
        self.shown = [*self.names, *(level for level in tried_levels if level not in self.names)]

    def own(self, player, level):
        return [a for a in self.first if a["player"] == player and a["level"] == level]

    def by_player(self, level):
        rows = [self.own(player, level) for player in self.players]
        return [row for row in rows if row]


def funnel(play, censor=False):
    reached = {p: [a["level"] for a in play.attempts if a["player"] == p and a["level"] in play.names] for p in play.players}
    cleared = {p: {a["level"] for a in play.attempts if a["player"] == p and a["outcome"] == "complete"} for p in play.players}
    rows, survival, greenwood = [], 1.0, 0.0
    number = {level["name"]: n for n, leg in enumerate(play.legs) for level in leg["levels"]}
    frontier = {p: max((number[x] for x in reached[p]), default=None) for p in play.players}
    order = {p: [a["level"] for a in play.attempts if a["player"] == p] for p in play.players}
    done = {p: {n for n, leg in enumerate(play.legs) if legs.is_done(leg, cleared[p])} for p in play.players}
    last_leg = max((n for n, leg in enumerate(play.legs) if leg["way"]), default=None)
    at = {p: [x for x in order[p] if number.get(x) == frontier[p]][-1] for p in play.players}
    by_name = {level["name"]: level for leg in play.legs for level in leg["levels"]}

    def later(p, level):
        """Whether the player has an attempt in a later leg, or in another level of the leg after the first clear of this one."""
        clear = next(n for n, a in enumerate(play.attempts) if (a["player"], a["level"], a["outcome"]) == (p, level, "complete"))
        rest = [a["level"] for a in play.attempts[clear:] if a["player"] == p and a["level"] != level]
        return frontier[p] > number[level] or any(number.get(x) == number[level] for x in rest)

    for level in play.names:
        here = [p for p in play.players if level in reached[p]]
        cleared_it = [p for p in here if level in cleared[p]]
        row = {"level": level, "reached": len(here), "cleared": len(cleared_it)}
        row["clear_rate"] = len(cleared_it) / len(here) if here else None
        row["clear_rate_low"], row["clear_rate_high"] = wilson(len(cleared_it), len(here))
        row["moved_on"] = sum(later(p, level) for p in cleared_it)
        able = sum(frontier[p] >= number[level] for p in play.players)
        row |= {"leg": play.legs[number[level]]["called"], "route": by_name[level].get("route"), "able": able}
        row |= {"optional": bool(by_name[level].get("optional")), "went": len(here) / able if able else None}
        row["went_low"], row["went_high"] = wilson(len(here), able)
        row["share"] = len(here) / len(play.players) if play.players else None
        stopped = [p for p in play.players if at[p] == level and last_leg not in done[p]]
        causes, places, elsewhere = Counter(), Counter(), 0
        row["stopped_open"] = len(stopped) if level in play.open else 0
        for p in stopped:
            causes[[s for s in play.sessions if s["player"] == p][-1]["cause"]] += 1
            last = [a for a in play.attempts if a["player"] == p][-1]
            outcome = last["outcome"]
            places[
                "after_clear"
                if number[level] in done[p]
                else "after_failure"
                if outcome in ("death", "reset")
                else "between"
                if outcome in ("left", "complete")
                else "mid_attempt"
            ] += 1
            elsewhere += last["level"] != level
        for cause in CAUSES:
            row[f"stopped_{cause}"] = causes[cause]
        for where in ("after_clear", "mid_attempt", "after_failure", "between"):
            row[f"stopped_{where}"] = places[where]
        row["stopped_elsewhere"] = elsewhere
        if level in play.open:
            row.update({key: None for key in row if key.startswith("clear_rate")})
            causes.clear()
            row.update({key: 0 for key in row if key.removeprefix("stopped_") in CAUSES})
        lost = row["lost"] = causes["quit"] + (0 if censor else causes["unknown"])
        row["drop_off"] = lost / len(here) if here else None
        row["drop_off_low"], row["drop_off_high"] = wilson(lost, len(here))
        if level in play.open:
            row.update({key: None for key in row if key.startswith("drop_off")})
        rows.append(row)
    for n in range(len(play.legs)):
        own = [row for row in rows if number[row["level"]] == n]
        lost, here = sum(row["lost"] for row in own), sum(any(number[x] == n for x in reached[p]) for p in play.players)
        if here:
            survival *= 1 - lost / here
            greenwood += lost / here / (here - lost) if lost < here else 0
        for row in own:
            row["retention"], row["retention_low"], row["retention_high"] = survival, None, None
            if 0 < survival < 1:
                half = Z * sqrt(greenwood) / abs(log(survival))
                row["retention_low"], row["retention_high"] = survival ** exp(half), survival ** exp(-half)
    return rows


def funnel_legs(play):
    """Per leg: who reached it, who did it, and whose first attempt in it was at which level."""
    rows = []
    for leg in play.legs:
        names = [level["name"] for level in leg["levels"]]
        own = {p: [a["level"] for a in play.attempts if a["player"] == p and a["level"] in names] for p in play.players}
        here = [p for p in play.players if own[p]]
        clears = {p: {a["level"] for a in play.attempts if a["player"] == p and a["outcome"] == "complete"} for p in here}
        first = {name: sum(own[p][0] == name for p in here) for name in names}
        rows.append((leg["called"], names, len(here), sum(legs.is_done(leg, clears[p]) for p in here), first))
    return rows


def curve(values):
    """[(value, at risk, events, survival)] of (value, happened) pairs."""
    steps, survival = [], 1.0
    for value in sorted({v for v, _ in values}):
        at_risk = sum(v >= value - 1e-9 for v, _ in values)
        events = sum(abs(v - value) <= 1e-9 and happened for v, happened in values)
        if steps and value - steps[-1][0] <= 1e-9:
            continue
        survival *= 1 - events / at_risk
        steps.append((value, at_risk, events, survival))
    return steps


def quantile(steps, q):
    return next((value for value, _, _, survival in steps if survival <= 1 - q + 1e-9), None)


def attempts(play):
    rows = []
    for level in play.shown:
        counts = []
        for own in play.by_player(level):
            settled = [a for a in own if a["outcome"] in SETTLED and not a["void"]]
            if settled:
                counts.append((len(settled), any(a["outcome"] == "complete" for a in settled)))
        n, first = len(counts), sum(k == 1 and done for k, done in counts)
        tries, clears = sum(k for k, _ in counts), sum(done for _, done in counts)
        row = {"level": level, "settled": tries, "clears": clears}
        row["first_try"] = first / n if n else None
        row["first_try_low"], row["first_try_high"] = wilson(first, n)
        row["try_clear"] = clears / tries if tries else None
        row["try_clear_low"], row["try_clear_high"] = try_interval(counts, n, tries, clears)
        steps = curve(counts)
        for q in (25, 50, 75, 90):
            row[f"p{q}"] = quantile(steps, q / 100)
        row["distribution"] = []
        for k in range(1, max((k for k, _ in counts), default=0) + 1):
            survival = [s for value, _, _, s in steps if value <= k]
            row["distribution"].append(
                {
                    "k": k,
                    "at_risk": sum(v >= k for v, _ in counts),
                    "cleared": sum(v == k and d for v, d in counts),
                    "survival": survival[-1] if survival else 1.0,
                }
            )
        rows.append(row)
    return rows


def try_interval(counts, n, tries, clears):
    if n == 0:
        return None, None
    if n == 1:
        return exact(clears, tries)
    if clears in (0, tries):
        return exact(n if clears else 0, n)
    r = clears / tries
    variance = n / (n - 1) * sum((done - r * k) ** 2 for k, done in counts) / tries**2
    if variance < 1e-24:
        return exact(clears, tries)
    middle, half = log(r / (1 - r)), Z * sqrt(variance) / r / (1 - r)
    return 1 / (1 + exp(half - middle)), 1 / (1 + exp(-half - middle))


def times(play):
    rows = []
    for level in play.shown:
        values, untimed = [], 0
        for everything in play.by_player(level):
            own = [a for a in everything if not a["void"]]
            if any(a["active"] is None for a in own):
                untimed += 1
            else:
                values.append((sum(a["active"] for a in own), any(a["outcome"] == "complete" for a in own)))
        row = {"level": level, "untimed": untimed}
        steps = curve(values)
        for q in (10, 25, 50, 75, 90):
            row[f"p{q}"] = quantile(steps, q / 100)
        own = [a for a in play.first if a["level"] == level and a["active"] is not None and not a["void"]]
        middle = lambda items: median(items) if items else None  # noqa: E731
        row["run_p50"] = middle([a["active"] for a in own if a["outcome"] == "complete"])
        row["fail_p50"] = middle([a["active"] for a in own if a["outcome"] in ("death", "reset")])
        row["settling_p50"] = middle([a["settling"] for a in own if a["settling"] is not None])
        row["between_p50"] = middle([gap for a in own if (gap := gap_after(play, a)) is not None])
        row["paused_total"] = sum(a["paused"] for a in own)
        rows.append(row)
    return rows


def gap_after(play, attempt):
    after = play.attempts[play.attempts.index(attempt) + 1 :][:1]
    if attempt["outcome"] != "complete" or not after or after[0]["session"] != attempt["session"]:
        return None
    return None if after[0]["active"] is None else max(0, after[0]["opened"] - attempt["closed"])


def deaths(play):
    rows = []
    for level in play.shown:
        here = [a for a in play.attempts if a["level"] == level and not a["void"]]
        minutes = sum(a["active"] for a in here if a["active"] is not None) / 60
        reached = len(play.by_player(level))
        died = [a for a in here if a["outcome"] == "death"]
        causes = {a["close"].get("cause") for a in died} - {None}
        row = {"level": level, **death_figures(died, reached, minutes)}
        row["causes"] = {c: death_figures([a for a in died if a["close"].get("cause") == c], reached, minutes) for c in causes}
        rows.append(row)
    return rows


def death_figures(died, reached, minutes):
    bins = [0] * 10
    for attempt in died:
        if attempt["progress"] is not None:
            bins[min(9, int(attempt["progress"] * 10 + 1e-9))] += 1
    return {
        "deaths": len(died),
        "players": len({a["player"] for a in died}),
        "per_player_reached": len(died) / reached if reached else None,
        "per_minute": len(died) / minutes if minutes else None,
        "progress": bins,
        "most_bin": bins.index(max(bins)) if any(bins) else None,
    }


def moves(play):
    """Every kind of move between two places: (from, to, kind) with count, players and cost."""
    place = {session["name"]: number for number, session in enumerate(play.sessions)}
    result = {}
    for move in play.moves:
        row = result.setdefault((move["from"], move["to"], move["kind"]), {"count": 0, "players": set(), "cost": 0.0})
        row["count"] += 1
        row["players"].add(move["player"])
        row["cost"] += setback_cost(play, move, place)
    return {
        key: (row["count"], len(row["players"]), round(row["cost"], 6) if key[2] == "setback" else None)
        for key, row in result.items()
    }


def setback_cost(play, move, place):
    session = next(s for s in play.sessions if s["name"] == move["session"])
    at = session["records"].index(move["record"])

    def later(attempt):
        if attempt["player"] != move["player"]:
            return False
        if attempt["session"] != move["session"]:
            return place[attempt["session"]] > place[move["session"]]
        return session["records"].index(attempt["open"]) >= at

    after = [a for a in play.attempts if later(a)]
    back = [n for n, a in enumerate(after) if a["level"] == move["from"]]
    until = after[: back[0]] if back else [a for a in after if a["session"] == move["session"]]
    return sum(a["active"] for a in until if a["rerun"] and a["active"] is not None)
