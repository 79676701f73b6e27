"""Figures for a page: SVG that takes its colours from the page and whose names clash with nothing there."""

from __future__ import annotations

import io
import re
from collections.abc import Mapping
from types import MappingProxyType
from typing import Final

from matplotlib import rc_context
from matplotlib.figure import Figure

from milepost.errors import UsageError
from milepost.figures.draw import Paper, draw_figure, save
from milepost.figures.style import DARK, LIGHT, Palette
from milepost.playback.play import Play
from milepost.reports.build_document import add_descriptions, build_document
from milepost.reports.registry import MEASURES

NO_LINKS: Final[Mapping[str, str]] = MappingProxyType({})
_PROLOGUE: Final = re.compile(r"^.*?(?=<svg)", re.DOTALL)
_METADATA: Final = re.compile(r"<metadata>.*?</metadata>", re.DOTALL)
_TAG: Final = re.compile(r"<[^>]*>")
_SIZE: Final = re.compile(r'(<svg[^>]*?) width="[^"]*" height="[^"]*"|(<svg[^>]*?) height="[^"]*" width="[^"]*"')
_LONG: Final = re.compile(r"(?<!opacity: )(\b\d+\.\d)\d+")  # places need no more than a tenth of a dot
_GROUP_NAME: Final = re.compile(
    r' id="(?:patch|line2d|text|xtick|ytick|matplotlib\.axis|axes|figure|PolyCollection|FillBetween\w*)_\d+"'
)
_FONT: Final = re.compile(r"(font-family:|font: (?:[\w.]+ )*?[\d.]+px) [^;\"]+")  # Matplotlib writes the one or the other
_SPACE: Final = re.compile(r">\s+<")


def inline_svg(
    measure: str, document: Mapping[str, object], alternative: str, size: tuple[int, int], links: Mapping[str, str] = NO_LINKS
) -> str:
    """A measure's figure as an ``<svg>`` element.

    Args:
        measure: the figure's name.
        document: what it is drawn from.
        alternative: what the picture says, for those who do not see it.
        size: its shape, in dots.
        links: per text in it that leads to a place of the page, that place.
    """
    stream = io.BytesIO()
    sheet = draw_figure(measure, document, Paper(size))
    _link(sheet.figure, links)
    save(sheet, stream, "svg")
    text = _METADATA.sub("", _PROLOGUE.sub("", stream.getvalue().decode("utf-8")))
    text = _TAG.sub(lambda tag: _fit_tag(tag[0], measure), text)  # never what is written: it may look like any of these
    text = _SIZE.sub(lambda match: match[1] or match[2], text, count=1)
    return _SPACE.sub("><", text).replace("<svg", f'<svg role="img" aria-label="{_escaped(alternative)}"', 1).strip()


def _link(figure: Figure, links: Mapping[str, str]) -> None:
    """Make links of the texts that lead somewhere."""
    from matplotlib.text import Text

    for text in figure.findobj(Text) if links else ():
        if isinstance(text, Text) and text.get_text() in links:
            text.set_url(links[text.get_text()])


def _fit_tag(tag: str, measure: str) -> str:
    """A tag with names of the figure's own, the page's type and colours, and places with no more digits than say something."""
    tag = _GROUP_NAME.sub("", tag).replace(' target="_blank"', "")  # its links lead to places of the page itself
    tag = re.sub(r'id="([^"]+)"', rf'id="{measure}-\1"', tag)
    tag = re.sub(r'(url\(#|href="#(?!level-))', rf"\1{measure}-", tag)
    tag = _FONT.sub(r"\1 var(--type)", _LONG.sub(r"\1", tag))
    for role, colour in vars(LIGHT).items():
        tag = tag.replace(colour, f"var(--{role})")
    return tag


def variables(look: Palette) -> str:
    """The colours of a look as CSS variables."""
    return "".join(f"--{role}:{colour};" for role, colour in vars(look).items())


def colours() -> tuple[str, str]:
    """The variables of the light and of the dark look."""
    return variables(LIGHT), variables(DARK)


def _escaped(text: str) -> str:
    from html import escape

    return escape(text, quote=True)


def figure(play: Play, measure: str = "funnel", *, min_players: int = 5, dark: bool = False, **settings: object) -> Figure:
    """A measure's figure, which shows itself in a notebook.

    Args:
        play: a play.
        measure: the measure's name.
        min_players: of fewer players nothing is claimed.
        dark: whether to draw light on dark.
        settings: those of the measure, such as ``name="Low Arch"`` for `level`.

    Raises:
        UsageError: there is no such measure, or it has no figure.
    """
    entry = MEASURES.get(measure)
    if entry is None or not entry.drawn:
        having = ", ".join(measure.name for measure in MEASURES.values() if measure.drawn)
        raise UsageError(f"{measure!r} has no figure. These have: {having}.")
    table = entry.measure(**settings)(play)
    report = add_descriptions(build_document(measure, play, table), play.course, min_players)
    with rc_context():  # which leaves the notebook's own settings as they were
        sheet: Figure = draw_figure(measure, report, Paper(look=DARK if dark else LIGHT)).figure
        sheet.draw_without_rendering()  # so that what is made on drawing is made with these fonts
    return sheet
