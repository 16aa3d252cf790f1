"""A copy as a chart: its rate second by second, against what each end does by itself."""

from __future__ import annotations

from ulterion.core.units import RATE_UNITS, show_duration, show_rate, show_size
from ulterion.model.runs.copied import CopyRun
from ulterion.show.charts import Axis, Caption, Level, Line, LineChart, LinePanel, finding, foot_of, measured_on

MINUTES = 600.0  # seconds from which on the axis counts minutes


def copy_chart(run: CopyRun, unit: str) -> LineChart | None:
    """Return the rate of each copy over time, held against source and target alone; None where no copy took two intervals."""
    one, scale = run.copied, RATE_UNITS[unit]
    passes = [p for p in one.passes if len(p.series) > 1]
    if not passes:
        return None
    longest = max(p.seconds for p in passes)
    per, word = (60.0, "minutes") if longest > MINUTES else (1.0, "seconds")
    lines = tuple(
        Line(
            label=f"copy {p.number}, {show_duration(p.seconds)}",
            at=tuple((i + 0.5) * p.interval / per for i in range(len(p.series))),
            values=tuple(rate / scale for rate in p.series),
            shade=place,
            text=show_rate(p.rate, unit),
        )
        for place, p in enumerate(passes)
    )
    ends = (("the source alone", one.source_alone), ("the target alone", one.target_alone))
    levels = tuple(
        Level(f"{name}, {show_rate(end.rate, unit)}", end.rate / scale) for name, end in ends if end is not None
    )
    last = passes[-1]
    told = f"{show_size(last.bytes)} copied in {show_duration(last.seconds)}"
    caption = Caption(
        title=finding(f"{one.task}: {told}, {show_rate(last.rate, unit)}", told),
        subtitle=f"Rate while copying {one.files:,} files, {unit}, the flush at the end left out",
        foot=foot_of(
            measured_on([run.bench.host], [run.started]), "where the rate is above the target's, memory absorbs it"
        ),
        runs=(run.id,),
    )
    return LineChart(caption, Axis(f"{word} since the first byte", least=0.0), (LinePanel(Axis(unit), lines, levels),))
