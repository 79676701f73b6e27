"""Writes docs/foreign-logs.md: twenty foreign logs, each with the map that `milepost map` drafts of it.

python scripts/make_gallery.py
"""

from __future__ import annotations

import tempfile
from pathlib import Path

from gallery import Foreign, gallery, written

from milepost.drafts.map_by_trial import draft_by_trial, headed
from milepost.logs.interface import ReadOptions
from milepost.logs.sources.encodings import seems_to_be

TARGET = Path(__file__).parents[1] / "docs/foreign-logs.md"
_SHOWN = 4  # lines of a log
_WIDEST = 150
_HEAD = """# Foreign logs, and the maps that read them

Twenty-one logs of one made-up evening, each written as another game or tool might have done. `milepost map LOG` looks at a
log and drafts its map; each draft below reads its log as it is, without a line changed by hand, and gives the figures of the
same play in our own form, as far as the log tells them. The logs are made by `scripts/gallery.py`, and this page by
`scripts/make_gallery.py`; the tests hold every figure. What a map can say is in [log-format.md](log-format.md).

```
$ milepost map wickwater/logs
```

Read every draft before you use it: each line says what it rests on, and what could not be guessed is marked so.
"""


def page() -> str:
    """The page."""
    with tempfile.TemporaryDirectory() as folder:
        return _HEAD + "".join(_part(number, one, Path(folder)) for number, one in enumerate(gallery(), 1))


def _part(number: int, foreign: Foreign, folder: Path) -> str:
    written(foreign, folder)
    draft = headed(draft_by_trial([str(folder / foreign.name)], ReadOptions()), str(folder / foreign.name)).replace(
        str(folder) + "/", ""
    )
    shown = _beginning(foreign)
    file = f"`{foreign.name}`" + (":" if shown else ", which is no text.")
    said = [f"\n## {number}. {foreign.what[0].upper()}{foreign.what[1:]}\n", file]
    said += ["", "```", *shown, "```"] if shown else []
    said += ["", "```toml", *_bare(draft), "```", ""]
    if foreign.unknown:
        said.append(f"What it cannot tell: {foreign.unknown}.\n")
    return "\n".join(said)


def _beginning(foreign: Foreign) -> list[str]:
    """The first lines, where it is text."""
    try:
        text = foreign.data.decode()
    except UnicodeDecodeError:
        if foreign.name.endswith((".sqlite", ".parquet")):
            return []
        text = foreign.data.decode(seems_to_be(foreign.data) or "cp1252")
    if "\x00" in text:
        return []
    return [line if len(line) <= _WIDEST else line[:_WIDEST] + " …" for line in text.splitlines()[:_SHOWN]]


def _bare(draft: str) -> list[str]:
    """The draft without its head, and without what it says of columns that it leaves as they are."""
    lines = [line for line in draft.splitlines()[2:] if not line.startswith(("#   ", "# Not used", "# Read as they are"))]
    while lines and not lines[0]:
        lines.pop(0)
    return lines


if __name__ == "__main__":
    TARGET.write_text(page(), encoding="utf-8")
