"""What a soak says, in words and tables."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path
from statistics import median

from rich.console import RenderableType
from rich.text import Text

from ulterion.core.soak.falls import Fall
from ulterion.core.soak.findings import Findings, Warmth
from ulterion.core.soak.steady import ROUND_SECONDS
from ulterion.core.soak.trace import LOAD
from ulterion.core.units import show_duration, show_iops, show_rate, show_size
from ulterion.judge.soaks import Difference, Soak
from ulterion.model.runs.soak import SoakRun
from ulterion.report.screen.console import Sheet, bullets, pairs, table

CAUSES = {
    "write cache": "write cache used up",
    "throttling": "throttled",
    "zones": "slower inwards",
    "unexplained": "fell, unexplained",
}


def soak_results(run: SoakRun, soak: Soak | None, path: Path, unit: str) -> list[RenderableType]:
    """Return what a finished soak says and where it is kept."""
    kept = Sheet([Text(f"kept in {path}", style="muted")], cut=False)
    if soak is None:
        return [Text("The load never began."), *_remarks(run, None), Text(""), kept]
    return [*findings_lines(soak, unit), *_remarks(run, soak.findings), Text(""), kept]


def findings_lines(soak: Soak, unit: str) -> list[RenderableType]:
    """Return the findings of one soak."""
    found, record = soak.findings, soak.run.soak
    assert record is not None
    parts = len({p.part for p in record.phases})
    head = f"{record.text}: {show_size(found.bytes)} in {show_duration(found.seconds)}"
    rows = [("rate", _rate_words(found, unit))]
    rows += [("" if i else "events", w) for i, w in enumerate(_event_words(soak, unit))]
    rows += [("requests", w) for w in _request_words(soak)]
    rows += [("" if i else "lowest", w) for i, w in enumerate(_lowest_words(soak, unit))]
    rows += [("steady", _steady_words(found, unit))]
    if found.recovered is not None:
        rows.append(("recovery", f"{found.recovered * 100:.0f} % of the write cache was back for the second load"))
    counted = _counter_words(soak)
    if counted:
        rows.append(("counters", counted))
    if found.energy is not None:
        per = found.energy / (found.bytes / 1e9)
        rows.append(("energy", f"{found.energy / 3600:.2f} Wh under the load, {per:.2f} J for each GB"))
    head += f", in {parts} parts" if parts > 1 else ""
    return [Text(head, style="head"), Text(""), pairs(rows), *_heat_table(found)]


def _rate_words(found: Findings, unit: str) -> str:
    if abs(found.last / found.fast - 1) < 0.05:
        return f"{show_rate(found.rate, unit)} from beginning to end"
    return (
        f"{show_rate(found.fast, unit)} at first, {show_rate(found.last, unit)} at the end, "
        f"{show_rate(found.rate, unit)} on average"
    )


def event_text(fall: Fall, load_start: float, unit: str) -> str:
    """Return one event in words, its time counted from the beginning of the load."""
    when = show_duration(max(fall.at - load_start, 0.0))
    levels = f"{show_rate(fall.before, unit, with_unit=False)} to {show_rate(fall.after, unit)}"
    if fall.cause == "write cache":
        return f"{when}  {CAUSES[fall.cause]} after {show_size(fall.written)}: {levels}"
    often = f" {fall.times} times, {show_duration(fall.seconds)} in all" if fall.times > 1 else ""
    warm = f" at {fall.temperature:.0f} C" if fall.temperature is not None else ""
    after = f", after {show_size(fall.written)}" if fall.cause != "zones" else ""
    return f"{when}  {CAUSES[fall.cause]}{warm}{often}{after}: {levels}"


def _event_words(soak: Soak, unit: str) -> list[str]:
    found = soak.findings
    if not found.falls:
        return ["none: the rate never fell for long"]
    words = []
    for fall in found.falls:
        words += [event_text(fall, soak.load_start, unit), f"  because: {fall.evidence}"]
    return words


def _request_words(soak: Soak) -> list[str]:
    """Return requests per second and waits: the middle interval's median and 99 %, and the longest of all."""
    record = soak.run.soak
    loads = [p for p in record.phases if p.name == LOAD] if record else []
    requests, seconds = sum(sum(p.requests) for p in loads), sum(p.seconds for p in loads)
    middles, tails, worst = (
        [v for p in loads for v in getattr(p, n) if v is not None] for n in ("p50", "p99", "worst")
    )
    if not requests or not middles or not tails:
        return []
    return [
        f"{show_iops(requests / seconds)} IOPS; half within {show_duration(median(middles))}, 99 % within "
        f"{show_duration(median(tails))} in the middle interval, the longest {show_duration(max(worst))}"
    ]


