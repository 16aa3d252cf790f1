"""A chart of any kind as a figure of a page: its finding above, what was measured below that, source and date at its foot."""

from __future__ import annotations

from markupsafe import Markup

from ulterion.show.charts import BarChart, Chart, LineChart, MapChart, SpreadChart
from ulterion.show.web.bars import bars, shaded, spreads, strip
from ulterion.show.web.elements import element
from ulterion.show.web.lines import lines


def figure(name: str, chart: Chart) -> Markup:
    """Return a chart as a figure with its own anchor. Unless it is a table, its words stand beside it for screen readers."""
    said = chart.caption
    drawn = isinstance(chart, LineChart) or not isinstance(chart, BarChart | SpreadChart | MapChart)
    return element(
        "figure",
        element(
            "figcaption",
            element("a", said.title, href=f"#figure-{name}", class_="finding"),
            element("span", said.subtitle, class_="what"),
        ),
        _body(chart),
        element("p", chart.alternative, class_="unseen") if drawn else "",
        element("p", said.foot, class_="foot") if said.foot else "",
        id=f"figure-{name}",
    )


def _body(chart: Chart) -> Markup:
    if isinstance(chart, BarChart):
        return bars(chart)
    if isinstance(chart, LineChart):
        return lines(chart)
    if isinstance(chart, SpreadChart):
        return spreads(chart)
    return shaded(chart) if isinstance(chart, MapChart) else strip(chart)
