"""Plain functions compiled: the same results, kept for the next time, and whatever is wrong with what was kept."""

import os
import sys
from concurrent.futures import ThreadPoolExecutor
from importlib import import_module, invalidate_caches
from threading import Barrier
from typing import NamedTuple

import numpy as np
import pytest

from milepost.compiling import Compiled, is_available, jit_function
from milepost.compiling.kernel import DamagedError, unpack_kernel

pytestmark = pytest.mark.skipif(not is_available(), reason="Numba is not installed")
LOOPS = """
def total(table, weights, state, scale, over, wanted):
    added = 0.0
    for row in range(len(table)):
        for column in range(table.shape[1]):
            added += share(table[row, column], weights.first[row], weights.inner.second[column])
    state.calls += 1
    state.best = max(state.best, added)
    if wanted:
        weights.first[0] = scale
    return added * scale + over


def share(value: float, one: float, other: int) -> float:
    return value * one / other


def write(marks: object, to: object) -> None:
    for i in range(len(marks)):
        if not marks[i]:
            to[i] = -1
"""


class Inner(NamedTuple):
    """Held by another."""

    second: object


class Weights(NamedTuple):
    """Two columns, one of them deeper."""

    first: object
    inner: Inner


@pytest.fixture
def loops(tmp_path, monkeypatch):
    """A module of plain loops, by its name, and a cache of its own."""
    (tmp_path / "loops_to_compile.py").write_text(LOOPS.replace("wanted):", "wanted) -> float:"))
    monkeypatch.syspath_prepend(tmp_path)
    monkeypatch.setenv("XDG_CACHE_HOME", str(tmp_path / "cache"))
    invalidate_caches()
    yield "loops_to_compile"
    sys.modules.pop("loops_to_compile", None)


def arguments(rows=3):
    """Numbers, truths, columns, a table and a record; what is written goes into the last three."""
    state = np.zeros((), [("calls", np.int64), ("best", np.float64)]).view(np.recarray)
    weights = Weights(np.arange(1.0, rows + 1), Inner(np.array([1, 2], np.int64)))
    return np.arange(2.0 * rows).reshape(rows, 2), weights, state, 2.5, 4, True


def test_same_as_plain(loops):
    """Tables, named tuples, a record, numbers of both kinds and truths, read and written where they are."""
    plain, fast = arguments(), arguments()
    expected = import_module(loops).total(*plain)
    total = Compiled((loops,), "total")
    assert total(*fast) == pytest.approx(expected, rel=1e-12) and expected != 0
    assert fast[2].calls == plain[2].calls == 1 and fast[2].best == pytest.approx(float(plain[2].best), rel=1e-12)
    assert fast[1].first.tolist() == plain[1].first.tolist() == [2.5, 2.0, 3.0]
    more, same = arguments(rows=40), arguments(rows=40)
    assert total(*more) == pytest.approx(import_module(loops).total(*same), rel=1e-12)
    assert len(list(total.folder.glob("total-*"))) == 1  # other sizes are the same code


def test_nothing_returned(loops):
    """A function that writes only, for columns of two kinds: code of their own for each."""
    write = Compiled((loops,), "write")
    for kind in (np.int64, np.float64):
        to = np.zeros(3, kind)
        assert write(np.array([True, False, False]), to) == 0.0 and to.tolist() == [0, -1, -1]
    assert len(list(write.folder.glob("write-*"))) == 2


def test_kept_for_the_next_time(loops, monkeypatch):
    """Another process finds the machine code, and needs no compiler for it."""
    first = Compiled((loops,), "total")
    assert first.waits()
    expected = first(*arguments())
    monkeypatch.setattr(jit_function, "compile_kernel", lambda *_: pytest.fail("compiled again"))
    monkeypatch.setitem(sys.modules, "numba", None)  # to import it is an error
    again = Compiled((loops,), "total")
    assert not again.waits() and again(*arguments()) == expected
    assert Compiled((loops,), "write").waits()


