"""Looks at logs that grow, and shows the funnel anew whenever something came."""

from __future__ import annotations

import argparse
import sys
import time
from contextlib import ExitStack
from pathlib import Path
from typing import TYPE_CHECKING

from milepost.cli import terminal
from milepost.cli.exits import Exit
from milepost.cli.loading import load_course, load_map, rules_of
from milepost.cli.showing import write
from milepost.cli.telling import tell
from milepost.errors import UsageError
from milepost.logs.mapping.whole_input import waits
from milepost.logs.tailing import Tail
from milepost.measures.funnel import Funnel
from milepost.playback.replay import replay_log
from milepost.reports.document import described, document, rows_of
from milepost.reports.interface import Report, View
from milepost.reports.registry import MEASURES
from milepost.store.manifest import Manifest, is_store
from milepost.store.store import append, locked, restore
from milepost.wording import listed, plural

if TYPE_CHECKING:
    from milepost.reports.heads import Head
    from milepost.reports.interface import AnyView

_KEEP_EVERY = 30.0  # seconds
_CLEAR = "\x1b[2J\x1b[H"


def watch(args: argparse.Namespace) -> Exit:
    """Follow the folder until interrupted, or look once."""
    log_map = load_map(args)
    if log_map.reshapes or waits(log_map):
        raise UsageError(f"{args.map}: a log of this shape is read as a whole, and cannot be followed. Use milepost funnel.")
    tail = Tail(Path(args.folder), log_map)
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


def _follow(args: argparse.Namespace, tail: Tail, kept: _Kept | None) -> None:
    course, rules = load_course(args), rules_of(args, tail.log_map)
    before, shown, anew = kept.manifest.found if kept else {}, False, 0
    while True:
        came = tail.advance()
        if tail.anew > anew:
            anew = tail.anew
            tell("milepost watch: a file is no longer what it was; all logs were read anew.")
        if (came or not shown) and len(tail.builder):
            play = replay_log(tail.log(), course, rules)
            report = described(document("funnel", play, Funnel()(play)), course, args.min_players)
            _show(args, report, came, before)
            before, shown = report["findings"], True
            if kept:
                kept.manifest.found = before
                kept.keep_now_and_then(tail)
        elif not shown:
            tell(f"milepost watch: no record in {args.folder} yet.")
            shown = True
        if args.once:
            return
        time.sleep(args.interval)


def _show(args: argparse.Namespace, report: Head, came: int, before: dict[str, int]) -> None:
    new = {code: count - before.get(code, 0) for code, count in report["findings"].items() if count > before.get(code, 0)}
    seen = {**report, "command": "watch", "new_lines": came, "new_findings": new}
    if terminal.has_colour(args.output) and not args.once and args.format == "table":
        sys.stdout.write(_CLEAR)
    found = [f"{code} {count:,}" for code, count in sorted(new.items(), key=lambda item: -item[1])]
    newly = f"Newly found: {listed(found) or 'nothing'}."
    news: AnyView = View(f"{time.strftime('%H:%M:%S')}: {plural(came, 'new line')}", (), [], [newly])
    write(args, Report(seen, [news, *MEASURES["funnel"].views(report)], rows_of(report, "levels")))


class _Kept:
    """What was read, kept in a packed store."""

    def __init__(self, folder: Path, held: ExitStack) -> None:
        self.folder, self.manifest, self.rows, self.anew = folder, Manifest(), 0, 0
        self.last = time.monotonic()
        held.enter_context(locked(folder))

    def restore(self, tail: Tail) -> None:
        """Go on where the store ends."""
        if is_store(self.folder):
            self.manifest = restore(self.folder, tail.builder)
            self.rows = self.manifest.rows
            tail.go_on_from({one["file"]: (one["bytes"], one["sha256"]) for one in self.manifest.sources})

    @staticmethod
    def _source(name: str, before: dict[str, object] | None, tail: Tail) -> dict[str, object]:
        """What the manifest says of a file: how far it was read, and the checksum of that."""
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
        known = {one["file"]: one for one in self.manifest.sources}
        sources = [self._source(name, known.get(name), tail) for name in tail.builder.files]
        if len(tail.builder) == self.rows and sources == self.manifest.sources:
            return
        self.manifest.sources = sources
        new = {name: column[self.rows :] for name, column in tail.builder.columns().items()}
        self.manifest = append(self.folder, self.manifest, tail.builder, new)
        self.rows = len(tail.builder)
