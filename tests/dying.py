"""Work that kills its own process, once."""

import os
import signal
from pathlib import Path


def double_or_die(number, mark):
    """Twice the number; the first process to come to 3 is killed."""
    if number == 3 and not Path(mark).exists():
        Path(mark).touch()
        os.kill(os.getpid(), signal.SIGKILL)
    return 2 * number


def always_die(number):
    """Nothing comes of it."""
    os.kill(os.getpid(), signal.SIGKILL)
