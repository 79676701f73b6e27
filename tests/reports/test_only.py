"""A report of some measures only says what their own commands say."""

import json

import pytest

from conftest import Program
from reports.test_schemas import validated


@pytest.fixture
def home(wickwater):
    return Program(wickwater.folder / "wickwater")


def test_each_is_the_commands_own(home):
    """Whatever the order in which they are named; nothing else is in the document."""
    document = home.json("report", "--only", "deaths, funnel,check")
    validated("report-only", document)
    assert document["only"] == ["check", "funnel", "deaths"] and "spikes" not in document
    for name in document["only"]:
        own = home.json(name)
        del own["settings"]
        assert {key: value for key, value in document[name].items() if key != "settings"} == own


def test_forms(home, tmp_path):
    """As text one under the other, as Markdown, as CSV of one, as JSON in a file."""
    text = home("report", "--only", "deaths,funnel").stdout
    assert text.index("Funnel: who reached") < text.index("Deaths: how many") and "Moves:" not in text
    one, csv = home("deaths", "--format", "csv"), home("report", "--only", "deaths", "--format", "csv")
    assert csv.stdout == one.stdout
    assert home("report", "--only", "moves", "-o", tmp_path / "moves.md").returncode == 0
    text = (tmp_path / "moves.md").read_text()
    assert text.startswith("## Moves") and "Taken from milepost.toml" in text
    assert home("report", "--only", "moves,times", "-o", tmp_path / "some.json").returncode == 0
    written = json.loads((tmp_path / "some.json").read_text())
    assert written["only"] == ["times", "moves"] and written["settings"]["taken"]["course"] == "course.toml"
    validated("report-only", written)


def test_what_there_is_nothing_for_is_said(home):
    done = home("report", "--only", "funnel,layouts")
    assert done.returncode == 0 and "nothing for layouts" in done.stderr and "Funnel" in done.stdout


@pytest.mark.parametrize(
    ("words", "said"),
    [
        (("--only", "funel"), "no such measure"),
        (("--only", ""), "no such measure"),
        (("--only", "layouts"), "nothing for that"),
        (("--only", "compare"), "no such measure"),
        (("--only", "funnel", "-o", "some.html"), ".json and .md"),
        (("--only", "funnel,moves", "--format", "csv"), "one table"),
        (("--only", "funnel", "--from", "0.7"), "whole report"),
        (("--only", "funnel", "--only", "moves"), "given twice"),
    ],
)
def test_what_cannot_be(home, words, said):
    done = home("report", *words)
    assert done.returncode == 2 and said in done.stderr and not done.stdout
    assert not (home.folder / "some.html").exists()
