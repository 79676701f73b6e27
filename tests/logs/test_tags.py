"""Tags of single records: kept by every reader, in stores and their additions, and given up where they tell records apart."""

import numpy as np
import pytest

from milepost.errors import UsageError
from milepost.logs.interface import ABSENT, TAG
from milepost.logs.read import read
from milepost.logs.records import name_tables as tags_module
from milepost.logs.records.name_tables import KnownTags, is_number
from milepost.logs.store.manifest import read_manifest
from milepost.logs.store.pack_store import Into, pack
from milepost.playback.attributes import attribute
from milepost.playback.replay import replay_log
from milepost.rules import ReplayRules

LEVEL = {"level": "Mill Pond"}


def starts(*values, session="a", first=0):
    """A start for each value of a tag, where it is not None, and a clear."""
    out = []
    for n, value in enumerate(values, first):
        tag = {} if value is None else {"oil": value}
        out += [
            {"session": session, "time": 10 * n, "event": "start", **LEVEL, **tag},
            {"session": session, "time": 10 * n + 7.5, "event": "complete", **LEVEL},
        ]
    return out


def texts(log, name="oil"):
    names = [*log.tags[name], None]
    return [names[code] for code in log.records.tags[name].tolist()]


def test_every_record_keeps_its_own(milepost):
    """Numbers, truths and texts as texts; what a record does not say it does not get from others."""
    milepost.write("log.jsonl", starts(3, None, "full", True, 2.5, 3))
    log = read([str(milepost.folder / "log.jsonl")])
    assert texts(log)[::2] == ["3", None, "full", "true", "2.5", "3"] and set(texts(log)[1::2]) == {None}
    assert log.sessions.tags == [{"oil": "3"}]


def test_a_tag_that_comes_late(milepost):
    """Files and additions in which nobody says it are read with it, and without."""
    names = [
        milepost.write(f"{n}.jsonl", records)
        for n, records in enumerate(
            (
                starts(None, session="a"),
                starts(3, 1, session="b"),
                starts(None, session="c"),
                starts("a very other one", session="d"),
            )
        )
    ]
    paths = [str(milepost.folder / name) for name in names]
    expected = [*[None] * 2, "3", None, "1", None, *[None] * 2, "a very other one", None]
    assert texts(read(paths)) == expected
    store = milepost.folder / "store"
    for n, path in enumerate(paths):
        pack([path], Into(store, if_there="add" if n else "refuse"))
    packed = read([str(store)])
    assert texts(packed) == expected and packed.tags == read(paths).tags
    assert read_manifest(store).additions == 4


def test_rows_and_parts_agree(milepost):
    """A log replayed in parts knows the same of its tries."""
    milepost.write("log.jsonl", [r for n in range(30) for r in starts(n % 3, None, session=f"s{n}")])
    for condition in ("start.oil=1", "start.oil!=1", "start.oil=", "start.oil>=1"):
        words = ("attempts", "log.jsonl", "--where", condition)
        whole = milepost.json(*words)["levels"][0]
        assert whole == milepost.json(*words, "--memory", "300MB")["levels"][0]
        assert whole["settled"] == {"start.oil=1": 10, "start.oil!=1": 20, "start.oil=": 0, "start.oil>=1": 20}[condition]


def test_columns_get_wider(milepost):
    """More than 127, and more than 32,767, values of a number are kept; codes never wrap."""
    for count in (200, 40_000):
        milepost.write("log.jsonl", [{"session": f"s{n}", "time": 0, "event": "start", **LEVEL, "seed": n} for n in range(count)])
        log = read([str(milepost.folder / "log.jsonl")])
        assert texts(log, "seed") == [str(n) for n in range(count)]


def test_what_tells_records_apart_is_given_up(milepost, monkeypatch):
    """Texts beyond a limit, and numbers beyond a larger one: the records go without, sessions keep theirs, and asking says why."""
    monkeypatch.setattr(tags_module, "_MOST_TEXTS", 4)
    monkeypatch.setattr(tags_module, "_MOST", 8)
    records = [
        {"session": f"s{n}", "time": 0, "event": "start", **LEVEL, "note": f"text {n}", "count": n % 7, "place": n / 7}
        for n in range(20)
    ]
    milepost.write("log.jsonl", records)
    log = read([str(milepost.folder / "log.jsonl")])
    assert log.tags_not_kept == {"note", "place"} and set(log.tags) == {"count"} == set(log.records.tags)
    assert log.sessions.tags[3]["note"] == "text 3"
    play = replay_log(log, None, ReplayRules())
    with pytest.raises(UsageError, match="has so many values that it tells records apart"):
        attribute(play, "start.note")
    store = milepost.folder / "store"
    pack([str(milepost.folder / "log.jsonl")], Into(store))
    assert read([str(store)]).tags_not_kept == {"note", "place"}


def test_a_tag_given_up_late_is_gone_everywhere():
    """Columns of it that were made before are not among those that count."""
    known = KnownTags()
    known.note(0, {"a": "1"})
    assert list(known.flushed(2)) == [f"{TAG}a"]
    for n in range(1 << 16):
        known.note(n, {"a": f"text {n}"})
    assert known.values() == {} and known.flushed(3) == {} and known.not_kept == {"a"}


@pytest.mark.parametrize(
    ("text", "number"), [("1", True), ("-2.5e3", True), ("nan", True), ("one", False), ("", False), ("1,5", False)]
)
def test_numbers(text, number):
    assert is_number(text) == number


def test_flushing_forgets_rows():
    """Rows are counted anew after each flush; what is not said is absent."""
    known = KnownTags()
    known.note(1, {"a": "x"})
    known.note(2, {"a": "y"})
    assert known.flushed(4)[f"{TAG}a"].tolist() == [ABSENT, 0, 1, ABSENT]
    known.note(0, {"b": "z"})
    columns = known.flushed(1)
    assert list(columns) == [f"{TAG}b"] and columns[f"{TAG}b"].dtype == np.int8
