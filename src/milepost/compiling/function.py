"""Functions of plain loops that are compiled when they are first called; the same source, every function of it.

The first time on a machine that takes a while; after that the machine code lies in the user's cache, under a name that
changes with the source.
"""

from __future__ import annotations

import os
from contextlib import suppress
from functools import cached_property
from hashlib import sha256
from importlib.util import find_spec
from pathlib import Path
from threading import Lock

import numpy as np

from milepost.compiling.kernel import DamagedError, Entry, Kernel, loaded, machine, unpacked
from milepost.compiling.layout import Flat
from milepost.errors import OutputError
from milepost.output import write_file


def available() -> bool:
    """Whether Numba is installed."""
    return find_spec("numba") is not None


class Compiled:
    """A function of some modules, compiled for the layouts of arguments with which it is called.

    It takes arrays, numbers, truths and named tuples of these, and returns a number or nothing. The modules use nothing of
    Python but indexing, attributes, calls and arithmetic.
    """

    def __init__(self, modules: tuple[str, ...], name: str, numeric: bool = False) -> None:
        """``name`` is the function's in its module, ``numeric`` whether its sums may be taken in any order."""
        self.modules, self.name, self.numeric = modules, name, numeric
        self._entries: dict[str, Entry] = {}
        self._making = Lock()  # threads that need the same wait for one of them

    def __call__(self, *arguments: object) -> float:
        """Call it; 0 where it returns nothing."""
        flat = Flat(arguments)
        layout = flat.layout()
        with self._making:
            if layout not in self._entries:
                self._entries[layout] = loaded(self._kernel(layout, flat))
        whole, real = np.array(flat.whole, np.int64), np.array(flat.real)
        self._entries[layout](whole.ctypes.data, real.ctypes.data)
        return float(real[0])

    def waits(self) -> bool:
        """Whether it has to be compiled first, which takes a while."""
        return self.folder is None or not any(self.folder.glob(f"{self.name}-*"))

    @cached_property
    def folder(self) -> Path | None:
        """Where the machine code is kept, by what it is made of and for; None where nothing can be."""
        digest = sha256(machine().encode())
        for path in [*sorted(Path(__file__).parent.glob("*.py")), *map(_source, self.modules)]:
            digest.update(path.read_bytes())
        base = Path(os.environ.get("XDG_CACHE_HOME") or Path.home() / ".cache")
        folder = base / "milepost" / digest.hexdigest()[:16]
        try:
            folder.mkdir(parents=True, exist_ok=True)
        except OSError:
            return None
        return folder if os.access(folder, os.W_OK) else None

    def _kernel(self, layout: str, flat: Flat) -> Kernel:
        """The machine code, from the user's cache if it is there."""
        path = self.folder and self.folder / f"{self.name}-{sha256(layout.encode()).hexdigest()[:16]}"
        with suppress(OSError, DamagedError):
            if path:
                return unpacked(path.read_bytes())
        from milepost.compiling.making import made

        kernel = made(self.modules, self.name, self.numeric, flat)
        with suppress(OutputError):  # then it is compiled again next time
            if path:
                write_file(path, lambda stream: stream.write(kernel.packed()))
        return kernel


def _source(module: str) -> Path:
    spec = find_spec(module)
    return Path(str(spec.origin if spec else ""))
