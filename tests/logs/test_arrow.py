"""Between Arrow and NumPy: what Arrow's own ways would give, without loading pandas."""

import subprocess
import sys

import numpy as np
import pyarrow as pa
import pytest

from milepost.logs.columnar.arrow import array_of, given_mask, texts_of, values_of
from milepost.logs.store.tables import read_arrays, read_lists, write_table

GIVEN = np.array([True, False, True, True, False, True, True, True, True, False])


@pytest.mark.parametrize("kind", ["int8", "int32", "int64", "float32", "float64", "uint64", "bool"])
def test_there_and_back(kind):
    """Numbers and truths, all given or not, and slices of them."""
    values = (np.arange(10) % 3).astype(kind)
    for given in (None, GIVEN):
        array = array_of(values, given)
        array.validate(full=True)
        assert array.to_pylist() == [
            value if given is None or given[place] else None for place, value in enumerate(values.tolist())
        ]
        for part in (slice(0, 10), slice(3, 9), slice(8, 8)):
            piece = array[part]
            assert given_mask(piece).tolist() == (GIVEN[part] if given is not None else np.ones(10, bool)[part]).tolist()
            assert values_of(piece)[given_mask(piece)].tolist() == values[part][given_mask(piece)].tolist()
    assert len(values_of(pa.array([], type=pa.from_numpy_dtype(np.dtype(kind))))) == 0
    assert values_of(pa.nulls(3, pa.from_numpy_dtype(np.dtype(kind)))).shape == (3,)


def test_tables(tmp_path):
    """Lists with nothing in them, lone surrogates, and files that differ in how narrow their columns are."""
    lists = {
        "name": ["a", None, "ü\ud800", "\U0010ffffd800", "ü\\ud800"],
        "line": [None, 5, -(1 << 60), 1, 2],
        "debug": [True, False, True, True, False],
        "first_clock": [0.5, -0.0, 1e9, 1, 2],
    }
    write_table(tmp_path / "lists.parquet", lists)
    assert read_lists(tmp_path / "lists.parquet") == lists
    for number, kind in enumerate(("int8", "int64")):
        write_table(tmp_path / f"{number}.parquet", {"row": np.arange(3).astype(kind), "x": np.array([np.nan, 1, 2])})
    columns = read_arrays([tmp_path / "0.parquet", tmp_path / "1.parquet"], ("row",))
    assert columns["row"].tolist() == [0, 1, 2, 0, 1, 2] and columns["row"].dtype == np.int64 and list(columns) == ["row"]
    assert texts_of([None, ""]).to_pylist() == [None, ""]


def test_pandas_stays_out(tmp_path):
    """Reading a large log, packing it and reading it back loads no pandas, which takes as long as a whole small log."""
    line = '{"session": "%d", "time": %d, "event": "start", "level": "Mill Pond", "x": null, "mood": "calm"}\n'
    (tmp_path / "log.jsonl").write_text("".join(line % (number % 7, number) for number in range(60_000)))
    code = (
        "import sys\nfrom milepost.cli.main import main\n"
        "assert main(['pack', 'log.jsonl', '-o', 'store']) == 0 and main(['funnel', 'store', '-o', 'funnel.txt']) == 0\n"
        "assert 'pyarrow' in sys.modules\nprint('pandas' in sys.modules)"
    )
    done = subprocess.run([sys.executable, "-c", code], cwd=tmp_path, capture_output=True, text=True)
    assert done.stdout.strip().endswith("False"), done.stderr
