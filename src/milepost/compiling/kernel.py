"""Machine code in a file, and in memory: what LLVM makes of a function, loaded again without the compiler."""

from __future__ import annotations

import ctypes
import json
import os
import re
from collections.abc import Callable
from dataclasses import dataclass
from functools import cache
from hashlib import sha256
from typing import TYPE_CHECKING, Final

if TYPE_CHECKING:
    from llvmlite.binding import TargetMachine

Entry = Callable[[int, int], None]  # called with the addresses of the two tables of its arguments
_HELPERS: Final = re.compile(r"^declare .* @((?:numba|NRT)_\w+)\(", re.MULTILINE)  # what only errors would call


class DamagedError(Exception):
    """The file of a kernel is not what was written."""


@dataclass(frozen=True)
class Kernel:
    """The machine code of a function.

    Attributes:
        name: of the function in it.
        helpers: functions of the compiler's that it names, and never comes to.
        code: an object file of this machine's kind.
    """

    name: str
    helpers: tuple[str, ...]
    code: bytes

    def packed(self) -> bytes:
        """Return the file's bytes: a line on its contents, and the code."""
        head = {"name": self.name, "helpers": self.helpers, "sha256": sha256(self.code).hexdigest()}
        return json.dumps(head).encode() + b"\n" + self.code


def unpack_kernel(data: bytes) -> Kernel:
    """A kernel from its file.

    Raises:
        DamagedError: it is not what was written.
    """
    head, _, code = data.partition(b"\n")
    try:
        described = json.loads(head)
        kernel, written = Kernel(described["name"], tuple(described["helpers"]), code), described["sha256"]
    except (ValueError, TypeError, KeyError) as error:
        raise DamagedError from error
    if sha256(code).hexdigest() != written:
        raise DamagedError
    return kernel


def kernel_of(assembly: str, name: str) -> Kernel:
    """A function, from LLVM's text of it and of all that it calls."""
    import llvmlite.binding as llvm

    code = _target(opt=3).emit_object(llvm.parse_assembly(assembly))
    return Kernel(name, tuple(sorted(set(_HELPERS.findall(assembly)))), code)


def load_kernel(kernel: Kernel) -> Entry:
    """The function, ready to be called; it lets go of the interpreter's lock."""
    import llvmlite.binding as llvm

    for helper in kernel.helpers:
        llvm.add_symbol(helper, ctypes.cast(_STOP, ctypes.c_void_p).value)
    engine = llvm.create_mcjit_compiler(llvm.parse_assembly(""), _target())
    engine.add_object_file(llvm.ObjectFileRef.from_data(kernel.code))
    engine.finalize_object()
    entry = ctypes.CFUNCTYPE(None, ctypes.c_void_p, ctypes.c_void_p)(engine.get_function_address(kernel.name))
    vars(entry)["engine"] = engine  # which must live as long
    return entry


def describe_machine() -> str:
    """The processor and the version of LLVM's package that code is made for."""
    import llvmlite
    import llvmlite.binding as llvm

    return f"{llvm.get_process_triple()} {llvm.get_host_cpu_name()} {_features()} {llvmlite.__version__}"


@cache
def _features() -> str:
    import llvmlite.binding as llvm

    features: str = llvm.get_host_cpu_features().flatten()
    return features


def _target(opt: int = 2) -> TargetMachine:
    import llvmlite.binding as llvm

    llvm.initialize_native_target()
    llvm.initialize_native_asmprinter()
    kind = llvm.Target.from_triple(llvm.get_process_triple())
    return kind.create_target_machine(
        cpu=llvm.get_host_cpu_name(), features=_features(), opt=opt, codemodel="jitdefault", jit=True
    )


_STOP: Final = ctypes.CFUNCTYPE(None)(os.abort)
