"""What else differed between runs, besides the product that was meant to differ: one table of facts for every comparison.

A difference here does not forbid a comparison; it stands beside the verdict, so that the reader can weigh it.  Runs that differ in one
are not taken together.  Every field of `TargetFacts` and `BenchFacts` is in the table, or is exempted by name with the reason.
"""

from __future__ import annotations

from collections.abc import Callable, Collection, Iterable, Sequence

from ulterion.core.facts.target import BenchFacts, NetworkEnd, NetworkFacts, TargetFacts
from ulterion.core.records import dataclass
from ulterion.core.units import show_block, show_duration

WARMER = 3.0  # degrees Celsius at the start; below it sensors and rooms differ anyway
FULLER = 0.05  # share of the file system
MAX_NAMED = 6  # values of one fact


@dataclass(frozen=True)
class RunFacts:
    """The circumstances of a run that a comparison rests on.

    Attributes:
        target, bench: facts of the drive and of the machine.
        chain: what was plugged into what, as the review has it; empty outside a review.
        seconds: length of a pass; `span_bytes` the stretch of the medium that was covered.
        cache_bypassed: whether the operating system's cache was out of the way.
        engine: version of the program that measured.
        workers: workers that shared each pass.

    None means unknown or not applicable.
    """

    target: TargetFacts
    bench: BenchFacts
    chain: tuple[str, ...] = ()
    seconds: float | None = None
    span_bytes: int | None = None
    cache_bypassed: bool | None = None
    engine: str | None = None
    workers: int | None = None

    @property
    def medium(self) -> str | None:
        """Name of the medium at the end of the chain."""
        return self.chain[-1] if self.chain else None


Value = str | float | int | bool | None


def _plainly(value: Value) -> str:
    return str(value)


@dataclass(frozen=True)
class Fact:
    """One circumstance.

    Attributes:
        name: in sentences.
        of: what a run has of it, None where that is not known.
        fields: of target and bench that it covers.
        within: what two runs must have alike for it to tell anything: the 'chain', the 'medium', the 'host', or nothing.
        limit: for numbers how far apart they may be; else any two values that are not equal differ.
        show: a value in words; `unit` behind a pair of numbers.
    """

    name: str
    of: Callable[[RunFacts], Value]
    fields: tuple[str, ...] = ()
    within: str = ""
    limit: float | None = None
    show: Callable[[Value], str] = _plainly
    unit: str = ""

    def applies(self, a: RunFacts, b: RunFacts) -> bool:
        """Return whether the fact tells anything between two runs."""
        if self.within == "host":
            return a.bench.host == b.bench.host
        return not self.within or getattr(a, self.within) == getattr(b, self.within)

    def differs(self, a: RunFacts, b: RunFacts) -> bool:
        """Return whether two runs are known to differ in it."""
        one, other = self.of(a), self.of(b)
        if one is None or other is None or not self.applies(a, b):
            return False
        if self.limit is None:
            return one != other
        return abs(float(one) - float(other)) > self.limit

    def words(self, one: Value, other: Value) -> str:
        """Return a difference in words."""
        return f"{self.name}: {self.show(one)}{self.unit} against {self.show(other)}{self.unit}"


def _whole(value: Value) -> str:
    return f"{float(value or 0):.0f}"


def _percent(value: Value) -> str:
    return f"{float(value or 0) * 100:.0f}"


def _block(value: Value) -> str:
    return show_block(float(value or 0))


def _duration(value: Value) -> str:
    return show_duration(float(value or 0))


def _bypassed(value: Value) -> str:
    return "bypassed" if value else "not bypassed"


def _yes(value: Value) -> str:
    return "yes" if value else "no"


def _compiled(value: Value) -> str:
    return "uncompiled" if value else "compiled"


def _end(network: NetworkFacts | None, far: bool) -> str | None:
    end: NetworkEnd | None = None if network is None else network.there if far else network.here
    if end is None:
        return None
    words = [end.driver, end.link, end.duplex, None if end.mtu is None else f"MTU {end.mtu}"]
    return ", ".join(w for w in words if w) or None


def _drivers(run: RunFacts) -> str | None:
    return ", ".join(f"{name} {version}" for name, version in sorted(run.bench.drivers.items())) or None


PASS_LENGTH, START, ROOM, LINK, DRIVER, PORT = (
    "length of a pass",
    "drive temperature at the start",
    "room",
    "link",
    "driver",
    "socket",
)
"""Circumstances that some comparisons leave out, because there they are the product itself or told otherwise."""

