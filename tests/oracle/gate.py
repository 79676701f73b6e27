"""A naive gate: records as dictionaries, one rule after the other, everything looked up by plain search."""

import math
import re
from collections import Counter
from datetime import datetime
from fractions import Fraction

EVENTS = [
    "session_start",
    "start",
    "first_input",
    "checkpoint",
    "hit",
    "death",
    "reset",
    "retry",
    "complete",
    "transition",
    "pause",
    "resume",
    "session_end",
    "run_start",
    "run_end",
]
NEEDS_LEVEL = {"start", "retry", "death", "reset", "complete", "transition"}
TEXTS = ("level", "to", "player", "build", "cause", "actor", "id")
NUMBERS = ("progress", "x", "y", "collected", "available")
KNOWN = {"session", "time", "event", "seq", *TEXTS, *NUMBERS}
STAMP = re.compile(r"(\d{4}-\d\d-\d\d)[Tt ](\d\d:\d\d:\d\d)(\.\d+)?([Zz]|[+-]\d\d:\d\d)")


class Bad(Exception):
    """A value of the wrong type."""


def fold(name):
    return re.sub(r"[\s_\-]+", "-", name.strip().casefold())


def text(value):
    if value is None or value == "":
        return None
    if isinstance(value, bool) or not isinstance(value, (str, int, float)):
        raise Bad
    if isinstance(value, float):
        if not value.is_integer():
            raise Bad
        value = int(value)
    return str(value)


def number(value):
    if value is None:
        return None
    if isinstance(value, bool) or not isinstance(value, (int, float)) or not math.isfinite(value):
        raise Bad
    return float(value)


def moment(value):
    """(kind, exact seconds) of a time."""
    if isinstance(value, str):
        match = STAMP.fullmatch(value)
        if not match:
            raise Bad
        day, clock, fraction, zone = match.groups()
        zone = "+00:00" if zone in "zZ" else zone
        whole = datetime.fromisoformat(f"{day}T{clock}{zone}").timestamp()
        return "stamp", Fraction(whole) + Fraction(fraction or 0)
    value = number(value)
    if value is None:
        raise Bad
    return "number", Fraction(value)


def as_logged(raw):
    return sorted((k, v) for k, v in ((k, repr(v)) for k, v in raw.items() if v is not None and v != ""))


def readable(raw, kinds):
    """The record with checked fields, or None; and whether a field was bad."""
    if not isinstance(raw, dict):
        return None, False
    record, bad = {"raw": as_logged(raw)}, False
    try:
        for name in ("session", "event"):
            record[name] = text(raw.get(name))
            if record[name] is None:
                return None, False
        kind, record["exact"] = moment(raw.get("time"))
    except Bad:
        return None, False
    for name, value in raw.items():
        if name in ("session", "event", "time"):
            continue
        try:
            if name in NUMBERS:
                value = number(value)
                if name == "progress" and value is not None and not 0 <= value <= 1:
                    raise Bad
            elif name == "seq":
                value = number(value)
                if value is not None and not value.is_integer():
                    raise Bad
            elif name == "player" and isinstance(value, list):
                value = tuple(dict.fromkeys(text(one) for one in value))
                if not value or None in value:
                    raise Bad
            elif name in TEXTS:
                value = text(value)
            elif isinstance(value, (dict, list)) or (isinstance(value, float) and not math.isfinite(value)):
                raise Bad
            record[name] = value
        except Bad:
            bad = True
    if record["event"] in NEEDS_LEVEL and record.get("level") is None:
        return None, False
    if kinds.setdefault(record["session"], kind) != kind:
        return None, False
    return record, bad


def is_debug(raw):
    value = raw.get("debug") if isinstance(raw, dict) else None
    return value is True or (value is not None and str(value).strip().lower() in ("true", "1", "1.0"))


