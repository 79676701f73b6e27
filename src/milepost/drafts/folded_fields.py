"""Fields that hold several values (JSON in a text, parallel arrays, arrays of pairs), and the query that unfolds them."""

from __future__ import annotations

import json
from collections.abc import Mapping, Sequence
from typing import Final

_MOST_KEYS: Final = 40


def unfolding_query(records: Sequence[Mapping[str, object]]) -> str | None:
    """Return a query that makes plain columns of such fields; None where records have none."""
    inside = _json_texts(records)
    if inside is not None:
        return _unfolding(*inside)
    parallel = _parallel_arrays(records)
    if parallel:
        return _unnesting(parallel)
    pairs = _pair_array(records)
    return None if pairs is None else _unpairing(records, *pairs)


def _json_texts(records: Sequence[Mapping[str, object]]) -> tuple[str, list[str]] | None:
    """The field that holds an object of JSON as a text in each record, and the names in it."""
    sample = records[:200]
    for name in dict.fromkeys(name for record in sample[:20] for name in record):
        texts = [record[name] for record in sample if record.get(name) is not None]
        if len(texts) < 0.9 * len(sample) or not all(isinstance(text, str) and text.lstrip().startswith("{") for text in texts):
            continue
        objects = [_parsed(str(text)) for text in texts]
        keys = dict.fromkeys(key for item in objects for key in item)
        if all(objects) and 0 < len(keys) <= _MOST_KEYS:
            return name, list(keys)
    return None


def _parsed(text: str) -> dict[str, object]:
    """The object that a text is; an empty one where it is none."""
    try:
        value = json.loads(text)
    except (ValueError, RecursionError):
        return {}
    return value if isinstance(value, dict) else {}


def _unfolding(name: str, keys: Sequence[str]) -> str:
    columns = [f"json_extract_string({quoted(name)}, {literal(_path(key))}) AS {quoted(key)}" for key in keys]
    return f"SELECT * EXCLUDE ({quoted(name)}), {', '.join(columns)} FROM log"


def _path(key: str) -> str:
    escaped = key.replace("\\", "\\\\").replace('"', '\\"')
    return f'$."{escaped}"'


def _parallel_arrays(records: Sequence[Mapping[str, object]]) -> list[str]:
    """The fields that hold arrays of one length in each record, of values that are no records."""
    sample = records[:50]
    names = [
        name for name in dict.fromkeys(name for record in sample for name in record) if isinstance(sample[0].get(name), list)
    ]
    plain = [
        name
        for name in names
        if all(
            isinstance(cells := record.get(name), list) and not any(isinstance(cell, dict | list) for cell in cells)
            for record in sample
        )
    ]
    lengths = [{len(record[name]) for name in plain} for record in sample]  # type: ignore[arg-type]
    longest = max((max(counts, default=0) for counts in lengths), default=0)
    return plain if len(plain) > 1 and longest > 2 and all(len(counts) == 1 for counts in lengths) else []


def _unnesting(names: Sequence[str]) -> str:
    taken = ", ".join(quoted(name) for name in names)
    return f"SELECT * EXCLUDE ({taken}), {', '.join(f'UNNEST({quoted(name)}) AS {quoted(name)}' for name in names)} FROM log"


def _pair_array(records: Sequence[Mapping[str, object]]) -> tuple[str, str, str] | None:
    """The field that holds pairs of a key and a value in each record, and what the two are called."""
    for name in dict.fromkeys(name for record in records[:50] for name, value in record.items() if isinstance(value, list)):
        pairs = [pair for record in records[:500] for pair in _list(record.get(name))]
        keys = {tuple(pair) if isinstance(pair, dict) else () for pair in pairs}
        if len(keys) != 1 or len(both := next(iter(keys))) != 2 or any(isinstance(value, list) for value in pairs[0].values()):
            continue
        for key, value in (both, both[::-1]):
            distinct = {str(pair[key]) for pair in pairs}
            once = all(
                len({str(pair[key]) for pair in elements}) == len(elements)
                for elements in (_list(r.get(name)) for r in records[:500])
            )
            if once and len(distinct) <= _MOST_KEYS and all(isinstance(pair[key], str) for pair in pairs):
                return name, str(key), str(value)
    return None


def _list(value: object) -> list[dict[str, object]]:
    return value if isinstance(value, list) else []


def _unpairing(records: Sequence[Mapping[str, object]], name: str, key: str, value: str) -> str:
    keys = dict.fromkeys(str(pair[key]) for record in records for pair in _list(record.get(name)))
    fitting = f"list_filter({quoted(name)}, lambda x: x.{quoted(key)} = "
    columns = [f"list_extract({fitting}{literal(key)}), 1).{quoted(value)} AS {quoted(key)}" for key in keys]
    return f"SELECT * EXCLUDE ({quoted(name)}), {', '.join(columns)} FROM log"


def quoted(name: str) -> str:
    """A name of a column or table."""
    return '"' + name.replace('"', '""') + '"'


def literal(text: str) -> str:
    """A text."""
    return "'" + text.replace("'", "''") + "'"
