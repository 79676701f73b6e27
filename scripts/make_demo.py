"""Makes the Wickwater demo: its course file and its logs, the same every time.

Run from the project's root: python scripts/make_demo.py
"""

from __future__ import annotations

import gzip
import json
from datetime import UTC, datetime, timedelta
from pathlib import Path
from zlib import crc32

import numpy as np

from milepost.simulate.population import Population
from milepost.simulate.records import Scenery, simulate_sessions
from milepost.simulate.simulated_players import LevelTraits, play_course
from milepost.simulate.writing import FaultRates, spoil

HERE = Path(__file__).resolve().parent.parent / "src" / "milepost" / "demo"
SEED = 1888
FULL = 3  # measures of oil that a lantern holds
BUILDS = ("0.7", "0.8")
OPENED = tuple(datetime(2026, 3, day, 19, tzinfo=UTC) for day in (6, 13, 20))  # the two evenings, and that of the week after
NEXT = "0.9"  # the build of the week after: Low Arch mended, Salt Steps harder by mistake, and a new steering that moves all
CHANGED = {"Low Arch": (-2.1, "arch_width", 7.5), "Salt Steps": (1.9, "barges", 7)}  # logits, and the knob that was turned
STEERING = -0.5  # logits, at all levels
NEWCOMERS, BACK, PRACTICE = 44, 16, 0.2  # players of the week after who are new, and who came back; what these have learnt

# name, chapter, aliases, planned difficulty (logits), what play shows beyond the plan, par seconds, setback, knobs
UPPER, TOWN, TIDAL = "Upper water", "Town cuts", "Tidal reach"
LEVELS = [
    ("Mill Pond", UPPER, ["mill_pond_v2"], -2.0, 0.0, 25, 0, (0.6, 2, 9.0, 0)),
    ("Swan Bend", UPPER, [], -1.9, 0.05, 30, 0, (0.7, 3, 9.0, 0)),
    ("Reed Gate", UPPER, ["reed_gate_old"], -1.75, -0.1, 30, 0, (0.8, 4, 8.5, 0)),
    ("Lantern Row", UPPER, [], -1.65, 0.1, 35, 0, (0.8, 4, 8.0, 1)),
    ("Copper Sluice", UPPER, [], -1.5, -0.05, 35, 0, (0.9, 5, 8.0, 1)),
    ("Low Arch", UPPER, ["arch_01"], -1.4, 2.1, 35, 0, (1.0, 5, 4.5, 1)),
    ("Weir House", UPPER, [], -1.3, 0.0, 40, 0, (1.0, 6, 7.5, 1)),
    ("Long Lock", UPPER, [], -1.2, 0.1, 45, 0, (1.0, 6, 7.5, 2)),
    ("Cooper's Cut", TOWN, [], -1.15, -0.1, 40, 0, (1.1, 6, 7.5, 2)),
    ("Chandler's Wharf", TOWN, [], -1.05, 0.05, 40, 0, (1.1, 7, 7.0, 2)),
    ("Candle Market", TOWN, [], -1.0, 0.05, 40, 0, (1.1, 7, 7.0, 2)),
    ("Bell Bridge", TOWN, [], -0.95, 0.0, 45, 0, (1.2, 7, 7.0, 2)),
    ("Rope Walk", TOWN, [], -0.9, 0.1, 45, 2, (1.2, 8, 6.5, 3)),
    ("Narrow Stair", TOWN, ["stair"], -0.85, -0.05, 45, 0, (1.2, 8, 6.5, 3)),
    ("Glass Basin", TOWN, [], -0.8, 2.0, 50, 0, (1.3, 14, 6.5, 3)),
    ("Watchman's Turn", TOWN, [], -0.75, 0.0, 50, 0, (1.3, 8, 6.5, 3)),
    ("Old Tollhouse", TOWN, [], -0.7, -0.05, 50, 0, (1.3, 9, 6.0, 3)),
    ("Salt Steps", TIDAL, [], -0.65, 1.35, 50, 0, (2.1, 9, 6.0, 4)),
    ("Eel Run", TIDAL, [], -0.6, 1.3, 55, 3, (2.1, 9, 6.0, 4)),
    ("Mist Shallows", TIDAL, [], -0.55, 1.4, 55, 0, (2.1, 9, 5.5, 4)),
    ("Drowned Orchard", TIDAL, [], -0.5, -0.5, 55, 0, (1.2, 6, 8.0, 2)),
    ("Tide Clock", TIDAL, ["tide_clock"], -0.45, 1.35, 60, 0, (2.2, 10, 5.5, 5)),
    ("Ferry Steps", TIDAL, ["ferry_stairs"], -0.4, 1.3, 60, 0, (2.2, 10, 5.0, 5)),
    ("Harbour Light", TIDAL, [], -0.35, 1.35, 65, 0, (2.3, 11, 5.0, 5)),
]
PLANNED = {  # more of the plan, at some levels
    "Low Arch": ["target_tries = 2", 'map = "low-arch.png"', "map_corners = [0, 0, 100, 40]"],
    "Long Lock": ["target_kept = 0.9"],
    "Old Tollhouse": ["target_kept = 0.75"],
}
KNOBS = ("current", "reeds", "arch_width", "barges")
CAUSES = (["reeds", "current"], ["current", "reeds", "low beam"], ["low beam", "barge"], ["tide", "barge", "dark"])
OWN_CAUSES = {"Low Arch": ["low beam", "reeds"], "Glass Basin": ["reeds", "low beam"]}  # what a level that stands out kills with
# Where on a level's map each cause kills: how far along, how high on the map, how far it reaches.
SPOTS = {
    "reeds": (34, 9, 5),
    "current": (58, 24, 9),
    "low beam": (72, 20, 3),
    "barge": (66, 31, 6),
    "tide": (81, 14, 8),
    "dark": (48, 20, 12),
}
OWN_SPOTS = {
    "Low Arch": {"low beam": (62, 20, 1.6), "reeds": (30, 8, 4)},  # under the arch, and in the reeds before it
    "Glass Basin": {"reeds": (46, 12, 9), "low beam": (83, 20, 2)},
}
GIVEN = [
    "Ada",
    "Bo",
    "Cass",
    "Dorrit",
    "Edda",
    "Finch",
    "Gwen",
    "Hob",
    "Ines",
    "Jory",
    "Kit",
    "Linnet",
    "Maud",
    "Ned",
    "Orla",
    "Perrin",
    "Quill",
    "Rose",
    "Sam",
    "Tansy",
    "Ursa",
    "Vale",
    "Wren",
    "Yarrow",
]
FAMILY = ["Wick", "Reed"]
NEXT_FAMILY = ["Marsh", "Quay"]


