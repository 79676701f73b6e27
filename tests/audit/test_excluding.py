"""What leaving out would move: the sessions of few players replayed anew give the figures of a whole replay."""

import json
import random

import numpy as np
import pytest

import milepost as api
from milepost.audit import exclusion_effects
from milepost.audit.exclusion_effects import figures_to_compare, measure_exclusion_effects
from milepost.cleaning.selection import Exclusion
from milepost.course.course import read_course
from milepost.logs.read import read
from milepost.playback.replay import replay_log
from milepost.rules import ReplayRules
from random_logs import COURSE, as_text, as_toml, random_log
from thoroughness import some_always


def many(seed):
    """A log of a dozen players, each with the sessions of a random log."""
    lines = []
    for number in range(12):
        for line in random_log(90_000 + 20 * seed + number):
            if not isinstance(line, dict):
                continue
            player = f"{line['player']} {number}" if isinstance(line.get("player"), str) else f"p{number}"
            lines.append({**line, "session": f"{line.get('session')}-{number}", "player": player, "build": "0.7"})
    return lines


@pytest.mark.parametrize("seed", some_always(range(6)))
def test_few_replayed_as_all(tmp_path, seed):
    """Sessions left out, sessions cut, and voided tries beside them: level by level the same, by the whole log and by parts."""
    rng = random.Random(seed)
    (tmp_path / "course.toml").write_text(as_toml(COURSE))
    (tmp_path / "log.jsonl").write_text(as_text(many(seed)))
    course, log = read_course(tmp_path / "course.toml"), read([str(tmp_path / "log.jsonl")])
    play = replay_log(log, course, ReplayRules())
    names = play.gated.log.sessions.name
    coarse = frozenset(names[number] for number in np.flatnonzero(play.gated.coarse).tolist())
    gone, cut = rng.sample(names, 4), rng.sample(names, 3)
    row = int(rng.choice(np.flatnonzero(~np.isin(play.attempts.session, [names.index(name) for name in gone])).tolist()))
    span = tuple(
        int(at[row] - play.gated.bounds[play.attempts.session[row]]) for at in (play.attempts.opened_at, play.attempts.closed_at)
    )
    void = {names[play.attempts.session[row]]: frozenset({span})}
    for exclusion in (
        Exclusion(("a",), frozenset(gone), coarse=coarse),
        Exclusion(("a",), cuts={name: rng.randint(0, 9) for name in cut}, coarse=coarse),
        Exclusion(("a",), frozenset(gone[:2]), {name: 3 for name in cut}, void=void, coarse=coarse),
        Exclusion(("a",), void=void, faults=frozenset(cut), coarse=coarse),
    ):
        whole = figures_to_compare(replay_log(log, course, ReplayRules(), exclusion=exclusion))
        assert figures_to_compare(exclusion_effects._leave_out(play, exclusion)) == whole
        parted = api.replay(tmp_path / "log.jsonl", course=tmp_path / "course.toml", memory=1)
        assert figures_to_compare(exclusion_effects._leave_out(parted, exclusion)) == whole


def test_only_few_are_replayed(milepost, monkeypatch):
    """Of a large log those players' sessions, no others; without a course all of them, as the order may be another one."""
    lines = []
    for n in range(40):
        base = {"session": f"s{n}", "player": f"p{n}"}
        lines += [base | {"time": t, "event": event, "level": "Mill Pond"} for t, event in ((0, "start"), (9, "complete"))]
        lines += [base | {"time": 10, "event": "transition", "level": "Mill Pond", "to": "Reed Gate" if n == 7 else "Low Arch"}]
        lines += [base | {"time": 11, "event": "start", "level": "Reed Gate" if n == 7 else "Low Arch"}]
        lines += [base | {"time": 40, "event": "session_end", "cause": "quit"}]
    milepost.write("log.jsonl", lines)
    milepost.write("course.toml", "".join(f'[[level]]\nname = "{name}"\n' for name in ("Mill Pond", "Low Arch", "Reed Gate")))
    seen = []
    again = exclusion_effects.replay_log
    monkeypatch.setattr(
        exclusion_effects,
        "replay_log",
        lambda log, *more, **words: seen.append(len(log.sessions.name)) or again(log, *more, **words),
    )
    for course, sessions in (("course.toml", 1), (None, 40)):
        play = api.replay(milepost.folder / "log.jsonl", course=course and milepost.folder / course, memory=None)
        seen.clear()
        moved = measure_exclusion_effects(play)
        if "untagged_skip" in moved:
            assert seen == [sessions]
            assert json.dumps(moved["untagged_skip"])
    assert seen or course is None
