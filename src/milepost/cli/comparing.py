"""From arguments to a comparison of two groups of a log's sessions."""

from __future__ import annotations

import argparse
from typing import TYPE_CHECKING

from milepost.cleaning.splitting import split_of
from milepost.cli.loading import course_named
from milepost.comparison.compare import Compare
from milepost.comparison.compare_in_play import require_by_session, split_by_attribute
from milepost.playback.attributes import is_attribute
from milepost.reports.compared import compare_document

if TYPE_CHECKING:
    from milepost.cleaning.splitting import Split
    from milepost.open_log import Loaded
    from milepost.playback.play import Play
    from milepost.reports.document_types import CompareDocument


def compared(args: argparse.Namespace, loaded: Loaded) -> CompareDocument:
    """Replay both groups, each by its own course, and set them side by side."""
    key, shares = getattr(args, "key", "build"), getattr(args, "shares", (1.0, 1.0))
    named = args.before, args.after
    if is_attribute(key):
        split, plays = split_by_attribute(loaded.play(), key, *named)
        return _document(args, loaded, split, plays, shares)
    courses = [
        course_named(given) if (given := getattr(args, name, None)) else loaded.course for name in ("course_from", "course_to")
    ]
    log = loaded.sessions
    split = split_of(log, key, *named, (courses[0], courses[1]))
    plays = loaded.sides(split)
    for play in plays:
        require_by_session(play, key)
    return _document(args, loaded, split, plays, shares)


def _document(
    args: argparse.Namespace, loaded: Loaded, split: Split, plays: tuple[Play, Play], shares: tuple[float, float]
) -> CompareDocument:
    assigned, untouched = getattr(args, "assigned", None), tuple(getattr(args, "untouched", ()))
    settings = Compare(split, args.min_players, assigned, getattr(args, "looks", 1), untouched, shares)
    log = loaded.sessions
    return compare_document(plays, log, split, settings(*plays, log.sessions.name), args.min_players)
