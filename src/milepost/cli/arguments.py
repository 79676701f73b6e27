"""The options of a command line with their types, and what each is where a command has none of that name."""

from __future__ import annotations

import argparse
from collections.abc import Callable, Sequence
from typing import TYPE_CHECKING, Literal

if TYPE_CHECKING:
    from milepost.folder.settings import Settled

_NONE_GIVEN: Sequence[str] = ()


class Arguments(argparse.Namespace):
    """Options, as they were given or as the playtest folder has them; see ``options`` and each command for what they mean."""

    command: str = ""  # none, where nothing was asked for
    words: Sequence[str] = _NONE_GIVEN
    run: Callable[[Arguments], int]
    needs_log: bool = False
    version = verbose = quiet = force = False
    settled: Settled | None = None
    # what is read
    logs: list[str] = []  # noqa: RUF012 nobody changes it
    course: str | None = None
    map: str | None = None
    input_format: str | None = None
    max_bytes: int = 0
    no_folder = False
    # which of it is looked at
    where: Sequence[str] = _NONE_GIVEN
    exclude: Sequence[str] = _NONE_GIVEN
    no_where = no_exclude = False
    # how it is replayed, and by whom
    repeat_window: float | None = None
    instant: float | None = None
    implied_complete: bool | None = None
    debug = "drop"
    shortcuts = "end"
    jobs: int | None = None
    cluster: str | None = None
    memory: int | None = None
    # what is measured
    min_players: int = 5
    by: str | None = None
    per = "player"
    raw = False
    unknown_end = "lost"
    clock: str | None = None
    idle_cap: float | None = None
    arrival = 1.0
    return_within: float | None = None
    min_tries = 5
    level: str | None = None
    reach: float | None = None
    set: Sequence[str] = _NONE_GIVEN
    over = "build"
    # which sessions and notes
    name = ""
    session: str | None = None
    player: str | None = None
    build: str | None = None
    text: str | None = None
    all = events = False
    offset: float | None = None
    # tables beside the logs
    answers: str | None = None
    order: Sequence[str] = _NONE_GIVEN
    themes: str | None = None
    # two builds, and how many players they need
    before: str | None = None
    after: str | None = None
    key = "build"
    course_from: str | None = None
    course_to: str | None = None
    assigned: Literal["lot", "crossed"] | None = None
    shares: tuple[float, float] = (1.0, 1.0)
    looks = 1
    untouched: Sequence[str] = _NONE_GIVEN
    change: float = 0.0
    question: Literal["compare", "spike", "drop-off"] = "compare"
    players: int | None = None
    # what comes out
    format = "table"
    columns: str | None = None
    output: str | None = None
    figure: str | None = None
    size: tuple[int, int] | None = None
    dark = False
    strict: str | None = None
    since: str | None = None
    only: str | None = None
    anonymous = False
    keep: Sequence[str] = _NONE_GIVEN
    # simulated players
    shape: str | None = None
    levels = 24
    difficulty: list[str] = []  # noqa: RUF012
    plant: list[str] = []  # noqa: RUF012
    roughness = 0.25
    player_count = 48
    sessions = 2
    builds = "1.0"
    minutes = 60.0
    let: Sequence[str] = _NONE_GIVEN
    seed = 1
    faults = False
    truth: str | None = None
    # following, converting, packing, the demo, the shell
    state: str | None = None
    once = False
    interval = 2.0
    to: str | None = None
    add = False
    which = "evenings"
    shell = "bash"

    def has(self, name: str) -> bool:
        """Return whether the command has an option of a name."""
        return name in vars(self)

    @property
    def target(self) -> str:
        """Where a command writes that has to be told so."""
        return self.output or "-"
