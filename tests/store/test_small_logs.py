"""What was replayed of a small log answers the next question: the same figures, and none that rest on what has changed."""

import json
import shutil

import pytest

from milepost import kept_log, kept_plays, process_cache
from milepost.cli.main import main

QUESTIONS = [
    ("funnel",),
    ("attempts",),
    ("times", "--idle-cap", "5"),
    ("deaths",),
    ("spikes",),
    ("moves",),
    ("check",),
    ("funnel", "--exclude", "untagged_skip"),
    ("attempts", "--where", "controller=pad"),
    ("funnel", "--per", "run"),
]


@pytest.fixture
def ask(wickwater, tmp_path, monkeypatch, capsys):
    """What a command says in a folder with the demo's logs, and how often a log was read meanwhile."""
    shutil.copytree(wickwater.folder / "wickwater", tmp_path, dirs_exist_ok=True)
    second = tmp_path / "logs/evening-2.jsonl"
    second.write_text("".join(second.read_text(encoding="utf-8").splitlines(keepends=True)[:1500]), encoding="utf-8")
    monkeypatch.chdir(tmp_path)
    monkeypatch.setenv("XDG_CACHE_HOME", str(tmp_path / "cache"))
    monkeypatch.delenv(kept_log.SWITCH)
    monkeypatch.setattr(process_cache, "_known", None)
    reads, log_of = [], process_cache.log_of
    monkeypatch.setattr(process_cache, "log_of", lambda *given: reads.append(1) or log_of(*given))

    def asked(*words):
        reads.clear()
        capsys.readouterr()
        assert main([*words, "--format", "json"]) == 0, capsys.readouterr().err
        return json.loads(capsys.readouterr().out), len(reads)

    return asked


def kept():
    """The folders of what is kept."""
    return list(kept_log.cache_folder("logs").iterdir())


def test_the_same_figures(ask, monkeypatch):
    """Of every question, whether it is asked first, after another, or again."""
    monkeypatch.setenv(kept_log.SWITCH, "no")
    plain = {words: ask(*words)[0] for words in QUESTIONS}
    monkeypatch.delenv(kept_log.SWITCH)
    for words in QUESTIONS + QUESTIONS[:4]:
        assert ask(*words)[0] == plain[words], words


@pytest.mark.parametrize("first", ["check", "attempts"])
def test_the_next_question_reads_nothing(ask, first):
    """Nor does the same one again."""
    assert ask(first)[1] == 1
    assert [ask(*words)[1] for words in (("funnel",), ("times",), ("spikes",), ("deaths",), ("funnel",))] == [0] * 5


def test_nothing_is_stale(ask, tmp_path):
    """Whatever an answer rests on is part of what it is kept under."""
    before, _ = ask("funnel")
    changed = {
        "logs/evening-2.jsonl": lambda text: "".join(text.splitlines(keepends=True)[:-400]),
        "course.toml": lambda text: text.replace("Low Arch", "Low Ark"),
        "players.csv": lambda text: text.replace("pad", "pen"),
    }
    for name, change in changed.items():
        text = (tmp_path / name).read_text()
        (tmp_path / name).write_text(change(text))
        assert ask("funnel")[1] == 1, name
        (tmp_path / name).write_text(text)
        assert ask("funnel") == (before, 0)
    for more in (("--where", "build=0.8"), ("--debug", "keep"), ("--repeat-window", "9"), ("--exclude", "untagged_skip")):
        assert ask("funnel", *more)[1] == 1, more
    assert ask("funnel", "logs/evening-1.jsonl")[1] == 1


def test_names_are_not_kept_of_who_asks_without(ask):
    """Where pseudonyms are asked for, there is nothing else in what is kept."""
    ask("report", "--anonymous")
    texts = [path.read_text() for own in kept() for path in own.rglob("tree.json")]
    assert texts and not any("Gwen" in text or "Sam Wick" in text for text in texts)


@pytest.mark.parametrize("name", ["tree.json", "columns.npz"])
def test_damage_is_replayed(ask, name):
    """What is not as it was laid down is thrown away."""
    ask("check")
    whole = ask("funnel")[0]
    (place,) = kept()
    for path in place.rglob(name):
        path.write_bytes(path.read_bytes()[:-7] + b"nothing")
    assert ask("funnel") == (whole, 1) and ask("funnel") == (whole, 0)


def test_what_was_asked_for_longest_ago_goes_first(ask, monkeypatch):
    """All that is kept takes no more room than so much."""
    ask("funnel")
    (first,) = kept()
    monkeypatch.setattr(
        kept_log, "MOST_OF_LOGS", int(2.5 * sum(file.stat().st_size for file in first.rglob("*") if file.is_file()))
    )
    for window in ("0.2", "0.3"):
        ask("funnel", "--repeat-window", window)
    assert len(kept()) == 2 and first not in kept()


def test_what_is_not_kept(ask, tmp_path, monkeypatch):
    """Nothing of large logs, nothing where that was said, and nothing of a folder in which others can write."""
    monkeypatch.setattr(kept_log, "LARGEST", 1000)
    assert ask("funnel")[1] == ask("funnel")[1] == 1
    monkeypatch.undo()
    assert not (tmp_path / "cache/milepost/logs").exists()


def test_whoever_changes_the_program_is_answered_anew(ask, monkeypatch):
    ask("funnel")
    monkeypatch.setattr(kept_plays, "_program", lambda: [["changed.py", 1, 2]])
    assert ask("funnel")[1] == 1
