"""The registry of measures: whatever stands in it is a command, a call, a document and views in every form."""

import inspect
import typing
from pathlib import Path

import matplotlib
import pandas as pd
import pytest

import milepost as api
from milepost.cli.main import all_commands, build_parser
from milepost.folder.small_tables import read_answers
from milepost.measures.interface import Question
from milepost.reports.registry import MEASURES
from thoroughness import some_always

DEMO = ("wickwater/logs", "--course", "wickwater/course.toml")
BESIDE = {"answers": ["--answers", "wickwater/answers.csv", "--order", "How hard was it?=easy,fair,hard"]}
WORDS = {"level": ["Low Arch"], "trace": ["maud-wick-1"], "whatif": ["--set", "Low Arch.difficulty=-1"]}
ANSWERS = Path(__file__).parents[1] / "src/milepost/demo/answers.csv"
SETTINGS = {
    "answers": {"answers": read_answers(ANSWERS), "questions": {"How hard was it?": Question(("easy", "fair", "hard"))}},
    "level": {"name": "Low Arch"},
    "whatif": {"changes": ("Low Arch.difficulty=-1",)},
}
SHARED = {
    "help",
    "logs",
    "course",
    "map",
    "input_format",
    "max_bytes",
    "where",
    "exclude",
    "by",
    "min_players",
    "format",
    "output",
    "columns",
    "figure",
    "size",
    "dark",
    "repeat_window",
    "instant",
    "implied_complete",
    "debug",
    "shortcuts",
    "jobs",
    "cluster",
    "memory",
    "strict",
    "all",
    "course_from",
    "course_to",
    "no_folder",
    "no_where",
    "no_exclude",
    "since",
    "quiet",
    "verbose",
}
NONE_IN_DEMO = {"layouts"}  # the demo has no layouts
NOT_REPORTED = {"layouts", "runs"}  # nor does it speak of runs


@pytest.fixture(scope="module")
def play(wickwater):
    folder = wickwater.folder / "wickwater"
    return api.replay(folder / "logs", course=folder / "course.toml")


def words(name, *more):
    """A command line on the demo."""
    first = WORDS.get(name, [])
    return [
        name,
        *([] if first[:1] == ["--set"] else first),
        *DEMO,
        *BESIDE.get(name, []),
        *(first if first[:1] == ["--set"] else []),
        *more,
    ]


@pytest.mark.parametrize("name", sorted(MEASURES.keys() - NONE_IN_DEMO))
@pytest.mark.parametrize("form", ["table", "json", "csv", "markdown"])
def test_every_form(wickwater, name, form):
    """Every measure gives every form, and every document says its format and its command."""
    done = wickwater(*words(name, "--format", form))
    assert done.returncode == 0 and done.stdout.strip(), done.stderr
    if form == "json":
        document = wickwater.json(*words(name))
        assert (document["format"], document["command"]) == (1, name)


@pytest.mark.parametrize("name", some_always([name for name, entry in MEASURES.items() if entry.drawn], 2))
def test_every_figure(wickwater, play, name):
    """Every measure that is drawn has a figure, by the command and in a notebook."""
    assert wickwater(*words(name, "--figure", f"{name}.png")).returncode == 0
    assert (wickwater.folder / f"{name}.png").stat().st_size > 10_000
    before = dict(matplotlib.rcParams)
    assert api.figure(play, name, **SETTINGS.get(name, {})).axes
    assert dict(matplotlib.rcParams) == before, "a notebook keeps its own settings"


@pytest.mark.parametrize(
    "name", some_always([name for name, entry in MEASURES.items() if entry.groups and name not in NONE_IN_DEMO], 2)
)
def test_every_group(wickwater, name):
    """Every measure for groups is shown by groups, whole and by parts alike."""
    whole, parts = (wickwater.json(*words(name, "--by", "role", *more)) for more in ((), ("--memory", "1MB")))
    assert whole == parts and whole["format"] == 1 and len(whole["groups"]) == 3
    assert wickwater(*words(name, "--by", "role")).returncode == 0


@pytest.mark.parametrize("name", MEASURES)
def test_every_measure_is_a_command_and_a_call(name):
    """Each has a command of its name, and a call that takes the settings which only this command has."""
    assert name in all_commands() and callable(getattr(api, name))
    parser = build_parser()._subparsers._group_actions[0].choices[name]
    own = {action.dest for action in parser._actions} - SHARED
    renamed = {"set": "changes"}
    planned = {"planned"} if name == "targets" else set()  # which the command has from the folder
    given = {*inspect.signature(getattr(api, name)).parameters} - {"play", "min_players"}
    if "settings" in given:
        given = (given | set(typing.get_args(typing.get_type_hints(getattr(api, name))["settings"])[0].__annotations__)) - {
            "settings",
            "min_players",
        }
    assert {renamed.get(option, option) for option in own} | planned == given


def test_calls_say_what_commands_say(wickwater, play):
    """The rows of a call are those of its command, and what belongs to the whole course is with the frame."""
    for name in ("funnel", "attempts", "times", "deaths", "spikes", "coverage", "ratings", "trace", "moves", "check"):
        frame, document = (
            getattr(api, name)(play),
            wickwater.json(*(words(name) if name != "trace" else ["trace", "--all", *DEMO])),
        )
        rows = document[MEASURES[name].rows]
        assert isinstance(frame, pd.DataFrame) and len(frame) == len(rows)
        first = (
            {**dict(zip(frame.index.names, [frame.index[0]], strict=True)), **frame.iloc[0].to_dict()}
            if frame.index.name
            else frame.iloc[0].to_dict()
        )
        assert all(
            pd.isna(first[key]) if value is None else first[key] == value
            for key, value in rows[0].items()
            if not isinstance(value, dict | list)
        )
        near = f"{wickwater.folder}/"  # files are named as they were given
        assert all(str(frame.attrs[key]).replace(near, "") == str(document[key]) for key in frame.attrs)
    assert (
        api.level(play, "arch_01")["level"] == "Low Arch"
        and api.whatif(play, "Low Arch.difficulty=-1").changed["Low Arch"] == -1.0
    )


@pytest.mark.parametrize(("call", "setting"), [(api.funnel, {"unknown_end": "censored"}), (api.times, {"clock": "inputs"})])
def test_a_setting_that_is_misspelt(play, call, setting):
    """It is refused, as the command refuses it, and never taken for the usual one."""
    with pytest.raises(api.MilePostError, match="give '"):
        call(play, **setting)


def test_the_report_holds_every_reported_measure(wickwater):
    """Under each measure's name the report has just the document that the command gives."""
    report = wickwater.json("report", *DEMO)
    for name, entry in MEASURES.items():
        if entry.reported and name not in NOT_REPORTED:
            assert report[name] == wickwater.json(*words(name)), name
