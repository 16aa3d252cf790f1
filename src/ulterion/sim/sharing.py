"""What several simulated targets share, ports, hubs and cables: each gets what it asks for, up to an equal part of what is left."""

from __future__ import annotations

import contextlib
import math
from collections.abc import Iterator, Sequence

from ulterion.core.workloads.workload import Workload
from ulterion.sim.bench import SimPart
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


def carries(part: SimPart, direction: str) -> float:
    """Return the most that one port or part moves for all behind it, bytes per second; infinite where the bench does not say."""
    own = {"read": [part.read], "write": [part.write], "mixed": [part.read, part.write]}.get(
        direction, [part.read, part.write]
    )
    link = part.link.practical_high if part.link is not None else None
    return min((rate for rate in (part.shared, link, *own) if rate is not None), default=math.inf)


@contextlib.contextmanager
def ways_shared(targets: Sequence[SimTarget], workloads: Sequence[Workload]) -> Iterator[None]:
    """Within the block each target has what the ports, hubs and cables it shares with others leave it."""
    wanted = [t.state.truth(w).rate for t, w in zip(targets, workloads, strict=True)]
    limits = [math.inf] * len(targets)
    for name in dict.fromkeys(n for t in targets for n in t.names):
        users = [i for i, t in enumerate(targets) if name in t.names]
        first = targets[users[0]]
        most = carries(first.chain[first.names.index(name)], workloads[users[0]].drive_direction)
        if len(users) > 1:
            for index, given in zip(users, allot([wanted[i] for i in users], most), strict=True):
                limits[index] = min(limits[index], given)
    for target, limit in zip(targets, limits, strict=True):
        target.state.allotted = limit
    try:
        yield
    finally:
        for target in targets:
            target.state.allotted = math.inf
