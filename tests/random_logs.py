"""Random logs that visit the corners of the rules: repeats on the window's edge, missing starts, foreign actors."""

import json
import random
from datetime import datetime

COURSE = {
    "name": "Wickwater",
    "places": ["menu", "Map Room"],
    "level": [
        {"name": "Mill Pond", "aliases": ["mill_pond_v2"]},
        {"name": "Low Arch"},
        {"name": "Reed Gate", "aliases": ["Reeds"]},
        {"name": "Long Lock"},
    ],
}
NAMES = ["Mill Pond", "Low Arch", "Reed Gate", "Long Lock"]
ODD_NAMES = ["mill-pond", "mill_pond_v2", "LOW  ARCH", "reeds", "Frost Lock", "frost_lock", "menu", "map-room", "Map Room"]
STEPS = [0, 0.05, 0.1, 0.25, 0.2500000001, 0.25001, 0.3, 0.4999999999, 0.5, 0.7, 1, 2, 2.0001, 5, 12.125, -0.1, -3]
WEIGHTS = {
    "start": 16,
    "complete": 13,
    "death": 12,
    "transition": 16,
    "retry": 7,
    "reset": 8,
    "checkpoint": 4,
    "hit": 3,
    "first_input": 4,
    "pause": 5,
    "resume": 5,
    "session_start": 1,
    "session_end": 1,
    "dance": 1,
}
CAUSES = ["quit", "time_up", "crash", "finished", "skip", "bored", None]


def random_log(seed):
    """Records (or broken lines, as text) of one random log."""
    rng = random.Random(seed)
    style = rng.choice(["plain", "plain", "plain", "coarse", "stamps", "seq", "ids"])
    sessions = [Session(rng, style, f"s{number}") for number in range(rng.randint(1, 4))]
    lines = []
    for _ in range(rng.randint(1, 60)):
        lines += rng.choice(sessions).step()
    for session in sessions:
        if rng.random() < 0.6:
            lines.append(session.record("session_end", cause=rng.choice(CAUSES)))
    if rng.random() < 0.1:
        rng.shuffle(lines)
    return lines


class Session:
    """One session on its way through the levels, mostly in order."""

    def __init__(self, rng, style, name):
        self.rng, self.style, self.name = rng, style, name
        self.clock, self.place, self.seq = rng.choice([0, 0, 100.5, -2.25]), 0, 0
        self.player = rng.choice(["Ada Wick", "Bo Reed", None])
        self.build = rng.choice(["b1", "b2", None])
        self.debug = rng.random() < 0.05
        self.calm = rng.random() < 0.4

    def step(self):
        """The next record, now and then twice or broken."""
        rng = self.rng
        event = rng.choices(list(WEIGHTS), list(WEIGHTS.values()))[0]
        record = self.record(event)
        roll = rng.random()
        if roll < 0.04:
            return [record, dict(reversed(record.items()))]
        if roll < 0.06:
            return [record, rng.choice(["{broken", "[1, 2]", '"text"', json.dumps({**record, "time": None})])]
        if roll < 0.1:
            return [{**record, **rng.choice(BAD_FIELDS)}]
        return [record]

    def record(self, event, **more):
        rng = self.rng
        self.clock += rng.choice([1, 2, 3] if self.style == "coarse" else STEPS[:-2] if self.calm else STEPS)
        if self.style == "coarse":
            self.clock = float(int(self.clock)) - rng.choice([0, 1, 1, 2])
        level = NAMES[self.place]
        if rng.random() < (0.05 if self.calm else 0.25):
            level = rng.choice(NAMES + ODD_NAMES)
        record = {"session": self.name, "time": self.time(), "event": event, **more}
        if event not in ("session_start", "session_end") and not (event in OPTIONAL and rng.random() < 0.3):
            record["level"] = level
        if event == "transition":
            record.update(self.target())
        self.decorate(record)
        return record

    def time(self):
        if self.style != "stamps":
            return self.clock
        whole, part = divmod(round(self.clock * 10**10) + 36000 * 10**10, 10**10)
        zone = self.rng.choice(["Z", "+00:00"])
        return f"2026-03-01T{whole // 3600:02d}:{whole // 60 % 60:02d}:{whole % 60:02d}.{part // 10:09d}{zone}"

    def target(self):
        roll = self.rng.random()
        if roll < 0.7 and self.place < len(NAMES) - 1:
            self.place += 1
            return {"to": NAMES[self.place]}
        if roll < 0.75:
            return {}
        if roll < 0.8:
            return {"to": self.rng.choice(["menu", "the pier", *ODD_NAMES])}
        self.place = self.rng.randrange(len(NAMES))
        return {"to": NAMES[self.place]}

    def decorate(self, record):
        rng = self.rng
        self.seq += rng.choice([1, 1, 1, 2])
        if self.style == "seq" and (record["event"] != "dance" or rng.random() < 0.5):
            record["seq"] = self.seq + rng.choice([0, 0, 0, -2])
        if self.style == "ids" and rng.random() < 0.8:
            record["id"] = rng.choice([self.seq, f"e{self.seq}", f"e{self.seq - 1}"])
        for name, value in (("player", self.player), ("build", self.build)):
            if value and rng.random() < 0.8:
                record[name] = value
        if rng.random() < 0.12:
            record["actor"] = rng.choice(["crate", "player", "crate", ""])
        if rng.random() < 0.3:
            record["progress"] = rng.choice([0, 0.3, 0.55, 1])
        if self.debug and rng.random() < 0.2:
            record["debug"] = rng.choice([True, "TRUE", 1, "no"])


