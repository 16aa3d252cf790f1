"""Hubs that several simulated targets share: each gets what it asks for, up to an equal part of what is left."""

from __future__ import annotations

import contextlib
import math
from collections.abc import Iterator, Sequence

from ulterion.core.workload import Workload
from ulterion.sim.target import SimTarget


def allot(wanted: Sequence[float], most: float) -> list[float]:
    """Share `most` among those who want some: nobody gets more than wanted, what one leaves goes to the others.

    This is max-min fairness (D. Bertsekas, R. Gallager, Data Networks, 6.5.2).
    """
    given = [0.0] * len(wanted)
    left, waiting = most, sorted(range(len(wanted)), key=lambda i: wanted[i])
    while waiting:
        part = left / len(waiting)
        first = waiting.pop(0)
        given[first] = min(wanted[first], part)
        left -= given[first]
    return given


@contextlib.contextmanager
def hubs_shared(targets: Sequence[SimTarget], workload: Workload) -> Iterator[None]:
    """Within the block each target has what the hubs it shares with others leave it."""
    wanted = [t.state.truth(workload).rate for t in targets]
    limits = [math.inf] * len(targets)
    hubs = dict.fromkeys(n for t in targets for n, p in zip(t.names, t.chain, strict=True) if p.shared is not None)
    for hub in hubs:
        users = [i for i, t in enumerate(targets) if hub in t.names]
        most = next(p.shared for n, p in zip(targets[users[0]].names, targets[users[0]].chain, strict=True) if n == hub)
        for index, given in zip(users, allot([wanted[i] for i in users], most or math.inf), strict=True):
            limits[index] = min(limits[index], given)
    for target, limit in zip(targets, limits, strict=True):
        target.state.allotted = limit
    try:
        yield
    finally:
        for target in targets:
            target.state.allotted = math.inf