def _counter_words(soak: Soak) -> str:
    """Return what the drive's own counters moved by during the soak; empty where it shows none."""
    counters = soak.trace.counters
    words = []
    if counters.throttlings is not None:
        words.append(f"throttled {counters.throttlings} times")
    if counters.throttled_seconds is not None:
        words.append(f"{show_duration(counters.throttled_seconds) if counters.throttled_seconds else '0 s'} throttled")
    if counters.warning_seconds is not None:
        hot = show_duration(counters.warning_seconds) if counters.warning_seconds else "0 s"
        words.append(f"{hot} above its warning temperature")
    return f"by the drive: {', '.join(words)}" if words else ""


def _lowest_words(soak: Soak, unit: str) -> list[str]:
    low, record = soak.findings.lowest, soak.run.soak
    if low is None or record is None:
        return []
    span = "second" if abs(low.row_seconds - 1) < 0.01 else show_duration(low.row_seconds)
    minute = f", {show_rate(low.by_minute, unit)} in any minute" if low.by_minute is not None else ""
    speed = ""
    if record.workload.direction == "write" and record.workload.pattern == "sequential" and record.files is None:
        speed = f"; kept V{low.speed_class} all the time" if low.speed_class else "; below V6 at times"
    words = [f"{show_rate(low.by_row, unit)} in any {span}{minute}{speed}"]
    if low.stalls:
        plural = "s" if low.stalls > 1 else ""
        deleting = ", deleting included" if record.files else ""
        longest = show_duration(low.longest_stall)
        words.append(f"{low.stalls} stall{plural} of a second or more{deleting}, the longest {longest}")
    return words


def _steady_words(found: Findings, unit: str) -> str:
    if found.steady is None:
        least = 5 * ROUND_SECONDS
        return "not at the end" if found.seconds >= least else f"cannot be told before {show_duration(least)} of load"
    window = found.steady.window
    since = show_duration(found.steady.since) if found.steady.since else "the beginning"
    return (
        f"from {since} on at {show_rate(window.average, unit)} "
        f"(last five minutes: within {window.excursion * 100:.1f} %, drift {window.slope * 100:.1f} %)"
    )


def _heat_table(found: Findings) -> list[RenderableType]:
    if not found.warmths:
        return []
    rows = [_heat_row(w, found) for w in found.warmths]
    columns = [
        ("temperature", "left"),
        ("start", "right"),
        ("peak", "right"),
        ("settled", "right"),
        ("±", "right"),
        ("rise", "right"),
        ("after", "right"),
    ]
    reasons = dict.fromkeys(_why(w) for w in found.warmths if _why(w))
    notes = [f"{', '.join(w.sensor for w in found.warmths if _why(w) == reason)}: {reason}" for reason in reasons]
    hot = [w for w in found.warmths if w.above_limit]
    notes += [f"{w.sensor}: {show_duration(w.above_limit or 0)} at or above the drive's limit" for w in hot]
    if found.room is not None and any(w.settling for w in found.warmths):
        moved = f", which moved by {found.room_spread:.1f}" if found.room_spread > 1 else ""
        notes.append(f"rise: settled, above the room at {found.room:.1f} C{moved}")
    if any(w.settling for w in found.warmths):
        notes.append("±: half the 95 % interval of where it settles; after: time to come within 1 C of it")
    return [Text(""), table(columns, rows), *bullets("Temperatures", notes)]


def _why(warmth: Warmth) -> str:
    if warmth.settling is None:
        return warmth.why
    return "" if warmth.settling.sure else "not settled by the end; where it would settle is an extrapolation"


