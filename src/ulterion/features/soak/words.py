"""What a soak says, in plain text."""

from __future__ import annotations

from ulterion.core.soak.drops import FOR_GOOD, LASTED
from ulterion.core.soak.falls import Fall
from ulterion.core.soak.findings import Findings, TemperatureFinding
from ulterion.core.soak.same_load import SameLoad
from ulterion.core.soak.steady import ROUND_SECONDS, Lowest
from ulterion.core.soak.trace import DRIVE, LOAD
from ulterion.core.stats.middle import median
from ulterion.core.units import show_duration, show_iops, show_rate, show_size, spell_duration
from ulterion.features.soak.asking import Question
from ulterion.features.soak.judging import Soak, SoakDifference, difference, is_same_amount
from ulterion.show.sentences import how_much_than, listed, sentence_of

ALIKE = 0.005  # share of a rate, below which no difference is shown
STANDS_STILL = 0.01  # of the rate before: heat slows a drive down, and does not stop it
CAUSES = {
    "write cache": "write cache used up",
    "throttling": "throttled",
    "zones": "slower inwards",
    "unexplained": "fell, unexplained",
}


def rate_words(findings: Findings, unit: str) -> str:
    """Return the rates of a load: one where it held throughout, else first, last and on average."""
    if findings.held:
        return f"steady at {show_rate(findings.rate, unit)} throughout"
    return (
        f"{show_rate(findings.fast, unit)} at the start, {show_rate(findings.last, unit)} at the end, "
        f"{show_rate(findings.rate, unit)} on average"
    )


def soak_sentence(soak: Soak, unit: str) -> str:
    """Return what a soak comes to: how much was moved, how steadily, and how warm the drive became."""
    findings, record = soak.findings, soak.run.soak
    assert record is not None
    did = {"read": "read", "write": "wrote"}.get(record.workload.direction, "moved")
    moved = f"{soak.label} {did} {show_size(findings.bytes)} in {spell_duration(findings.seconds)}: {rate_words(findings, unit)}"
    drive = next((w for w in findings.temperatures if w.sensor == "drive"), None)
    return sentence_of(f"{moved}; the drive reached {drive.peak:.0f} °C" if drive is not None else moved)


def ask_words(due: Question) -> str:
    """Return the question for a reading that is due."""
    return f"Read the {due.what} now ({due.when}): type its °C and Enter"


def note_words(one: Question) -> str:
    """Return how a reading is written down after the soak."""
    at = f" at {one.when}" if isinstance(one.moment, float) else f" {one.when}"
    return f"ulterion note '{one.what} 38 C{at}'"


def event_text(fall: Fall, load_start: float, unit: str) -> str:
    """Return one event in words, its time counted from the beginning of the load."""
    when = show_duration(max(fall.at - load_start, 0.0))
    levels = f"{show_rate(fall.before, unit, with_unit=False)} to {show_rate(fall.after, unit)}"
    if fall.cause == "write cache":
        return f"{when}  {CAUSES[fall.cause]} after {show_size(fall.written)}: {levels}"
    often = f" {fall.times} times, {show_duration(fall.seconds)} in all" if fall.times > 1 else ""
    warm = f" at {fall.temperature:.0f} °C" if fall.temperature is not None else ""
    after = f", after {show_size(fall.written)}" if fall.cause != "zones" else ""
    return f"{when}  {CAUSES[fall.cause]}{warm}{often}{after}: {levels}"


def event_words(soak: Soak, unit: str, *, evidence: bool) -> list[str]:
    """Return what happened to the rate, each event with its `evidence` if wanted, and with what would explain it where nothing does yet."""
    findings = soak.findings
    if not findings.falls:
        least = (1 - FOR_GOOD) * 100
        return [] if findings.held else [f"the rate varied, but never fell by {least:.0f}% or more for good"]
    words = []
    for fall in findings.falls:
        words.append(event_text(fall, soak.load_start, unit))
        words += [f"{'known' if fall.cause == 'unexplained' else 'evidence'}: {fall.evidence}"] if evidence else []
        step = known_from_earlier(soak, fall) or next_step(fall, writing=soak.trace.writes > 0)
        words += [f"next: {step}"] if step else []
    return words


