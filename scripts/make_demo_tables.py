"""Makes the tables that lie beside the demo's logs: players, answers, notes and recordings, the same every time.

Run from the project's root, after make_demo.py: python scripts/make_demo_tables.py
"""

from __future__ import annotations

import csv
import tempfile
from pathlib import Path

import numpy as np
from matplotlib.figure import Figure
from matplotlib.patches import Ellipse, Polygon, Rectangle

import milepost
from milepost.demo.unpack import unpack
from milepost.measures.cells import gather_cells

HERE = Path(__file__).resolve().parent.parent / "src" / "milepost" / "demo"
SEED = 1889
HARD, LIKED, MISSED = "How hard was it?", "How much did you like it? (1 to 5)", "What did you miss?"
FELT = {"Mist Shallows": 1.9, "Rope Walk": 1.2, "Salt Steps": -1.3}  # beyond how they play: a level in the dark feels harder
SHARE = 0.6  # of levels tried, that are answered for
REMARKS = ("a map of the locks", "to see how much oil is left", "nothing", "a way to go back for the lanterns", "louder bells")


def main() -> None:
    """Write the tables."""
    with tempfile.TemporaryDirectory() as place:
        folder = unpack(Path(place) / "wickwater", force=False)
        play = milepost.replay(folder / "logs", course=folder / "course.toml")
    rng = np.random.default_rng(SEED)
    counting = zip(play.gated.players, play.counts, strict=True)
    names = [name for name, counts in counting if counts and not name.startswith("Maker")]
    write("players.csv", ["player", "age", "experience", "controller"], players(names, rng))
    write("answers.csv", ["player", "level", "question", "answer"], answers(play, names, rng))
    sessions = play.gated.log.sessions.name
    films = [name for name in sessions if rng.random() < 0.45 and not name.startswith("maker")]
    offsets = [f"00:0{rng.integers(0, 6)}:{rng.integers(0, 60):02d}" for _ in films]
    places = [f"https://films.wickwater.example/{name}.webm" for name in films]
    write("recordings.csv", ["session", "address", "offset"], [list(row) for row in zip(films, places, offsets, strict=True)])
    draw_low_arch(HERE / "low-arch.png")
    write("notes.csv", ["session", "player", "level", "build", "clock", "note"], NOTES)


NOTES = [
    ["maud-wick-1", "", "Low Arch", "", "4:05", "steers for the wide pillar, which is the one that is closed"],
    ["ines-reed-1", "", "Low Arch", "", "5:10", "says “it looked open” twice before she gives up"],
    ["", "", "Glass Basin", "0.8", "", "the reeds hide the low beam from here on; ask for a picture without them"],
    ["", "Yarrow Reed", "", "", "", "plays with a borrowed controller, left-handed"],
]


def draw_low_arch(path: Path) -> None:
    """A map of Low Arch: the canal between its banks, the reeds, and the arch with its one open way."""
    figure = Figure(figsize=(6, 2.4), dpi=80)
    axes = figure.add_axes((0, 0, 1, 1))
    axes.set_xlim(0, 100)
    axes.set_ylim(0, 40)
    axes.set_axis_off()
    axes.add_patch(Rectangle((0, 0), 100, 40, color="#c9d8c5"))
    axes.add_patch(Polygon([(0, 6), (28, 4), (60, 8), (100, 5), (100, 33), (62, 31), (30, 36), (0, 33)], color="#b7d3e2"))
    axes.add_patch(Ellipse((30, 8), 16, 7, color="#8fae7e"))
    axes.add_patch(Rectangle((59, 2), 7, 14.5, color="#a39887"))
    axes.add_patch(Rectangle((59, 23.5), 7, 12, color="#a39887"))
    axes.plot([3, 97], [20, 20], color="#ffffff", linewidth=1, linestyle=(0, (4, 6)))
    figure.savefig(path, metadata={"Software": None})


def players(names: list[str], rng: np.random.Generator) -> list[list[str]]:
    """A row for nearly every player, and for one who did not come."""
    rows = []
    for name in names[:-2]:
        age = rng.choice(["under 18", "18 to 35", "over 35"], p=[0.25, 0.45, 0.3])
        experience = rng.choice(["plays daily", "plays weekly", "plays rarely"], p=[0.3, 0.4, 0.3])
        rows.append([name, str(age), str(experience), str(rng.choice(["pad", "keys"], p=[0.6, 0.4]))])
    return [*rows, ["Piper Quay", "18 to 35", "plays weekly", "pad"]]


def answers(play: milepost.api.Play, names: list[str], rng: np.random.Generator) -> list[list[str]]:
    """What each said of levels that they tried, by how many tries these took, and of the whole."""
    rows, own = [], gather_cells(play)
    by_player = {name: play.gated.players.index(name) for name in names}
    for name, code in by_player.items():
        strict = rng.normal(0, 0.5)
        for level, tries in zip(own.level[own.player == code], own.settled[own.player == code], strict=True):
            stop = play.stops[int(level)]
            if tries and rng.random() < SHARE:
                felt = 0.9 * np.log2(tries) + FELT.get(stop, 0.0) + strict + rng.normal(0, 0.6)
                rows.append([name, stop, HARD, "easy" if felt < 0.5 else "fair" if felt < 1.6 else "hard"])
        if rng.random() < 0.9:
            rows.append([name, "", LIKED, str(int(np.clip(round(3.8 - strict + rng.normal(0, 0.7)), 1, 5)))])
        if rng.random() < 0.4:
            rows.append([name, "", MISSED, str(rng.choice(REMARKS))])
    return rows


def write(name: str, columns: list[str], rows: list[list[str]]) -> None:
    """Write a table."""
    with (HERE / name).open("w", encoding="utf-8", newline="") as stream:
        csv.writer(stream, lineterminator="\n").writerows([columns, *rows])


if __name__ == "__main__":
    main()
