"""The package as a whole: its notebook calls, what it costs to start, and that the core knows no interface."""

import ast
import re
import subprocess
import sys
from pathlib import Path

import milepost
from milepost.cli.main import all_commands
from milepost.cli.plain_command import EntryCommand
from milepost.logs.formats.registry import FORMATS, WRITTEN
from milepost.reports.registry import MEASURES

SOURCE = Path(milepost.__file__).parent


def test_notebook_calls(wickwater):
    """The calls give the commands' figures as pandas tables."""
    play = milepost.replay(wickwater.folder / "wickwater/logs", course=wickwater.folder / "wickwater/course.toml")
    rows = wickwater.json("funnel", "wickwater/logs", "--course", "wickwater/course.toml")["levels"]
    table = milepost.funnel(play, raw=True)
    assert table["reached"].tolist() == [row["reached"] for row in rows]
    assert {"raw_tries", "drop_off_low"} <= set(table.columns)
    for call in (milepost.attempts, milepost.times, milepost.spikes):
        assert call(play).index.tolist() == table.index.tolist()


def test_replaying_twice_finds_the_same(wickwater):
    """A replay leaves the log that was read as it was."""
    from milepost.logs.read import read
    from milepost.playback.replay import replay_log
    from milepost.playback.tallies import finding_counts

    log = read([str(wickwater.folder / "wickwater/logs")])
    first, second = (finding_counts(replay_log(log, None, milepost.ReplayRules())) for _ in range(2))
    assert first == second


def test_core_has_no_interface():
    """Only figures, reports and the command line print, read arguments, or import what draws and talks."""
    banned = re.compile(r"^\s*(import|from) (argparse|rich|matplotlib)|\bprint\(", re.MULTILINE)
    for path in SOURCE.rglob("*.py"):
        if path.relative_to(SOURCE).parts[0] not in ("figures", "reports", "cli"):
            assert not banned.search(path.read_text(encoding="utf-8")), path


def test_imports_are_left_until_needed(wickwater):
    """Help loads no numerics, and a funnel or the spikes of a small log neither pandas nor SciPy nor DuckDB nor Matplotlib."""
    code = "import sys; from milepost.cli.main import main; main(sys.argv[1:]); print(*sys.modules, file=sys.stderr)"
    heavy = {"numpy", "pandas", "scipy", "duckdb", "matplotlib", "rich"}
    log = '{"session": "s", "time": 0, "event": "start", "level": "Mill Pond"}\n'
    demo = [str(wickwater.folder / "wickwater/logs"), "--course", str(wickwater.folder / "wickwater/course.toml")]
    for words, allowed in ((["--help"], set()), (["funnel", "-"], {"numpy", "rich"}), (["spikes", *demo], {"numpy", "rich"})):
        done = subprocess.run([sys.executable, "-c", code, *words], input=log, capture_output=True, text=True, check=True)
        assert heavy & set(done.stderr.split()) == allowed


def test_every_extension_has_its_interface_checked():
    """Measures, commands, readers, writers and figures: mypy looks at those that are listed, and all are."""
    import interfaces

    own = {name for name, command in all_commands().items() if not isinstance(command, EntryCommand)}
    assert {module.__name__.rpartition(".")[2] for module in interfaces.COMMANDS} == own
    assert set(interfaces.READERS) == {form.read for form in FORMATS.values()}
    assert set(interfaces.WRITERS) == {form.write for form in WRITTEN.values()}
    assert {name: getattr(one, "__name__", type(one).__name__) for name, one in interfaces.MEASURES.items()} == {
        name: entry.measure.__name__ for name, entry in MEASURES.items()
    }
    drawn = {name for name, entry in MEASURES.items() if entry.drawn}
    assert drawn <= {draw.__name__.removeprefix("draw_") for draw in interfaces.FIGURES}


def test_values_are_called_by_what_they_hold():
    """No variable and no argument has a name that says nothing of what is in it."""
    empty = {"one", "own", "found", "said", "here", "there", "nothing", "told"}
    for path in SOURCE.rglob("*.py"):
        nodes = list(ast.walk(ast.parse(path.read_text(encoding="utf-8"))))
        fields = {id(node.target) for node in nodes if isinstance(node, ast.AnnAssign)}  # some of which are keys of outputs
        for node in nodes:
            name = node.arg if isinstance(node, ast.arg) else node.id if isinstance(node, ast.Name) else ""
            assert name not in empty or id(node) in fields, f"{path}:{node.lineno}: {name}"
