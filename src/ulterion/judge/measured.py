"""From run documents to the plain values that the core judges."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from statistics import median

from ulterion.core.ceilings import Direction, Element
from ulterion.core.comparability import RunFacts
from ulterion.core.links import Link
from ulterion.core.passstates import SLOW_STATES, PassState
from ulterion.core.stats import Estimate, estimate
from ulterion.core.suites import is_free
from ulterion.core.workload import Workload
from ulterion.model.review import Review
from ulterion.model.runs.document import AnyRun
from ulterion.model.runs.measure import MeasureRun, WorkloadRecord
from ulterion.model.skims import Skim
from ulterion.model.store import ReviewFolder

HUBS = ("hub", "dock")  # kinds of parts that the host shows as a hub


@dataclass(frozen=True)
class Measured:
    """A workload measured on a hookup.

    Attributes:
        hookup: name of the hookup.
        workload: what was run; `text` its canonical words.
        rates: bytes per second of each pass.
        run: the document they come from.
        suspect: why the figure cannot be the drive's, or None.
        lanes: workers that shared each pass, or None where that is not known.
        state: of the drive, where two were told apart; figures of different states are not compared.
        unflushed: the rates of the passes without the flush at their end.
        waits: seconds within which half, and 99 %, of the requests ended, in the middle pass; None where there is none.
    """

    hookup: str
    workload: Workload
    text: str
    rates: tuple[float, ...]
    run: MeasureRun
    suspect: str | None = None
    lanes: int | None = None
    state: PassState | None = None
    unflushed: tuple[float, ...] = ()
    waits: tuple[float, float] | None = None

    @classmethod
    def of(cls, hookup: str, figure: WorkloadRecord, run: MeasureRun, suspect: str | None) -> Measured:
        """Return one figure of a run's record."""
        passes = figure.passes
        return cls(
            hookup,
            figure.workload,
            figure.text,
            tuple(p.rate for p in passes),
            run,
            suspect,
            passes[0].lanes,
            passes[0].state,
            tuple(p.bytes / max(p.seconds - (p.flush_seconds or 0.0), 1e-9) for p in passes),
            (median(p.latency.p50 for p in passes), median(p.latency.p99 for p in passes)),
        )

    @property
    def estimate(self) -> Estimate:
        """The estimate from the passes, in bytes per second."""
        return estimate(self.rates)

    @property
    def iops(self) -> Estimate:
        """The same in requests per second."""
        rate, block = self.estimate, self.workload.block_bytes
        scaled = [None if v is None else v / block for v in (rate.low, rate.high)]
        return replace(rate, rate=rate.rate / block, low=scaled[0], high=scaled[1])


def _with_passes(run: MeasureRun) -> list[WorkloadRecord]:
    return [record for record in run.workloads if record.counted]


def latest(runs: Sequence[AnyRun]) -> dict[str, dict[str, Measured]]:
    """Return, for each hookup and workload text, the passes of the newest run that has any.

    Passes of different runs are not thrown together: between runs more may have changed than the passes show.  What was asked for
    by words, or as a sweep, never takes the place of a suite's figure.
    """
    suites: dict[str, dict[str, Measured]] = {}
    free: dict[str, dict[str, Measured]] = {}
    for run in sorted(runs, key=lambda r: (r.started, r.id)):
        if not isinstance(run, MeasureRun) or run.hookup is None:
            continue
        of_hookup = (free if is_free(run.suite) else suites).setdefault(run.hookup, {})
        for record in _with_passes(run):
            for text in [record.text, *(f"{record.text}, {state}" for state in SLOW_STATES)]:
                of_hookup.pop(text, None)  # the order of the newest run counts
            for figure in record.figures:
                of_hookup[figure.text] = Measured.of(run.hookup, figure, run, record.suspect)
    names = dict.fromkeys([*suites, *free])
    every = {name: _suite_first(suites.get(name, {}), free.get(name, {})) for name in names}
    return {name: figures for name, figures in every.items() if figures}


def _suite_first(suite: dict[str, Measured], free: dict[str, Measured]) -> dict[str, Measured]:
    """Return a suite's figures, and behind them what was only measured by the way: it never takes the place of a suite's."""
    return {**suite, **{text: one for text, one in free.items() if text not in suite}}


def to_judge(folder: ReviewFolder) -> list[AnyRun]:
    """Return the runs that comparisons and claims rest on, oldest first; what newer ones supersede is not even parsed.

    These are the measurements of which a workload is the newest of its hookup, and runs that bear notes, both without their
    series; and the newest soak of each hookup, whole.
    """
    seen: set[tuple[str | None, str, bool]] = set()
    passes: list[Skim] = []
    soaks: list[Skim] = []
    for one in reversed(folder.skims()):
        free = is_free(one.suite)
        cells = {(one.hookup, text, free) for text in one.texts} or {(one.hookup, one.kind, free)}
        if cells <= seen and not one.noted:
            continue
        seen |= cells
        (soaks if one.kind == "soak" else passes).append(one)
    return sorted([*folder.light(passes), *folder.whole(soaks)], key=lambda r: (r.started, r.id))