def _heat_row(warmth: Warmth, found: Findings) -> list[str]:
    settling = warmth.settling
    start = "–" if warmth.start is None else f"{warmth.start:.1f} C"
    row = [warmth.sensor, start, f"{warmth.peak:.1f} C"]
    if settling is None:
        return [*row, "–", "–", "–", "–"]
    about = "" if settling.sure else "~ "
    rise = "–" if found.room is None else f"{about}{settling.end - found.room:.1f} K"
    after = "–" if settling.time is None or not settling.sure else show_duration(settling.time)
    return [*row, f"{about}{settling.end:.1f} C", f"{(settling.high - settling.low) / 2:.1f}", rise, after]


def _remarks(run: SoakRun, found: Findings | None) -> list[RenderableType]:
    ended = run.state.sentence("soak")
    phases = [f"{p.name}: {show_duration(p.seconds)}, {p.ended}" for p in run.soak.phases if p.ended]
    doubts = [f"{d.sensor}: {d.why}" for d in found.doubts] if found else []
    cut = [p for p in run.soak.phases if p.name == LOAD]
    gap = (
        [f"the load was cut off at {show_duration(cut[0].end)} and taken up again at {show_duration(cut[1].start)}"]
        if len(cut) > 1
        else []
    )
    noted = [f"{_moment(n.at_seconds)}{n.text}" for n in run.notes]
    read = [f"{_moment(r.at_seconds)}{r.what} {r.value:g} {r.unit}" for r in run.readings]
    return [
        *bullets("Phases", phases),
        *bullets("Noted by hand", [*read, *noted]),
        *bullets("Keep in mind", [*ended, *gap, *doubts, *run.warnings]),
    ]


def _moment(at_seconds: float | None) -> str:
    return "" if at_seconds is None else f"{show_duration(at_seconds)}  "


def soaks_table(soaks: Sequence[Soak], found: Sequence[Difference], unit: str) -> list[RenderableType]:
    """Return several soaks beside each other, and how each differs from the first."""
    rows = [_soak_row(s, unit) for s in soaks]
    columns = [
        ("soak", "left"),
        ("first", "right"),
        ("last", "right"),
        ("cache", "right"),
        ("throttled", "right"),
        ("peak", "right"),
        ("settled", "right"),
        ("rise", "right"),
    ]
    lines: list[RenderableType] = [
        table(columns, rows),
        Text(
            f"first, last: rates in {unit}; cache: bytes written before "
            "it was used up; throttled: when, and bytes before; rise: settled less room",
            style="muted",
        ),
    ]
    against = [_difference_words(d) for d in found]
    lines += bullets(f"Against {soaks[0].label}", against)
    for one in found:
        lines += bullets(f"What else differed: {one.first} and {one.second}", one.unlike)
    return lines


def _soak_row(soak: Soak, unit: str) -> list[str]:
    found = soak.findings
    cache, heat = found.fall("write cache"), found.fall("throttling")
    rates = [show_rate(r, unit, with_unit=False) for r in (found.fast, found.last)]
    drive, rise = found.drive, found.rise
    sure = drive is not None and drive.settling is not None and drive.settling.sure
    about = "" if sure else "~ "
    return [
        soak.label,
        *rates,
        show_size(cache.written) if cache else "–",
        f"{show_duration(heat.at - soak.load_start)}, {show_size(heat.written)}" if heat else "–",
        f"{drive.peak:.0f} C" if drive else "–",
        f"{about}{drive.settling.end:.1f} C" if drive and drive.settling else "–",
        f"{about}{rise[0]:.1f} K" if rise else "–",
    ]


def _difference_words(one: Difference) -> str:
    speed = f"it ends at {one.rate:.2f} times the rate"
    if one.rise is None or one.low is None or one.high is None:
        return f"{one.first}: {speed}; temperatures cannot be compared: {one.why}"
    half = (one.high - one.low) / 2
    speed += "" if one.sure else "; one of them had not settled, so this is extrapolated"
    if one.low <= 0 <= one.high:
        words = f"no difference in temperature that could be told ({one.rise:+.1f} K ± {half:.1f})"
    else:
        words = f"{abs(one.rise):.1f} K {'warmer' if one.rise > 0 else 'cooler'} above its room (± {half:.1f})"
    return f"{one.first}: {words}; {speed}"
