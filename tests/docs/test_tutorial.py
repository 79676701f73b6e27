"""The tutorial notebook goes from the demo's log to three things to fix, and to a comparison."""

import json
from pathlib import Path

import pandas as pd
from matplotlib.figure import Figure

NOTEBOOK = Path(__file__).resolve().parents[2] / "docs/tutorial.ipynb"


def test_every_cell_runs(wickwater, monkeypatch):
    """Cells run in order, as they stand; what they come to is what the text says."""
    monkeypatch.chdir(wickwater.folder)
    cells = json.loads(NOTEBOOK.read_text(encoding="utf-8"))["cells"]
    assert len({cell["id"] for cell in cells}) == len(cells)
    names = {}
    for cell in cells:
        if cell["cell_type"] == "code":
            exec(compile("".join(cell["source"]), NOTEBOOK.name, "exec"), names)
    assert [sentence.split(" is ")[0].split(" begins ")[0] for sentence in names["to_fix"]] == [
        "Low Arch",
        "Glass Basin",
        "Salt Steps",
    ]
    assert isinstance(names["funnel"], pd.DataFrame) and isinstance(names["playtest"].figure("spikes"), Figure)
    verdicts = names["change"]["verdict"]
    assert verdicts["Low Arch"] == "easier" and verdicts["Salt Steps"] == "harder"
    assert names["question"]["apart"] and (names["targets"]["verdict"] == "missed").any()
