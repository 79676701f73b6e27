"""Arguments of a function laid out flat, as machine code takes them: addresses, sizes and numbers, one after the other."""

from __future__ import annotations

from typing import Final, SupportsFloat

import numpy as np

from milepost.arrays import Column

TABLES: Final = ("whole", "real")  # of whole numbers, truths, addresses and sizes; of all other numbers


class Flat:
    """Arguments in two tables of numbers, and expressions by which a function given these has the arguments back.

    Arrays are not copied: the function reads and writes them where they are. The first number of ``real`` is room for what it
    returns. Named tuples may hold any of these, and other named tuples.

    Attributes:
        whole, real: the tables.
        taken: an expression for each argument.
        names: what the expressions name, but for the tables: kinds of arrays, and classes of named tuples.
    """

    def __init__(self, arguments: tuple[object, ...]) -> None:
        self.whole: list[int] = []
        self.real: list[float] = [0.0]
        self.names: dict[str, object] = {}
        self._kinds: dict[str, str] = {}
        self.taken = [self._put(value) for value in arguments]

    def layout(self) -> str:
        """Return a text that differs for arguments that need other code."""
        return f"{', '.join(self.taken)} {sorted(self._kinds.items())}"

    def _put(self, value: object) -> str:
        if isinstance(value, np.ndarray):
            return self._put_array(value)
        if isinstance(value, tuple):
            self.names[type(value).__name__] = type(value)
            return f"{type(value).__name__}({', '.join([self._put(one) for one in value])})"
        if isinstance(value, (bool, np.bool_)):
            return f"({self._put_whole(int(value))} != 0)"
        if isinstance(value, (int, np.integer)):
            return self._put_whole(int(value))
        if not isinstance(value, SupportsFloat):
            raise TypeError(f"compiled code takes no {type(value).__name__}.")
        self.real.append(float(value))
        return f"{TABLES[1]}[{len(self.real) - 1}]"

    def _put_whole(self, value: int) -> str:
        self.whole.append(value)
        return f"{TABLES[0]}[{len(self.whole) - 1}]"

    def _put_array(self, array: Column) -> str:
        if not array.flags.c_contiguous:
            raise ValueError("compiled code takes arrays whose values lie one after the other.")
        address = self._put_whole(array.__array_interface__["data"][0])
        kind = self._kinds.setdefault(repr(array.dtype), f"kind{len(self._kinds)}")
        self.names[kind] = array.dtype
        if array.ndim == 0:  # a record
            return f"carray(pointer({address}), 1, {kind})[0]"
        sizes = "".join(f"{self._put_whole(size)}, " for size in array.shape)
        return f"carray(pointer({address}), ({sizes}), {kind})"
