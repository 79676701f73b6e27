"""A number for a record as logged: equal records have equal numbers, whatever the order of their fields.

The number is a sum over the fields given, each mixed from its name and value, so that it can be had from one record
or from whole columns alike. An absent, a null and an empty field are the same; so are 1 and 1.0.
"""

from __future__ import annotations

import json
import struct
from collections.abc import Mapping
from functools import lru_cache
from hashlib import md5

import numpy as np
from numpy.typing import NDArray

from milepost.arrays import Floats

_MASK = (1 << 64) - 1
_FACTOR = 0xD6E8FEB86659FD93  # an odd multiplier that spreads bits well, from the xmx family of mixers
_TRUE, _FALSE = 0x5BD1E9955BD1E995, 0x1B873593CC9E2D51
_pack, _unpack = struct.Struct("<d").pack, struct.Struct("<Q").unpack


@lru_cache(maxsize=1 << 16)
def text_number(text: str) -> int:
    """64 bits of a text (the lower half of its MD5, which databases can compute too)."""
    return _number_of_text(text)


def _number_of_text(text: str) -> int:
    return int.from_bytes(md5(text.encode("utf-8", "surrogatepass"), usedforsecurity=False).digest()[8:], "little")


def to_signed(number: int) -> int:
    """Return the 64 bits as a signed number."""
    return number - (1 << 64) if number >> 63 else number


def hash_record(record: Mapping[str, object]) -> int:
    """The number of one record."""
    total = 0
    for name, value in record.items():
        if value is None or value == "":
            continue
        total += _mixed_text(name, value) if type(value) is str else _mixed_number(name, value)
    return to_signed(total & _MASK)


@lru_cache(maxsize=1 << 16)
def _mixed_text(name: str, text: str) -> int:
    return _mixed(text_number(name) + text_number(text))


def _mixed_number(name: str, value: object) -> int:
    """Return the hash of a value that is no text; mostly a number, of which there are many."""
    if type(value) is not float:
        return _mixed(text_number(name) + _value_number(value))
    bits: int = _unpack(_pack(value + 0.0))[0]
    return _mixed(text_number(name) + bits)


def _mixed(number: int) -> int:
    number &= _MASK
    number = ((number ^ (number >> 32)) * _FACTOR) & _MASK
    return number ^ (number >> 32)


def _value_number(value: object) -> int:
    if value is True or value is False:
        return _TRUE if value else _FALSE
    if type(value) is float or type(value) is int:
        try:
            bits: int = _unpack(_pack(value + 0.0))[0]
        except OverflowError:
            return text_number(str(value))
        return bits
    return text_number(json.dumps(value, sort_keys=True))


def hash_column(name: str, values: NDArray[np.uint64]) -> NDArray[np.uint64]:
    """Return the hashes that one column adds to the records that have it."""
    mixed = values + np.uint64(text_number(name))
    mixed = (mixed ^ (mixed >> np.uint64(32))) * np.uint64(_FACTOR)
    return mixed ^ (mixed >> np.uint64(32))


def hash_values(name: str, values: list[object]) -> NDArray[np.uint64]:
    """Return the hashes of distinct values."""
    texts = [value for value in values if type(value) is str]
    if len(texts) < len(values) or "" in texts:
        return np.array([hash_record({name: value}) & _MASK for value in values], np.uint64)
    return hash_column(name, np.array([_number_of_text(text) for text in texts], np.uint64))


def float_numbers(values: Floats) -> NDArray[np.uint64]:
    """The value numbers of a column of numbers."""
    return (values + 0.0).view(np.uint64)
