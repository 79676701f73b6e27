"""From arguments to a comparison of two groups of a log's sessions."""

from __future__ import annotations

import argparse
from typing import TYPE_CHECKING

from milepost.cli.loading import course_named
from milepost.comparing.compare import Compare
from milepost.gate.splitting import split_of
from milepost.reports.compared import compare_document

if TYPE_CHECKING:
    from milepost.opening import Loaded
    from milepost.reports.documents import CompareDocument


def compared(args: argparse.Namespace, loaded: Loaded) -> CompareDocument:
    """Replay both groups, each by its own course, and set them side by side."""
    courses = [
        course_named(given) if (given := getattr(args, name, None)) else loaded.course for name in ("course_from", "course_to")
    ]
    log = loaded.sessions
    split = split_of(log, getattr(args, "key", "build"), args.before, args.after, (courses[0], courses[1]))
    settings = Compare(
        split, args.min_players, getattr(args, "assigned", None), getattr(args, "looks", 1), tuple(getattr(args, "untouched", ()))
    )
    plays = loaded.sides(split)
    return compare_document(plays, log, split, settings(*plays, log.sessions.name), args.min_players)
