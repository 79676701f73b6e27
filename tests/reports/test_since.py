"""What is new since an earlier report: true to a simulated change, silent without one, and careful with what it is given."""

import json
from math import sqrt

import pytest

from milepost.reports.since import find_news, flagged_levels

SHAPE = ("--shape", "flat", "--levels", "10", "--players", "60", "--sessions", "1", "--minutes", "0", "--roughness", "0")


@pytest.fixture(scope="module")
def weeks(tmp_path_factory):
    """A folder with a first week's report, and a second week's log, in which the fifth level is far harder."""
    from conftest import Program

    program = Program(tmp_path_factory.mktemp("weeks"))
    (program.folder / "logs").mkdir()
    for week, more in ((1, ()), (2, ("--plant", "spike@5=2.5"))):
        target = "logs/week-1.jsonl" if week == 1 else "week-2.jsonl"
        assert program("simulate", *SHAPE, *more, "--seed", week, "--builds", f"0.{week}", "--output", target).returncode == 0
    text = (
        (program.folder / "week-2.jsonl")
        .read_text()
        .replace('"session": "', '"session": "second-')
        .replace('"player": "', '"player": "second-')
    )
    program.write("week-2.jsonl", text)
    program.write("milepost.toml", 'logs = ["logs"]\n')
    assert program("report", "-o", "one.json").returncode == 0
    return program


def test_nothing_is_new(weeks):
    """Of the same log nothing is new, and that is said."""
    since = weeks.json("report", "--since", "one.json")["since"]
    assert (since["verdicts"], since["moved"], since["findings"], since["levels_added"], since["new_sessions"]) == (
        [],
        [],
        [],
        [],
        0,
    )
    assert since["compared"] > 30 and since["sessions_gone"] == 0
    assert "No verdict changed, and no figure moved beyond its noise." in " ".join(
        weeks("report", "--since", "one.json").stdout.split()
    )
    assert weeks.json("report")["since"] is None


def test_a_second_week(weeks):
    """A log that is dropped into the folder: the change that was made is named, and next to nothing else."""
    weeks.write("logs/week-2.jsonl", (weeks.folder / "week-2.jsonl").read_text())
    try:
        document = weeks.json("report", "--since", "one.json")
        since = document["since"]
        (level,) = [name for place, name in enumerate(document["course"]["levels"], 1) if place == 5]
        assert since["new_sessions"] == 60
        assert [(one["level"], one["before"], one["after"]) for one in since["verdicts"]] == [(level, "none", "spike")]
        figures = {one["figure"]: one for one in since["moved"] if one["level"] == level}
        assert figures["try_clear"]["after"] < figures["try_clear"]["before"] - 0.15
        assert figures["first_try"]["after"] < figures["first_try"]["before"]
        others = {
            (one["level"], one["figure"])
            for one in since["moved"]
            if one["level"] != level and one["figure"] in ("try_clear", "first_try")
        }
        assert len(others) <= 5
        assert f"{level}: nothing stands out before, a spike now" in " ".join(
            weeks("report", "--since", "one.json").stdout.split()
        )
        assert weeks("report", "--since", "one.json", "-o", "r.html").returncode == 0
        assert "What is new" in (weeks.folder / "r.html").read_text()
        hidden = weeks.json("report", "--since", "one.json", "--anonymous")["since"]
        assert hidden["new_sessions"] == 60, "marks of sessions are those of their pseudonyms"
        assert weeks("spikes", "--strict", "strong").returncode == 1
        done = weeks("spikes", "--strict", "strong", "--since", "one.json")
        assert done.returncode == 1 and f"and did not before there stands out: {level}." in done.stderr
        assert weeks("report", "-o", "two.json").returncode == 0
        assert weeks("spikes", "--strict", "strong", "--since", "two.json").returncode == 0
    finally:
        (weeks.folder / "logs/week-2.jsonl").unlink()
    assert weeks("spikes", "--strict", "strong").returncode == 0


def report(rate, spread, marks, kind="none", codes=(), levels=("A",)):
    """As much of a report as is compared."""
    row = {"level": "A", "clear_rate": rate, "clear_rate_low": rate - 1.96 * spread, "clear_rate_high": rate + 1.96 * spread}
    return {
        "command": "report",
        "format": 1,
        "sessions": len(marks),
        "session_marks": marks,
        "course": {"levels": list(levels)},
        "check": {"details": [], "suspects": [{"code": code, "count": 2} for code in codes]},
        "funnel": {"levels": [row]},
        "attempts": {"levels": []},
        "spikes": {"levels": [{"level": "A", "kind": kind, "evidence": "strong" if kind != "none" else "none"}]},
    }


def test_noise_by_hand():
    """With shared sessions the variances are taken from one another, without they are added."""
    old, new = report(0.5, 0.05, ["a", "b"]), report(0.58, 0.04, ["a", "b", "c"])
    (moved,) = find_news("old", old, new)["moved"]
    assert moved["noise"] == pytest.approx(sqrt(0.05**2 - 0.04**2), rel=1e-4) and (moved["before"], moved["after"]) == (0.5, 0.58)
    apart = find_news("old", old, report(0.58, 0.04, ["c", "d", "e"]))
    assert apart["moved"] == [] and apart["compared"] == 1 and (apart["new_sessions"], apart["sessions_gone"]) == (3, 2)


def test_what_else_is_named():
    """Verdicts, findings and levels that came or went."""
    since = find_news(
        "old",
        report(0.5, 0.1, ["a"], "spike", ("stuck",), ("A", "B")),
        report(0.5, 0.1, ["a"], "none", ("stuck", "idle_span"), ("A", "C")),
    )
    assert since["verdicts"] == [
        {"level": "A", "before": "spike", "after": "none", "evidence_before": "strong", "evidence_after": "none"}
    ]
    assert since["findings"] == [{"code": "idle_span", "count": 2}]
    assert (since["levels_added"], since["levels_removed"]) == (["C"], ["B"])
    rows = [
        {"level": name, "kind": "spike", "evidence": evidence}
        for name, evidence in (("A", "weak"), ("B", "fair"), ("C", "strong"))
    ]
    assert (
        flagged_levels(rows, "fair") == {"B", "C"}
        and flagged_levels([{"level": "D", "kind": "none", "evidence": "strong"}], "weak") == set()
    )


@pytest.mark.parametrize(
    "content",
    [
        "",
        "[",
        "[]",
        '{"command": "funnel", "format": 1}',
        '{"command": "report", "format": 1}',
        json.dumps({**report(0.5, 0.1, []), "funnel": {"levels": [3]}}),
        "[" * 100_000,
        json.dumps({**report(0.5, 0.1, []), "session_marks": [["a"]]}),
        json.dumps({**report(0.5, 0.1, []), "sessions": "3"}),
        json.dumps({**report(0.5, 0.1, []), "check": {"details": [{"code": "stuck", "count": "x"}], "suspects": []}}),
    ],
)
def test_what_is_no_report(weeks, content):
    """It is refused in a line, before any work."""
    weeks.write("bad.json", content)
    for command in (["report"], ["spikes", "--strict", "fair"]):
        done = weeks(*command, "--since", "bad.json")
        assert done.returncode == 2 and "--since bad.json: is" in done.stderr and done.stderr.count("\n") == 1


def test_an_earlier_report_is_kept(weeks):
    """It is not written over by the report that is held against it; and it needs a strength beside spikes."""
    assert "would be lost" in weeks("report", "--since", "one.json", "-o", "one.json").stderr
    assert "--since goes with --strict" in weeks("spikes", "--since", "one.json").stderr
    assert "cannot be read" in weeks("report", "--since", "gone.json").stderr
