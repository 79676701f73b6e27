"""Room for the moment: files that go when the program does, however it ends."""

from __future__ import annotations

import atexit
import shutil
import tempfile
from collections.abc import Iterator
from contextlib import contextmanager
from functools import cache
from pathlib import Path

from milepost.errors import OutputError


@contextmanager
def scratch_writing() -> Iterator[None]:
    """Whatever fails here is laid to the temporary folder, not to the log that was being read.

    Raises:
        OutputError: nothing can be written there.
    """
    try:
        yield
    except (OSError, OutputError) as error:
        cause = error.__cause__ if isinstance(error, OutputError) else error
        reason = getattr(cause, "strerror", None) or str(cause or error)
        raise OutputError(
            f"{tempfile.gettempdir()}: the temporary folder cannot be written ({reason}). "
            "Make room there, or name another in the environment variable TMPDIR."
        ) from error


def scratch_folder() -> Path:
    """A new folder that goes when the program ends.

    Raises:
        OutputError: it cannot be made.
    """
    with scratch_writing():
        return Path(tempfile.mkdtemp(dir=_home()))


@cache
def _home() -> Path:
    home = Path(tempfile.mkdtemp(prefix="milepost-"))
    atexit.register(shutil.rmtree, home, ignore_errors=True)
    return home
