"""From what both ends of a network know of a pass to its result."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

from ulterion.core.errors import PassSpoiled, TargetFailed
from ulterion.core.links.standards import Link
from ulterion.core.units import show_bit_rate, show_duration
from ulterion.core.workloads.histogram import LatencyHistogram
from ulterion.core.workloads.network import Datagrams, NetworkCounts
from ulterion.core.workloads.passes import PassResult
from ulterion.core.workloads.sanity_limits import ROUNDING
from ulterion.engine.network.passes import Order, Outcome, merged_series
from ulterion.engine.network.streams import INTERVAL, joined

SHORT = 0.5  # share of the time asked for; a pass over which less was counted is no result
MIN_PACE = 0.97  # share of the rate asked for that datagrams must have been sent at


def check_pass(order: Order, result: PassResult, links: Sequence[Link]) -> PassResult:
    """Return a pass that may be a result; raise PassSpoiled for one far shorter than asked, or above a link that was negotiated."""
    if result.seconds < SHORT * order.window.seconds:
        asked = show_duration(order.window.seconds)
        raise PassSpoiled(f"{show_duration(result.seconds)} of {asked} were counted", of_target=True)
    each_way = result.rate / (2 if order.direction == "both" else 1)
    for link in links:
        if each_way > link.payload * ROUNDING:
            raise PassSpoiled(f"{show_bit_rate(each_way)} were counted, more than {link.name} carries", of_target=True)
    return result


def streams_pass(order: Order, mine: Outcome, theirs: Outcome, counts: NetworkCounts, spent: float) -> PassResult:
    """Return the pass that streams or messages make; what each end received, by its own clock, is added up."""
    received, sent = joined(list(mine.counted.values())), joined(list(theirs.counted.values()))
    rate = sum(b / s for b, s in (received, sent) if s > 0)
    if rate <= 0:
        raise TargetFailed("no data arrived while it was counted; use longer passes with --seconds")
    every = [*mine.counted.values(), *theirs.counted.values()]
    total, gaps = received[0] + sent[0], LatencyHistogram()
    for one in every:
        gaps.merge(one.gaps)
    series = merged_series([c.series for c in every])
    again = [s.retransmits for o in (mine, theirs) for s in o.sent.values()]
    requests = sum(c.arrivals for c in every)
    if order.kind == "messages":
        sent = received
    return PassResult(
        bytes=total,
        seconds=total / rate,
        requests=max(requests if order.kind == "messages" else total // order.block, 1),
        latency=gaps,
        flush_seconds=None,
        cpu_seconds=spent,
        interval=order.window.seconds / max(len(series), 1),
        interval_bytes=tuple(series),
        network=replace(
            counts,
            sent_bytes=sent[0],
            received_bytes=received[0],
            retransmits=sum(a or 0 for a in again) if again and None not in again else None,
        ),
    )


def datagrams_pass(order: Order, mine: Outcome, theirs: Outcome, counts: NetworkCounts, spent: float) -> PassResult:
    """Return the pass that datagrams make; raise TargetFailed where none came, or they could not be sent at the rate asked for."""
    arrived = mine.arrived or theirs.arrived
    sent = mine.datagrams_sent
    if arrived is None or arrived.counts.received < 2 or arrived.seconds <= 0 or sent is None:
        raise TargetFailed("no datagrams came through: a firewall, or none get through at this rate")
    what: Datagrams = replace(arrived.counts, sent=sent)
    pace = order.pace or 1.0
    real = sent * order.block / max(mine.sending_seconds or 0.0, order.window.seconds)
    if real < pace * MIN_PACE:
        raise TargetFailed(
            f"datagrams could be sent only at {show_bit_rate(real)}, not at {show_bit_rate(pace)}: ask for less, or for larger ones"
        )
    return PassResult(
        bytes=arrived.bytes,
        seconds=arrived.seconds,
        requests=what.received,
        latency=LatencyHistogram(),
        flush_seconds=None,
        cpu_seconds=spent,
        interval=INTERVAL,
        interval_bytes=tuple(arrived.series),
        network=replace(
            counts,
            sent_bytes=sent * order.block if order.direction == "send" else 0,
            received_bytes=arrived.bytes if order.direction == "receive" else 0,
            datagrams=what,
        ),
    )
