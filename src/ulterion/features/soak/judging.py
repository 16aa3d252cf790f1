"""What soaks say, one by one and against each other."""

from __future__ import annotations

import datetime
import math
from collections.abc import Sequence
from dataclasses import replace

from ulterion.core.errors import UsageError, unknown
from ulterion.core.facts.differences import DRIVER, LINK, ROOM, START, RunFacts, differences
from ulterion.core.identity_cache import IdentityCache
from ulterion.core.links.ceilings import Direction, ceilings_of
from ulterion.core.records import dataclass
from ulterion.core.soak.findings import Findings
from ulterion.core.soak.resting import is_at_rest
from ulterion.core.soak.same_load import SameLoad, at_the_same_moment
from ulterion.core.soak.trace import DRIVE, IDLE, LOAD, Trace, value_at
from ulterion.core.units import show_duration, show_rate, show_size
from ulterion.features.soak.kept_findings import kept_findings
from ulterion.model.review import Review
from ulterion.model.runs.document import AnyRun
from ulterion.model.runs.soak import SoakRun
from ulterion.model.store import ReviewFolder
from ulterion.results.bottleneck import Bottleneck, bottlenecks
from ulterion.results.measurement import chain_elements
from ulterion.results.pooling import counting, pooled_results, runs_for_results

SAME_BYTES = 0.03  # by which bytes moved may differ and still be the same
EARLIER = 3  # soaks that are looked at for what was tried already
SOON = 7200.0  # seconds after a soak in which its writes may still be in the cache
UNLIKE_HEAT = 3.0  # degrees C between two falls that have nothing to do with heat
WARMER_START = 2.0  # degrees C at the start of the load, or of the room, that make two soaks unlike


# they are asked for again and again, and documents never change
_traces = IdentityCache[Trace](24)
_findings = IdentityCache[Findings | None](24)


@dataclass(frozen=True)
class Soak:
    """A soak with what it says.

    Attributes:
        run: the document.
        findings: what they say.
        label: how it is called beside others.
        earlier: those before it with the same load on the same setup, the newest first, where it leaves a question open that they may answer.
    """

    run: SoakRun
    findings: Findings
    label: str
    earlier: tuple[Soak, ...] = ()

    @property
    def trace(self) -> Trace:
        """Its series."""
        return _traces.of([self.run], self.run.trace)

    @property
    def load_start(self) -> float:
        """Seconds from the beginning of the soak to that of its load."""
        return self.run.load_start

    def at_end(self, sensor: str) -> float | None:
        """Return a temperature at the end of the load, C, or None where it was not read then."""
        phase, values = self.trace.phase(LOAD), self.trace.sensor(sensor)
        return None if phase is None or values is None else value_at(self.trace.at, values, phase.end)


def soak_of(run: AnyRun, label: str | None = None) -> Soak | None:
    """Return the findings of a soak; None where its load never began, or the run is of another kind."""
    if not isinstance(run, SoakRun):
        return None
    findings = _findings.of([run], lambda: kept_findings(run, _room(run)))
    return Soak(run, findings, label or run.setup or run.target.model or run.id) if findings else None


def with_earlier(folder: ReviewFolder, soak: Soak) -> Soak:
    """Return a soak with those before it on its setup, where the cause of a fall is open: they may tell it."""
    if soak.run.setup is None or not any(f.cause == "unexplained" and f.heat is None for f in soak.findings.falls):
        return soak
    known = [s for s in folder.summaries() if s.kind == "soak" and s.setup == soak.run.setup and s.id != soak.run.id]
    newest = sorted((s for s in known if s.started < soak.run.started), key=lambda s: s.started)[-EARLIER:]
    found = [
        told for run in reversed(folder.with_series(newest)) if (told := soak_of(run, f"soak {run.id}")) is not None
    ]
    return replace(soak, earlier=tuple(s for s in found if s.run.soak.text == soak.run.soak.text))


def label_of(review: Review, run: AnyRun, *, alone: bool = True) -> str:
    """Return how a soak is called: by its setup, with the run's id behind where it is not `alone`, or by the drive."""
    if run.setup is None:
        return run.target.model or f"soak {run.id}"
    name = review.setup_label(run.setup) if run.setup in review.setups else run.setup
    return name if alone else f"{name} {run.id}"


