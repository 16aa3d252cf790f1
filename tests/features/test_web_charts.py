"""Charts as HTML and SVG: well-formed, nothing lost, nothing outside its scale, no style in an attribute, whatever they are made of."""

from __future__ import annotations

import re
import unittest
import xml.etree.ElementTree as ET

from hypothesis import given, settings
from hypothesis import strategies as st

from ulterion.core.text import visible
from ulterion.show.charts import (
    NEUTRAL,
    Axis,
    Bar,
    BarChart,
    Caption,
    Chart,
    Level,
    Line,
    LineChart,
    LinePanel,
    MapCell,
    MapChart,
    Moment,
    Panel,
    Spread,
    SpreadChart,
    SpreadPanel,
    Stretch,
    StripChart,
)
from ulterion.show.web.elements import points
from ulterion.show.web.figure import figure
from ulterion.show.web.lines import Scale

WORDS = st.text(st.characters(codec="utf-8", exclude_characters="\x00"), min_size=1, max_size=12)
RATES = st.floats(0.0, 1e6)
CAPTIONS = st.builds(Caption, WORDS, WORDS, WORDS)
BARS = st.builds(
    Bar, label=WORDS, value=RATES, text=WORDS, shade=st.integers(NEUTRAL, 20), low=st.none() | RATES,
    high=st.none() | RATES, mark=st.none() | RATES,
)  # fmt: skip
BAR_CHARTS = st.builds(
    BarChart,
    CAPTIONS,
    st.lists(st.builds(Panel, WORDS, st.lists(BARS, min_size=1, max_size=4).map(tuple)), min_size=1, max_size=3).map(
        tuple
    ),
)


@st.composite
def line_charts(draw: st.DrawFn) -> LineChart:
    """Return a chart of lines over one axis, with levels and events."""

    def line(shade: int) -> Line:
        values = draw(st.lists(st.one_of(st.floats(0.1, 1e5), st.just(float("nan"))), min_size=1, max_size=300))
        low, high = (values, [v * 1.2 for v in values]) if draw(st.booleans()) else ([], [])
        at = tuple(float(n) for n in range(len(values)))
        return Line(draw(WORDS), at, tuple(values), shade, tuple(low), tuple(high))

    panels = tuple(
        LinePanel(
            Axis(draw(WORDS), log=draw(st.booleans()), least=draw(st.none() | st.just(0.05))),
            tuple(line(n) for n in range(draw(st.integers(1, 3)))),
            (Level(draw(WORDS), draw(st.floats(1, 1e5))),),
        )
        for _ in range(draw(st.integers(1, 2)))
    )
    moments = draw(st.lists(st.builds(Moment, st.floats(0, 300), WORDS, st.none() | st.integers(0, 3)), max_size=4))
    return LineChart(draw(CAPTIONS), Axis("minutes"), panels, tuple(moments))


SPREADS = st.builds(
    lambda label, low, a, b, text: Spread(label, low + a, low, low + a + b, text),
    WORDS,
    st.floats(0.1, 10),
    st.floats(0, 5),
    st.floats(0, 5),
    WORDS,
)
SPREAD_CHARTS = st.builds(
    SpreadChart, CAPTIONS, st.lists(st.builds(SpreadPanel, WORDS, st.lists(SPREADS, min_size=1, max_size=4).map(tuple)), min_size=1, max_size=2).map(tuple),
    st.builds(Axis, WORDS, log=st.booleans()), zero=st.just(1.0),
)  # fmt: skip
CELLS = st.builds(MapCell, WORDS, st.none() | RATES, st.sampled_from(["good", "bad", "open", "none"]))
MAPS = st.integers(1, 3).flatmap(
    lambda n: st.builds(
        MapChart,
        CAPTIONS,
        st.tuples(WORDS, WORDS),
        st.tuples(*[st.tuples(WORDS)] * n),
        st.tuples(*[st.tuples(*[CELLS] * n)] * 2),
    )
)
STRIPS = st.builds(
    lambda caption, ends, text: StripChart(caption, tuple(Stretch(0.0 if not n else sum(ends[:n]), sum(ends[: n + 1]), text, "bad") for n in range(len(ends))), ((0.0, text),)),
    CAPTIONS, st.lists(st.floats(1, 1e12), min_size=1, max_size=4), WORDS,
)  # fmt: skip
CHARTS: st.SearchStrategy[Chart] = st.one_of(BAR_CHARTS, line_charts(), SPREAD_CHARTS, MAPS, STRIPS)


def words_of(chart: Chart) -> list[str]:
    """Return the words that must be read in a chart."""
    if isinstance(chart, BarChart):
        return [w for p in chart.panels for b in p.bars for w in (b.label, b.text)]
    if isinstance(chart, SpreadChart):
        return [w for p in chart.panels for r in p.rows for w in (r.label, r.text)]
    if isinstance(chart, MapChart):
        return [*chart.rows, *(c.text for row in chart.cells for c in row)]
    return [chart.alternative]


class Figures(unittest.TestCase):
    @given(CHARTS)
    @settings(max_examples=150, deadline=None)
    def test_any_chart(self, chart: Chart) -> None:
        """It is well-formed, says all its words, and stays within its scale."""
        text = str(figure("x", chart))
        tree = ET.fromstring(text.replace("<th scope", "<th  scope"))
        said = "".join(tree.itertext())
        for words in (chart.caption.title, chart.caption.subtitle, *words_of(chart)):
            self.assertIn(visible(words), said)
        self.assertNotIn("style=", text)
        self.assertNotIn("nan", re.sub(r">[^<]*<", "><", text))
        for one in tree.iter():
            for name in ("x", "x1", "x2", "cx", "width"):
                value = one.get(name, "")
                if value.endswith("%"):
                    self.assertTrue(-2.01 <= float(value[:-1]) <= 102.01, (name, value))

    @given(st.floats(0, 1e6), st.floats(1e-3, 1e6), st.booleans(), st.integers(2, 6))
    def test_ticks_are_round_and_in_order(self, low: float, wide: float, log: bool, most: int) -> None:
        scale = Scale(low + 0.1, low + 0.1 + wide, log)
        values = [v for v, _ in scale.ticks(most)]
        self.assertEqual(values, sorted(set(values)))
        self.assertLessEqual(len(values), most + 2)
        for value in values:
            self.assertTrue(-0.001 <= scale.share(value) <= 1.001)

    @given(st.lists(st.tuples(st.floats(0, 1000), st.floats(0, 1000)), max_size=60))
    def test_a_line_loses_only_what_cannot_be_seen(self, pairs: list[tuple[float, float]]) -> None:
        """Its ends stay, and no point is put where none was."""
        pairs = sorted(pairs)
        kept = [tuple(map(int, p.split(","))) for p in points(pairs).split()]
        whole = [(round(x), round(y)) for x, y in pairs]
        self.assertLessEqual(set(kept), set(whole))
        if whole:
            self.assertEqual((kept[0], kept[-1]), (whole[0], whole[-1]))
            self.assertEqual({y for _, y in kept}, {y for _, y in whole})


if __name__ == "__main__":
    unittest.main()
