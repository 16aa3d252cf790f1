"""The ports of hosts beside each other: what carried most there, which controller is behind each, and which share one."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

from ulterion.core.facts.target import TargetFacts
from ulterion.core.links.bus import ruled_out
from ulterion.core.links.standards import Link, known_link, lower
from ulterion.core.stats.estimates import Estimate
from ulterion.core.workloads.sanity_limits import above_link
from ulterion.model.review import Review
from ulterion.model.runs.document import AnyRun
from ulterion.results.measurement import Measurement
from ulterion.results.pooling import pooled_results


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
    """

    host: str
    port: str
    link: str | None
    controller: str | None
    shares: tuple[str, ...]
    best: dict[Literal["read", "write"], tuple[Estimate, str]]
    setups: int
    rules_out: str | None = None


def ports(review: Review, runs: Sequence[AnyRun]) -> list[PortRow]:
    """Return every port that something was measured on, by host in the order of the review."""
    by_port: dict[tuple[str, str], list[Measurement]] = {}
    for name, figures in pooled_results(runs).items():
        if name in review.setups:
            for one in figures.values():
                by_port.setdefault((one.run.bench.host or "", review.setups[name].chain[0]), []).append(one)
    behind = {key: _controller([m.run.target for m in mine]) for key, mine in by_port.items()}
    order = list(review.ports)
    return [
        _row(review, key, mine, behind)
        for key, mine in sorted(
            by_port.items(), key=lambda p: (p[0][0], order.index(p[0][1]) if p[0][1] in order else -1)
        )
    ]


def _row(
    review: Review,
    key: tuple[str, str],
    mine: Sequence[Measurement],
    behind: dict[tuple[str, str], tuple[str, str | None] | None],
) -> PortRow:
    host, port = key
    found = behind[key]
    shares = [p for (h, p), other in behind.items() if h == host and p != port and found is not None and other == found]
    best: dict[Literal["read", "write"], tuple[Estimate, str]] = {}
    ways: tuple[Literal["read", "write"], ...] = ("read", "write")
    for way in ways:
        fitting = [m for m in mine if m.workload.direction == way and m.workload.pattern == "sequential"]
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
