"""Runs of the program: here, in a fork, or as the console script.

``here`` runs it in the process of the tests, with a folder, environment and output of its own. ``forked`` takes a fork of a
server that has the program's modules loaded, for what must not be shared: standard input, workers, limits. ``installed``
starts the console script itself.
"""

import multiprocessing
import os
import subprocess
import sys
from contextlib import chdir, redirect_stderr, redirect_stdout
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


def installed(words, folder, stdin=None, **env):
    """Run the console script."""
    return subprocess.run(
        [str(PROGRAM), *words], cwd=folder, input=stdin, capture_output=True, text=True, timeout=120, env={**os.environ, **env}
    )


def here(words, folder, **env):
    """Run the program in this process, which reads and replays a log once that stays as it is."""
    from milepost.cli.main import main
    from milepost.logs.sources.files import look_afresh

    look_afresh()  # as a new process would
    once_only()
    before = dict(os.environ)
    with (
        TemporaryDirectory() as own,
        chdir(folder),
        Path(own, "out").open("w+", encoding="utf-8") as out,
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


@cache
def once_only():
    """Have a log that has not changed read and replayed once for all runs in this process, whose logs and plays nobody changes."""
    from milepost import opening
    from milepost.logs.sources.files import expand

    known, read, with_players, replay_log = {}, opening.read, opening.with_players, opening.replay_log

    def kept(key, make, *used):
        if key not in known:
            if len(known) > 40:
                known.clear()
            known[key] = (make(), used)  # what the key goes by stays, so that its number is nobody else's
        return known[key][0]

    def read_once(names, log_map, progress, options):
        files = [source.path for source in expand(names)]
        if None in files or any(not path.is_file() for path in files):
            return read(names, log_map, progress, options)
        states = tuple((path.resolve(), path.stat().st_mtime_ns, path.stat().st_size, path.stat().st_ino) for path in files)
        return kept(("read", *names, states, repr(log_map), options), lambda: read(names, log_map, progress, options))

    def players_once(log, table):
        return kept(("players", id(log), repr(table)), lambda: with_players(log, table), log)

    def replayed_once(log, course, rules, progress, exclusion):
        if exclusion is not None:
            return replay_log(log, course, rules, progress, exclusion)
        return kept(("play", id(log), repr(course), rules), lambda: replay_log(log, course, rules, progress), log)

    opening.read, opening.with_players, opening.replay_log = read_once, players_once, replayed_once


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
