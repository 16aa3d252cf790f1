"""Soaks as charts: rate above, temperatures below, one time axis, events marked and named; and what coolers come to."""

from __future__ import annotations

from collections.abc import Sequence

from ulterion.core.arrays import np
from ulterion.core.records import dataclass
from ulterion.core.soak.trace import AGAIN, DRIVE, IDLE, LOAD, POWER, ROOM
from ulterion.core.units import RATE_UNITS, show_rate, show_size, spell_duration
from ulterion.features.soak.judging import Mark, Soak
from ulterion.features.soak.readings import END, reading_rows
from ulterion.features.soak.readings import IDLE as AT_IDLE
from ulterion.model.review import Review
from ulterion.show.charts import (
    Axis,
    Bar,
    BarChart,
    Caption,
    Level,
    Line,
    LineChart,
    LinePanel,
    Moment,
    Panel,
    finding,
    foot_of,
    measured_on,
)
from ulterion.show.looks import Cast, unlike_shades
from ulterion.show.sentences import how_much_than
from ulterion.show.thinning import thinned

POINTS = 900  # of a line; more cannot be seen at 1280 pixels, so each takes in several rows with their range
MINUTE, HOUR = 60.0, 3600.0
REST = 0.1  # of a soak, that its rest before the load may take of the axis: it says little
LONG = 3 * HOUR  # seconds from which on the axis counts hours
ALIKE = 0.97  # of the rate of another, from which two end alike
NAMES = {
    "write cache": "cache used up",
    "throttling": "throttled by heat",
    "zones": "slower inwards",
    "unexplained": "fell, cause unknown",
}


@dataclass(frozen=True)
class _Shown:
    """A soak as it is drawn: what it is called, and the place of its colour."""

    soak: Soak
    name: str
    shade: int


def soaks_chart(
    soaks: Sequence[Soak], unit: str, marks: Sequence[Mark] = (), cast: Cast | None = None, *, held: str = ""
) -> LineChart:
    """Return one or several soaks on one time axis that begins with the load.

    `marks` are claims and ceilings, `held` by what a single one was held back, in words.
    """
    shown = _shown(soaks, cast or Cast())
    scale, word = (HOUR, "hours") if _longest(soaks) >= LONG else (MINUTE, "minutes")
    levels = tuple(Level(m.words, m.rate / RATE_UNITS[unit]) for m in marks)
    rates = LinePanel(Axis(unit), tuple(line for one in shown for line in _rates(one, unit, scale)), levels, 1.15)
    heat = _temperatures(shown, scale)
    panels = (rates, heat) if heat is not None else (rates,)
    last = max(s.trace.at[-1] + s.trace.seconds[-1] - s.load_start for s in soaks)
    across = Axis(
        f"{word} since the load began", least=-max(_rest_shown(s) for s in soaks) / scale, most=float(last) / scale
    )
    every = " and ".join(dict.fromkeys(_interval(s.run.soak.plan.interval) for s in soaks))
    measured = measured_on([s.run.bench.host for s in soaks], [s.run.started for s in soaks])
    caption = Caption(
        title=_title(shown, unit),
        subtitle=_subtitle(shown, unit),
        foot=foot_of(held, measured, f"one value per {every}; pale: the range"),
        runs=tuple(s.run.id for s in soaks),
    )
    return LineChart(caption, across, panels, _moments(shown, scale), _rests(soaks, scale))


def _shown(soaks: Sequence[Soak], cast: Cast) -> list[_Shown]:
    """Return soaks with the name and the colour of their setup; two of one setup keep their ids, and differ in colour."""
    setups = [s.run.setup for s in soaks]
    names = cast.named([s for s in setups if s is not None])
    shades = unlike_shades([cast.shade(setup, number) for number, setup in enumerate(setups)])
    shown = []
    for soak, setup, shade in zip(soaks, setups, shades, strict=True):
        alone = setup in cast.names and setups.count(setup) == 1
        shown.append(_Shown(soak, names[setup] if setup is not None and alone else soak.label, shade))
    return shown


def _title(shown: Sequence[_Shown], unit: str) -> str:
    """Return what one soak comes to, or which of several ends fastest."""
    first = shown[0]
    if len(shown) == 1:
        found = first.soak.findings
        rate, last = show_rate(found.fast, unit), show_rate(found.last, unit)
        if not found.falls or found.last > ALIKE * found.fast:
            return finding(
                f"{first.name} holds {last} for {spell_duration(found.seconds)}", f"{first.name} holds {last}"
            )
        after = show_size(found.falls[0].written)
        return finding(
            f"{first.name} falls from {rate} to {last} after {after}",
            f"{first.name}: {rate}, then {last}",
            f"{rate}, then {last}",
        )
    throttled = _throttled_title(shown)
    if throttled:
        return throttled
    ordered = sorted(shown, key=lambda one: -one.soak.findings.last)
    best, worst = ordered[0], ordered[-1]
    ratio = best.soak.findings.last / max(worst.soak.findings.last, 1.0)
    if ratio < 1 / ALIKE:
        return finding(f"{best.name} and {worst.name} finish equally fast", "All finish equally fast")
    return finding(
        f"{best.name} finishes {how_much_than(ratio)} {worst.name}", f"{best.name} finishes fastest", "The long run"
    )


