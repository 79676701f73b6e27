"""Runs of the program: here, in a fork, or as the console script.

``here`` runs it in the process of the tests, with a folder, environment and output of its own. ``forked`` takes a fork of a
server that has the program's modules loaded, for what must not be shared: standard input, workers, limits. ``installed``
starts the console script itself.
"""

import multiprocessing
import os
import subprocess
import sys
from contextlib import ExitStack, chdir, redirect_stderr, redirect_stdout
from functools import cache
from pathlib import Path
from tempfile import TemporaryDirectory

PROGRAM = Path(sys.executable).with_name("milepost")
_LOADED = [
    "milepost.cli.main",
    "milepost.api",
    "numpy",
    "pandas",
    "scipy.stats",
    "scipy.optimize",
    "scipy.sparse",
    "duckdb",
    "matplotlib.figure",
    "matplotlib.backends.backend_agg",
    "matplotlib.backends.backend_svg",
    "jinja2",
    "rich.table",
    "milepost.cli.commands.report",
    "milepost.cli.commands.spikes",
]
_server = multiprocessing.get_context("forkserver")
_server.set_forkserver_preload(_LOADED)


@cache
def _reading_once():
    """Logs are read and replayed once for all runs in this process, to its end."""
    from milepost.process_cache import read_once

    kept = ExitStack()
    kept.enter_context(read_once())
    return kept


def installed(words, folder, stdin=None, **env):
    """Run the console script."""
    return subprocess.run(
        [str(PROGRAM), *words], cwd=folder, input=stdin, capture_output=True, text=True, timeout=120, env={**os.environ, **env}
    )


def here(words, folder, encoding="utf-8", **env):
    """Run the program in this process, which reads and replays a log once that stays as it is."""
    from milepost.cli.main import main
    from milepost.logs.sources.files import look_afresh

    look_afresh()  # as a new process would
    _reading_once()
    before = dict(os.environ)
    with (
        TemporaryDirectory() as own,
        chdir(folder),
        Path(own, "out").open("w+", encoding=encoding) as out,
        Path(own, "err").open("w+", encoding="utf-8") as err,
    ):
        try:
            os.environ.update(env)
            with redirect_stdout(out), redirect_stderr(err):
                try:
                    status = main(words)
                except SystemExit as leaving:  # as after --help
                    status = leaving.code
        finally:
            os.environ.clear()
            os.environ.update(before)
        texts = [stream.seek(0) or stream.read() for stream in (out, err)]
    return subprocess.CompletedProcess(words, status or 0, *texts)


def forked(words, folder, stdin=None, **env):
    """Run the program with its modules loaded beforehand."""
    with TemporaryDirectory() as own:
        files = [Path(own, name) for name in ("stdin", "stdout", "stderr")]
        files[0].write_text(stdin or "", encoding="utf-8")
        run = _server.Process(target=_run, args=(words, str(folder), [str(file) for file in files], {**os.environ, **env}))
        run.start()
        run.join(120)
        if run.is_alive():
            run.kill()
            raise TimeoutError(f"milepost {' '.join(words)} has run for two minutes.")
        return subprocess.CompletedProcess(words, run.exitcode, *(file.read_text(encoding="utf-8") for file in files[1:]))


def _run(words, folder, files, env):
    from milepost.cli.main import main

    for number, (file, mode) in enumerate(zip(files, "rww", strict=True)):
        with Path(file).open(mode) as opened:
            os.dup2(opened.fileno(), number)
    sys.stdin, sys.stdout, sys.stderr = (os.fdopen(n, "w" if n else "r", closefd=False) for n in range(3))
    os.environ.clear()
    os.environ.update(env)
    os.chdir(folder)
    sys.exit(main(words))
