"""What one record's fields must be, how times and names are read, and which files make up a log."""

import pytest

from milepost.cleaning.selection import parse_condition
from milepost.errors import LogError, UsageError
from milepost.level_names import fold_name, natural_key
from milepost.logs.formats.delimited import find_delimiter, guard_cell
from milepost.logs.formats.otlp import is_envelope, unpack_envelope
from milepost.logs.records.fields import UnreadableError, check_record, parse_stamp, to_number
from milepost.logs.records.record_hash import hash_record
from milepost.logs.sources.files import expand, is_log_name
from milepost.wording import clock, listed, number, percent, plural, safe, seconds

START = {"session": "s", "time": 1, "event": "start", "level": "A"}


@pytest.mark.parametrize(
    "change",
    [
        {"session": None},
        {"session": ""},
        {"session": True},
        {"session": 1.5},
        {"session": ["s"]},
        {"time": None},
        {"time": "12.5"},
        {"time": True},
        {"time": float("nan")},
        {"time": 10**400},
        {"time": "2026-03-01T10:00:00"},
        {"event": 1.5},
        {"event": None},
        {"level": None},
        {"level": 2.5},
        {"level": ""},
    ],
)
def test_unreadable_records(change):
    """Without a usable session, time or event, or a level where one is needed, a record is refused."""
    with pytest.raises(UnreadableError):
        check_record(START | change)


@pytest.mark.parametrize(
    "change",
    [
        {"progress": 1.4},
        {"progress": -0.1},
        {"progress": "half"},
        {"x": True},
        {"y": float("inf")},
        {"cause": 1.5},
        {"player": []},
        {"seq": 1.5},
        {"seq": 2**70},
        {"mood": {"deep": 1}},
        {"score": float("nan")},
        {"collected": "3"},
        {"id": False},
    ],
)
def test_bad_fields(change):
    """A field of the wrong type or out of range counts as absent, and that is noted."""
    fields = check_record(START | change)
    (name,) = change
    assert fields.bad
    assert name not in {**fields.text, **fields.numbers, **fields.tags}
    assert fields.seq is None


def test_fields_as_they_should_be():
    """Whole numbers are texts where texts are asked for; nulls and empty texts are absent; other fields are tags."""
    fields = check_record(
        START | {"session": 7, "level": 3.0, "player": None, "cause": "", "seq": 4.0, "vip": True, "score": 1.5, "n": 5}
    )
    assert (fields.session, fields.text, fields.seq) == ("7", {"level": "3"}, 4)
    assert fields.tags == {"vip": "true", "score": "1.5", "n": "5"}
    assert not fields.bad


STAMPS = {
    "1970-01-01T00:00:00Z": 0,
    "1970-01-01T01:00:00.5+01:00": 500_000_000,
    "1970-01-01t00:00:01.123456789z": 1_123_456_789,
    "1969-12-31T23:59:59.25Z": -750_000_000,
    "1970-01-01 00:00:60Z": 60_000_000_000,
    "1970-01-01T00:00:00": None,
    "1970-13-01T00:00:00Z": None,
    "1970-01-01T00:00:00+25:00": None,
    "yesterday": None,
    "1970-01-01T00:00:00.Z": None,
}


@pytest.mark.parametrize("stamp", STAMPS)
def test_time_stamps(stamp):
    """RFC 3339 with an offset, to the nanosecond; anything else is none."""
    assert parse_stamp(stamp) == STAMPS[stamp]


def test_likeness():
    """Equal as logged: whatever the order of fields, an absent, null or empty field, 1 or 1.0; nothing else."""
    base = hash_record(START)
    assert base == hash_record(dict(reversed(START.items()))) == hash_record(START | {"time": 1.0, "cause": "", "to": None})
    others = [
        {"time": 2},
        {"time": "1"},
        {"level": "a"},
        {"x": -1},
        {"x": -2},
        {"vip": True},
        {"vip": 1},
        {"vip": False},
        {"tags": [1]},
    ]
    assert len({base, *(hash_record(START | change) for change in others)}) == 1 + len(others)


@pytest.mark.parametrize(
    ("text", "value"),
    [
        ("5", 5),
        (" -3 ", -3),
        ("1.5", 1.5),
        ("1e3", 1000.0),
        (".5", 0.5),
        ("1_000", "1_000"),
        ("0x10", "0x10"),
        ("nan", "nan"),
        ("", ""),
        (7, 7),
    ],
)
def test_numbers_in_cells(text, value):
    """A text that is a plain number is one; anything else stays as it is."""
    assert to_number(text) == value


