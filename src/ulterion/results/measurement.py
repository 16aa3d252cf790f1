"""From run documents to the plain values that the core judges."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

from ulterion.core.bottleneck import BARE
from ulterion.core.facts.differences import RunFacts
from ulterion.core.links.ceilings import Direction, Element
from ulterion.core.links.standards import Link, known_link
from ulterion.core.records import dataclass
from ulterion.core.stats.estimates import Estimate, estimate
from ulterion.core.stats.middle import median
from ulterion.core.stats.verdicts import compare_family
from ulterion.core.workloads.network import Datagrams
from ulterion.core.workloads.workload import PassState, Workload
from ulterion.model.review import Review
from ulterion.model.runs.document import AnyRun
from ulterion.model.runs.measure import MeasureRun, WorkloadRecord

LABELS = {
    "controller": "the host's controller",
    "tunnel": "the tunnel to {}",
    "switch": "the switch {}",
    "hub": "the hub {}",
}  # of what lies between, by role
HUBS = ("hub", "dock")  # kinds of parts that the host shows as a hub


@dataclass(frozen=True)
class Measurement:
    """A workload measured on a setup.

    Attributes:
        setup: name of the setup.
        workload: what was run; `text` its canonical words.
        rates: bytes per second of each pass, by run, the newest run last.
        run: the newest document they come from; `older` the others.
        suspect: why the figure cannot be the drive's, or None.
        workers: workers that shared each pass, or None where that is not known.
        state: of the drive, where two were told apart; figures of different states are not compared.
        unflushed: the rates of the passes without the flush at their end.
        datagrams: what became of those of the newest run, where any were sent.
        latency_p50, latency_p99: median and 99th percentile of the latency of requests, seconds, in the middle pass; None where none was timed.
    """

    setup: str
    workload: Workload
    text: str
    rates: tuple[Sequence[float], ...]
    run: MeasureRun
    suspect: str | None = None
    workers: int | None = None
    state: PassState | None = None
    unflushed: tuple[tuple[float, ...], ...] = ()
    latency_p50: float | None = None
    latency_p99: float | None = None
    datagrams: Datagrams | None = None
    older: tuple[MeasureRun, ...] = ()

    @classmethod
    def of(cls, setup: str, figure: WorkloadRecord, run: MeasureRun, suspect: str | None) -> Measurement:
        """Return one figure of a run's record."""
        passes = figure.passes
        latencies = [p.latency for p in passes if p.latency is not None]
        return cls(
            setup=setup,
            workload=figure.workload,
            text=figure.text,
            rates=(run.rates_of(figure),),
            run=run,
            suspect=suspect,
            workers=passes[0].workers,
            state=passes[0].state,
            unflushed=(tuple(p.bytes / max(p.seconds - (p.flush_seconds or 0.0), 1e-9) for p in passes),),
            latency_p50=median(k.p50 for k in latencies) if latencies else None,
            latency_p99=median(k.p99 for k in latencies) if latencies else None,
            datagrams=figure.datagrams,
        )

    @property
    def documents(self) -> tuple[MeasureRun, ...]:
        """All runs it rests on, the newest last."""
        return (*self.older, self.run)

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


def _span_is_no_matter(measured: Measurement) -> bool:
    """Return whether the span cannot have changed the rate: it was fitted to the drive's speed, and no disk's arm had to travel further."""
    run = measured.run
    return bool(run.settings.span_fitted) and not (run.target.rotational and measured.workload.pattern == "random")


def run_facts(measured: Measurement) -> RunFacts:
    """Return the circumstances of the run behind a measurement."""
    run = measured.run
    return RunFacts(
        target=run.target,
        bench=run.bench,
        chain=tuple(run.chain),
        seconds=measured.workload.seconds or run.settings.seconds,
        span_bytes=None if _span_is_no_matter(measured) else measured.workload.covered(run.settings.span_bytes),
        cache_bypassed=run.cache_bypassed,
        engine=run.bench.versions.get("ulterion", "?"),
        workers=measured.workers,
    )


def best_of(measured: Sequence[Measurement], direction: str, pattern: str) -> Measurement | None:
    """Return the fastest measurement of one direction and pattern: the one to hold against an 'up to'."""
    fitting = [m for m in measured if m.workload.drive_direction == direction and m.workload.drive_pattern == pattern]
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


def chain_elements(review: Review, run: AnyRun, baseline: Sequence[Measurement]) -> list[Element]:
    """Return the chain of a run as the core sees it.

    A link that was seen below what the port can do belongs to the device the host talked to; one at the port's own
    rate is explained by the port.  `baseline` is what was measured of the same medium on its direct setup.
    """
    chain = [key for key in run.chain if key in review.parts or key in review.ports]
    port, seen = review.ports.get(chain[0]) if chain else None, run.seen_link
    if seen is not None and port is not None and port.link is not None and seen.payload >= port.link.payload:
        seen = None
    negotiated = known_link(run.target.network.here.link) if run.target.network is not None and len(chain) > 2 else None
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
                inside=negotiated
                if key == device_of(run) and negotiated is not None
                else part.inside
                if part
                else None,
                seen=seen if key == device_of(run) else None,
                claimed=rates,
                baseline=_baseline_rates(baseline) if key == chain[-1] else {},
                only_link=port is not None or (review.is_peer(key) and run.target.network is not None),
            )
        )
    return [*elements[:1], *_host_elements(run), *elements[1:]]


def _host_elements(run: AnyRun) -> list[Element]:
    """Return what lies between the processor and the port, as it was seen: tunnels, the controller's own link, and hubs."""
    elements, steps = [], run.target.steps
    for place, step in enumerate(steps):
        link = step.link
        known = step.name in run.chain  # the simulated bench names its parts as the review does
        if link is not None and not known and step.role in LABELS and link.name != run.target.link:
            label, only = LABELS[step.role].format(step.title or step.name), step.role != "hub"
            if step.role == "controller" and any(s.role == "tunnel" for s in steps[:place]):
                label = "the link inside the box"
            elements.append(Element(key=f"{step.role} {step.name}", label=label, link=link, only_link=only))
    return elements


def _baseline_rates(baseline: Sequence[Measurement]) -> dict[Direction, float]:
    rates: dict[Direction, float] = {}
    directions: tuple[Direction, ...] = ("read", "write")
    for direction in directions:
        best = best_of(baseline, direction, "sequential")
        if best is not None:
            rates[direction] = best.estimate.rate
    return rates


def trusted_baseline(
    review: Review, setup: str, measured: dict[str, dict[str, Measurement]]
) -> tuple[Measurement, ...]:
    """Return what was measured of the setup's medium directly, if that shows what the medium can do.

    It does not when another setup was surely faster with the same medium: then the direct connection is what was slow.
    """
    medium = review.setups[setup].medium
    baseline = review.baseline_for(medium)
    if baseline is None or baseline == setup or baseline not in measured:
        return ()
    others = [measured[n] for n in measured if n != baseline and review.setups[n].medium == medium]
    return () if _outdone(measured[baseline], others) else tuple(measured[baseline].values())


def _outdone(baseline: dict[str, Measurement], others: Sequence[dict[str, Measurement]]) -> bool:
    """Return whether any of several setups was surely faster in any workload; they are judged as one family."""
    pairs = [(one[text].rates, baseline[text].rates) for one in others for text in one if text in baseline]
    return any(
        c.verdict == "faster" or (c.ratio.low is None and c.ratio.value > 1 + BARE) for c in compare_family(pairs)
    )
