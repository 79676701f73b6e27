"""Foreign logs drawn at random, and what their drafted maps make of them: exact, asked, refused, or wrong in silence.

Run from the project's root: python benchmarks/foreign.py --logs 1000 --first 500000
"""

from __future__ import annotations

import argparse
import json
import os
import sys
import tempfile
import time
import traceback
from collections import Counter, defaultdict
from concurrent.futures import ProcessPoolExecutor
from pathlib import Path
from typing import Any

from foreign_logs import ForeignLog, Play, drawn
from foreign_texts import ALL_SHAPES

import milepost
from milepost.drafts.draft_questions import COLUMNS, read_set_options
from milepost.drafts.map_by_trial import DraftedMap, draft_by_trial
from milepost.errors import MilePostError
from milepost.logs.interface import DEFAULTS

_MEANT = {
    "start": "start",
    "retry": "start",
    "complete": "complete",
    "death": "death",
    "session_end": "session_end",
    "checkpoint": "ignore",
    "seen": "ignore",
    "quit": "quit",
}
KINDS = ("exact", "asked", "doubtful", "refused", "wrong")


def figures(play: Any, knows: set[str]) -> list[tuple[Any, ...]]:
    """Per level, in order: reached, cleared, settled tries, chance of a first try, median time; those that a shape can tell."""
    funnel, attempts, times = milepost.funnel(play), milepost.attempts(play), milepost.times(play)
    rows = []
    for level in funnel.index:
        row: list[Any] = [int(funnel.loc[level, "reached"]), int(funnel.loc[level, "cleared"])]
        row += [int(attempts.loc[level, "settled"]), _number(attempts.loc[level, "first_try"])]
        if "times" in knows:
            value = times.loc[level, "run_p50"]
            row.append(None if value != value or value is None else round(float(value), 1))
        rows.append(tuple(row))
    return rows


def _number(value: float) -> float:
    """A share, with -1 for none."""
    return -1.0 if value != value or value is None else round(float(value), 4)


def truth_of(play: Play, folder: Path, knows: set[str], drop_quits: bool) -> list[tuple[Any, ...]]:
    """The figures of the same play in the program's own form."""
    records = play.truth
    if drop_quits:
        records = without_unsettled(records)
    target = folder / "truth-in-own-form"
    target.write_text("".join(json.dumps({**record, **_named(record)}) + "\n" for record in records))
    return figures(milepost.replay(target), knows)


def without_unsettled(records: list[dict[str, Any]]) -> list[dict[str, Any]]:
    """The records without openings that no outcome followed, which a log of results cannot tell."""
    kept: list[dict[str, Any]] = []
    opened: dict[str, int] = {}
    for record in records:
        if record["event"] in ("start", "retry"):
            opened[record["session"]] = len(kept)
        elif record["event"] in ("complete", "death"):
            opened.pop(record["session"], None)
        kept.append(record)
    gone = set(opened.values())
    return [record for number, record in enumerate(kept) if number not in gone]


def _named(record: dict[str, Any]) -> dict[str, str]:
    return {"level": f"L{record['level']:02d}"} if "level" in record else {}


def _in_order(row: tuple[Any, ...]) -> tuple[float, ...]:
    return tuple(-1.0 if value is None else value for value in row)


def same(found: list[tuple[Any, ...]], wanted: list[tuple[Any, ...]]) -> bool:
    """Whether two plays have the same figures, times within a second as stamps may have whole seconds only."""
    if len(found) != len(wanted):
        return False
    for one, two in zip(sorted(found, key=_in_order), sorted(wanted, key=_in_order), strict=True):
        if one[:3] != two[:3] or abs(one[3] - two[3]) > 1e-4:
            return False
        if len(one) > 4 and (one[4] is None) != (two[4] is None):
            return False
        if len(one) > 4 and one[4] is not None and abs(float(str(one[4])) - float(str(two[4]))) > 1.01:
            return False
    return True


def judged(draft: DraftedMap, log: ForeignLog, folder: Path, wanted: list[list[tuple[Any, ...]]], shown: bool) -> bool:
    """Whether a log read through a draft has the figures that it should."""
    (folder / "map.toml").write_text(draft.text, encoding="utf-8")
    play = milepost.replay([folder / name for name in log.names], log_map=folder / "map.toml")
    found = figures(play, log.knows)
    if shown and not any(same(found, one) for one in wanted):
        for row in zip(found, wanted[0], strict=False):
            print(*row)
    return any(same(found, one) for one in wanted)