class Names:
    """Levels by name, with a course or without."""

    def __init__(self, course, records):
        self.course, counts, groups = course, Counter(), {}
        for record in records:
            fields = ("level", "to") if record["event"] == "transition" else ("level",)
            counts.update(record[f] for f in fields if record.get(f) is not None)
        for name in counts:
            groups.setdefault(fold(name), []).append(name)
        self.called = {f: min(names, key=lambda n: (-counts[n], natural(n))) for f, names in groups.items()}

    def find(self, name):
        """(stop, by its spelling only, unknown to the course)."""
        if self.course is None:
            called = self.called.get(fold(name), name)
            return called, called != name, False
        for level in self.course["level"]:
            if name in (level["name"], *level.get("aliases", ())):
                return level["name"], False, False
        places = self.course.get("places", [])
        if name in places:
            return name, False, False
        hits = {
            level["name"]
            for level in self.course["level"]
            for known in (level["name"], *level.get("aliases", ()))
            if fold(known) == fold(name)
        }
        if len(hits) == 1:
            return hits.pop(), True, False
        for place in places:
            if fold(place) == fold(name):
                return place, False, False
        return self.called.get(fold(name), name), False, True


def natural(name):
    return [(0, int(p), "") if p.isdecimal() else (1, 0, p) for p in re.split(r"(\d+)", name.casefold()) if p], name


def gate(raws, course, keep_debug=False):
    """Sessions in order of play, each a dict with its records; the findings; how many debug sessions were left out."""
    findings = Counter()
    named = lambda raw: str(raw.get("session")) if isinstance(raw, dict) and raw.get("session") else None  # noqa: E731
    debug = set() if keep_debug else {named(raw) for raw in raws if is_debug(raw)} - {None}
    kinds, records = {}, []
    for raw in raws:
        if named(raw) in debug:
            continue
        record, bad = readable(raw, kinds)
        if record is None:
            findings["unreadable_record"] += 1
            continue
        findings["bad_field"] += bad
        records.append(record)
    sessions = {}
    for place, record in enumerate(records):
        record["place"] = place
        session = sessions.setdefault(record["session"], new_session(record, kinds))
        record["time"] = float(record["exact"] - session["zero"])
        session["player"] = session["player"] or record.get("player")
        session["build"] = session["build"] or record.get("build")
    pass_midnights(sessions, records, findings)
    name_players(sessions, records, findings)
    left = []
    for record in records:
        if record["event"] not in EVENTS:
            findings["unknown_event"] += 1
        else:
            left.append(record)
    names = Names(course, left)
    for record in left:
        spelled = unknown = False
        moving = record["event"] == "transition"
        for field in ("level", "to"):
            if record.get(field) is not None:
                stop, by_spelling, not_known = names.find(record[field])
                record[field] = stop
                spelled |= by_spelling and (field == "level" or moving)
                unknown |= not_known and field == "level"
        findings["level_spelling"] += spelled
        findings["unknown_level"] += unknown and not moving
    for session in sessions.values():
        session["records"] = [r for r in left if r["session"] == session["name"]]
    set_coarse(sessions, left, findings)
    for session in sessions.values():
        judge(session, findings)
    return in_order_of_play(list(sessions.values()) + copies_of(sessions)), findings, len(debug & {named(raw) for raw in raws})


def pass_midnights(sessions, records, findings):
    """A fall by more than half a day, where all times are of the day."""
    for kind, within in (
        ("number", lambda t: 0 <= t < 86400),
        ("stamp", lambda t: -2208988800 <= t + 50400 < -2208816000 + 14400),
    ):
        own = [s for s in sessions.values() if s["kind"] == kind]
        times = [r["exact"] for r in records if kinds_of(sessions, r) == kind]
        if not all(map(within, times)):
            continue
        for session in own:
            days, before = 0, None
            for record in (r for r in records if r["session"] == session["name"]):
                days += before is not None and before - record["exact"] > 43200
                before = record["exact"]
                record["exact"] += 86400 * days
                record["time"] += 86400 * days
            findings["clock_wrapped"] += days > 0


def kinds_of(sessions, record):
    return sessions[record["session"]]["kind"]