def known_from_earlier(soak: Soak, fall: Fall) -> str:
    """Return what an earlier soak of the same load says of a fall whose cause is open, and what is left to do; empty where it says nothing."""
    if fall.cause != "unexplained" or fall.heat is not None or fall.until is not None:
        return ""
    for one in soak.earlier:
        told = difference(soak, one)
        first = next(iter(one.findings.falls), None)
        if told.one_cache is not None:
            return f"nothing to repeat: {one.label} slowed down after the same {show_size(told.one_cache)} at another temperature, so the write cache was full"
        if first is None and one.findings.bytes > fall.written:
            return f"{one.label} held its rate for {show_size(one.findings.bytes)}: see what differed with ulterion compare --soaks {soak.run.id} {one.run.id}"
        if first is not None and is_same_amount(first.written, fall.written):
            same = f"{one.label} slowed down after the same {show_size(first.written)}"
            if None in (first.temperature, fall.temperature):
                return f"{same}, as a write cache does; if neither had a fan, repeat it with one: heat would then slow it later"
            return f"{same} and was as warm: repeat it much cooler, such as with a fan"
    return ""


def next_step(fall: Fall, *, writing: bool) -> str:
    """Return what would tell why a rate fell, for good or not, where heat is neither shown nor ruled out; else nothing."""
    if fall.cause != "unexplained" or fall.heat is not None:
        return ""
    if fall.until is None and fall.seconds < LASTED:
        return f"soak longer: the drop lasted only {show_duration(fall.seconds)}, to the end"
    if fall.until is not None and fall.after < STANDS_STILL * fall.before:
        return (
            "transfer stalled, then resumed: check the system log for link resets at that time, then repeat with "
            "another cable and port, and nothing else running"
        )
    heat = "if heat is the cause, the drop comes later or not at all"
    if not writing or fall.until is not None:
        return f"repeat the soak with a fan and nothing else running: {heat}"
    return f"after a rest, repeat the soak with a fan: a write cache is used up after {show_size(fall.written)} again; {heat}"


def request_words(soak: Soak) -> list[str]:
    """Return IOPS and latency: the middle interval's median and p99, and the longest of all."""
    record = soak.run.soak
    loads = [p for p in record.phases if p.name == LOAD] if record else []
    requests, seconds = sum(sum(p.requests) for p in loads), sum(p.seconds for p in loads)
    middles, tails, worst = (
        [v for p in loads for v in getattr(p, n) if v is not None] for n in ("p50", "p99", "worst")
    )
    if not (requests and seconds and middles and tails and worst):
        return []
    return [
        f"{show_iops(requests / seconds)} IOPS; latency {show_duration(median(middles))} median, "
        f"{show_duration(median(tails))} p99, {show_duration(max(worst))} at most"
    ]


def counter_words(soak: Soak) -> str:
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


def class_words(low: Lowest, *, throttled: bool = False) -> str:
    """Return which video speed class a load kept, throttled by heat or not, which it did not, or which cannot be determined."""
    kept, unclear = low.speed_class, low.unclear_class
    coarse = f"V{unclear} cannot be judged at this request size" if unclear else ""
    if not kept:
        return coarse or "below V6 at times"
    # what is counted in a second is what ended in it; requests in flight can make up for it
    flight = ", allowing for requests in flight" if low.by_row < kept * 1e6 else ""
    return (
        f"kept V{kept} {'even while throttled' if throttled else 'throughout'}{flight}{f'; {coarse}' if coarse else ''}"
    )


def lowest_words(soak: Soak, unit: str) -> list[str]:
    """Return the lowest second and minute, the speed class kept, and stalls."""
    low, record = soak.findings.lowest, soak.run.soak
    if low is None or record is None:
        return []
    span = "second" if abs(low.row_seconds - 1) < 0.01 else show_duration(low.row_seconds)
    minute = f", {show_rate(low.by_minute, unit)} in any minute" if low.by_minute is not None else ""
    speed = ""
    if record.workload.direction == "write" and record.workload.pattern == "sequential" and record.files is None:
        speed = f"; {class_words(low, throttled=soak.findings.fall('throttling') is not None)}"
    words = [f"{show_rate(low.by_row, unit)} in any {span}{minute}{speed}"]
    if low.stalls:
        plural = "s" if low.stalls > 1 else ""
        deleting = ", deleting included" if record.files else ""
        longest = show_duration(low.longest_stall)
        words.append(f"{low.stalls} stall{plural} of a second or more{deleting}, the longest {longest}")
    return words