FACTS: tuple[Fact, ...] = (
    Fact("drive serial", lambda r: r.target.serial, ("serial",), "medium"),
    Fact("medium", lambda r: r.medium),
    Fact("firmware", lambda r: r.target.firmware, ("firmware",), "chain"),
    Fact("capacity", lambda r: r.target.capacity_bytes, ("capacity_bytes",), "medium", show=_block),
    Fact("logical block", lambda r: r.target.logical_block, ("logical_block",), "chain", show=_block),
    Fact("physical block", lambda r: r.target.physical_block, ("physical_block",), "chain", show=_block),
    Fact("host", lambda r: r.bench.host, ("host",)),
    Fact("processor", lambda r: r.bench.cpu, ("cpu",), "host"),
    Fact("processors", lambda r: r.bench.cores, ("cores",), "host"),
    Fact("memory", lambda r: r.bench.memory_bytes, ("memory_bytes",), "host", show=_block),
    Fact("clock governor", lambda r: r.bench.governor, ("governor",), "host"),
    Fact("power", lambda r: r.bench.power, ("power",)),
    Fact("system", lambda r: r.bench.system, ("system",)),
    Fact("storage drivers", _drivers, ("drivers",), "host"),
    Fact(DRIVER, lambda r: r.target.driver, ("driver",)),
    Fact(LINK, lambda r: r.target.link, ("link",)),
    Fact("transport", lambda r: r.target.transport, ("transport",), "chain"),
    Fact(PORT, lambda r: r.target.port, ("port",), "chain"),
    Fact("adapter", lambda r: _end(r.target.network, far=False), ("network",), "chain"),
    Fact("far adapter", lambda r: _end(r.target.network, far=True), ("network",), "chain"),
    Fact("target", lambda r: r.target.kind, ("kind",), "chain"),
    Fact("system disk", lambda r: r.target.system_disk, ("system_disk",), "chain", show=_yes),
    Fact("file system", lambda r: r.target.filesystem, ("filesystem",)),
    Fact("mount options", lambda r: r.target.mount_options, ("mount_options",)),
    Fact(
        name="fill",
        of=lambda r: r.target.fill,
        fields=("filesystem_bytes", "free_bytes"),
        within="",
        limit=FULLER,
        show=_percent,
        unit="%",
    ),
    Fact(PASS_LENGTH, lambda r: r.seconds, show=_duration),
    Fact("span", lambda r: r.span_bytes, show=_block),
    Fact("cache", lambda r: r.cache_bypassed, show=_bypassed),
    Fact(
        name=START,
        of=lambda r: r.target.temperature,
        fields=("temperature",),
        within="",
        limit=WARMER,
        show=_whole,
        unit=" °C",
    ),
    Fact(
        name=ROOM,
        of=lambda r: r.bench.room_temperature,
        fields=("room_temperature",),
        within="",
        limit=WARMER,
        show=_whole,
        unit=" °C",
    ),
    Fact("Ulterion version", lambda r: r.engine, ("versions",)),
    Fact("workers", lambda r: r.workers),
    Fact("timed loops", lambda r: bool(r.bench.uncompiled), ("uncompiled",), show=_compiled),
)
"""Every circumstance, the most telling first."""

EXEMPT = {
    "path": "where a drive is mounted makes no difference",
    "device": "the kernel's name of a disk changes from one connection to the next",
    "model": "the part is named by the review; of the bench, by the host",
    "rotational": "goes with the drive",
    "steps": "the link, the socket and the driver say what is on the way",
    "faults": "said as warnings, and by the link",
    "ceilings": "said as warnings",
    "attachment": "variation between connections is sampled; it is no circumstance",
    "request_cost": "measured, and so never twice the same",
    "request_cost_deep": "measured, and so never twice the same",
}
"""Fields of target and bench that are in no fact, and why."""


def differences(a: RunFacts, b: RunFacts, leaving_out: Collection[str] = ()) -> list[str]:
    """Return one phrase for each circumstance that differs between two runs, most telling first."""
    return [f.words(f.of(a), f.of(b)) for f in FACTS if f.name not in leaving_out and f.differs(a, b)]


def unlike(runs: Sequence[RunFacts], leaving_out: Collection[str] = ()) -> list[str]:
    """Return one phrase for each circumstance that was not the same in all of several runs, most telling first."""
    told = []
    for fact in FACTS:
        if fact.name in leaving_out or not any(fact.differs(a, b) for a, b in _pairs(runs, fact)):
            continue
        values = {v for r in runs if (v := fact.of(r)) is not None}
        if fact.limit is not None:
            ends = sorted(values, key=lambda v: float(v or 0))
            told.append(f"{fact.name}: from {fact.show(ends[0])} to {fact.show(ends[-1])}{fact.unit}")
            continue
        named = sorted(fact.show(v) for v in values)
        more = ", ..." if len(named) > MAX_NAMED else ""
        told.append(f"{fact.name}: {', '.join(named[:MAX_NAMED])}{more}")
    return told


def _pairs(runs: Sequence[RunFacts], fact: Fact) -> Iterable[tuple[RunFacts, RunFacts]]:
    """Yield pairs among which a difference shows, if there is any: of numbers the ends, of others each with the first that it applies to."""
    known = [r for r in runs if fact.of(r) is not None]
    if fact.limit is not None and known and not fact.within:
        yield min(known, key=lambda r: float(fact.of(r) or 0)), max(known, key=lambda r: float(fact.of(r) or 0))
        return
    first: dict[object, RunFacts] = {}
    for run in known:
        scope = run.bench.host if fact.within == "host" else getattr(run, fact.within) if fact.within else None
        yield first.setdefault(scope, run), run