def _throttled_title(shown: Sequence[_Shown]) -> str:
    """Return which of several soaks heat slowed, where the others ran as long and show why they slowed, if at all; else ''."""
    falls = [(one, fall) for one in shown if (fall := one.soak.findings.fall("throttling")) is not None]
    if len(falls) != 1:
        return ""
    one, fall = falls[0]
    late = fall.at - one.soak.load_start
    others = [other.soak.findings for other in shown if other is not one]
    if any(o.seconds < late or any(f.cause != "write cache" for f in o.falls) for o in others):
        return ""
    said, after = f"Heat slows only {one.name}", f"after {spell_duration(late)}"
    share = f"to {fall.after / fall.before * 100:.0f}% of its speed" if fall.before else ""
    return finding(f"{said}, {after}, {share}" if share else "", f"{said}, {after}", said, "Heat slows only one")


def _subtitle(shown: Sequence[_Shown], unit: str) -> str:
    first = shown[0].soak
    what = f"{first.run.soak.text}, {unit}"
    moved = f"; {show_size(first.findings.bytes)} in all" if len(shown) == 1 else ""
    heat = ", and temperature, °C" if any(_sensors(one.soak) for one in shown) else ""
    return f"{what[0].upper()}{what[1:]}{heat}{moved}"


def _interval(seconds: float) -> str:
    return "second" if seconds == 1 else f"{seconds:g} s"


def _longest(soaks: Sequence[Soak]) -> float:
    return max(float(s.trace.at[-1] - s.trace.at[0]) for s in soaks)


def _rest_shown(soak: Soak) -> float:
    """Return the seconds of rest before the load that are shown: its end."""
    return float(min(soak.load_start - soak.trace.at[0], REST * _longest([soak])))


def _rests(soaks: Sequence[Soak], scale: float) -> tuple[tuple[float, float, str], ...]:
    """Return what of a single soak is not load, with its name."""
    if len(soaks) != 1:
        return ()
    soak, found = soaks[0], []
    for phase in soak.trace.phases:
        if phase.name not in (LOAD, AGAIN):
            start, end = (max(t - soak.load_start, -_rest_shown(soak)) / scale for t in (phase.start, phase.end))
            found.append((start, end, phase.name))
    return tuple(found)


def _rates(one: _Shown, unit: str, scale: float) -> list[Line]:
    """Return the rate of each phase that moves data; the load's has the name."""
    soak, lines = one.soak, []
    found = soak.findings
    for phase in soak.trace.phases:
        rows = soak.trace.during(phase)
        if phase.name == IDLE or rows.bytes == 0:
            continue
        thin = thinned((rows.at + rows.seconds / 2 - soak.load_start) / scale, rows.rate / RATE_UNITS[unit], POINTS)
        load = phase.name == LOAD
        text = f"{show_rate(found.fast, unit)} at the start, {show_rate(found.last, unit)} at the end"
        lines.append(
            Line(
                label=one.name if load else "",
                at=tuple(thin.at),
                values=tuple(thin.mean),
                shade=one.shade,
                low=tuple(thin.low),
                high=tuple(thin.high),
                text=text if load else "",
            )
        )
    return lines


def _sensors(soak: Soak) -> list[str]:
    names = [n for n in soak.trace.sensors if n != POWER and soak.trace.sensor(n) is not None]
    return sorted(names, key=lambda n: (n != DRIVE, n == ROOM, n))