def main() -> None:
    """Write the course, the two evenings' logs, and course and log of the week after."""
    rng = np.random.default_rng(SEED)
    (HERE / "course.toml").write_text(course_text({}), encoding="utf-8")
    (HERE / "course-next.toml").write_text(course_text(CHANGED), encoding="utf-8")
    evenings, skill = play(rng)
    for number, lines in enumerate([*evenings, play_next(np.random.default_rng(SEED + 1), skill)], 1):
        path = HERE / f"evening-{number}.jsonl.gz"
        with path.open("wb") as raw, gzip.GzipFile(fileobj=raw, mode="wb", mtime=0, filename="") as packed:
            packed.write("".join(lines).encode())


def course_text(changed: dict[str, tuple[float, str, float]]) -> str:
    """The course file, with some knobs turned."""
    out = [
        "# Wickwater: a ferry carries its lantern down the canal to the sea.",
        "# Levels in order, with the plan: seconds to clear, and the chance that one try clears.",
        'name = "Wickwater"',
        'places = ["jetty", "canal map"]',
        "",
        "[harder]  # per knob, which way makes a level harder",
        'current = "up"',
        'reeds = "up"',
        'arch_width = "down"',
        'barges = "up"',
        *band_text(),
        *promise_text(),
    ]
    for name, chapter, aliases, planned, _, par, _, knobs in LEVELS:
        target = 1 / (1 + np.exp(planned))
        out += ["", "[[level]]", f"name = {json.dumps(name)}", f"chapter = {json.dumps(chapter)}"]
        if aliases:
            out.append(f"aliases = {json.dumps(aliases)}")
        out += [f"par_seconds = {par}", f"target_clear = {target:.2f}", *PLANNED.get(name, []), "[level.knobs]"]
        _, turned, new = changed.get(name, (0.0, "", 0.0))
        out += [f"{knob} = {new if knob == turned else value}" for knob, value in zip(KNOBS, knobs, strict=True)]
    return "\n".join(out) + "\n"


