"""Looks at logs that grow, and shows the funnel anew whenever something came."""

from __future__ import annotations

import sys
import time
from contextlib import ExitStack
from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING

from milepost import engine
from milepost.audit.exclusions import require_acting
from milepost.cleaning.selection import select_sessions
from milepost.cli import terminal
from milepost.cli.folder_defaults import tables_of_folder
from milepost.cli.loading import load_course, load_map, pass_over, players_of_folder, rules_of
from milepost.cli.messages import Exit, tell
from milepost.cli.run_measure import write
from milepost.errors import UsageError
from milepost.folder.player_table import with_players
from milepost.logs.follow_logs import Tail
from milepost.logs.mapping.whole_input import needs_all_files
from milepost.logs.records.sink import repeat_for_players
from milepost.logs.store.manifest import Manifest, is_store
from milepost.logs.store.store import append, hold_lock, restore
from milepost.measures.funnel import Funnel
from milepost.open_log import Loaded
from milepost.partitions.execution import silently
from milepost.playback.attempt_filters import parse_conditions
from milepost.reports.build_document import add_descriptions, rows_of
from milepost.reports.interface import Report, View
from milepost.reports.registry import MEASURES
from milepost.whole_log import WholeLog
from milepost.wording import listed, plural

if TYPE_CHECKING:
    from milepost.cleaning.selection import Condition
    from milepost.cli.arguments import Arguments
    from milepost.course.course import Course
    from milepost.folder.player_table import PlayerTable
    from milepost.logs.interface import Log
    from milepost.logs.mapping.logmap import LogMap
    from milepost.playback.play import Play
    from milepost.reports.head_types import Head
    from milepost.reports.interface import AnyView
    from milepost.rules import ReplayRules

_KEEP_EVERY = 30.0  # seconds
_CLEAR = "\x1b[2J\x1b[H"


def watch(args: Arguments) -> Exit:
    """Follow the folder until interrupted, or look once."""
    log_map = load_map(args)
    if log_map.reshapes or needs_all_files(log_map):
        raise UsageError(f"{args.map}: a log of this shape is read as a whole, and cannot be followed. Use milepost funnel.")
    tail = Tail(tuple(map(Path, args.logs)), log_map, apart=frozenset(tables_of_folder(args)))
    if others := tail.not_followed():
        more = f" and {len(others) - 1} more" if len(others) > 1 else ""
        raise UsageError(f"{others[0]}{more}: is no plain file of JSON Lines, and cannot be followed. Use milepost funnel.")
    with ExitStack() as held:
        kept = _Kept(Path(args.state), held) if args.state else None
        if kept:
            kept.restore(tail)
        try:
            _follow(args, tail, kept)
        except KeyboardInterrupt:
            if args.once:
                raise
        finally:
            if kept and tail.settled:
                kept.keep(tail)
    return Exit.DONE


def _follow(args: Arguments, tail: Tail, kept: _Kept | None) -> None:
    chosen = _WatchOptions.of(args, tail.log_map)
    before, shown, anew = kept.manifest.found if kept else {}, False, 0
    while True:
        came = tail.advance()
        if tail.anew > anew:
            anew = tail.anew
            tell("milepost watch: a file is no longer what it was; all logs were read anew.")
        if (came or not shown) and len(tail.builder):
            play = chosen.play(tail.log())
            report = add_descriptions(engine.measured_document(play, "funnel", Funnel()), chosen.course, args.min_players)
            _show(args, report, came, before)
            before, shown = report["findings"], True
            if kept:
                kept.manifest.found = before
                kept.keep_now_and_then(tail)
        elif not shown:
            tell(f"milepost watch: no record in {', '.join(args.logs)} yet.")
            shown = True
        if args.once:
            return
        time.sleep(args.interval)


