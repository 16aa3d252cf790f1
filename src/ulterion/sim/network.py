"""A simulated network: what a chain that ends at a peer does under a network's workload, and what it counts besides bytes."""

from __future__ import annotations

import math
from collections.abc import Sequence

from ulterion.core.arrays import np
from ulterion.core.facts.devices import Adapter
from ulterion.core.facts.target import NetworkEnd, NetworkFacts
from ulterion.core.links.chain import Step
from ulterion.core.links.standards import Link
from ulterion.core.workloads.network import Datagrams, NetworkCounts
from ulterion.core.workloads.workload import NetworkWorkload
from ulterion.sim.bench import SimPart
from ulterion.sim.physics import Truth, ceiling

ETHERNET = "Ethernet"
JITTER = 0.1  # of the way there, as a share of it


def network_truth(chain: Sequence[SimPart], workload: NetworkWorkload) -> Truth:
    """Return what a chain does under a network's workload, without noise.

    Streams run at the lowest ceiling of their direction, both directions beside each other as Ethernet has them (full duplex).  A message
    waits for every part on its way, and for the peer's answer.  Datagrams come at the rate they are sent, less what is lost or too much.
    """
    peer, block = chain[-1], workload.block_bytes
    ways = {"receive": ceiling(chain, "read"), "send": ceiling(chain, "write")}
    if workload.pattern == "messages":
        trip = (
            sum(p.overhead or 0.0 for p in chain)
            + (peer.read_wait or 0.0)
            + block / ways["send"]
            + block / ways["receive"]
        )
        return Truth(block / trip, trip, 0.0, peer.small_noise)
    if workload.pattern == "datagrams":
        passed = min(workload.pace or math.inf, ways[workload.direction])
        rate = passed * (1 - lost(chain))
        return Truth(rate, block / rate, 0.0, 0.0)
    rate = sum(ways.values()) if workload.direction == "both" else ways[workload.direction]
    return Truth(rate, workload.depth * block / rate, 0.0, peer.noise)


def lost(chain: Sequence[SimPart]) -> float:
    """Return the share of datagrams that the parts of a chain lose between them."""
    return 1 - math.prod(1 - p.lost for p in chain)


def counts(
    chain: Sequence[SimPart], workload: NetworkWorkload, moved: int, seconds: float, rng: np.random.Generator
) -> NetworkCounts:
    """Return what is counted besides the bytes of a pass that moved so many in so many seconds."""
    if workload.pattern == "datagrams":
        sent = max(round((workload.pace or 0.0) * seconds / workload.block_bytes), 1)
        carried = min(1.0, ceiling(chain, workload.drive_direction) / (workload.pace or math.inf))
        received = int(rng.binomial(sent, (1 - lost(chain)) * carried))
        way = (chain[-1].read_wait or 0.0) / 2
        what = Datagrams(sent, received, jitter=way * JITTER)
        total = sent * workload.block_bytes
        return NetworkCounts(
            total if workload.direction == "send" else 0,
            moved if workload.direction == "receive" else 0,
            datagrams=what,
        )
    share = {"receive": 1.0, "send": 0.0}.get(workload.direction)
    if share is None:
        into, out = ceiling(chain, "read"), ceiling(chain, "write")
        share = into / (into + out)
    if workload.pattern == "messages":
        return NetworkCounts(moved, moved)
    return NetworkCounts(moved - round(moved * share), round(moved * share), retransmits=0)


def adapter_of(names: Sequence[str], chain: Sequence[SimPart]) -> tuple[str, SimPart, Link | None]:
    """Return the network adapter of a chain that ends at a peer: the last part before it, and the rate that it negotiates."""
    part, links = (
        chain[-2],
        [k for p in chain for k in (p.link, p.inside) if k is not None and k.family == ETHERNET],
    )
    return names[-2], part, min(links, key=lambda link: link.payload, default=None)


def shown_network(host: str, names: Sequence[str], chain: Sequence[SimPart]) -> NetworkFacts:
    """Return both ends as a real bench would show them."""
    name, part, link = adapter_of(names, chain)
    rate, far = (k.name if k else None for k in (link, chain[-1].link))
    here = NetworkEnd(
        host=host,
        address=None,
        adapter=name,
        driver=part.driver,
        link=rate,
        duplex="full",
        mtu=1500,
        radio=False,
        made_up=False,
    )
    return NetworkFacts(
        here,
        NetworkEnd(
            host=names[-1],
            address=None,
            adapter=None,
            driver=chain[-1].driver,
            link=far,
            duplex="full",
            mtu=1500,
            radio=False,
            made_up=False,
        ),
    )


def shown_adapter(names: Sequence[str], chain: Sequence[SimPart], drive_steps: Sequence[Step]) -> Adapter:
    """Return the adapter as a survey shows it; `drive_steps` are the steps of the chain, the peer's last."""
    name, part, link = adapter_of(names, chain)
    return Adapter(name, link.name if link else None, part.driver, "up", tuple(drive_steps[:-1]))