def _room(run: SoakRun) -> float | None:
    """Return the room as noted by hand, or as the review states it."""
    noted = [r.value for r in run.standing_readings if r.what == "room" and r.unit == "C"]
    return sum(noted) / len(noted) if noted else run.bench.room_temperature


def choose(folder: ReviewFolder, names: Sequence[str]) -> list[Soak]:
    """Return the soaks that names stand for (a setup: its newest; a run: itself), or the newest of each setup.

    Raises UsageError for a name that is neither, and when there is no soak.
    """
    review = folder.review
    soaks = [s for s in folder.summaries() if s.kind == "soak"]
    newest = {r.setup or r.id: r for r in counting(folder, soaks)}
    by_id = {r.id: r for r in soaks}
    for name in names:
        if name not in newest and name not in by_id:
            if name in review.setups:
                raise UsageError(f"setup '{name}' has no soak yet; run 'ulterion soak --setup {name}'")
            raise UsageError(unknown("setup or soak", name, [*newest, *by_id]))
    wanted = folder.with_series([by_id.get(n) or newest[n] for n in names] if names else list(newest.values()))
    setups = [r.setup for r in wanted]
    chosen = [soak_of(r, label_of(review, r, alone=setups.count(r.setup) == 1)) for r in wanted]
    kept = [s for s in chosen if s is not None]
    if not kept:
        raise UsageError("no soak with a load yet; run 'ulterion soak --setup NAME'")
    return [with_earlier(folder, kept[0])] if len(kept) == 1 else kept


@dataclass(frozen=True)
class SoakDifference:
    """One soak against another, temperatures in C.

    Attributes:
        first, second: labels.
        rise: the first's settled rise above the room less the second's; `low`, `high` its 95% interval; None where
            either did not settle.
        why: why there is none.
        rate: last rate of the first over that of the second, None where the second moves nothing any more.
        warming: labels of those that had not settled, so that the difference is extrapolated.
        unlike: what else differed, in words.
        moment: how they differ at the end of the same load, None where the loads were not alike.
        one_cache: bytes after which both fell at unlike temperatures, so that a write cache it is and not heat; else None.
    """

    first: str
    second: str
    rise: float | None
    low: float | None
    high: float | None
    why: str
    rate: float | None
    warming: tuple[str, ...]
    unlike: tuple[str, ...]
    moment: SameLoad | None = None
    one_cache: float | None = None

    @property
    def sure(self) -> bool:
        """Whether both had settled."""
        return not self.warming


def difference(one: Soak, other: Soak) -> SoakDifference:
    """Compare two soaks; widths of independent intervals add as squares, on each side by itself."""
    rise = low = high = None
    why = ""
    a, b = one.findings.rise, other.findings.rise
    if a is None or b is None:
        missing = one if a is None else other
        why = f"{missing.label}: {_why_no_rise(missing)}"
    else:
        rise = a.value - b.value
        low = rise - math.hypot(a.value - a.low, b.high - b.value)
        high = rise + math.hypot(a.high - a.value, b.value - b.low)
    return SoakDifference(
        first=one.label,
        second=other.label,
        rise=rise,
        low=low,
        high=high,
        why=why,
        rate=one.findings.last / other.findings.last if other.findings.last > 0 else None,
        warming=tuple(s.label for s in (one, other) if not _settled(s)),
        unlike=tuple(unlike(one, other)),
        moment=at_the_same_moment(one.trace, other.trace, (one.findings.room, other.findings.room), SAME_BYTES),
        one_cache=_one_cache(one.findings, other.findings),
    )


def _one_cache(one: Findings, other: Findings) -> float | None:
    """Return the bytes after which both loads first fell, where these are the same and the temperatures are not; else None."""
    if not one.falls or not other.falls:
        return None
    a, b = one.falls[0], other.falls[0]
    if a.temperature is None or b.temperature is None or "throttling" in (a.cause, b.cause):
        return None
    return (
        a.written
        if is_same_amount(a.written, b.written) and abs(a.temperature - b.temperature) >= UNLIKE_HEAT
        else None
    )


def is_same_amount(one: float, other: float) -> bool:
    """Return whether two numbers of bytes are the same within what soaks are told apart by."""
    return one > 0 and other > 0 and abs(math.log(one / other)) <= math.log1p(SAME_BYTES)


def _settled(soak: Soak) -> bool:
    drive = soak.findings.drive
    return drive is not None and drive.settling is not None and drive.settling.sure


