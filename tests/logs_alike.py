"""Whether two logs hold the same records, whoever read them."""

import numpy as np
import pytest

from milepost.logs import read as reading
from milepost.logs.columnar import chunks
from milepost.logs.interface import TAG
from milepost.logs.mapping.logmap import NO_MAP
from milepost.vocabulary import EVENTS

NAMED = {"level": "stops", "to": "stops", "cause": "causes", "layout": "layouts", "rating": "ratings"}


def names_of(log, column):
    return log.tags[column.removeprefix(TAG)] if column.startswith(TAG) else getattr(log, NAMED[column])


def assert_same(fast, slow):
    assert fast.records.columns().keys() == slow.records.columns().keys()
    for name in slow.records.columns():
        ours, theirs = fast.records.columns()[name], slow.records.columns()[name]
        if name in NAMED or name.startswith(TAG):
            ours, theirs = (np.array([*names_of(log, name), ""])[column] for log, column in ((fast, ours), (slow, theirs)))
        if name == "event":
            ours, theirs = (
                np.array([log.unknown_words[-1 - code] if code < 0 else EVENTS[code] for code in column.tolist()])
                for log, column in ((fast, ours), (slow, theirs))
            )
        assert ours.tolist() == pytest.approx(theirs.tolist(), nan_ok=True) if ours.dtype.kind == "f" else (ours == theirs).all()
    assert vars(fast.sessions) == vars(slow.sessions)
    assert sorted(fast.unknown_words) == sorted(slow.unknown_words)


def clean(line):
    return type(line.get("progress", 0)) in (int, float) and line.get("progress", 0) <= 1 and "mood" not in line


def read_both_ways(path, monkeypatch, log_map=NO_MAP):
    """The log read by whole columns, however small it is, and row by row, which is the same; and whether the first could be."""
    taken = []
    for form, strict in list(reading._STRICT.items()):
        spying = reading._Strict(lambda *given, plain=strict.read: taken.append(plain(*given)) or taken[-1], 0)
        monkeypatch.setitem(reading._STRICT, form, spying)
    fast = reading.read([str(path)], log_map)
    monkeypatch.setattr(reading, "_STRICT", {})
    monkeypatch.setattr(chunks, "LEAST", 1 << 60)
    slow = reading.read([str(path)], log_map)
    monkeypatch.undo()
    assert_same(fast, slow)
    assert fast.refused == slow.refused and fast.records.line.tolist() == slow.records.line.tolist()
    assert fast.map_use == slow.map_use
    return fast, taken[0] is not None
