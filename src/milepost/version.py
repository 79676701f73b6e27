"""The version, in one place, and what it runs on."""

from __future__ import annotations

__version__ = "0.1.0"

_PACKAGES = ("numpy", "scipy", "pandas", "duckdb", "pyarrow", "numba", "matplotlib")


def version_text(verbose: bool) -> str:
    """The version as a line; with lines on Python, the system and the packages that matter to figures."""
    if not verbose:
        return f"milepost {__version__}\n"
    import platform
    import sys
    from importlib.metadata import PackageNotFoundError, version

    lines = [f"milepost {__version__}", f"Python {platform.python_version()} ({sys.executable})", f"{platform.platform()}"]
    for name in _PACKAGES:
        try:
            lines.append(f"{name} {version(name)}")
        except PackageNotFoundError:
            lines.append(f"{name}: not installed")
    return "\n".join(lines) + "\n"
