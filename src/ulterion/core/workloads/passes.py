"""The result of one pass, as every engine and the simulated bench give it."""

from __future__ import annotations

from collections.abc import Callable
from typing import NamedTuple

from ulterion.core.records import dataclass
from ulterion.core.workloads.histogram import LatencyHistogram
from ulterion.core.workloads.network import NetworkCounts

Tick = Callable[[float, int], None]
"""Called between requests with (seconds since the start of the pass, bytes so far)."""
OnPrefill = Callable[[int, int], None]
"""Called while a test file is laid down with (bytes so far, bytes in all)."""


class EngineChoice(NamedTuple):
    """How the requests of a workload are issued, and why so."""

    name: str
    why: str


@dataclass(frozen=True)
class PassResult:
    """What one repetition of a workload gave.

    Attributes:
        bytes: bytes moved.
        seconds: first submission to last completion, the flush of a write pass included.
        requests: requests completed.
        latency: histogram of the requests' latencies.
        flush_seconds: the flush by itself (None for a read pass).
        cpu_seconds: processor time of this process during the pass, or None where it means nothing (simulated).
        workers: workers that shared it, or None (simulated).
        busy: share of the time in which the busiest worker computed, the flush left out; None likewise.
        network: what a pass over a network counted besides, or None.
        interval: seconds of one interval of the series.
        interval_bytes: bytes completed in each interval.
    """

    bytes: int
    seconds: float
    requests: int
    latency: LatencyHistogram
    flush_seconds: float | None
    cpu_seconds: float | None
    interval: float
    interval_bytes: tuple[int, ...]
    workers: int | None = None
    busy: float | None = None
    network: NetworkCounts | None = None

    @property
    def rate(self) -> float:
        """Bytes per second."""
        return self.bytes / self.seconds