def name_players(sessions, records, findings):
    """One spelling for each player, and what records say against their session's."""
    named = [one for s in sessions.values() if s["player"] for one in as_tuple(s["player"])]
    counts = Counter(named)
    called = {n: min((o for o in counts if fold(o) == fold(n)), key=lambda o: (-counts[o], natural(o))) for n in counts}
    for record in records:
        given, own = record.get("player"), sessions[record["session"]]["player"]
        if given is None:
            continue
        other = given != own and given not in as_tuple(own)
        alike = other and fold("\x1f".join(as_tuple(given))) == fold("\x1f".join(as_tuple(own)))
        findings["several_players"] += other and not alike
        first = as_tuple(own)[0]
        findings["player_spelling"] += alike ^ (called[first] != first)
    for session in sessions.values():
        everyone = [called[one] for one in as_tuple(session["player"])] if session["player"] else [None]
        session["player"], session["others"] = everyone[0], everyone[1:]


def as_tuple(player):
    return player if isinstance(player, tuple) else (player,)


def copies_of(sessions):
    """A session once more for each further player."""
    return [
        s | {"player": other, "copy": True, "records": [dict(r) for r in s["records"]]}
        for s in sessions.values()
        for other in s["others"]
    ]


def new_session(record, kinds):
    kind = kinds[record["session"]]
    return {"name": record["session"], "zero": record["exact"], "kind": kind, "player": None, "build": None, "records": []}


def set_coarse(sessions, left, findings):
    for build in {s["build"] for s in sessions.values()}:
        times = [r["exact"] for r in left if sessions[r["session"]]["build"] == build]
        whole = sum(1 for time in times if time.denominator == 1)
        coarse = len(times) >= 10 and whole >= 0.99 * len(times)
        for session in sessions.values():
            if session["build"] == build:
                session["coarse"] = coarse
                findings["coarse_clock"] += coarse and bool(session["records"])


def judge(session, findings):
    """Steps 4 to 6 on one session."""
    kept, raws, ids, before = [], [], set(), None
    for record in session["records"]:
        plain = session["coarse"] and record.get("id") is None and record.get("seq") is None
        repeat = record["raw"] == before if plain else record["raw"] in raws
        repeat |= record.get("id") is not None and record["id"] in ids
        before = record["raw"]
        raws.append(record["raw"])
        ids.add(record.get("id"))
        if repeat:
            findings["duplicate_record"] += 1
        else:
            kept.append(record)
    own = [r for r in kept if r.get("actor", "player") in ("player", None)]
    foreign = [r for r in kept if r not in own]
    findings["foreign_actor"] += len(foreign)
    by_seq = all(r.get("seq") is not None for r in own)
    judged = sorted(own, key=lambda r: (r["seq"], r["place"])) if by_seq else own
    findings["clock_backwards"] += sum(b["time"] < a["time"] for a, b in zip(judged, judged[1:], strict=False))
    ordered = judged if by_seq else sorted(own, key=lambda r: r["time"])
    for record in foreign:
        if record["event"] in ("death", "reset"):
            mark_fault(record, ordered, by_seq)
    session["records"] = ordered


def mark_fault(foreign, ordered, by_seq):
    if by_seq and foreign.get("seq") is not None:
        after = [r for r in ordered if (r["seq"], r["place"]) > (foreign["seq"], foreign["place"])]
    elif by_seq:
        after = [r for r in ordered if r["place"] > foreign["place"]]
    else:
        after = [r for r in ordered if (r["time"], r["place"]) > (foreign["time"], foreign["place"])]
    if after:
        following = after[0]
        soon = following["time"] - foreign["time"] <= 2 + 1e-9
        if soon and following["event"] in ("start", "retry", "reset") and following["level"] == foreign["level"]:
            following["fault"] = True


def in_order_of_play(sessions):
    """Players by first appearance; a player's sessions by first stamp, or by first appearance with numeric times."""
    for session in sessions:
        session["player"] = session["player"] or session["name"]
        first = session["records"][0]["exact"] if session["records"] else session["zero"]
        session["first"] = first if session["kind"] == "stamp" else None
    players = list(dict.fromkeys(s["player"] for s in sessions))
    result = []
    for player in players:
        own = [s for s in sessions if s["player"] == player]
        if all(s["first"] is not None for s in own):
            own.sort(key=lambda s: s["first"])
        result += own
    return result
