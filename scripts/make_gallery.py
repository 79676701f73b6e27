"""Writes docs/foreign-logs.md: twenty foreign logs, each with the map that `milepost map` drafts of it.

python scripts/make_gallery.py
"""

from __future__ import annotations

import tempfile
from pathlib import Path

from gallery import Foreign, gallery, written

from milepost.drafts.map_by_trial import add_heading, draft_by_trial
from milepost.logs.interface import ReadOptions
from milepost.logs.sources.encodings import guess_text_encoding

TABLE = Path(__file__).parent / "foreign_table.txt"  # what benchmarks/foreign.py printed
TARGET = Path(__file__).parents[1] / "docs/foreign-logs.md"
_SHOWN = 4  # lines of a log
_WIDEST = 150
_HEAD = """# Foreign logs, and the maps that read them

Twenty-one logs of one made-up evening, each written as another game or tool might have done. `milepost map LOG` looks at a
log and drafts its map; each draft below reads its log as it is, without a line changed by hand, and gives the figures of the
same play in our own form, as far as the log tells them. The logs are made by `scripts/gallery.py`, and this page by
`scripts/make_gallery.py`; the tests hold every figure. What a map can say is in [log-format.md](log-format.md).

```
$ milepost map logs --output map.toml
```

Read every draft before you use it: each line says what it rests on, and what is not sure is marked so. `--set level=route`,
`--set fall=death` and
`--set unit=ms` say what you know; `milepost init LOG` drafts map and course at once, and asks.

## How often a draft is right

`benchmarks/foreign.py` draws logs at random: a simulated playtest, a shape, a format, an encoding, time formats, columns that
say nothing, menus,
records twice or late; headings, event words and level names are telling words in some language, or syllables that no list can
know. A draft is
*exact* if reached, cleared, tries, first-try rate and median time of every level are those of the play; *asked* if they are
after at most three
answers; *doubtful* if it is wrong and says so first; *wrong* if it is wrong and does not.

```
{table}```

The table is of 300 logs of the first fourteen shapes. Of 835 logs of all 22 shapes, drawn later on seeds that nothing was
tuned on, four were doubtful, none wrong, none refused, and all others exact or asked.

Rich logs came later: nine kinds of event, also within tries and between levels, with an amount that is spent, places
and causes. Of 60 such logs, and of 130 more of the 22 shapes, on seeds that nothing was tuned on, all were exact.

Sheets that somebody kept by hand, a row a try without a clock, by player or by level: of 60 on fresh seeds 58 were exact and two
asked. What headings say decides there, for without them players and levels may change places.

## How to write a map by hand

1. Which column is which: `[fields]` with `session` (or `player` and `[session] gap_minutes`), `time`, `event`, `level`.
2. In which unit times run, or how they are written: `[time]`.
3. What event words mean: `[events]`; one that depends on another column is a list with `when`; one that is of no concern is
   `ignore`.
4. Where a row is a whole try, a stay or a player: `[rows] each`.
5. Where records lie in arrays: `[rows] explode`; where a field is only said when it changes: `carry`.
6. Lines of text: `[input] lines`, a pattern with named groups for each kind of line; `(?P<pairs>.*)` takes name=value pairs.
7. What is in the name of a file: `from = "source.name"` with a `pattern`.
8. XML that is not XES: `[input] record`, the path of the element that is a record, such as `run/event`; YAML and CBOR need
   nothing but, where records lie deeper, `explode`.
9. Everything else is one query: `[input] select` over the table `log`, or over several files by their names (`FROM deaths`,
   `JOIN players USING (id)`); in SQLite `[input] query`, over its tables. What each shape needs:

| shape | in the query |
|:--|:--|
| parallel arrays | `UNNEST("t") AS "t", UNNEST("event") AS "event"` |
| an array of keys and values | `list_extract(list_filter("params", lambda x: x."key" = 'level'), 1)."value"` |
| columns that are levels | `UNPIVOT log ON "Low Arch", "Long Lock" INTO NAME "level" VALUE "tries"`, with `each = "stay"` |
| two columns a level | a `SELECT` for each level, with `UNION ALL` between |
| a block whose first row alone bears the name | `LAST_VALUE("player" IGNORE NULLS) OVER (ROWS UNBOUNDED PRECEDING)` |
| minutes beside seconds | `60 * "minute" + "second" AS "time"` |
| what and where in one text, `start_03` | `regexp_extract("event", '(.*)_(.*)', 1)`, and 2 |
| a date beside a time of day | no query: `time = { from = ["date", "hour"], join = " " }` in `[fields]` |

A table below a title, with a decimal comma, or with times such as `0:01:17`, `11/27/2026 05:30:02 PM` or day numbers of a
spreadsheet (`unit = "days"`) needs no query either.

Then `milepost check --map`: no finding that takes many records, no word unknown, and a funnel in the order that you know.
"""


def page() -> str:
    """The page."""
    with tempfile.TemporaryDirectory() as folder:
        return _HEAD.replace("{table}", TABLE.read_text(encoding="utf-8")) + "".join(
            _part(number, one, Path(folder)) for number, one in enumerate(gallery(), 1)
        )


def _part(number: int, foreign: Foreign, folder: Path) -> str:
    written(foreign, folder)
    draft = add_heading(draft_by_trial([str(folder / foreign.name)], ReadOptions()), str(folder / foreign.name)).replace(
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
        text = foreign.data.decode(guess_text_encoding(foreign.data) or "cp1252")
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
