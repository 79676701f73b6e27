"""Plain loops as machine code: compiled once, kept in the user's cache, and loaded from there without the compiler."""

from milepost.compiling.jit_function import Compiled, is_available

__all__ = ["Compiled", "is_available"]
