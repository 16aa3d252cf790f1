"""The results of the workers of a pass, one by one and joined."""

from __future__ import annotations

from collections.abc import Sequence

from ulterion.core.records import dataclass
from ulterion.core.workloads.histogram import LatencyHistogram
from ulterion.core.workloads.passes import PassResult
from ulterion.core.workloads.series import IntervalSeries
from ulterion.engine.requests.io_methods import WorkerCounts


@dataclass(frozen=True)
class WorkerResult:
    """The result of one worker, as its process returns it.  Times are on the `perf_counter_ns` clock."""

    bytes: int
    requests: int
    latency: LatencyHistogram
    series: IntervalSeries
    start_ns: int
    last_ns: int
    flushed_ns: int | None
    cpu_seconds: float
    paused: bool = False

    @classmethod
    def of(
        cls, moved: WorkerCounts, flushed_ns: int | None, cpu_seconds: float, *, paused: bool = False
    ) -> WorkerResult:
        """Join the recorders of one worker."""
        first, *others = moved.recorders
        latency, series = first.latency, first.series
        for other in others:
            latency.merge(other.latency)
            series.merge(other.series)
        requests = sum(r.requests for r in moved.recorders)
        return cls(
            bytes=requests * first.block_bytes,
            requests=requests,
            latency=latency,
            series=series,
            start_ns=moved.start_ns,
            last_ns=moved.last_ns,
            flushed_ns=flushed_ns,
            cpu_seconds=cpu_seconds,
            paused=paused,
        )


def join(shares: Sequence[WorkerResult], block_bytes: int) -> PassResult:
    """Join the workers of a pass: from the common start to the last completion, or to the end of the last flush."""
    first, *others = shares
    for other in others:
        first.latency.merge(other.latency)
        first.series.merge(other.series)
    last = max(s.last_ns for s in shares)
    flushed = [s.flushed_ns for s in shares if s.flushed_ns is not None]
    end = max([last, *flushed])
    requests = sum(s.requests for s in shares)
    return PassResult(
        bytes=requests * block_bytes,
        seconds=(end - min(s.start_ns for s in shares)) / 1e9,
        requests=requests,
        latency=first.latency,
        flush_seconds=(end - last) / 1e9 if flushed else None,
        cpu_seconds=sum(s.cpu_seconds for s in shares),
        workers=len(shares),
        busy=min(1.0, max(s.cpu_seconds / max(s.last_ns - s.start_ns, 1) * 1e9 for s in shares)),
        interval=first.series.interval,
        interval_bytes=tuple(first.series.values),
    )
