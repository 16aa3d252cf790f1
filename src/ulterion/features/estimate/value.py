"""What money buys: price per gigabyte and per megabyte a second of what was measured, and the cheapest that meets a need."""

from __future__ import annotations

import datetime
import math
from collections.abc import Sequence

from ulterion.core.errors import UsageError, unknown
from ulterion.core.estimates.transfer_time import work
from ulterion.core.records import dataclass
from ulterion.core.stats.verdicts import TOLERANCE
from ulterion.core.units import Money
from ulterion.features.claims.capacity_proofs import Holds, holds
from ulterion.features.estimate.transfer_time import end_of
from ulterion.model.review import Part, Review
from ulterion.model.runs.document import AnyRun
from ulterion.results.bottleneck import DIRECTIONS
from ulterion.results.measurement import Measurement
from ulterion.results.pooling import pooled_results


@dataclass(frozen=True)
class Value:
    """A product and what it costs.

    Attributes:
        part: its name in the review; `setup` the one on which it did best.
        price: as the review has it.
        rate: bytes per second there, for as many bytes as were asked for; None where it was not measured.
        per_rate: price of a MB/s; `per_size` of a GB of what it holds, proven or else stated, None where nothing says that.
        meets: whether it meets the need, None without one.
        seen: when it was to be had for that price, or None.
        short: what it was proven to hold, bytes, where that is less than it claims; else None.
    """

    part: str
    setup: str | None
    price: Money
    rate: float | None
    per_rate: float | None
    per_size: float | None
    meets: bool | None
    seen: datetime.date | None = None
    short: float | None = None


Mix = dict[str, float]
"""What a reader does, in shares of the bytes: by 'read', 'write' (in one go) or the name of a workload."""


def parse_mix(text: str) -> Mix:
    """Read 'read 3, write 1, random-read 0.1'; return shares that add up to 1.  Raises UsageError."""
    mix: Mix = {}
    for one in text.split(","):
        name, _, number = one.strip().rpartition(" ")
        try:
            share = float(number)
        except ValueError:
            share = -1.0
        if not name or not 0 < share < 1e6 or name in mix:
            raise UsageError(f"--mix: '{one.strip()}' is not a share of the work; write it like 'read 3, write 1'")
        mix[name.strip()] = share
    return {name: share / sum(mix.values()) for name, share in mix.items()}


def values(review: Review, runs: Sequence[AnyRun], size: float, mix: Mix, least: float | None = None) -> list[Value]:
    """Return every product that has a price, by its kind and the price of a MB/s; currencies are never mixed.

    The rate is the mean over moving `size` bytes, each share of the mix at its own: in one go, stages included, or at what was measured of
    a workload; `least` (bytes per second) is the need.  Raises UsageError for a workload that no run has.
    """
    found, figures = [], pooled_results(runs)
    known = {m.workload.title for cells in figures.values() for m in cells.values()}
    strange = next((n for n in mix if n not in DIRECTIONS and n not in known), None)
    if strange is not None:
        raise UsageError(unknown("workload", strange, [*DIRECTIONS, *sorted(known)]))
    for key, part in review.parts.items():
        if part.price is None:
            continue
        rates = [
            (r, h)
            for h, setup in review.setups.items()
            if key in setup.chain and (r := _rate(review, runs, figures.get(h, {}), setup=h, size=size, mix=mix))
        ]
        rate, setup = max(rates, default=(None, None), key=lambda one: one[0] or 0.0)
        room = holds(review, runs, key)
        fits = room is None or room.bytes >= size
        found.append(
            Value(
                part=key,
                setup=setup,
                price=part.price,
                rate=rate,
                per_rate=None if rate is None else part.price.amount / (rate / 1e6),
                per_size=None if room is None else part.price.amount / (room.bytes / 1e9),
                meets=None if least is None else rate is not None and rate >= least and fits,
                seen=part.price_date,
                short=_short(part, room),
            )
        )
    return sorted(
        found,
        key=lambda v: (review.parts[v.part].kind, v.price.currency, math.inf if v.per_rate is None else v.per_rate),
    )


def _short(part: Part, room: Holds | None) -> float | None:
    """Return what a part was proven to hold where that is less than it claims."""
    claimed = part.claims.capacity
    if room is None or not room.proven or not claimed or room.bytes >= claimed * (1 - TOLERANCE):
        return None
    return room.bytes


def cheapest(found: Sequence[Value]) -> list[Value]:
    """Return the cheapest that meets the need in each currency."""
    best: dict[str, Value] = {}
    for one in found:
        if (
            one.meets
            and one.short is None
            and (one.price.currency not in best or one.price.amount < best[one.price.currency].price.amount)
        ):
            best[one.price.currency] = one
    return list(best.values())


def _rate(
    review: Review, runs: Sequence[AnyRun], cells: dict[str, Measurement], setup: str, size: float, *, mix: Mix
) -> float | None:
    """Return the bytes per second over the whole mix (the harmonic mean, weighted by bytes), None where any of it was not measured."""
    seconds = 0.0
    for name, share in mix.items():
        if name in DIRECTIONS:
            found = end_of(review, runs, setup, "read" if name == "read" else "write")
            took = None if found is None else work(size * share, [found[0]]).seconds
        else:
            measured = next((m for m in cells.values() if m.workload.title == name), None)
            took = None if measured is None else size * share / measured.estimate.rate
        if took is None:
            return None
        seconds += took
    return size / seconds
