"""The values of fields as a log has them: numbers as people write them, texts by their codes."""

import json

import numpy as np
import pytest

from milepost.cleaning.field_values import values_of, values_of_numbers
from milepost.cleaning.gate import judge_records
from milepost.cleaning.names import reorder
from milepost.logs.interface import ABSENT
from milepost.logs.read import read


def test_numbers_as_values():
    """Whole ones without a point, as far as that is exact; what is not given has no value."""
    values = values_of_numbers(np.array([3.0, 2.5, np.nan, 3.0, -1.0, 1e16, 0.5e15]))
    assert [values.texts[code] if code != ABSENT else None for code in values.codes] == [
        "3", "2.5", None, "3", "-1", "1e+16", "500000000000000",
    ]  # fmt: skip
    assert values.numbers[0] == values.numbers[3] == 3.0 and np.isnan(values.numbers[2])


@pytest.fixture
def gated(tmp_path):
    records = [
        {
            "session": "a",
            "time": 0,
            "event": "start",
            "level": "low_arch",
            "player": "P",
            "build": "2",
            "seq": 7,
            "x": 1.5,
            "lamp": "on",
        },
        {"session": "a", "time": 5, "event": "complete", "level": "Low Arch", "seq": 9},
        {"session": "b", "time": 0, "event": "start", "level": "Mill Pond", "cause": "fog"},
    ]
    (tmp_path / "log.jsonl").write_text("".join(json.dumps(one) + "\n" for one in records))
    return judge_records(read([str(tmp_path / "log.jsonl")]), None, False)


@pytest.mark.parametrize(
    ("name", "wanted"),
    [
        ("seq", ["7", "9", None]),
        ("x", ["1.5", None, None]),
        ("lamp", ["on", None, None]),
        ("player", ["P", "P", None]),
        ("build", ["2", "2", None]),
        ("session", ["a", "a", "b"]),
        ("cause", [None, None, "fog"]),
    ],
)
def test_values_of_records(gated, name, wanted):
    """Of sessions as of records; a field that only some have."""
    values = values_of(gated, name, np.arange(3))
    assert [values.texts[code] if code != ABSENT else None for code in values.codes.tolist()] == wanted


def test_no_such_field(gated):
    assert values_of(gated, "lantern", np.arange(3)) is None


def test_stops_in_another_order(gated):
    """Those that are named come first, as levels; all else that is known of them goes along."""
    stops = gated.stops
    turned = reorder(stops, [1])
    assert turned.names == [stops.names[1], *(name for place, name in enumerate(stops.names) if place != 1)]
    assert turned.n_levels == 1 and turned.is_place.tolist() == [
        bool(stops.is_place[stops.names.index(name)]) for name in turned.names
    ]
    assert [turned.names[code] for code in turned.code.tolist()] == [stops.names[code] for code in stops.code.tolist()]
    assert turned.spelling.tolist() == stops.spelling.tolist() and turned.unknown.tolist() == stops.unknown.tolist()
