"""Lines drawn: each named at its end, events and stretches of rest marked through all panels."""

from __future__ import annotations

from collections.abc import Sequence

from matplotlib.axes import Axes
from matplotlib.text import Text
from matplotlib.ticker import FuncFormatter, LogLocator, MaxNLocator, NullLocator

from ulterion.core.arrays import np
from ulterion.show.charts import Axis, Line, LineChart, LinePanel
from ulterion.show.drawing import DASHES, MARKERS, SMALL, Picture, Sheet, begin, frame, in_lines, lay_out
from ulterion.show.looks import Look

HEIGHT = 330.0  # pixels of a panel whose share is one
LABEL_WIDTH = 22  # characters of a line's name before it goes on below
HEADROOM = 0.075  # of a panel's height, for each row of names of events
SWATCH = (1.008, 1.03)  # of the panel's width: the stroke before a line's name
APART = 1.28  # of the height of letters, from one name to the next


def draw_lines(chart: LineChart, look: Look) -> Picture:
    """Return a chart of lines."""
    sheet = begin(chart.caption, look, sum(p.share for p in chart.panels) * HEIGHT * look.size.type + 60)
    grid = sheet.figure.add_gridspec(len(chart.panels), 1, height_ratios=[p.share for p in chart.panels])
    drawn: list[tuple[LinePanel, Axes, list[tuple[Line, Text]]]] = []
    for number, panel in enumerate(chart.panels):
        above = drawn[0][1] if drawn else None
        axes = sheet.figure.add_subplot(grid[number, 0], sharex=above)
        last = number == len(chart.panels) - 1
        drawn.append((panel, axes, _panel(axes, panel, sheet, named=last)))
    _across(drawn[-1][1], chart.across, sheet)
    _rests(chart, [axes for _, axes, _ in drawn], sheet)
    lay_out(sheet.figure)
    names = _moments(chart, [axes for _, axes, _ in drawn], sheet)
    for panel, axes, texts in drawn:
        _spread_names(axes, texts, sheet)
        _name_levels(axes, panel, sheet)
    _room_for_names(drawn[0][1], names)
    return Picture(sheet.figure, chart.caption, chart.alternative)


def _panel(axes: Axes, panel: LinePanel, sheet: Sheet, *, named: bool) -> list[tuple[Line, Text]]:
    palette = sheet.look.palette
    frame(axes, sheet)
    axes.grid(True, axis="y", color=palette.grid, linewidth=0.8)
    axes.set_axisbelow(True)
    axes.set_title(panel.up.name, loc="left", fontsize=sheet.points(SMALL), color=palette.quiet)
    for one in panel.lines:
        _line(axes, one, sheet)
    _up(axes, panel, sheet)
    axes.tick_params(labelbottom=named)
    joined = [one for one in panel.lines if one.joined and one.label]
    return [
        (
            one,
            axes.text(
                SWATCH[1] + 0.008,
                0.5,
                in_lines(one.label, LABEL_WIDTH),
                transform=axes.transAxes,
                va="center",
                fontsize=sheet.points(SMALL),
                color=palette.ink,
            ),
        )
        for one in joined
    ]


def _line(axes: Axes, one: Line, sheet: Sheet) -> None:
    look = sheet.look
    colour, dash = look.shade(one.shade), DASHES[(one.dash + look.round(one.shade)) % len(DASHES)]
    if not one.joined:
        axes.plot(one.at, one.values, linestyle="none", marker="D", markersize=6.5, color=colour, zorder=4)
        for at, value, words in zip(one.at, one.values, one.words, strict=False):
            axes.annotate(
                words,
                (at, value),
                (7, 5),
                textcoords="offset points",
                fontsize=sheet.points(SMALL),
                color=look.palette.ink,
            )
        return
    if one.low and one.high:
        axes.fill_between(one.at, one.low, one.high, color=colour, alpha=0.2, linewidth=0)
    marker = MARKERS[one.shade % len(MARKERS)] if one.marked else ""
    axes.plot(one.at, one.values, color=colour, linewidth=2.2, linestyle=dash, marker=marker, markersize=6)


