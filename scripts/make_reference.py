"""Writes docs/api.md, the reference of the library's calls, from their signatures and docstrings.

python scripts/make_reference.py
"""

from __future__ import annotations

import dataclasses
import inspect
import re
from pathlib import Path

import milepost

TARGET = Path(__file__).resolve().parents[1] / "docs" / "api.md"
HEAD = """# The library, call by call

Made from the docstrings by `python scripts/make_reference.py`. Every measure is a call of its command's name on a play,
and gives a pandas frame; what belongs to the whole course is in its `attrs`. Every mistake of use is a `MilePostError`
of one line.

```python
import milepost

play = milepost.replay("wickwater/logs", course="wickwater/course.toml")
```
"""
_SECTION = re.compile(r"^(Args|Attributes|Raises|Returns):$")


def reference() -> str:
    """The whole page."""
    first = ["replay", *sorted(name for name in milepost.__all__ if name not in ("replay", "__version__"))]
    return "\n".join([HEAD, *(entry(name) for name in first)])


def entry(name: str) -> str:
    """One call or class."""
    own = getattr(milepost, name)
    head = f"## {name}\n"
    if not inspect.isclass(own) or dataclasses.is_dataclass(own):
        head += f"\n```\n{signature(name, own)}\n```\n"
    return f"{head}\n{told(inspect.getdoc(own) or '')}\n"


def signature(name: str, own: object) -> str:
    """How it is called."""
    shown = str(inspect.signature(own)) if callable(own) else ""
    shown = re.sub(r"(?:milepost(?:\.\w+)+|pathlib|pandas|pd|typing)\.(?=\w)", "", shown.replace("'", ""))
    return f"milepost.{name}{shown}"


def told(doc: str) -> str:
    """A docstring as Markdown: its sections as lists."""
    lines, inside = [], False
    for line in doc.split("\n"):
        heading = _SECTION.match(line)
        if heading:
            lines.append(f"**{heading[1]}**\n")
            inside = True
        elif inside and re.match(r"    \S", line):
            names, _, text = line.strip().partition(":")
            lines.append(f"- `{names}`:{text}")
        elif inside and line.strip():
            lines[-1] += " " + line.strip()
        else:
            lines.append(line)
    return "\n".join(lines).strip()


if __name__ == "__main__":
    TARGET.write_text(reference(), encoding="utf-8")