def band_text() -> list[str]:
    """The ratings by share of pick-ups."""
    out = []
    for name, low, high in (("one lantern", 0.0, 0.5), ("two lanterns", 0.5, 0.9), ("three lanterns", 0.9, 1.0)):
        out += ["", "[[band]]", f"name = {json.dumps(name)}", f"from = {low}", f"to = {high}"]
    return out


def promise_text() -> list[str]:
    """What the makers say holds of every try."""
    return ["", "[[promise]]", 'on = ["start", "retry"]', 'that = ["oil = 3"]', 'why = "every try begins with a full lantern"']


def play(rng: np.random.Generator) -> tuple[list[list[str]], np.ndarray]:
    """The lines of both evenings, one build an evening, and the players' skill."""
    population = Population(
        players=48,
        skill_sd=0.7,
        learning=0.35,
        quit_base=0.02,
        quit_growth=1.4,
        minutes=24,
        crash_hourly=0.12,
        returning=0.45,
        setback_after=4,
        quit_between=0.002,
        try_seconds=30,
    )
    difficulty = np.array([level[3] + level[4] for level in LEVELS])
    setback = np.array([level[6] for level in LEVELS])
    seconds = np.array([level[5] for level in LEVELS]) * 0.8
    tries, truth = play_course(difficulty, population, rng, levels=LevelTraits(setback, seconds))
    scenery = make_scenery(rng)
    evenings: list[list[tuple[float, str]]] = [[], []]
    for records in simulate_sessions(tries, scenery, rng):
        evening = BUILDS.index(records[0]["build"])
        second = records[0]["session"].endswith("-2")
        begin = float(rng.uniform(0, 1800)) + 3600 * second
        for record in spoil(with_older_names(with_oil(records)), FaultRates(), rng):
            line = record | {"time": stamp(OPENED[evening], begin, record["time"])}
            evenings[evening].append((begin + record["time"], json.dumps(line, ensure_ascii=False)))
    for opened, evening, extra in zip(OPENED, evenings, extra_sessions(), strict=False):
        stamped = [record | {"time": stamp(opened, 2000, record["time"])} for record in extra]
        evening += [(2000 + record["time"], json.dumps(line)) for record, line in zip(extra, stamped, strict=True)]
    lines = [[line + "\n" for _, line in sorted(evening, key=lambda item: item[0])] for evening in evenings]
    lines[0].append(
        '{"session": "hob-wick-1", "time": "2026-03-06T19:45:10.400Z", "event": "che'
    )  # the collector was switched off
    return lines, truth.skill


def stamp(opened: datetime, begin: float, time: float) -> str:
    """When a record was made, in a session that begins so many seconds after the evening does."""
    moment = opened + timedelta(seconds=round(begin), milliseconds=round(1000 * time))
    return moment.isoformat(timespec="milliseconds").replace("+00:00", "Z")


def play_next(rng: np.random.Generator, skill: np.ndarray) -> list[str]:
    """The lines of the week after: new players, and some who came back."""
    names = [f"{given} {family}" for family in FAMILY for given in GIVEN]
    back = rng.choice(np.arange(1, len(names), 2), BACK, replace=False)  # who began with the last build
    population = Population(
        players=NEWCOMERS + BACK,
        skill_sd=0.7,
        learning=0.35,
        quit_base=0.02,
        quit_growth=1.4,
        minutes=45,
        crash_hourly=0.12,
        returning=0.3,
        setback_after=4,
        quit_between=0.002,
        try_seconds=30,
    )
    difficulty = np.array([level[3] + level[4] + STEERING + CHANGED.get(level[0], (0.0,))[0] for level in LEVELS])
    own = np.concatenate((rng.normal(0.0, 0.7, NEWCOMERS), skill[back] + PRACTICE))
    setback, seconds = np.array([level[6] for level in LEVELS]), np.array([level[5] for level in LEVELS]) * 0.8
    tries, _ = play_course(difficulty, population, rng, levels=LevelTraits(setback, seconds), skill=own)
    fresh = [f"{given} {family}" for family in NEXT_FAMILY for given in GIVEN][:NEWCOMERS]
    scenery = make_scenery(
        rng, [*fresh, *(names[n] for n in back)], OWN_CAUSES | {"Low Arch": ["reeds"], "Salt Steps": ["barge", "tide"]}, (NEXT,)
    )
    lines = []
    for records in simulate_sessions(tries, scenery, rng):
        begin = float(rng.uniform(0, 1800)) + 3600 * records[0]["session"].endswith("-2")
        for record in spoil(with_oil(records), FaultRates(), rng):
            named = {"session": f"week-2-{record['session']}", "time": stamp(OPENED[2], begin, record["time"])}
            line = record | named
            lines.append((begin + record["time"], json.dumps(line, ensure_ascii=False) + "\n"))
    return [line for _, line in sorted(lines, key=lambda item: item[0])]


