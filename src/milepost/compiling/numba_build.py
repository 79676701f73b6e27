"""Machine code of modules of plain loops, made with Numba: every function of them, in one piece with an entry for others."""

from __future__ import annotations

from collections.abc import Callable
from importlib.util import find_spec, module_from_spec
from inspect import getmembers, isfunction
from types import ModuleType
from typing import Any, Final, TypeAlias

from milepost.compiling.kernel import Kernel, kernel_of
from milepost.compiling.layout import TABLES, Flat

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


def made(modules: tuple[str, ...], name: str, numeric: bool, arguments: Flat) -> Kernel:
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
