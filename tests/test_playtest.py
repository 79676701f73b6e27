"""A playtest folder in a notebook: the same file, the same figures, every measure a method."""

import pytest

import milepost
from milepost.reports.registry import MEASURES


@pytest.fixture(scope="module")
def playtest(wickwater):
    return milepost.open(wickwater.folder / "wickwater" / "logs")


def test_it_says_what_the_commands_say(wickwater, playtest):
    """Logs, course, players, answers, targets and replay settings are those of the folder's file."""
    inside = type(wickwater)(wickwater.folder / "wickwater")
    for name, rows in (
        ("funnel", "levels"),
        ("spikes", "levels"),
        ("answers", "levels"),
        ("targets", "targets"),
        ("compare", "levels"),
    ):
        frame, document = getattr(playtest, name)(), inside.json(name)
        assert len(frame) == len(document[rows])
        key = {"funnel": "lost", "spikes": "kind", "answers": "n", "targets": "verdict", "compare": "verdict"}[name]
        told = [None if value != value else value for value in frame[key].tolist()]
        assert told == [row[key] for row in document[rows]]
    assert playtest.play.gated.log.players.only_there == ("Piper Quay",)
    assert playtest.answers().attrs["questions"][0]["apart"] == inside.json("answers")["questions"][0]["apart"]


def test_every_measure_is_a_method(playtest):
    """They are offered, and what is none is refused with what there is."""
    assert set(MEASURES) <= set(dir(playtest)) and "figure" in dir(playtest)
    assert all(callable(getattr(playtest, name)) for name in MEASURES)
    with pytest.raises(AttributeError, match="it has check, funnel"):
        playtest.funnels  # noqa: B018
    assert playtest.figure("answers").axes and playtest.figure("deaths", dark=True).axes
    assert playtest.level("Low Arch")["level"] == "Low Arch" and len(playtest.trace("maud-wick-1")) > 5
    assert list(playtest.notes.columns) == ["session", "player", "level", "build", "clock", "note"] and len(playtest.notes) >= 4
    assert playtest.recordings["offset"].between(0, 360).all()


def test_without_a_folder(tmp_path):
    """Each lack is one error that says what to do."""
    with pytest.raises(milepost.MilePostError, match="milepost init LOG makes one"):
        milepost.open(tmp_path)
    (tmp_path / "milepost.toml").write_text("")
    empty = milepost.open(tmp_path)
    with pytest.raises(milepost.MilePostError, match="names no logs"):
        empty.funnel()
    with pytest.raises(milepost.MilePostError, match="names no answers"):
        empty.answers()
    assert "questions" not in dir(empty)
    assert len(empty.recordings) == 0