def make_scenery(
    rng: np.random.Generator,
    players: list[str] | None = None,
    causes: dict[str, list[str]] = OWN_CAUSES,
    builds: tuple[str, ...] = BUILDS,
) -> Scenery:
    """Names, roles, platforms and builds of the players."""
    players = players or [f"{given} {family}" for family in FAMILY for given in GIVEN]
    platforms = rng.choice(["desktop", "handheld", "tablet"], len(players), p=[0.5, 0.3, 0.2])
    roles = rng.choice(["newcomer", "regular"], len(players), p=[0.6, 0.4])
    tags = [{"role": str(role), "platform": str(platform)} for role, platform in zip(roles, platforms, strict=True)]
    first = [builds[number % len(builds)] for number in range(len(players))]
    return Scenery(
        levels=[level[0] for level in LEVELS],
        causes=[causes.get(level[0], CAUSES[min(3, number // 6)]) for number, level in enumerate(LEVELS)],
        spots=[SPOTS | OWN_SPOTS.get(level[0], {}) for level in LEVELS],
        player=players,
        tags=tags,
        build=[[build, builds[-1]] for build in first],
        pickups=[3 + number % 4 for number in range(len(LEVELS))],
    )


def with_oil(records: list[dict[str, object]]) -> list[dict[str, object]]:
    """How much oil is in the lantern; build 0.7 sometimes forgets to fill it up before Long Lock."""
    forgets = records[0]["build"] == "0.7" and crc32(str(records[0]["session"]).encode()) % 4 == 0
    left, filled = FULL, []
    for record in records:
        event = record["event"]
        if event == "complete":
            left = 1 + crc32(str(record["time"]).encode()) % 2
        elif event == "death":
            left = 0
        elif event in ("start", "retry"):
            left = left if forgets and event == "start" and record["level"] == "Long Lock" else FULL
        filled.append(record | ({"oil": left} if event in ("start", "retry", "complete", "death") else {}))
    return filled


def with_older_names(records: list[dict[str, object]]) -> list[dict[str, object]]:
    """Build 0.7 logs some levels under the names that they had then."""
    older = {level[0]: level[2][0] for level in LEVELS if level[2]} if records[0]["build"] == "0.7" else {}

    def renamed(record: dict[str, object]) -> dict[str, object]:
        names = {key: older.get(str(record[key]), record[key]) for key in ("level", "to") if key in record}
        return record | names

    return [renamed(record) for record in records]


def extra_sessions() -> tuple[list[dict[str, object]], list[dict[str, object]]]:
    """A maker's debug session, a maker who jumps ahead, and a visitor who never started a level."""
    debug = {"session": "maker-check", "debug": True}
    jump = {"session": "maker-tour"}
    look = {"session": "passer-by"}
    return (
        [
            {**debug, "time": 0.0, "event": "session_start", "player": "Maker Two", "build": "0.7", "role": "maker"},
            {**debug, "time": 2.0, "event": "start", "level": "Harbour Light"},
            {**debug, "time": 3.0, "event": "complete", "level": "Harbour Light"},
            {**look, "time": 0.0, "event": "session_start", "player": "Passer By", "build": "0.7", "role": "newcomer"},
            {**look, "time": 41.0, "event": "session_end", "cause": "quit"},
        ],
        [
            {**jump, "time": 0.0, "event": "session_start", "player": "Maker One", "build": "0.8", "role": "maker"},
            {**jump, "time": 2.0, "event": "start", "level": "Mill Pond"},
            {**jump, "time": 21.0, "event": "complete", "level": "Mill Pond"},
            {**jump, "time": 22.0, "event": "transition", "level": "Mill Pond", "to": "Glass Basin"},
            {**jump, "time": 24.0, "event": "start", "level": "Glass Basin"},
            {**jump, "time": 70.0, "event": "death", "level": "Glass Basin", "cause": "low beam", "progress": 0.4},
            {**jump, "time": 90.0, "event": "session_end", "cause": "quit"},
        ],
    )


if __name__ == "__main__":
    main()
