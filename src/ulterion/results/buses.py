"""Which bus each setup of a medium hangs on, by the links seen and the rates measured or timed."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import replace

from ulterion.core.links.bus import BusFinding, PortRates, bus_finding
from ulterion.core.links.ceilings import Direction
from ulterion.core.stats.estimates import Estimate
from ulterion.model.review import Review
from ulterion.results.measurement import Measurement, best_of

DIRECTIONS: tuple[Direction, ...] = ("read", "write")


def bus_findings(
    review: Review, measured: Mapping[str, Mapping[str, Measurement]], setups: Sequence[str]
) -> list[BusFinding]:
    """Return what rates say of the bus behind each of several setups of one medium, beside the fastest of them."""
    rates = [r for name in setups if (r := port_rates(review, name, list(measured.get(name, {}).values()))) is not None]
    return findings_among(rates)


def findings_among(rates: Sequence[PortRates]) -> list[BusFinding]:
    """Return what links and rates of one drive say of the bus behind each setup, beside the one with the fastest link, or the fastest rate."""
    if len(rates) < 2:
        return []
    fastest = max(rates, key=lambda r: r.best)
    widest = max(rates, key=lambda r: (r.seen.payload if r.seen is not None else 0.0, r.best))
    pairs = [(r, widest if r.seen is not None else fastest) for r in rates]
    return [f for r, best in pairs if r is not best and (f := bus_finding(r, best)) is not None]


def port_rates(review: Review, setup: str, cells: Sequence[Measurement]) -> PortRates | None:
    """Return what a setup gave in each direction, or None where nothing large was measured on it."""
    sound = [c for c in cells if not c.suspect] or cells
    best = {way: best_of(sound, way, "sequential") for way in DIRECTIONS}
    found = {way: m.estimate for way, m in best.items() if m is not None}
    if not found:
        return None
    waits = [c.latency_p50 for c in sound if _is_single_read(c) and c.latency_p50 is not None]
    link = next((m.run.seen_link for m in best.values() if m is not None and m.run.seen_link is not None), None)
    rates = of_estimates(review, setup, found, waits[0] if waits else None)
    return replace(rates, seen=link, doubtful=all(c.suspect for c in cells))


def of_estimates(
    review: Review, setup: str, found: Mapping[Direction, Estimate], wait: float | None = None
) -> PortRates:
    """Return what a setup gave, by direction."""
    top = max(found.values(), key=lambda e: e.rate)
    return PortRates(
        setup=setup,
        read=found["read"].rate if "read" in found else None,
        write=found["write"].rate if "write" in found else None,
        low=top.low or top.rate,
        high=top.high or top.rate,
        wait=wait,
        between=tuple(review.label(k) for k in review.setup(setup).chain[:-1] if k not in review.ports),
    )


def _is_single_read(cell: Measurement) -> bool:
    work = cell.workload
    return work.drive_pattern == "random" and work.depth == 1 and work.drive_direction == "read"