def _temperatures(shown: Sequence[_Shown], scale: float) -> LinePanel | None:
    """Return the panel of temperatures, with what was read by hand and the drives' limits; None where none was taken."""
    several = len(shown) > 1
    lines: list[Line] = []
    for one in shown:
        soak = one.soak
        doubted = {d.sensor for d in soak.findings.doubts}
        for place, name in enumerate(_sensors(soak)):
            thin = thinned((soak.trace.at - soak.load_start) / scale, soak.trace.sensors[name], POINTS)
            told = f"{name} (implausible)" if name in doubted else name
            label = (one.name if name == DRIVE else f"{one.name}, {told}") if several else told
            shade, dash = (one.shade, place) if several else (one.shade if name == DRIVE else one.shade + place, place)
            lines.append(Line(label=label, at=tuple(thin.at), values=tuple(thin.mean), shade=shade, dash=dash))
        by_hand = [r for r in soak.run.standing_readings if r.unit == "C" and r.at_seconds is not None]
        if by_hand:
            at = tuple(((r.at_seconds or 0.0) - soak.load_start) / scale for r in by_hand)
            values, words = tuple(r.value for r in by_hand), tuple(map(str, by_hand))
            lines.append(Line(label="", at=at, values=values, shade=one.shade, joined=False, words=words))
    if not lines:
        return None
    limits = sorted({one.soak.trace.limit for one in shown if one.soak.trace.limit is not None})
    levels = tuple(Level(f"the drive's limit, {limit:.0f} °C", limit) for limit in limits)
    known = [v for line in lines for v in line.values if np.isfinite(v)]
    least = 10.0 * np.floor((min(known) - 2) / 10) if known else 0.0
    return LinePanel(Axis("°C", least=float(least)), tuple(lines), levels, 0.85)


def _moments(shown: Sequence[_Shown], scale: float) -> tuple[Moment, ...]:
    found = []
    for one in shown:
        for fall in one.soak.findings.falls:
            often = f", {fall.times} times" if fall.times > 1 else ""
            after = f" after {show_size(fall.written)}" if fall.cause == "write cache" else ""
            shade = one.shade if len(shown) > 1 else None
            who = f"{one.name}: " if len(shown) > 1 else ""
            at = (fall.at - one.soak.load_start) / scale
            found.append(Moment(at, f"{who}{NAMES[fall.cause]}{after}{often}", shade))
    return tuple(found)


def coolers_chart(review: Review, soaks: Sequence[Soak], cast: Cast) -> BarChart | None:
    """Return how warm each soak was when idle and at the end, inside the drive and by hand, above the room where that is known; None without any."""
    shown = _shown(soaks, cast)
    rooms = [s.findings.room for s in soaks]
    above = all(r is not None for r in rooms)
    panels = []
    inside = [
        _heat(one, f"{when}, in the drive", value, room if above else None)
        for one, room in zip(shown, rooms, strict=True)
        for when, value in (("idle", _at_start(one.soak)), ("at the end", one.soak.at_end(DRIVE)))
        if value is not None
    ]
    if inside:
        panels.append(Panel("In the drive", tuple(inside), "°C"))
    for what in dict.fromkeys(r.what for r in reading_rows(soaks)):
        bars = [
            _heat(one, {AT_IDLE: "idle", END: "at the end"}.get(row.moment, row.moment), value, room if above else None)
            for number, (one, room) in enumerate(zip(shown, rooms, strict=True))
            for row in reading_rows(soaks)
            if row.what == what and (value := row.celsius[number]) is not None
        ]
        panels.append(Panel(f"{what.capitalize()}, by hand", tuple(bars), "°C"))
    if not panels:
        return None
    caption = Caption(
        title=_cooler_title(shown),
        subtitle="Degrees above ambient, °C" if above else "Temperature, °C",
        foot=foot_of(
            measured_on([s.run.bench.host for s in soaks], [s.run.started for s in soaks]),
            f"a reading by hand may be off by {review.review.thermometer:g} °C"
            if len(panels) > len(inside[:1])
            else "",
        ),
        runs=tuple(s.run.id for s in soaks),
    )
    return BarChart(caption, tuple(panels))


def _at_start(soak: Soak) -> float | None:
    values = soak.trace.sensor(DRIVE)
    if values is None:
        return None
    at = int(np.searchsorted(soak.trace.at, soak.load_start))
    known = values[: max(1, at)]
    known = known[np.isfinite(known)]
    return float(known[-1]) if known.size else None


def _heat(one: _Shown, when: str, value: float, room: float | None) -> Bar:
    shown = value if room is None else value - room
    beside = "" if room is None else f"  ({value:.0f} °C)"
    return Bar(f"{one.name}, {when.removesuffix(', in the drive')}", max(0.0, shown), f"{shown:.1f}{beside}", one.shade)


def _cooler_title(shown: Sequence[_Shown]) -> str:
    warm = [(value, one.name) for one in shown if (value := one.soak.at_end(DRIVE)) is not None]
    if len(warm) < 2:
        return finding("How warm it was, idle and at the end", "Temperatures")
    (least, coolest), (most, warmest) = min(warm), max(warm)
    told = f"{coolest} ends {most - least:.0f} °C cooler than {warmest}"
    return finding(told, f"{coolest} stays coolest, by {most - least:.0f} °C", "Temperatures")
