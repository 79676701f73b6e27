"""What all tests share: the installed program, run on files in a temporary folder."""

import json
import os
import sys
from collections import Counter
from pathlib import Path

import pytest
from hypothesis import HealthCheck, settings

os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")  # as the program does; before NumPy loads
os.environ.setdefault("MILEPOST_REMEMBER", "no")  # a small log is replayed, whatever was kept of it by another run
os.environ.pop("PYTHONDONTWRITEBYTECODE", None)  # each run of the program would compile all its modules, for a second
sys.path.insert(0, str(Path(__file__).parent))
from driving import forked, here, installed

settings.register_profile("steady", deadline=None, suppress_health_check=[HealthCheck.too_slow])  # whatever else the machine does
settings.load_profile("steady")

APART = {"--jobs", "--memory", "--cluster", "--verbose", "watch", "-", "demo"}  # words of runs that want a process of their own


def pytest_xdist_auto_num_workers(config):
    """One more than there are processors: tests that wait for what they started leave one idle."""
    return (os.cpu_count() or 1) + 1


def cpu_seconds():
    """CPU seconds of this process, and of those that it started and that have ended."""
    return sum(os.times()[:4])


@pytest.hookimpl(wrapper=True)
def pytest_runtest_setup(item):
    item.user_properties.append(("cpu", cpu_seconds()))
    return (yield)


@pytest.hookimpl(wrapper=True)
def pytest_runtest_teardown(item):
    result = yield
    item.user_properties[:] = [(name, cpu_seconds() - value if name == "cpu" else value) for name, value in item.user_properties]
    return result


def pytest_terminal_summary(terminalreporter):
    """Say how many CPU seconds the tests of each room took, and which tests took most."""
    took = Counter()
    for report in terminalreporter.getreports("") + terminalreporter.getreports("passed"):
        if report.when == "teardown":
            took[report.nodeid] += dict(report.user_properties).get("cpu", 0)
    rooms = Counter()
    for name, seconds in took.items():
        rooms["/".join(name.split("::")[0].split("/")[1:-1]) or "tests"] += seconds
    if rooms.total() > 60:  # CPU seconds, of a run of many tests
        told = ", ".join(f"{room} {seconds:.0f}" for room, seconds in rooms.most_common())
        terminalreporter.write_line(f"CPU seconds: {rooms.total():.0f}, of which {told}.")
        for name, seconds in took.most_common(int(os.environ.get("DEAREST", "10"))):
            terminalreporter.write_line(f"{seconds:6.1f} {name}")


class Program:
    """The installed program in a folder of its own."""

    def __init__(self, folder):
        self.folder = folder

    def __call__(self, *words, stdin=None, **env):
        """Run it; Python's own settings only reach a program that is started anew, but for how it writes."""
        words, env = [str(word) for word in words], {"COLUMNS": "100", **env}
        encoding = env.pop("PYTHONIOENCODING", "utf-8")
        if any(name.startswith("PYTHON") for name in env):
            return installed(words, self.folder, stdin, **env)
        if stdin is not None or APART & set(words):
            return forked(words, self.folder, stdin, **env)
        return here(words, self.folder, encoding, **env)

    def json(self, *words, **more):
        """The document that a command prints."""
        done = self(*words, "--format", "json", **more)
        assert done.returncode == 0, done.stderr
        return json.loads(done.stdout)

    def write(self, name, content):
        """A file in the folder: a text, or records as JSON Lines."""
        path = self.folder / name
        path.parent.mkdir(parents=True, exist_ok=True)
        if isinstance(content, bytes):
            path.write_bytes(content)
        elif isinstance(content, str):
            path.write_text(content, encoding="utf-8")
        else:
            path.write_text("".join(json.dumps(record) + "\n" for record in content), encoding="utf-8")
        return name


@pytest.fixture
def milepost(tmp_path):
    """The program in an empty folder."""
    return Program(tmp_path)


@pytest.fixture(scope="session")
def wickwater(tmp_path_factory):
    """The program in a folder with the unpacked demo."""
    from milepost.demo.unpack import unpack

    program = Program(tmp_path_factory.mktemp("demo"))
    unpack(program.folder / "wickwater", force=False)
    return program


@pytest.fixture
def small_log():
    """Two players on a course of two levels."""
    return [
        {"session": "a", "time": 0, "event": "start", "level": "Mill Pond", "player": "Ada"},
        {"session": "a", "time": 5, "event": "death", "level": "Mill Pond", "cause": "reeds", "progress": 0.4},
        {"session": "a", "time": 6, "event": "retry", "level": "Mill Pond"},
        {"session": "a", "time": 16, "event": "complete", "level": "Mill Pond"},
        {"session": "a", "time": 17, "event": "transition", "level": "Mill Pond", "to": "Low Arch"},
        {"session": "a", "time": 18, "event": "start", "level": "Low Arch"},
        {"session": "a", "time": 40, "event": "session_end", "cause": "quit"},
        {"session": "b", "time": 0, "event": "start", "level": "Mill Pond", "player": "Bo"},
        {"session": "b", "time": 9, "event": "complete", "level": "Mill Pond"},
        {"session": "b", "time": 9.02, "event": "complete", "level": "Mill Pond"},
        {"session": "b", "time": 12, "event": "session_end", "cause": "time_up"},
    ]


COURSE = 'name = "Wickwater"\n[[level]]\nname = "Mill Pond"\n[[level]]\nname = "Low Arch"\n'