OPTIONAL = {"checkpoint", "hit", "first_input", "pause", "resume"}
BAD_FIELDS = [
    {"progress": 1.4},
    {"progress": "half"},
    {"x": True},
    {"cause": 1.5},
    {"level": 7},
    {"level": 7.5},
    {"level": ""},
    {"time": "12.5"},
    {"time": "2026-03-01T10:00:00"},
    {"time": "2026-03-01T10:00:00+01:00"},
    {"session": ""},
    {"session": None},
    {"event": 3},
    {"mood": {"deep": 1}},
    {"seq": 1.5},
    {"to": ["a"]},
    {"player": 12},
    {"available": -1},
]


def as_text(lines):
    """The log as JSON Lines."""
    return "".join((line if isinstance(line, str) else json.dumps(line)) + "\n" for line in lines)


def as_values(lines):
    """The log as the values that its lines stand for; None for one that is broken."""

    def value(line):
        try:
            return json.loads(line) if isinstance(line, str) else json.loads(json.dumps(line))
        except ValueError:
            return None

    return [value(line) for line in lines]


def as_toml(course):
    """A course as TOML."""
    out = [f"name = {json.dumps(course['name'])}", f"places = {json.dumps(course.get('places', []))}"]
    for level in course["level"]:
        out += ["[[level]]", f"name = {json.dumps(level['name'])}", f"aliases = {json.dumps(level.get('aliases', []))}"]
        out += [f"{key} = {json.dumps(level[key])}" for key in ("leg", "route", "optional", "open") if key in level]
    for leg, settings in course.get("legs", {}).items():
        out += [f"[legs.{json.dumps(leg)}]", f"needs = {settings['needs']}"]
    return "\n".join(out) + "\n"


def with_legs(seed):
    """The course with legs drawn at random: any order, routes, levels off the way."""
    rng = random.Random(seed)
    levels = [dict(level) for level in COURSE["level"]]
    course = {**COURSE, "level": levels, "by_legs": True, "legs": {}}
    first = rng.randrange(len(levels) - 1)
    stop = rng.randint(first + 2, len(levels))
    for place in range(first, stop):
        levels[place]["leg"] = "The docks"
    if rng.random() < 0.5:
        for place in range(first, stop):
            if rng.random() < 0.8:
                levels[place]["route"] = rng.choice(["over", "under"])
    for level in levels:
        if rng.random() < 0.25:
            level["optional"] = True
    for route in {level.get("route") for level in levels} - {None}:
        own = [level for level in levels if level.get("route") == route]
        if all(level.get("optional") for level in own):
            own[0].pop("optional")
    if all(level.get("optional") for level in levels):
        levels[rng.randrange(len(levels))].pop("optional")
    on_the_way = sum(not level.get("optional") for level in levels[first:stop])
    if not any("route" in level for level in levels) and on_the_way and rng.random() < 0.6:
        course["legs"]["The docks"] = {"needs": rng.randint(1, on_the_way)}
    return course


def with_runs(lines, seed, starts=True):
    """The log with ends of runs, and perhaps beginnings, beside some of its records."""
    rng = random.Random(seed)
    out = []
    for line in lines:
        out.append(line)
        if not isinstance(line, dict) or rng.random() > 0.2:
            continue
        own = {key: line[key] for key in ("session", "time", "player") if key in line}
        event = rng.choice(["run_start", "run_end"]) if starts else "run_end"
        out.append(
            own
            | {"event": event, "cause": rng.choice(["won", "failed", "failed", "abandoned", "bored"]), "hero": rng.choice("ab")}
        )
        if "seq" in line:
            out[-1]["seq"] = line["seq"]
    return out


def with_odd_players(lines, seed, together=True):
    """The log with players spelled in several ways, another one in the middle, and perhaps several at once."""
    rng = random.Random(seed)
    several = [["Ada Wick", "Bo Reed"], ["Cy", "Cy", "bo_reed"], [], ["Ada", 5]] if together else []

    def odd(line):
        if not isinstance(line, dict) or rng.random() < 0.7:
            return line
        own = line.get("player") if isinstance(line.get("player"), str) else f"Cy {seed}"
        return line | {
            "player": rng.choice([own.upper(), own.replace(" ", "_"), f"Di {seed}" if rng.random() < 0.2 else own, *several])
        }

    return [odd(line) for line in lines]


def past_midnight(lines, seed):
    """The log with clocks that show the time of the day, and pass midnight."""
    begins = random.Random(seed).choice([86_380, 86_399.5, 86_390])

    def of_day(line):
        if not isinstance(line, dict) or not isinstance(line.get("time"), int | float):
            return line
        return line | {"time": (begins + line["time"]) % 86_400}

    return [of_day(line) for line in lines]


def renamed(lines, part):
    """The log with sessions and players of its own, so that several make one larger log."""
    for line in lines:
        if isinstance(line, dict):
            yield line | {key: f"{line[key]}/{part}" for key in ("session", "player") if line.get(key)}


def on_own_clocks(records):
    """Records with time stamps as records with seconds since each session's first moment."""
    moments = [datetime.fromisoformat(record["time"]) for record in records]
    begins = {}
    for record, moment in zip(records, moments, strict=True):
        begins[record["session"]] = min(begins.get(record["session"], moment), moment)
    return [
        record | {"time": round((moment - begins[record["session"]]).total_seconds(), 3)}
        for record, moment in zip(records, moments, strict=True)
    ]
