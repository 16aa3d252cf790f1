"""What money buys: price per gigabyte and per megabyte a second of what was measured, and the cheapest that meets a need."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

from ulterion.core.ceilings import Direction
from ulterion.core.units import Money
from ulterion.core.work import work
from ulterion.judge.works import end_of
from ulterion.model.review import Review
from ulterion.model.runs.document import AnyRun


@dataclass(frozen=True)
class Value:
    """A product and what it costs.

    Attributes:
        part: its name in the review; `hookup` the one on which it did best.
        price: as the review has it.
        rate: bytes per second there, for as many bytes as were asked for; None where it was not measured.
        per_rate: price of a MB/s; `per_size` of a GB of what it states, None where it states none.
        meets: whether it meets the need, None without one.
    """

    part: str
    hookup: str | None
    price: Money
    rate: float | None
    per_rate: float | None
    per_size: float | None
    meets: bool | None


def values(
    review: Review, runs: Sequence[AnyRun], size: float, way: Direction, least: float | None = None
) -> list[Value]:
    """Return every product that has a price, by its kind and the price of a MB/s; currencies are never mixed.

    The rate is the mean over moving `size` bytes in one go, stages included; `least` (bytes per second) is the need.
    """
    found = []
    for key, part in review.parts.items():
        if part.price is None:
            continue
        rates = [
            (r, h)
            for h, hookup in review.hookups.items()
            if key in hookup.chain and (r := _rate(review, runs, h, size, way))
        ]
        rate, hookup = max(rates, default=(None, None), key=lambda one: one[0] or 0.0)
        capacity = part.claims.capacity
        found.append(
            Value(
                key,
                hookup,
                part.price,
                rate,
                None if rate is None else part.price.amount / (rate / 1e6),
                None if capacity is None else part.price.amount / (capacity / 1e9),
                None if least is None else rate is not None and rate >= least,
            )
        )
    return sorted(
        found,
        key=lambda v: (review.parts[v.part].kind, v.price.currency, math.inf if v.per_rate is None else v.per_rate),
    )


def cheapest(found: Sequence[Value]) -> list[Value]:
    """Return the cheapest that meets the need in each currency."""
    best: dict[str, Value] = {}
    for one in found:
        if one.meets and (one.price.currency not in best or one.price.amount < best[one.price.currency].price.amount):
            best[one.price.currency] = one
    return list(best.values())


def _rate(review: Review, runs: Sequence[AnyRun], hookup: str, size: float, way: Direction) -> float | None:
    found = end_of(review, runs, hookup, way)
    return None if found is None else size / work(size, [found[0]]).seconds