def _why_no_rise(soak: Soak) -> str:
    drive = soak.findings.drive
    if drive is None:
        return "no temperature of the drive"
    if soak.findings.room is None:
        return "the room temperature is unknown; note it with 'ulterion note RUN room 21 C'"
    return drive.why or "its temperature did not settle"


@dataclass(frozen=True)
class Mark:
    """A rate to hold a soak against: what it is, in words, and bytes per second."""

    words: str
    rate: float


def bottleneck_of(folder: ReviewFolder, run: SoakRun) -> Bottleneck | None:
    """Return what held a soak's setup back in its direction, as measurements of the review tell: the answer of compare and claims."""
    if run.setup not in folder.review.setups:
        return None
    direction: Direction = "read" if run.soak.workload.direction == "read" else "write"
    return bottlenecks(folder.review, pooled_results(runs_for_results(folder))).get((run.setup, direction))


def marks_of(review: Review, run: SoakRun) -> list[Mark]:
    """Return the claims on a soak's direction that its parts make, and the lowest ceiling of its links."""
    direction: Direction = "read" if run.soak.workload.direction == "read" else "write"
    marks = []
    for key in run.chain:
        claims = review.parts[key].claims if key in review.parts else None
        rate = getattr(claims, direction, None) if claims else None
        if rate is not None:
            marks.append(Mark(f"{review.label(key)} claims {show_rate(rate)}", rate))
    links = [c for c in ceilings_of(chain_elements(review, run, []), direction) if c.kind == "link"]
    return [*marks, *(Mark(c.text, c.high) for c in links[:1])]


def unlike(one: Soak, other: Soak) -> list[str]:
    """Return what makes two soaks unlike besides the product: load, start, room, fill, and the circumstances."""
    a, b = one.run, other.run
    sentences = _soaked_before(one, other)
    if a.soak.text != b.soak.text:
        sentences.append(f"load: {a.soak.text} against {b.soak.text}")
    starts = [value_at(s.trace.at, s.trace.sensor(DRIVE), s.load_start) for s in (one, other)]
    # two drives that both came to rest start where their coolers bring them: that is the product, not chance
    if (
        not all(_came_to_rest(s) for s in (one, other))
        and starts[0] is not None
        and starts[1] is not None
        and abs(starts[0] - starts[1]) > WARMER_START
    ):
        sentences.append(f"drive temperature at the start: {starts[0]:.0f} °C against {starts[1]:.0f} °C")
    rooms = one.findings.room, other.findings.room
    if rooms[0] is not None and rooms[1] is not None and abs(rooms[0] - rooms[1]) > WARMER_START:
        sentences.append(f"room: {rooms[0]:.1f} °C against {rooms[1]:.1f} °C (each rise is above its own)")
    return sentences + differences(_facts(a), _facts(b), leaving_out=(START, ROOM, LINK, DRIVER))


def _soaked_before(one: Soak, other: Soak) -> list[str]:
    """Return how much one soak wrote shortly before the other began on the same medium, where the other slowed down: a cache may have been full."""
    first, then = sorted((one, other), key=lambda s: s.run.started)
    serials = {s.run.target.serial for s in (first, then)}
    ended = first.run.started + datetime.timedelta(seconds=float(first.trace.at[-1] + first.trace.seconds[-1]))
    gap = (then.run.started - ended).total_seconds() + then.load_start
    if (
        not then.findings.falls
        or len(serials) > 1
        or None in serials
        or first.run.soak.workload.direction == "read"
        or not 0 <= gap < SOON
    ):
        return []
    wrote = show_size(first.findings.bytes)
    return [f"{then.label} was loaded {show_duration(gap)} after {first.label} had written {wrote} to the same drive"]


def _came_to_rest(soak: Soak) -> bool:
    """Return whether the drive was as cold as it gets when the load began, as far as its rest shows."""
    rest = soak.trace.phase(IDLE)
    values = soak.trace.during(rest).sensor(DRIVE) if rest else None
    return rest is not None and values is not None and is_at_rest(soak.trace.during(rest).at, values)


def _facts(run: SoakRun) -> RunFacts:
    return RunFacts(
        run.target,
        run.bench,
        tuple(run.chain),
        span_bytes=run.settings.span_bytes,
        cache_bypassed=run.cache_bypassed,
        engine=run.bench.versions.get("ulterion"),
    )