def known_answers(draft: DraftedMap, log: ForeignLog) -> list[list[str]]:
    """What a user would answer who knows the log, at most three answers: to the draft's questions, or the columns."""
    meant = {theirs: _MEANT[ours] for ours, theirs in log.roles.items() if ours in _MEANT}
    columns = {**log.roles, "event": log.roles.get("result", log.roles.get("event", ""))}
    to_questions = []
    for question in draft.questions:
        right = {**meant, **{key: columns.get(key, "") for key in COLUMNS}, "unit": log.unit}.get(question.key, "")
        if right == question.other:
            to_questions.append(f"{question.key}={right}")
    named = [f"{key}={columns[key]}" for key in ("session", "level", "event") if columns.get(key)]
    return [own[:3] for own in (to_questions, named) if own]


def asked(draft: DraftedMap, log: ForeignLog, folder: Path, wanted: list[list[tuple[Any, ...]]]) -> bool:
    """Whether the draft is right once a user has answered."""
    for answers in known_answers(draft, log):
        try:
            if judged(draft_by_trial(log.names, DEFAULTS, answers=read_set_options(answers)), log, folder, wanted, False):
                return True
        except MilePostError:
            continue
    return False


def try_one(seed: int, shape: str | None = None, shown: bool = False) -> tuple[str, bool, str, str, float]:
    """Draft one log's map, and say what came of it: shape, whether words were telling, kind, remark, CPU seconds."""
    with tempfile.TemporaryDirectory() as place:
        folder = Path(place)
        log, play = drawn(seed, folder, shape, ALL_SHAPES)
        wanted = [truth_of(play, folder, log.knows, drop) for drop in (False, True)]
        os.chdir(folder)
        began = time.process_time()
        draft, remark = None, ""
        try:
            draft = draft_by_trial(log.names, DEFAULTS)
            if judged(draft, log, folder, wanted, shown):
                kind = "exact"
            elif draft.sure and not draft.questions:
                kind = "wrong"
            else:
                kind = "asked" if asked(draft, log, folder, wanted) else "doubtful" if not draft.sure else "wrong"
        except MilePostError as error:
            kind, remark = "refused", str(error)
        except Exception:
            kind, remark = "crash", traceback.format_exc()
        spent = time.process_time() - began
        if shown:
            print(draft.text if draft else remark)
            print(draft.trial if draft else "", kind)
            print((folder / log.names[0]).read_bytes()[:600])
            print(log.roles)
        return log.shape, log.told, kind, remark, spent


def main() -> int:
    """Draw logs, and print the table."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--logs", type=int, default=200)
    parser.add_argument("--first", type=int, default=0)
    parser.add_argument("--jobs", type=int, default=2)
    parser.add_argument("--shape", choices=list(ALL_SHAPES))
    parser.add_argument("--show", action="store_true")
    args = parser.parse_args()
    if args.show:
        print(try_one(args.first, args.shape, True)[2:])
        return 0
    table: dict[tuple[str, bool], Counter[str]] = defaultdict(Counter)
    seeds = range(args.first, args.first + args.logs)
    slowest = 0.0
    with ProcessPoolExecutor(args.jobs) as pool:
        for seed, (shape, told, kind, remark, spent) in zip(
            seeds, pool.map(try_one, seeds, [args.shape] * args.logs), strict=True
        ):
            table[shape, told][kind] += 1
            slowest = max(slowest, spent)
            if kind not in ("exact", "asked"):
                print(
                    f"{seed} {shape} {'told' if told else 'made up'}: {kind} {remark.strip().splitlines()[-1] if remark else ''}",
                    file=sys.stderr,
                )
    print_table(table, slowest)
    return 0


def print_table(table: dict[tuple[str, bool], Counter[str]], slowest: float) -> None:
    """Print what came of each shape."""
    kinds = [*KINDS, "crash"]
    print(f"{'shape':34}{'words':10}" + "".join(f"{kind:>10}" for kind in kinds))
    for told in (True, False):
        total: Counter[str] = Counter()
        for shape in ALL_SHAPES:
            own = table.get((shape, told), Counter())
            total += own
            if own:
                print(f"{shape:34}{'telling' if told else 'made up':10}" + "".join(f"{own[kind]:>10}" for kind in kinds))
        count = max(1, sum(total.values()))
        print(f"{'all':34}{'telling' if told else 'made up':10}" + "".join(f"{total[kind] / count:>10.1%}" for kind in kinds))
    print(f"slowest draft: {slowest:.1f} CPU seconds")


if __name__ == "__main__":
    sys.exit(main())