def test_delimiters_and_formulas():
    """The delimiter is the one that cuts the header into most cells; guarded texts come back as they were."""
    assert [find_delimiter(header) for header in ("a,b;c,d", "a;b;c", "a\tb", "a|b|c", "alone")] == [",", ";", "\t", "|", ","]
    assert [guard_cell(text) for text in ("=1", "'=1", "plain", "-", "it's")] == ["'=1", "''=1", "plain", "'-", "it's"]


def test_envelopes():
    """A CloudEvent's data goes before its envelope; its type's last part is the event where that is a word."""
    event = {
        "specversion": "1.0",
        "type": "org.wickwater.start",
        "source": "/ferry",
        "id": "1",
        "time": "t",
        "subject": "s",
        "ext": 5,
        "data": {"level": "A", "time": 3},
    }
    assert is_envelope(event)
    assert not is_envelope(START)
    assert unpack_envelope(event) == {
        "level": "A",
        "time": 3,
        "event": "start",
        "session": "s",
        "id": "1",
        "source": "/ferry",
        "ext": 5,
    }
    assert unpack_envelope(event | {"type": "org.wickwater.dance", "data": None})["event"] == "org.wickwater.dance"


def test_names():
    """Folding joins case, spaces, underscores and dashes; natural order reads digits as numbers."""
    assert {fold_name(name) for name in ("Low Arch", " low_ARCH ", "low--arch", "LOW _ arch")} == {"low-arch"}
    assert sorted(["level 10", "Level 9", "level 2", "b1"], key=natural_key) == ["b1", "level 2", "Level 9", "level 10"]


def test_files_of_a_log(tmp_path):
    """Folders and globs come in natural order, each file once; what is no log is passed over."""
    for name in ("b10.jsonl", "b9.jsonl.gz", ".hidden.jsonl", "notes.md", "sub/a.csv", "c.PARQUET"):
        (tmp_path / name).parent.mkdir(exist_ok=True)
        (tmp_path / name).write_text("")
    found = [source.path.relative_to(tmp_path).as_posix() for source in expand([str(tmp_path), str(tmp_path / "*.jsonl*")])]
    assert found == ["b9.jsonl.gz", "b10.jsonl", "c.PARQUET", "sub/a.csv"]
    assert is_log_name("x.xes.gz")
    assert not is_log_name("x.gz")
    with pytest.raises(LogError, match="no file matches"):
        expand([str(tmp_path / "*.xes")])


def test_conditions():
    """Conditions as they are written; what is none is refused."""
    found = parse_condition("platform = desktop, tablet")
    assert (found.key, found.sign, found.values) == ("platform", "=", ("desktop", "tablet"))
    assert [parse_condition(text).sign for text in ("a!=b", "a<1", "a<=1", "a>1", "a>=1")] == ["!=", "<", "<=", ">", ">="]
    for text in ("role", "=x", "score>high", ""):
        with pytest.raises(UsageError):
            parse_condition(text)


def test_wording():
    """Percent is exact at its ends, durations and clocks read well, lists are phrases, unsafe text is escaped."""
    assert [percent(x) for x in (0.0, 0.001, 0.5, 0.999, 1.0, None)] == ["0 %", "1 %", "50 %", "99 %", "100 %", "–"]
    assert [seconds(x) for x in (0.42, 12.3, 100.0, 3661.0, None)] == ["0.4 s", "12 s", "1:40 min", "1:01:01 h", "–"]
    assert [clock(x) for x in (0.0, 200.4, 3725.0, -61.0)] == ["0:00", "3:20", "1:02:05", "−1:01"]
    assert [number(x) for x in (3, 1234, 1.5, 0.0467, None)] == ["3", "1,234", "1.50", "0.0467", "–"]
    assert [listed(x) for x in ([], ["a"], ["a", "b"], ["a", "b", "c"])] == ["", "a", "a and b", "a, b and c"]
    assert (plural(1, "try", "tries"), plural(2, "try", "tries")) == ("1 try", "2 tries")
    assert safe("Frostö 渡し場 \x1b[1m\u202e\ud800") == "Frostö 渡し場 \\x1b[1m\\u202e\\ud800"