def _show(args: Arguments, report: Head, came: int, before: dict[str, int]) -> None:
    new = {code: count - before.get(code, 0) for code, count in report["findings"].items() if count > before.get(code, 0)}
    seen = {**report, "command": "watch", "new_lines": came, "new_findings": new}
    if terminal.has_colour(args.output) and not args.once and args.format == "table":
        sys.stdout.write(_CLEAR)
    findings = [f"{code} {count:,}" for code, count in sorted(new.items(), key=lambda item: -item[1])]
    newly = f"Newly found: {listed(findings) or 'nothing'}."
    news: AnyView = View(f"{time.strftime('%H:%M:%S')}: {plural(came, 'new line')}", (), [], [newly])
    write(args, Report(seen, [news, *MEASURES["funnel"].views(report)], rows_of(report, "levels")))


@dataclass(frozen=True)
class _WatchOptions:
    """The logs to watch, and the options that change figures, as `funnel` has them.

    Attributes:
        course: the course, if one is given.
        rules: the replay's settings.
        conditions: which sessions take part.
        exclude: what is left out as suspect.
        players: the table of players.
    """

    course: Course | None
    rules: ReplayRules
    conditions: tuple[Condition, ...]
    exclude: tuple[str, ...]
    players: PlayerTable | None

    @classmethod
    def of(cls, args: Arguments, log_map: LogMap) -> _WatchOptions:
        """Return the choice that the arguments make.

        Raises:
            UsageError: one of them makes no sense.
        """
        course = load_course(args)
        of_sessions, of_attempts = parse_conditions(args.where, course)
        pass_over(args.command, of_attempts)
        exclude = require_acting(args.exclude)
        return cls(course, rules_of(args, log_map), of_sessions, exclude, players_of_folder(args))

    def play(self, log: Log) -> Play:
        """The logs as far as they were read, replayed."""
        log = select_sessions(with_players(repeat_for_players(log), self.players), self.conditions)
        return Loaded(WholeLog(log, self.course, self.rules, silently), exclude=self.exclude).play()


class _Kept:
    """Records already read, kept in a packed store."""

    def __init__(self, folder: Path, held: ExitStack) -> None:
        self.folder, self.manifest, self.rows, self.anew = folder, Manifest(), 0, 0
        self.last = time.monotonic()
        held.enter_context(hold_lock(folder))

    def restore(self, tail: Tail) -> None:
        """Go on where the store ends."""
        if is_store(self.folder):
            self.manifest = restore(self.folder, tail.builder)
            self.rows = self.manifest.rows
            tail.go_on_from({source["file"]: (source["bytes"], source["sha256"]) for source in self.manifest.sources})

    @staticmethod
    def _source(name: str, before: dict[str, object] | None, tail: Tail) -> dict[str, object]:
        """Return the manifest's entry for a file: how far it was read, and the checksum of that."""
        reached = tail.read.get(name)
        if reached is None:
            return before or {"file": name, "bytes": 0, "sha256": None}
        return {"file": name, "bytes": reached.length, "sha256": reached.sha256}

    def keep_now_and_then(self, tail: Tail) -> None:
        """Lay down what came, but not at every look: each time makes new files."""
        if time.monotonic() - self.last >= _KEEP_EVERY:
            self.keep(tail)

    def keep(self, tail: Tail) -> None:
        """Lay down what came since the last time; what is not laid down is read again after a restart."""
        self.last = time.monotonic()
        if tail.anew > self.anew:
            self.manifest, self.rows, self.anew = Manifest(additions=self.manifest.additions), 0, tail.anew
        known = {source["file"]: source for source in self.manifest.sources}
        sources = [self._source(name, known.get(name), tail) for name in tail.builder.files]
        if len(tail.builder) == self.rows and sources == self.manifest.sources:
            return
        self.manifest.sources = sources
        new = {name: column[self.rows :] for name, column in tail.builder.columns().items()}
        self.manifest = append(self.folder, self.manifest, tail.builder, new)
        self.rows = len(tail.builder)
