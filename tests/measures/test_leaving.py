"""Leaving against plain counting over the naive replay, and what cannot be asked."""

from collections import Counter

import pytest

from milepost.course.course import read_course
from milepost.logs.read import read
from milepost.measures.leaving import Leaving
from milepost.playback.replay import replay_log
from milepost.rules import ReplayRules
from oracle import legs
from oracle import measures as naive
from oracle.replay import replay as naive_replay
from random_logs import as_text, as_toml, as_values, random_log, renamed, with_legs

SETTLED = ("complete", "death", "reset")


def counted(play, censor):
    """Per streak and per level, what players did after their tries, one attempt after the other."""
    streaks, levels = Counter(), Counter()
    causes = {session["name"]: session["cause"] for session in play.sessions}
    last_leg = max(n for n, leg in enumerate(play.legs) if leg["way"])
    for player in play.players:
        own = [a for a in play.attempts if a["player"] == player]
        cleared = {a["level"] for a in own if a["outcome"] == "complete"}
        failed = Counter()
        for n, a in enumerate(own):
            before = failed[a["level"]]
            settled = a["outcome"] in SETTLED
            if a["rerun"]:
                continue
            failed[a["level"]] += settled and a["outcome"] != "complete"
            if a["level"] not in play.names:
                continue
            rest, cause = own[n + 1 :], causes[a["session"]]
            cut = cause not in (("quit",) if censor else ("quit", "unknown"))
            cut = cut or (not rest and legs.is_done(play.legs[last_leg], cleared))
            if settled:
                streak = 0 if a["outcome"] == "complete" else min(5, failed[a["level"]])
                here = any(b["session"] == a["session"] for b in rest)
                fate = "on" if here else "cut_off" if cut else "breaks" if rest else "left"
            elif not rest and not cut:
                streak, fate = min(5, before), "left_mid"
            else:
                continue
            streaks[streak, fate] += 1
            levels[a["level"], fate] += 1
            if fate == "left":
                levels[a["level"], "after_clear" if a["outcome"] == "complete" else "after_failure"] += 1
    return streaks, levels


@pytest.mark.parametrize("censor", [False, True])
def test_against_plain_counting(tmp_path, censor):
    """Tries, cut offs, breaks and leavings by streak and by level agree on random logs of random courses."""
    for seed in range(40):
        own = with_legs(seed)
        (tmp_path / "course.toml").write_text(as_toml(own))
        lines = [line for part in range(4) for line in renamed(random_log(350_000 + 4 * seed + part), part)]
        (tmp_path / "log.jsonl").write_text(as_text(lines))
        expected = naive.Play(naive_replay(as_values(lines), own), course=own)
        play = replay_log(read([str(tmp_path / "log.jsonl")]), read_course(tmp_path / "course.toml"), ReplayRules())
        found = Leaving("censor" if censor else "lost")(play)
        streaks, levels = counted(expected, censor)
        for row in found.totals["streaks"]:
            for key in ("cut_off", "breaks", "left", "left_mid"):
                assert row[key] == streaks[row["streak"], key], (seed, row)
            of = [streaks[row["streak"], key] for key in ("on", "cut_off", "breaks", "left")]
            assert row["tries"] == sum(of)
            told = row["tries"] - row["cut_off"] + row["left_mid"]
            assert row["left_share"] == (None if not told else pytest.approx((row["left"] + row["left_mid"]) / told))
        for row in found.rows:
            for key in ("cut_off", "breaks", "left", "left_mid", "after_clear", "after_failure"):
                assert row[key] == levels[row["level"], key], (seed, row)
        assert sum(row["tries"] for row in found.totals["minutes"]) == sum(row["tries"] for row in found.totals["streaks"])


def test_days_and_curves(milepost, small_log):
    """Days need time stamps; fewer than ten leavings make no curve, in words and in the figure."""
    milepost.write("log.jsonl", small_log)
    done = milepost("leaving", "log.jsonl", "--return-within", "3")
    assert done.returncode == 2 and "times without a date" in done.stderr and len(done.stderr.splitlines()) == 1
    shown = milepost("leaving", "log.jsonl", "--figure", "leaving.svg").stdout
    assert "fewer than 10 make no curve" in " ".join(shown.split()) and "By level" in shown
    assert "fewer than 10 make no curve" in (milepost.folder / "leaving.svg").read_text().replace("\n", " ")
    stamped = [{**one, "time": f"2026-03-0{1 + n // 7}T10:00:{one['time'] % 60:05.2f}Z"} for n, one in enumerate(small_log)]
    milepost.write("stamped.jsonl", stamped)
    document = milepost.json("leaving", "stamped.jsonl", "--return-within", "400")
    assert sum(row["left"] + row["left_mid"] for row in document["streaks"]) == 0