def run_facts(measured: Measured) -> RunFacts:
    """Return the circumstances of the run behind a measurement."""
    run = measured.run
    return RunFacts(
        target=run.target,
        bench=run.bench,
        medium=run.chain[-1] if run.chain else None,
        seconds=measured.workload.seconds or run.settings.seconds,
        span_bytes=measured.workload.span_bytes or run.settings.span_bytes,
        cache_bypassed=run.cache_bypassed,
        engine=run.bench.versions.get("ulterion", "?"),
        lanes=measured.lanes,
    )


def best_of(measured: Sequence[Measured], direction: str, pattern: str) -> Measured | None:
    """Return the fastest measurement of one direction and pattern: the one to hold against an 'up to'."""
    fitting = [m for m in measured if m.workload.direction == direction and m.workload.pattern == pattern]
    if pattern == "random":
        return max(fitting, key=lambda m: m.iops.rate, default=None)
    return max(fitting, key=lambda m: m.estimate.rate, default=None)


def device_of(run: AnyRun) -> str | None:
    """Return which part of the chain the host talked to: the one before the medium, or a medium plugged in alone."""
    return (run.chain[-2] if len(run.chain) > 2 else run.chain[-1]) if run.chain else None


def link_seen_of(review: Review, run: AnyRun, key: str) -> Link | None:
    """Return the link that was seen of a part: of the device the host talked to, or of a hub on the way; None where none was."""
    if device_of(run) == key:
        return run.seen_link
    named = next(
        (s for s in run.target.steps if s.name == key), None
    )  # the simulated bench names its parts as the review does
    if named is not None:
        return named.link
    hubs = [k for k in run.chain if k in review.parts and review.parts[k].kind in HUBS]
    steps = [s for s in run.target.steps if s.role == "hub"]
    return steps[0].link if hubs == [key] and len(steps) == 1 else None


def chain_elements(review: Review, run: AnyRun, direct: Sequence[Measured]) -> list[Element]:
    """Return the chain of a run as the core sees it.

    A link that was seen below what the port can do belongs to the device the host talked to; one at the port's own
    rate is explained by the port.  `direct` is what was measured of the same medium on its direct hookup.
    """
    chain = [key for key in run.chain if key in review.parts or key in review.ports]
    port, seen = review.ports.get(chain[0]) if chain else None, run.seen_link
    if seen is not None and port is not None and seen.payload >= port.link.payload:
        seen = None
    elements = []
    for key in chain:
        part = review.parts.get(key)
        port = review.ports.get(key)
        claims = part.claims if part else port.claims if port else None
        rates: dict[Direction, float] = {}
        if claims and claims.read:
            rates["read"] = claims.read
        if claims and claims.write:
            rates["write"] = claims.write
        elements.append(
            Element(
                key=key,
                label=review.label(key),
                link=part.link if part else port.link if port else None,
                inside=part.inside if part else None,
                seen=seen if key == device_of(run) else None,
                claimed=rates,
                direct=_direct_rates(direct) if key == chain[-1] else {},
                only_link=port is not None,
            )
        )
    return [*elements[:1], *_host_elements(run), *elements[1:]]


def _host_elements(run: AnyRun) -> list[Element]:
    """Return what lies between the processor and the port, as it was seen: the controller's own link, and hubs."""
    elements = []
    for step in run.target.steps:
        link = step.link
        known = step.name in run.chain  # the simulated bench names its parts as the review does
        if link is not None and not known and step.role in ("controller", "hub") and link.name != run.target.link:
            label = "the host's controller" if step.role == "controller" else f"the hub {step.title or step.name}"
            only = step.role == "controller"
            elements.append(Element(key=f"{step.role} {step.name}", label=label, link=link, only_link=only))
    return elements


def _direct_rates(direct: Sequence[Measured]) -> dict[Direction, float]:
    rates: dict[Direction, float] = {}
    directions: tuple[Direction, ...] = ("read", "write")
    for direction in directions:
        best = best_of(direct, direction, "sequential")
        if best is not None:
            rates[direction] = best.estimate.rate
    return rates


def trusted_direct(review: Review, hookup: str, measured: dict[str, dict[str, Measured]]) -> tuple[Measured, ...]:
    """Return what was measured of the hookup's medium directly, if that shows what the medium can do.

    It does not when another hookup was faster with the same medium: then the direct connection is what was slow.
    """
    medium = review.hookups[hookup].medium
    direct = review.direct_for(medium)
    if direct is None or direct == hookup or direct not in measured:
        return ()

    def fastest(name: str) -> float:
        return max(m.estimate.rate for m in measured[name].values())

    others = [n for n in measured if n != direct and review.hookups[n].medium == medium]
    return tuple(measured[direct].values()) if all(fastest(n) <= fastest(direct) for n in others) else ()
