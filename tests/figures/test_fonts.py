"""Names in any script: a font that has them is chosen, or what is missing is said."""

import pytest

from milepost.figures import style

HAVE = {"DejaVu Sans": "abcé", "Some Kai": "渡口a", "Some Gothic": "水門", "Wide": "渡口水門"}


@pytest.fixture
def installed(monkeypatch):
    monkeypatch.setattr(style, "_files", lambda: dict.fromkeys(HAVE, ""))
    monkeypatch.setattr(style, "_characters", lambda name: frozenset(map(ord, HAVE[name])))


@pytest.mark.parametrize(
    ("text", "chosen", "missing"),
    [
        ("abc é", ["DejaVu Sans"], ""),
        ("", ["DejaVu Sans"], ""),
        ("a 渡口", ["DejaVu Sans", "Some Kai"], ""),
        ("渡口水門", ["DejaVu Sans", "Some Kai", "Some Gothic"], ""),
        ("渡 등불 a", ["DejaVu Sans", "Some Kai"], "등불"),
    ],
)
def test_fonts_by_what_is_written(installed, text, chosen, missing):
    """The usual font first, then whichever has what it has not; the rest is missing."""
    assert style.fonts_for(text) == (chosen, missing)


def test_what_no_font_has_is_said(milepost):
    """A figure with a name that cannot be drawn is drawn, and standard error says which characters are boxes."""
    milepost.write(
        "log.jsonl", [{"session": "s", "time": n, "event": "start", "level": "Mill \U0001341f Pond"} for n in range(2)]
    )
    done = milepost("funnel", "log.jsonl", "--figure", "out.png")
    assert done.returncode == 0 and (milepost.folder / "out.png").exists()
    told = [line for line in done.stderr.splitlines() if "no font on this machine has" in line]
    assert done.stderr.splitlines() == told and len(told) <= 1
