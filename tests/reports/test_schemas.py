"""The JSON Schemas that ship: made from the types, and true of every document."""

import json
import sys
from importlib.resources import files
from pathlib import Path

import pytest
from jsonschema import Draft202012Validator

from conftest import Program
from random_logs import COURSE, as_text, as_toml, random_log
from thoroughness import some_always

sys.path.insert(0, str(Path(__file__).parents[2] / "scripts"))
from make_schemas import schemas, written

SHIPPED = files("milepost.schemas")
DEMO = ("wickwater/logs", "--course", "wickwater/course.toml")
CALLS = {
    "check": (),
    "funnel": (),
    "attempts": (),
    "times": (),
    "deaths": (),
    "moves": (),
    "spikes": (),
    "coverage": (),
    "ratings": (),
    "report": (),
    "answers": (),
    "targets": (),
    "power": ("--change", "1"),
    "compare": (),
    "level": ("Low Arch",),
    "trace": ("--all",),
    "whatif": ("--set", "Low Arch.difficulty=-1"),
}


def validated(name, document):
    """Nothing in a document is undeclared, missing or of another type."""
    schema = json.loads(SHIPPED.joinpath(f"{name}.json").read_text(encoding="utf-8"))
    wrong = [f"{error.json_path}: {error.message[:200]}" for error in Draft202012Validator(schema).iter_errors(document)]
    assert not wrong, wrong[:5]


def words(name, *log):
    return [name, *CALLS[name], *log] if name == "level" else [name, *log, *CALLS[name]]


def test_they_are_those_of_the_types():
    """The files were made from the types as they are."""
    made = schemas()
    assert {name: written(schema) for name, schema in made.items()} == {
        name: SHIPPED.joinpath(f"{name}.json").read_text(encoding="utf-8") for name in made
    }


@pytest.mark.thorough
def test_they_are_schemas():
    """By the standard that they name."""
    for schema in schemas().values():
        Draft202012Validator.check_schema(schema)


@pytest.mark.parametrize("name", CALLS)
def test_documents_of_the_demo(wickwater, name):
    """In its folder, so that settings, notes and recordings are in them."""
    document = Program(wickwater.folder / "wickwater").json(*words(name))
    assert document["settings"]["taken"]["course"] == "course.toml"
    validated(name, document)


@pytest.mark.parametrize("name", ["funnel", "deaths", "spikes"])
def test_groups(wickwater, name):
    document = wickwater.json(name, *DEMO, "--by", "role")
    validated("grouped", document)
    for group in document["groups"]:
        del group["value"]
        validated(name, group)


def test_raw_figures_and_watching(wickwater):
    validated("funnel", wickwater.json("funnel", *DEMO, "--raw"))
    validated("watch", wickwater.json("watch", *DEMO, "--once"))


@pytest.mark.parametrize("seed", some_always(range(6)))
def test_documents_of_odd_logs(milepost, seed):
    """Logs with every fault, with and without a course, and logs of next to nothing."""
    milepost.write("log.jsonl", as_text(random_log(seed)))
    milepost.write("course.toml", as_toml(COURSE))
    for name in ("check", "funnel", "attempts", "times", "deaths", "moves", "spikes", "coverage", "report", "trace"):
        done = milepost(*words(name, "log.jsonl", *(("--course", "course.toml") if seed % 2 else ())), "--format", "json")
        assert done.returncode == 0, done.stderr
        validated(name, json.loads(done.stdout))
