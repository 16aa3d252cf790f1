"""What a measurement over a network says, in plain text."""

from __future__ import annotations

from ulterion.core.facts.target import NetworkEnd, TargetFacts
from ulterion.core.units import show_between, show_duration, significant
from ulterion.core.workloads.network import Datagrams, lost_share
from ulterion.model.runs.measure import MeasureRun, WorkloadRecord

BUSY = 0.9  # share of a core from which the program itself may have been the limit


def end_words(end: NetworkEnd) -> str:
    """Return what is known of one end."""
    duplex = "half duplex" if end.duplex == "half" else None
    mtu = f"packets of {end.mtu} B" if end.mtu else None
    kind = "no hardware" if end.made_up else "radio" if end.radio else None
    adapter = ", ".join(w for w in (end.adapter, end.driver, end.link, duplex, kind, mtu) if w)
    return " ".join(
        w for w in (end.host, f"({end.address})" if end.address else None, f"by {adapter}" if adapter else None) if w
    )


def preview(facts: TargetFacts) -> list[tuple[str, str]]:
    """Return what a network's run goes over."""
    ends = facts.network
    rows = [("target", facts.path)]
    if ends is not None:
        rows += [("here", end_words(ends.here)), ("peer", end_words(ends.there) or "says nothing of itself")]
    if facts.link or facts.model:
        rows.append(("adapter", ", ".join(w for w in (facts.model, facts.driver, facts.link) if w)))
    return rows


def datagram_words(name: str, counts: Datagrams) -> str:
    """Return what became of datagrams, with the interval of the share that was lost."""
    share, low, high = lost_share(counts)
    told = [
        f"{counts.lost:,} of {counts.sent:,} lost ({_percent(share)}, 95%: {show_between(_percent(low), _percent(high))})"
    ]
    if counts.overrun:
        told.append(f"{counts.overrun} of them dropped by the receiving machine itself, which was not quick enough")
    told += [f"{counts.late} out of order"] if counts.late else []
    told += [f"{counts.twice} came twice"] if counts.twice else []
    told += [f"jitter {show_duration(counts.jitter)}"] if counts.jitter else []
    return f"{name}: {'; '.join(told)}"


def _percent(share: float) -> str:
    return f"{significant(share * 100, 2)}%" if share else "0%"


def stream_notes(run: MeasureRun, record: WorkloadRecord) -> list[str]:
    """Return what else is worth knowing of the streams of a workload: both directions apart, segments sent again, faults."""
    passes = [p for p in record.counted if p.network is not None]
    name, words = record.workload.title, []
    seconds = sum(p.seconds for p in passes)
    if record.workload.pattern == "streams" and record.workload.direction == "both" and seconds:
        ways = [sum(getattr(p.network, f"{w}_bytes") for p in passes) / seconds * 8 / 1e6 for w in ("received", "sent")]
        words.append(f"{name}: in {ways[0]:.0f} Mb/s, out {ways[1]:.0f} Mb/s")
    again = sum(p.network.retransmits or 0 for p in passes if p.network)
    if again and record.workload.pattern == "streams":
        words.append(f"{name}: {again} segments had to be sent again")
    cpu = sum(p.cpu_seconds or 0.0 for p in passes)
    if seconds and cpu / seconds > BUSY and record.workload.depth == 1 and record.workload.pattern == "streams":
        words.append(
            f"{name}: the program used {cpu / seconds * 100:.0f}% of a core: the processor may be the limit, not the network"
        )
    for what, word in (("errors", "faulty"), ("drops", "dropped")):
        count = sum(getattr(p.network, what) or 0 for p in passes)
        if count:
            words.append(f"{name}: {run.target.device} counted {count} packets as {word}")
    return words
