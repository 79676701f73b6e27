"""The report as a PDF: its sentences on pages, then a figure on each."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from textwrap import wrap
from typing import BinaryIO

from milepost.figures.draw import Paper, draw_figure
from milepost.figures.style import Sheet, new_sheet

_LINES = 31  # on a page
_WIDTH = 118  # letters
_HIGH = 0.0275  # of a line, as a share of the page


def write_booklet(
    stream: BinaryIO,
    title: str,
    chapters: Sequence[tuple[str, Sequence[str]]],
    figures: Sequence[tuple[str, Mapping[str, object]]],
    paper: Paper,
) -> None:
    """Write the PDF.

    Args:
        stream: where to.
        title: stands on the first page.
        chapters: headings, each with sentences.
        figures: names of figures, each with the document that it is drawn from.
        paper: size and look of a page.
    """
    from matplotlib.backends.backend_pdf import PdfPages

    with PdfPages(stream, metadata={"CreationDate": None, "Title": title}) as pages:
        for number, lines in enumerate(_pages(chapters)):
            sheet = new_sheet(paper.size, paper.look)
            _write(sheet, title if number == 0 else f"{title} (continued)", lines)
            pages.savefig(sheet.figure, facecolor=sheet.look.paper)
        for name, document in figures:
            sheet = draw_figure(name, document, paper)
            pages.savefig(sheet.figure, facecolor=sheet.look.paper)


def _pages(chapters: Sequence[tuple[str, Sequence[str]]]) -> list[list[tuple[str, bool]]]:
    """Lines with whether each is a heading, cut into pages; a heading is never the last line of one."""
    lines: list[tuple[str, bool]] = []
    for heading, sentences in chapters:
        lines += [("", False)] * bool(lines) + [(heading, True)]
        for sentence in sentences:
            first, *rest = wrap(sentence, _WIDTH) or [""]
            lines += [(f"• {first}", False), *((f"   {line}", False) for line in rest)]
    pages: list[list[tuple[str, bool]]] = []
    while lines:
        cut = min(_LINES, len(lines))
        if cut < len(lines) and lines[cut - 1][1]:
            cut -= 1
        pages.append(lines[: max(1, cut)])
        lines = lines[max(1, cut) :]
    return pages or [[]]


def _write(sheet: Sheet, title: str, lines: list[tuple[str, bool]]) -> None:
    sheet.fitted(0.965, title, 17, sheet.look.ink, fontweight="bold")
    for place, (text, is_heading) in enumerate(lines):
        sheet.fitted(0.9 - _HIGH * place, text, 11, sheet.look.ink, left=0.03, fontweight="bold" if is_heading else "normal")
