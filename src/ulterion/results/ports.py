"""The ports of machines beside each other: what carried most there, which controller is behind each, and what they share."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import field, replace
from typing import Literal

from ulterion.core.facts.target import TargetFacts
from ulterion.core.links.bus import ruled_out
from ulterion.core.links.standards import Link, known_link, lower
from ulterion.core.outcomes import Outcome
from ulterion.core.records import dataclass
from ulterion.core.stats.estimates import Estimate
from ulterion.core.stats.middle import median
from ulterion.core.workloads.sanity_limits import above_link
from ulterion.model.review import Review
from ulterion.model.runs.document import AnyRun
from ulterion.model.runs.measure import MeasureRun
from ulterion.results.measurement import Measurement
from ulterion.results.pooling import pooled_results

BOOTS = "boots"  # the question that a port is asked


@dataclass(frozen=True)
class PortRow:
    """A port of a host.

    Attributes:
        host, port: which; `link` as it ran at its best, None where none that was seen or stated carries what was measured.
        controller: what the host shows behind it, with its driver, or None.
        shares: the other ports of the host that were seen behind the same controller.
        best: by direction of large transfers the most that was carried, and by which setup.
        setups: how many were measured there.
        rules_out: the fastest bus that the rates there surely exceed, where no link is known; else None.
        kept: by other ports of the host the share of its rate alone that a drive here kept while one there worked as well.
        boots: by setup whether the machine starts from it there, as was noted, or as the system that measured ran from it.
    """

    host: str
    port: str
    link: str | None
    controller: str | None
    shares: tuple[str, ...]
    best: dict[Literal["read", "write"], tuple[Estimate, str]]
    setups: int
    rules_out: str | None = None
    kept: dict[str, float] = field(default_factory=dict)
    boots: dict[str, Outcome] = field(default_factory=dict)


Place = tuple[str, str]
"""A host and a port of it."""


def ports(
    review: Review, runs: Sequence[AnyRun], outcomes: Mapping[str, Mapping[str, Outcome]] | None = None
) -> list[PortRow]:
    """Return every port that something was measured on, by host in the order of the review.

    `outcomes` are those noted of setups, by setup and question.
    """
    by_port: dict[Place, list[Measurement]] = {}
    for name, figures in pooled_results(runs).items():
        if name in review.setups:
            for one in figures.values():
                by_port.setdefault((one.run.bench.host or "", review.setups[name].chain[0]), []).append(one)
    behind = {key: _controller([m.run.target for m in mine]) for key, mine in by_port.items()}
    order = list(review.ports)
    kept = kept_beside(review, runs)
    rows = [
        _row(review, key, mine, behind)
        for key, mine in sorted(
            by_port.items(), key=lambda p: (p[0][0], order.index(p[0][1]) if p[0][1] in order else -1)
        )
    ]
    return [
        replace(
            row,
            kept=kept.get((row.host, row.port), {}),
            boots=_boots(by_port[row.host, row.port], outcomes or {}),
        )
        for row in rows
    ]


def kept_beside(review: Review, runs: Sequence[AnyRun]) -> dict[Place, dict[str, float]]:
    """Return for each port what share of its rate alone a drive there kept while one on another port of the host worked as well.

    Runs on one host that overlap in time were measured together.  The share is that of the fastest workload in order that
    both did, the least of several where two ports were measured together more than once.
    """
    both = [
        r for r in runs if isinstance(r, MeasureRun) and r.setup in review.setups and not r.excluded and _at_once(r)
    ]
    found: dict[Place, dict[str, float]] = {}
    for run in both:
        for other in both:
            mine, theirs = (review.setups[r.setup or ""].chain[0] for r in (run, other))
            share = _kept(run) if mine != theirs and _overlap(run, other) else None
            if share is not None:
                beside = found.setdefault((run.bench.host, mine), {})
                beside[theirs] = min(share, beside.get(theirs, share))
    return found


def _at_once(run: MeasureRun) -> dict[str, float]:
    """Return the median rates of a run's workloads that were done beside other drives, by the words of the workload alone."""
    return {
        replace(w.workload, name="", concurrent_targets=1).text: median(run.rates_of(w))
        for w in run.workloads
        if w.counted and w.workload.concurrent_targets > 1 and w.workload.pattern == "sequential"
    }


def _overlap(run: MeasureRun, other: MeasureRun) -> bool:
    """Return whether two runs were done on one host at one time."""
    if run.bench.host != other.bench.host or run.ended is None or other.ended is None:
        return False
    return run.started <= other.ended and other.started <= run.ended


def _kept(run: MeasureRun) -> float | None:
    """Return the share of its rate alone that a run kept beside others, of the workload that was fastest alone."""
    beside = _at_once(run)
    alone = {w.workload.text: median(run.rates_of(w)) for w in run.workloads if w.counted}
    best = max((text for text in beside if text in alone), key=lambda text: alone[text], default=None)
    return None if best is None else beside[best] / alone[best]


def _boots(mine: Sequence[Measurement], outcomes: Mapping[str, Mapping[str, Outcome]]) -> dict[str, Outcome]:
    """Return by setup whether the machine starts from it: as noted, else where the system that measured ran from it."""
    found: dict[str, Outcome] = {}
    for one in mine:
        noted = outcomes.get(one.setup, {}).get(BOOTS)
        if noted is not None:
            found[one.setup] = noted
        elif one.run.target.system_disk:
            found[one.setup] = Outcome(BOOTS, "works")
    return found


def _row(
    review: Review, key: Place, mine: Sequence[Measurement], behind: dict[Place, tuple[str, str | None] | None]
) -> PortRow:
    host, port = key
    found = behind[key]
    shares = [p for (h, p), other in behind.items() if h == host and p != port and found is not None and other == found]
    best: dict[Literal["read", "write"], tuple[Estimate, str]] = {}
    ways: tuple[Literal["read", "write"], ...] = ("read", "write")
    for way in ways:
        alone = [m for m in mine if m.workload.concurrent_targets == 1]
        fitting = [m for m in alone if m.workload.direction == way and m.workload.pattern == "sequential"]
        if fitting:
            top = max(fitting, key=lambda m: m.estimate.rate)
            best[way] = (top.estimate, top.setup)
    link = _link(review, port, mine, max((e.rate for e, _ in best.values()), default=0.0))
    beyond = ruled_out(max((e.low or e.rate for e, _ in best.values()), default=0.0))
    told = None if found is None else found[0] + (f" ({found[1]})" if found[1] else "")
    return PortRow(
        host=host,
        port=port,
        link=link.name if link else None,
        controller=told,
        shares=tuple(shares),
        best=best,
        setups=len({m.setup for m in mine}),
        rules_out=beyond.name if link is None and beyond is not None else None,
    )


def _link(review: Review, port: str, mine: Sequence[Measurement], rate: float) -> Link | None:
    """Return a port's link at its best, as it was seen and no more than the port can do; None where that does not carry what was measured."""
    seen = [link for m in mine if (link := known_link(m.run.target.link)) is not None]
    stated = review.ports[port].link if port in review.ports else None
    fastest = max(seen, key=lambda link: link.payload, default=None)
    fitting = [k for k in (lower(fastest, stated), stated) if above_link(rate, k) is None]
    return next(iter(fitting), None)


def _controller(targets: Sequence[TargetFacts]) -> tuple[str, str | None] | None:
    """Return name and driver of the controller that a port's runs showed, by the newest that shows one."""
    steps = [s for target in targets for s in target.steps if s.role == "controller"]
    return (steps[-1].title or steps[-1].name, steps[-1].driver) if steps else None