@pytest.mark.parametrize("damage", [lambda data: data[:-1], lambda data: b"{}\n" + data, lambda _: b"", lambda _: b"[1]\n"])
def test_damaged_code_is_made_anew(loops, damage):
    """Cut off, changed or emptied: never run, and replaced."""
    first = Compiled((loops,), "write")
    first(np.array([True]), np.zeros(1))
    (kept,) = first.folder.glob("write-*")
    kept.write_bytes(damage(kept.read_bytes()))
    to = np.zeros(2)
    Compiled((loops,), "write")(np.array([False, True]), to)
    assert to.tolist() == [-1, 0] and unpack_kernel(kept.read_bytes()).code


def test_nowhere_to_keep_it(loops, monkeypatch, tmp_path):
    """Where the cache cannot be written, the code is compiled without it; where it can, it lies under the source's own name."""
    write = Compiled((loops,), "write")
    assert write.folder.parent == tmp_path / "cache/milepost"
    (tmp_path / "loops_to_compile.py").write_text(LOOPS + "\n\n")
    assert Compiled((loops,), "write").folder != write.folder
    (tmp_path / "file").write_text("")
    monkeypatch.setenv("XDG_CACHE_HOME", str(tmp_path / "file"))
    nowhere, to = Compiled((loops,), "write"), np.zeros(1)
    assert nowhere.folder is None and nowhere.waits()
    nowhere(np.array([False]), to)
    assert to.tolist() == [-1]


def test_only_whole_columns(loops):
    """Every other value of a column lies where the code would not look."""
    with pytest.raises(ValueError, match="one after the other"):
        Compiled((loops,), "write")(np.array([True, False, True])[::2], np.zeros(1))


def test_compiled_once_by_several(loops, monkeypatch):
    """Who needs the same code at the same time waits for whoever makes it, in this process or another."""
    made, ready = [], Barrier(3)
    monkeypatch.setattr(
        jit_function, "compile_kernel", lambda *given, real=jit_function.compile_kernel: made.append(1) or real(*given)
    )

    def call(marks):
        write, to = Compiled((loops,), "write"), np.arange(3)
        ready.wait()
        write(marks, to)
        return to.tolist()

    with ThreadPoolExecutor(3) as threads:
        assert list(threads.map(call, [np.array([True, False, True])] * 3)) == [[0, -1, 2]] * 3
    assert len(made) == 1


def test_few_versions_are_kept(loops, monkeypatch):
    """The machine code of versions long gone is taken away, that of the present one never, and nothing that is not ours."""
    write = Compiled((loops,), "write")
    for n, name in enumerate([*(f"{n:016x}" for n in range(5)), "somebody-else"]):
        (write.folder.parent / name).mkdir()
        (write.folder.parent / name / ("lock" if n < 4 else "precious")).touch()
        os.utime(write.folder.parent / name, (n, n))
    monkeypatch.setattr(jit_function, "_KEPT", 3)
    write(np.array([True]), np.arange(1))
    assert {one.name for one in write.folder.parent.iterdir()} == {
        f"{3:016x}",
        f"{2:016x}",
        f"{4:016x}",
        "somebody-else",
        write.folder.name,
    }


def test_told_to_compile_nothing(monkeypatch):
    """Who tells Numba so gets the plain way, however large the log is."""
    monkeypatch.setenv("NUMBA_DISABLE_JIT", "1")
    assert not is_available()


@pytest.mark.parametrize("place", ["file", "folder", "parent"])
def test_what_others_could_write_is_not_run(loops, place):
    """Machine code in a place that others can write to, or behind a link, is made anew and not loaded."""
    first = Compiled((loops,), "write")
    first(np.array([True]), np.arange(1))
    (kernel,) = first.folder.glob("write-*")
    kernel.write_bytes(b"{}")  # whatever somebody put there
    if place == "file":
        kernel.chmod(0o666)
        with pytest.raises(DamagedError):
            jit_function._read(kernel)
        return
    target = first.folder if place == "folder" else first.folder.parent
    target.rename(target.with_name("moved"))
    target.symlink_to(target.with_name("moved"))
    again = Compiled((loops,), "write")
    assert again.folder is None
    to = np.arange(1)
    again(np.array([True]), to)
    assert to.tolist() == [0]
