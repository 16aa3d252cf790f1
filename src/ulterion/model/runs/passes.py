"""A pass as it is written down: bytes, seconds, latencies and the series of its intervals."""

from __future__ import annotations

from dataclasses import replace
from typing import Annotated

from ulterion.core.documents.fields import Field, Limits
from ulterion.core.documents.written import Written
from ulterion.core.soak.warmth import Warmth
from ulterion.core.workloads.histogram import BUCKETS, LatencyHistogram
from ulterion.core.workloads.network import NetworkCounts
from ulterion.core.workloads.pass_states import PassShape, shape_of
from ulterion.core.workloads.passes import PassResult
from ulterion.core.workloads.workload import PassState
from ulterion.model.quantities import MAX_COUNT, Count, Seconds

PERCENTILES = {"p50": 50.0, "p90": 90.0, "p99": 99.0, "p999": 99.9}
COUNTED_TO = 1.5  # seconds: drives count whole ones
COLD = Warmth()  # of which nothing is known
Bucket = Annotated[int, Limits(ge=0, lt=BUCKETS)]


class Latency(Written):
    """Latencies of a pass in seconds; the histogram's buckets grow by 1% from 100 ns."""

    least: Seconds
    mean: Seconds
    p50: Seconds
    p90: Seconds
    p99: Seconds
    p999: Seconds
    greatest: Seconds
    histogram: list[tuple[Bucket, Count]] = Field(description="pairs of bucket number and count")

    @classmethod
    def of(cls, histogram: LatencyHistogram) -> Latency:
        """Write a histogram down."""
        return cls(
            least=histogram.least_ns / 1e9,
            mean=histogram.mean,
            greatest=histogram.greatest_ns / 1e9,
            histogram=histogram.pairs(),
            **{name: histogram.percentile(q) for name, q in PERCENTILES.items()},
        )

    def read_back(self) -> LatencyHistogram:
        """Return the histogram."""
        return LatencyHistogram.from_pairs(self.histogram, self.least, self.greatest, self.mean)


class Series(Written):
    """Bytes completed in consecutive intervals since the start of the pass."""

    interval: float = Field(gt=0, description="seconds")
    bytes: list[Count]


class PassRecord(Written):
    """One repetition of a workload."""

    number: int = Field(ge=0, description="from 1; 0 is a warm-up, kept but not counted")
    bytes: int = Field(gt=0, le=MAX_COUNT)
    seconds: float = Field(ge=1e-9, le=1e9, description="first submission to last completion, the flush included")
    requests: int = Field(gt=0, le=MAX_COUNT)
    flush_seconds: Seconds | None = None
    cpu_seconds: Seconds | None = None
    workers: Count | None = Field(default=None, description="worker processes that shared it")
    busy: float | None = Field(
        default=None, ge=0, le=2, description="share of the time in which the busiest of them computed"
    )
    temperature: float | None = Field(default=None, description="of the drive right after it, C")
    hot: bool | None = Field(default=None, description="whether heat may have slowed it")
    throttled_seconds: Seconds | None = Field(
        default=None, description="of throttling that the drive counted meanwhile"
    )
    state: PassState | None = Field(default=None, description="of the drive, where two states were told apart")
    latency: Latency | None = Field(default=None, description="None for datagrams, which are not answered")
    network: NetworkCounts | None = Field(default=None, description="of a pass over a network")
    series: Series

    @classmethod
    def of(cls, number: int, result: PassResult, before: Warmth = COLD, after: Warmth = COLD) -> PassRecord:
        """Write the result of a pass down, with what the drive said of its heat before and after it."""
        return cls(
            number=number,
            temperature=after.temperature,
            hot=after.was_hot(before),
            throttled_seconds=after.throttled_since(before),
            bytes=result.bytes,
            seconds=result.seconds,
            requests=result.requests,
            flush_seconds=result.flush_seconds,
            cpu_seconds=result.cpu_seconds,
            workers=result.workers,
            busy=result.busy,
            latency=Latency.of(result.latency) if result.latency.total else None,
            network=result.network,
            series=Series(interval=result.interval, bytes=list(result.interval_bytes)),
        )

    @property
    def rate(self) -> float:
        """Bytes per second."""
        return self.bytes / self.seconds

    @property
    def shape(self) -> PassShape:
        """Its rate without the flush, that of its intervals, and what is known of heat."""
        result = PassResult(
            bytes=self.bytes,
            seconds=self.seconds,
            requests=self.requests,
            latency=LatencyHistogram(),
            flush_seconds=self.flush_seconds,
            cpu_seconds=None,
            interval=self.series.interval,
            interval_bytes=tuple(self.series.bytes),
        )
        warm = self.hot is None and self.temperature is not None
        return replace(shape_of(result), hot=self.hot, throttled=self._throttled, warm=warm)

    @property
    def _throttled(self) -> float | None:
        """The share of its time that the drive counted as throttled: all of it, where only a counter's rounding is missing."""
        counted = self.throttled_seconds
        if not counted:
            return counted
        return 1.0 if counted > self.seconds - COUNTED_TO else counted / self.seconds
