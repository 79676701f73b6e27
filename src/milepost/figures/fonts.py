"""Fonts that can write the names in a figure, of those that are installed."""

from __future__ import annotations

import logging
from functools import cache
from typing import Final

# The first one writes most scripts of Europe; the others are looked at first where it cannot write a name.
_USUAL: Final = (
    "DejaVu Sans",
    "Noto Sans",
    "Noto Sans CJK JP",
    "Noto Sans CJK SC",
    "Noto Sans CJK KR",
    "Noto Sans Arabic",
    "Noto Sans Hebrew",
    "Noto Sans Thai",
    "Noto Sans Devanagari",
    "WenQuanYi Zen Hei",
    "WenQuanYi Micro Hei",
    "IPAGothic",
    "Arial Unicode MS",
    "Hiragino Sans",
    "Yu Gothic",
    "Malgun Gothic",
    "Microsoft YaHei",
)


def fonts_for(text: str) -> tuple[list[str], str]:
    """The fonts to write a text with, in order of preference, and the characters of it that none of the installed ones has."""
    installed = _files()
    first = next((name for name in _USUAL if name in installed), next(iter(installed)))
    chosen, missing = [first], {ord(char) for char in text if not char.isspace()} - _characters(first)
    usual = [name for name in _USUAL if name in installed]
    for name in (*usual, *installed):
        if not missing:
            break
        written = missing & _characters(name)
        if written:
            logging.getLogger("matplotlib.font_manager").setLevel(logging.ERROR)  # such fonts seldom have every weight
            chosen.append(name)
            missing -= written
    return chosen, "".join(map(chr, sorted(missing)))


@cache
def _files() -> dict[str, str]:
    """Return the paths of installed fonts by name; of several cuts the plain one."""
    from matplotlib.font_manager import fontManager

    own = [font for font in fontManager.ttflist if "Last Resort" not in font.name]  # which has boxes for all
    by_plainness = sorted(own, key=lambda font: (font.style == "normal", font.weight in (400, "normal", "regular")))
    return {font.name: font.fname for font in by_plainness}


@cache
def _characters(name: str) -> frozenset[int]:
    """The characters that a font has."""
    from matplotlib.ft2font import FT2Font

    try:
        return frozenset(FT2Font(_files()[name]).get_charmap())
    except (OSError, RuntimeError):
        return frozenset()
