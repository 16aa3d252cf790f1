"""How fast a chain is, without noise: the truth that a measurement on the simulated bench should find.

The rate of a workload is the least of three:

    the ceiling      the lowest of what every part moves and every link carries
    the queue        requests in flight x block / (overhead + wait + block / ceiling), where a part that does not queue
                     lets through one at a time
    the medium       requests it works on at once x block / (wait + block / ceiling); sequential requests do not wait

Little's law gives the mean latency: requests in flight over requests per second.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import replace

from ulterion.core.records import dataclass
from ulterion.core.workloads.workload import DriveWorkload
from ulterion.sim.bench import SimPart


@dataclass(frozen=True)
class Truth:
    """The noiseless behaviour of a chain under a workload.

    Attributes:
        rate: bytes per second.
        latency: mean, in seconds.
        flush: seconds at the end of a write pass.
        noise: standard deviation of the logs from pass to pass.
    """

    rate: float
    latency: float
    flush: float
    noise: float


def ceiling(chain: Sequence[SimPart], direction: str) -> float:
    """Return the lowest rate (bytes per second) that any part or link of the chain allows; infinite if none is known."""
    own = [p.read if direction == "read" else p.write for p in chain]
    links = [k.practical_high for p in chain for k in (p.link, p.inside) if k is not None]
    return min([r for r in own if r is not None] + links, default=math.inf)


def truth(chain: Sequence[SimPart], workload: DriveWorkload) -> Truth:
    """Return what the chain does under the workload, without noise.

    A mixed workload spends on each request the time its direction takes: the rates' harmonic mean, weighted by share.
    """
    if workload.direction == "mixed":
        share = workload.write_share or 0.0
        read, write = (truth(chain, replace(workload, direction=d)) for d in ("read", "write"))
        rate = 1 / ((1 - share) / read.rate + share / write.rate)
        return replace(write, rate=rate, latency=workload.depth * workload.block_bytes / rate)
    medium, block = chain[-1], workload.block_bytes
    most = ceiling(chain, workload.direction)
    wait = (medium.read_wait if workload.direction == "read" else medium.write_wait) or 0.0
    wait = wait if workload.pattern == "random" else 0.0
    overhead = sum(p.overhead or 0.0 for p in chain)
    in_flight = min([workload.depth] + [p.queue for p in chain if p.queue is not None])
    at_medium = wait + block / most
    rates = [most, in_flight * block / (overhead + at_medium)]
    if wait:
        rates.append(medium.parallel * block / at_medium)
    rate = min(rates)
    return Truth(
        rate=rate,
        latency=workload.depth * block / rate,
        flush=(medium.flush or 0.0) if workload.direction == "write" else 0.0,
        noise=medium.small_noise if workload.pattern == "random" else medium.noise,
    )