def _up(axes: Axes, panel: LinePanel, sheet: Sheet) -> None:
    """Give a panel its upright axis, from zero unless it says otherwise, high enough for levels near the lines."""
    up, palette = panel.up, sheet.look.palette
    if up.log:
        axes.set_yscale("log")
        axes.yaxis.set_major_locator(LogLocator(subs=(1.0, 2.0, 5.0)))
        axes.yaxis.set_minor_locator(NullLocator())
    else:
        axes.yaxis.set_major_locator(MaxNLocator(5, steps=[1, 2, 2.5, 5, 10]))
    axes.yaxis.set_major_formatter(FuncFormatter(lambda value, _: f"{value:,.6g}".replace("-", "−")))
    if up.ticks:
        axes.set_yticks([at for at, _ in up.ticks], [words for _, words in up.ticks])
    low, high = axes.get_ylim()
    if up.least is not None or not up.log:
        low = up.least if up.least is not None else min(low, 0.0)
    high = up.most if up.most is not None else high
    near = [top for level in panel.levels if (top := level.high or level.value) <= high * 1.35]
    axes.set_ylim(low, max([high, *(top * 1.06 for top in near)]))
    for level in panel.levels:
        if (level.high or level.value) not in near:
            continue
        if level.high is not None:
            axes.axhspan(level.value, level.high, color=palette.quiet, alpha=0.16, linewidth=0)
        else:
            axes.axhline(level.value, color=palette.quiet, linewidth=1.2, linestyle=(0, (6, 3)))