def steady_words(findings: Findings, unit: str) -> str:
    """Return since when the rate was steady, or why that is not known."""
    if findings.steady is None:
        least = 5 * ROUND_SECONDS
        return "not at the end" if findings.seconds >= least else f"needs at least {show_duration(least)} of load"
    window = findings.steady.window
    since = show_duration(findings.steady.since) if findings.steady.since else "the beginning"
    return (
        f"from {since} on at {show_rate(window.average, unit)} "
        f"(last five minutes: within {window.excursion * 100:.1f}%, drift {window.slope * 100:.1f}%)"
    )


def why_not_settled(warmth: TemperatureFinding) -> str:
    """Return why a sensor has no settled temperature, or only an extrapolated one; empty where it has."""
    if warmth.settling is None:
        return warmth.why
    return "" if warmth.settling.sure else "not settled by the end, so the settled value is extrapolated"


def moment(at_seconds: float | None) -> str:
    """Return a moment to be put before a note; empty where the note has none."""
    return "" if at_seconds is None else f"{show_duration(at_seconds)}  "


def difference_words(one: SoakDifference) -> str:
    """Return how one soak differs from another: in temperature above the room, and in the rate it ends at."""
    if one.rise is None or one.low is None or one.high is None:
        if one.moment is not None:
            return moment_words(one, one.moment)
        return f"{one.first} {_ends(one)}; their temperatures cannot be compared: {one.why}"
    least, most = sorted((abs(one.low), abs(one.high)))
    still = (
        f"; extrapolated, because {listed(one.warming)} {'was' if len(one.warming) == 1 else 'were'} still warming up"
    )
    if one.low <= 0 <= one.high:
        heat = f"warms up as much as {one.second} above ambient ({_signed(one.low)} to {_signed(one.high)} °C)"
    else:
        way = "warmer" if one.rise > 0 else "cooler"
        heat = f"runs {abs(one.rise):.1f} °C {way} than {one.second} above ambient ({least:.1f}–{most:.1f} °C)"
    return f"{one.first} {heat} and {_ends(one)}{still if one.warming else ''}"


def moment_words(one: SoakDifference, moment: SameLoad) -> str:
    """Return how much warmer one is than the other at the end of the same load."""
    low, high = moment.warmer.low, moment.warmer.high
    of = "" if moment.sensor == DRIVE else f" at the {moment.sensor}"
    where = " above ambient" if moment.above_room else ""
    after = f"after {show_duration(moment.seconds)} of the same load ({show_size(moment.bytes)}), {one.first} is"
    rooms = "" if moment.above_room else "; the room temperatures are unknown"
    if low <= 0 <= high:
        return f"{after} as warm as {one.second}{of}{where} ({_signed(low)} to {_signed(high)} °C){rooms}"
    least, most = sorted((abs(low), abs(high)))
    way = "warmer" if moment.warmer.value > 0 else "cooler"
    amount = f"{abs(moment.warmer.value):.1f} °C {way} than {one.second}{of}"
    return f"{after} {amount}{where} ({least:.1f}–{most:.1f} °C){rooms}"


def cache_words(one: SoakDifference) -> list[str]:
    """Return that a fall of both is the write cache, where only both together show it."""
    if one.one_cache is None:
        return []
    return [
        f"both slow down after {show_size(one.one_cache)} although their temperatures differ, so the write cache is full and heat is not the cause"
    ]


def _signed(degrees: float) -> str:
    return f"{degrees:+.1f}".replace("-", "−")


def _ends(one: SoakDifference) -> str:
    """Return how the rate at the end of a soak differs from another's."""
    if one.rate is None:
        return f"still moves data at the end, when {one.second} does not"
    if abs(one.rate - 1) < ALIKE:
        return f"finishes as fast as {one.second}"
    return f"finishes {how_much_than(one.rate)} {one.second}"
