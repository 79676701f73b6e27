"""The views of each measuring command."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any, Final

from milepost.reports import level_views, views
from milepost.reports.interface import View

VIEWS: Final[dict[str, Callable[[dict[str, Any]], list[View]]]] = {
    "funnel": views.funnel_view,
    "attempts": views.attempts_view,
    "times": views.times_view,
    "spikes": views.spikes_view,
    "deaths": level_views.deaths_view,
    "moves": level_views.moves_view,
    "coverage": level_views.coverage_view,
    "layouts": level_views.layouts_view,
    "ratings": level_views.ratings_view,
    "trace": level_views.trace_view,
    "whatif": views.whatif_view,
    "level": level_views.level_view,
}