def _name_levels(axes: Axes, panel: LinePanel, sheet: Sheet) -> None:
    """Name levels at the right end of their lines, above them; one that would run into another, or into data, stands below."""
    low, high = axes.get_ylim()
    ends = [v for line in panel.lines if line.joined for v in line.values[-len(line.values) // 3 :] if np.isfinite(v)]
    taken: list[float] = []
    for level in panel.levels:
        top = level.high or level.value
        if not low <= top <= high:
            continue
        room = 0.08 * (high - low)
        below = any(0 <= top - other < room for other in taken) or any(-0.02 * room < end - top < room for end in ends)
        taken.append(top)
        axes.text(
            0.995,
            level.value if below else top,
            level.label,
            transform=axes.get_yaxis_transform(),
            ha="right",
            va="top" if below else "bottom",
            fontsize=sheet.points(SMALL),
            color=sheet.look.palette.quiet,
            bbox={"facecolor": sheet.look.palette.background, "edgecolor": "none", "alpha": 0.75, "pad": 1.0},
            zorder=5,
        )


def _across(axes: Axes, across: Axis, sheet: Sheet) -> None:
    axes.set_xlabel(across.name, fontsize=sheet.points(SMALL), color=sheet.look.palette.quiet)
    if across.log:
        axes.set_xscale("log", base=2)
        axes.xaxis.set_minor_locator(NullLocator())
    if across.ticks:
        axes.set_xticks([at for at, _ in across.ticks], [words for _, words in across.ticks])
    elif not across.log:
        axes.xaxis.set_major_locator(MaxNLocator(8, steps=[1, 2, 5, 10]))
        axes.xaxis.set_major_formatter(FuncFormatter(lambda value, _: f"{value:,.6g}".replace("-", "−")))
    if across.least is not None or across.most is not None:
        axes.set_xlim(across.least, across.most)
    elif not across.log:
        axes.margins(x=0.02)


def _rests(chart: LineChart, every: Sequence[Axes], sheet: Sheet) -> None:
    """Shade the phases without load, and name them at the foot of the first panel where there is room."""
    for start, end, words in chart.rests:
        for axes in every:
            axes.axvspan(start, end, color=sheet.look.palette.rest, linewidth=0, zorder=0)
        low, high = every[0].get_xlim()
        if words and end - start > 0.07 * (high - low):
            every[0].text(
                (start + end) / 2,
                0.02,
                words,
                transform=every[0].get_xaxis_transform(),
                ha="center",
                va="bottom",
                fontsize=sheet.points(SMALL),
                color=sheet.look.palette.quiet,
            )


def _moments(chart: LineChart, every: Sequence[Axes], sheet: Sheet) -> list[Text]:
    """Mark events through all panels; return their names, in as many rows at the top of the first as they need."""
    axes, names = every[0], list[Text]()
    low, high = axes.get_xlim()
    rows: list[float] = []  # where the last name of each row ends, in pixels
    for moment in sorted(chart.moments, key=lambda m: m.at):
        colour = sheet.look.palette.ink if moment.shade is None else sheet.look.shade(moment.shade)
        for one in every:
            one.axvline(moment.at, color=colour, linewidth=1.2, linestyle=":")
        right = moment.at > low + 0.6 * (high - low)
        name = axes.text(
            moment.at,
            1.0,
            f"{moment.label} " if right else f" {moment.label}",
            transform=axes.get_xaxis_transform(),
            ha="right" if right else "left",
            va="top",
            fontsize=sheet.points(SMALL),
            color=sheet.look.palette.ink,
            bbox={"facecolor": sheet.look.palette.background, "edgecolor": "none", "alpha": 0.75, "pad": 1.0},
            zorder=5,
        )
        box = name.get_window_extent()
        row = next((i for i, end in enumerate(rows) if box.x0 > end), len(rows))
        rows[row : row + 1] = [box.x1 + 6]
        name.set_y(1.0 - row * HEADROOM)
        names.append(name)
    return names


def _room_for_names(axes: Axes, names: Sequence[Text]) -> None:
    """Raise the top of a panel so that names of events stand above its lines."""
    if names and axes.get_yscale() == "linear":
        low, high = axes.get_ylim()
        lowest = min(name.get_position()[1] for name in names) - HEADROOM
        axes.set_ylim(low, low + (high - low) / max(0.5, lowest + 0.04))


def _spread_names(axes: Axes, texts: Sequence[tuple[Line, Text]], sheet: Sheet) -> None:
    """Put each line's name beside its end, as near to it as the names leave each other room, with a stroke of its colour before it."""
    if not texts:
        return
    height = axes.get_window_extent().height
    sizes = [t.get_window_extent().height * APART / height for _, t in texts]
    ends = [_end(axes, one) for one, _ in texts]
    order = np.argsort(ends, kind="stable")
    places = [0.0] * len(texts)
    floor = -1.0
    for i in order:
        places[i] = max(ends[i], floor + sizes[i] / 2)
        floor = places[i] + sizes[i] / 2
    over = floor - 1.0
    ceiling = 1.0 + sizes[order[-1]] / 2
    for i in reversed(order):
        places[i] = min(places[i], ceiling - sizes[i] / 2) if over > 0 else places[i]
        ceiling = places[i] - sizes[i] / 2
    for (one, text), place in zip(texts, places, strict=True):
        text.set_y(place)
        dash = DASHES[(one.dash + sheet.look.round(one.shade)) % len(DASHES)]
        axes.plot(
            SWATCH,
            [place, place],
            transform=axes.transAxes,
            color=sheet.look.shade(one.shade),
            linewidth=2.6,
            linestyle=dash,
            clip_on=False,
        )


def _end(axes: Axes, one: Line) -> float:
    """Return the height of a line's last point, as a share of the panel's."""
    known = [v for v in one.values if np.isfinite(v)]
    if not known:
        return 0.5
    pixels = axes.transData.transform((0 if axes.get_xscale() == "linear" else 1, known[-1]))[1]
    return float(np.clip(axes.transAxes.inverted().transform((0, pixels))[1], 0.0, 1.0))
