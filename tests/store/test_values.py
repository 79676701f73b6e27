"""Values that are written come back as they were, or not at all."""

from dataclasses import dataclass, field
from typing import NamedTuple

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from milepost.logs.store.kept_values import ValuesError, read_values, write_values


class Spot(NamedTuple):
    file: int
    line: int


@dataclass(frozen=True)
class Found:
    rows: np.ndarray
    where: tuple[Spot, ...]
    codes: frozenset[str]
    by_number: dict[int, Spot]


@dataclass
class Whole:
    name: str | None
    found: list[Found]
    tags: list[dict[str, str]]
    share: float = 0.5
    made: dict[str, int] = field(default_factory=dict, init=False)


DTYPES = st.sampled_from(["i1", "i2", "i4", "i8", "f4", "f8", "?", "u1"])
COLUMNS = st.builds(lambda dtype, values: np.array(values).astype(dtype), DTYPES, st.lists(st.integers(-100, 100), max_size=9))
SPOTS = st.builds(Spot, st.integers(0, 9), st.integers(1, 1 << 70))
FOUND = st.builds(
    Found,
    COLUMNS,
    st.lists(SPOTS, max_size=3).map(tuple),
    st.frozensets(st.text(max_size=3), max_size=3),
    st.dictionaries(st.integers(-5, 5), SPOTS, max_size=2),
)
TAGS = st.lists(st.dictionaries(st.text(max_size=3), st.text(max_size=3), max_size=2), max_size=3)
WHOLES = st.builds(Whole, st.none() | st.text(), st.lists(FOUND, max_size=3), TAGS, st.floats(allow_nan=False))


def same(one, other):
    if isinstance(one, np.ndarray):
        return one.dtype == other.dtype and one.tobytes() == other.tobytes()
    if isinstance(one, Found | Whole):
        return type(one) is type(other) and all(same(vars(one)[name], vars(other)[name]) for name in vars(one))
    if isinstance(one, list):
        return len(one) == len(other) and all(map(same, one, other))
    return type(one) is type(other) and one == other


@settings(max_examples=100, deadline=None)
@given(WHOLES)
def test_as_they_were(tmp_path_factory, whole):
    folder = tmp_path_factory.mktemp("values")
    write_values(folder, {"whole": whole, "number": 3})
    written = read_values(folder)
    assert same(written.value("whole", Whole), whole) and written.value("number") == 3 and written.value("other") is None


def test_one_value_for_all_takes_one(tmp_path):
    """A column that stands for many rows by one value does so again."""
    write_values(tmp_path, {"same": np.broadcast_to(np.float32(np.nan), 1000)})
    column = read_values(tmp_path).value("same")
    assert column.strides == (0,) and len(column) == 1000 and np.isnan(column).all()
    assert (tmp_path / "columns.npz").stat().st_size < 400


def test_nothing_but_what_is_named(tmp_path):
    """What is written makes objects of those kinds only that the reader names."""
    write_values(tmp_path, {"spot": Spot(1, 2), "whole": Whole("Weir", [], [])})
    written = read_values(tmp_path)
    assert written.value("spot", Spot) == Spot(1, 2)
    with pytest.raises(ValuesError):
        written.value("spot", int)
    with pytest.raises(ValuesError):
        written.value("whole")
    with pytest.raises(TypeError, match="Path"):
        write_values(tmp_path, {"path": tmp_path})
    with pytest.raises(TypeError, match="object"):
        write_values(tmp_path, {"column": np.array([None])})


@pytest.mark.parametrize("name", ["tree.json", "columns.npz"])
def test_any_byte_that_differs_is_noticed(tmp_path, name):
    write_values(tmp_path, {"column": np.arange(20, dtype=np.int16), "text": "Lantern Lock"})
    content = (tmp_path / name).read_bytes()
    for place in range(0, len(content), 7):
        (tmp_path / name).write_bytes(content[:place] + bytes([content[place] ^ 1]) + content[place + 1 :])
        with pytest.raises(ValuesError):
            read_values(tmp_path)
    for cut in (b"", content[:-1], content + b"0"):
        (tmp_path / name).write_bytes(cut)
        with pytest.raises(ValuesError):
            read_values(tmp_path)
    (tmp_path / name).unlink()
    with pytest.raises(ValuesError):
        read_values(tmp_path)
