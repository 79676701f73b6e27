"""The figure of a measure for a notebook."""

from __future__ import annotations

from matplotlib import rc_context
from matplotlib.figure import Figure

from milepost.errors import UsageError
from milepost.figures.draw import Paper, drawn
from milepost.figures.style import DARK, LIGHT
from milepost.playback.play import Play
from milepost.reports.build_document import described, document
from milepost.reports.registry import MEASURES


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
        having = ", ".join(one.name for one in MEASURES.values() if one.drawn)
        raise UsageError(f"{measure!r} has no figure. These have: {having}.")
    table = entry.measure(**settings)(play)
    report = described(document(measure, play, table), play.course, min_players)
    with rc_context():  # which leaves the notebook's own settings as they were
        sheet: Figure = drawn(measure, report, Paper(look=DARK if dark else LIGHT)).figure
        sheet.draw_without_rendering()  # so that what is made on drawing is made with these fonts
    return sheet
