"""Functions of plain loops that are compiled when they are first called; the same source, every function of it.

The first time on a machine that takes a while; after that the machine code lies in the user's cache, under a name that
changes with the source.
"""

from __future__ import annotations

import os
import re
import shutil
from collections.abc import Callable
from contextlib import suppress
from functools import cached_property
from hashlib import sha256
from importlib.util import find_spec, module_from_spec
from inspect import getmembers, isfunction
from pathlib import Path
from threading import Lock
from types import ModuleType
from typing import Any, Final, SupportsFloat, TypeAlias

import numpy as np

from milepost.arrays import Column
from milepost.compiling.kernel import DamagedError, Entry, Kernel, describe_machine, kernel_of, load_kernel, unpack_kernel
from milepost.errors import OutputError
from milepost.output import cache_folder, hold_alone, is_only_ours, write_file

_OURS: Final = re.compile(r"lock|\w+-[0-9a-f]{16}|\.milepost-.*")  # what lies in a folder of the cache
_KEPT: Final = 8  # versions of the program whose machine code is kept


def is_available() -> bool:
    """Return whether Numba is installed, and was not told to compile nothing."""
    return find_spec("numba") is not None and os.environ.get("NUMBA_DISABLE_JIT", "0") == "0"


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
                self._entries[layout] = load_kernel(self._kernel(layout, flat))
        whole, real = np.array(flat.whole, np.int64), np.array(flat.real)
        self._entries[layout](whole.ctypes.data, real.ctypes.data)
        return float(real[0])

    def waits(self) -> bool:
        """Return whether it has to be compiled first, which takes a while."""
        return self.folder is None or not any(self.folder.glob(f"{self.name}-*"))

    @cached_property
    def folder(self) -> Path | None:
        """Return the folder of the machine code, named by its sources and processor; None if none can be written."""
        digest = sha256(describe_machine().encode())
        for path in [*sorted(Path(__file__).parent.glob("*.py")), *map(_source, self.modules)]:
            digest.update(path.read_bytes())
        return cache_folder(digest.hexdigest()[:16])

    def _kernel(self, layout: str, flat: Flat) -> Kernel:
        """The machine code, from the user's cache if it is there."""
        if self.folder is None:
            return self._compile(flat)
        path = self.folder / f"{self.name}-{sha256(layout.encode()).hexdigest()[:16]}"
        with suppress(OSError, DamagedError):
            return _read(path)
        with hold_alone(self.folder / "lock"):
            with suppress(OSError, DamagedError):
                return _read(path)  # another process has made it meanwhile
            kernel = self._compile(flat)
            with suppress(OutputError):  # then it is compiled again next time
                write_file(path, lambda stream: stream.write(kernel.packed()))
                with suppress(OSError):
                    path.chmod(0o600)
            _forget(self.folder)
        return kernel

    def _compile(self, flat: Flat) -> Kernel:

        return compile_kernel(self.modules, self.name, self.numeric, flat)


def _read(path: Path) -> Kernel:
    """Machine code from the cache, which nobody else can have written.

    Raises:
        OSError: it cannot be read.
        DamagedError: it is not what was written, or somebody else may have written it.
    """
    if not is_only_ours(path):
        raise DamagedError
    return unpack_kernel(path.read_bytes())


def _forget(folder: Path) -> None:
    """Take away machine code of versions that nobody has made anything for lately, and nothing else that lies there."""
    with suppress(OSError):
        folders = sorted(
            (entry for entry in folder.parent.iterdir() if _is_cache(entry)), key=lambda entry: entry.stat().st_mtime
        )
        for old in folders[:-_KEPT]:
            shutil.rmtree(old, ignore_errors=True)


def _is_cache(path: Path) -> bool:
    """Return whether a folder is one that was made here, by its name and by all that is in it."""
    is_ours = re.fullmatch(r"[0-9a-f]{16}", path.name) is not None and is_only_ours(path) and path.is_dir()
    return is_ours and all(_OURS.fullmatch(file.name) for file in path.iterdir())


def _source(module: str) -> Path:
    spec = find_spec(module)
    return Path(str(spec.origin if spec else ""))


Untyped: TypeAlias = Any  # what is Numba's
# No counting of references between the functions, nothing that may be raised, and no ways in from Python: these would take
# two thirds of the time to compile, and nine tenths of the time to run.
_BARE: Final[dict[str, object]] = {
    "_nrt": False,
    "forceinline": True,
    "error_model": "numpy",
    "no_cpython_wrapper": True,
    "no_cfunc_wrapper": True,
}
_ANY_ORDER: Final[dict[str, object]] = {"fastmath": {"reassoc", "contract"}}  # sums several numbers at a time


def compile_kernel(modules: tuple[str, ...], name: str, numeric: bool, arguments: Flat) -> Kernel:
    """The machine code of a function, for arguments that are laid out like these.

    Args:
        modules: where it is, and what it calls; each is loaded a second time, so that the first instance stays plain.
        name: of the function.
        numeric: whether its sums may be taken in any order.
        arguments: for which to make it.
    """
    from numba import cfunc, types

    function = _compiled(modules, numeric)[name]
    tables = types.CPointer(types.int64), types.CPointer(types.float64)
    entry = cfunc(types.void(*tables), error_model="numpy")(_entry(function, arguments))
    return kernel_of(entry.inspect_llvm(), entry.native_name)


def _compiled(modules: tuple[str, ...], numeric: bool) -> dict[str, Untyped]:
    """The functions of some modules by name, to be compiled as they are called; they may call each other."""
    from numba import njit

    copies = [_copy(name) for name in modules]
    compiler = njit(**_BARE, **(_ANY_ORDER if numeric else {}))
    compiled: dict[str, Untyped] = {
        name: compiler(function)
        for copy in copies
        for name, function in getmembers(copy, isfunction)
        if function.__module__ == copy.__name__
    }
    for copy in copies:  # each calls the others by these names
        vars(copy).update({name: function for name, function in compiled.items() if name in vars(copy)})
    return compiled


def _copy(name: str) -> ModuleType:
    spec = find_spec(name)
    if spec is None or spec.loader is None:
        raise ImportError(name)
    copy = module_from_spec(spec)
    spec.loader.exec_module(copy)
    return copy


def _entry(function: Untyped, arguments: Flat) -> Callable[..., None]:
    """A function of two tables that calls another with what is laid out in them. Its text holds nothing but names of ours."""
    from numba import carray

    called = f"function({', '.join(arguments.taken)})"
    returns = function.py_func.__annotations__["return"] not in (None, "None")
    text = f"def entry({', '.join(TABLES)}):\n    {f'{TABLES[1]}[0] = ' if returns else ''}{called}\n"
    names: dict[str, Untyped] = arguments.names | {"function": function, "carray": carray, "pointer": _pointer()}
    exec(compile(text, "entry", "exec"), names)
    entry: Callable[..., None] = names["entry"]
    return entry


def _pointer() -> Untyped:
    """A whole number as the address that it is, for compiled code."""
    from numba import types
    from numba.extending import intrinsic

    def pointer(_: object, number: object) -> object:
        def as_address(context: Untyped, builder: Untyped, signature: Untyped, arguments: list[object]) -> object:
            return builder.inttoptr(arguments[0], context.get_value_type(signature.return_type))

        return types.voidptr(number), as_address

    return intrinsic(pointer)


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
            return f"{type(value).__name__}({', '.join([self._put(item) for item in value])})"
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
