"""A chart of any kind, drawn."""

from __future__ import annotations

import matplotlib as mpl

from ulterion.show.charts import BarChart, Chart, LineChart, MapChart, SpreadChart
from ulterion.show.draw_bars import draw_bars
from ulterion.show.draw_lines import draw_lines
from ulterion.show.draw_maps import draw_map, draw_spreads, draw_strip
from ulterion.show.drawing import Picture
from ulterion.show.looks import Look


def draw(chart: Chart, look: Look | None = None) -> Picture:
    """Return a chart drawn in a look, without a display."""
    look = look or Look()
    with mpl.rc_context({"text.parse_math": False, "hatch.linewidth": 1.4}):
        if isinstance(chart, BarChart):
            return draw_bars(chart, look)
        if isinstance(chart, LineChart):
            return draw_lines(chart, look)
        if isinstance(chart, SpreadChart):
            return draw_spreads(chart, look)
        return draw_map(chart, look) if isinstance(chart, MapChart) else draw_strip(chart, look)
