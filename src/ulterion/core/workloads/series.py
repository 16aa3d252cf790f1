"""Interval series: bytes moved in each interval of a pass, in bounded memory."""

from __future__ import annotations

from ulterion.core.arrays import Floats, Integers, np

INTERVAL = 0.1  # seconds, to begin with
MAX_INTERVALS = 2048  # above it pairs are joined and the interval doubles, so memory does not grow with time


class IntervalSeries:
    """Bytes completed in consecutive intervals of equal length since the start of a pass."""

    def __init__(self, interval: float = INTERVAL) -> None:
        self.interval = interval
        self._bytes: Integers = np.zeros(MAX_INTERVALS, dtype=np.int64)
        self._used = 0

    @classmethod
    def of(cls, interval: float, bytes_of: Integers, used: int) -> IntervalSeries:
        """Return a series that was counted elsewhere: bytes of `MAX_INTERVALS` intervals, of which the first `used` count."""
        made = cls(interval)
        made._bytes, made._used = bytes_of, used
        return made

    def add(self, times: Floats, bytes_each: int) -> None:
        """Count requests of `bytes_each` that completed at `times` (seconds since the start, none below zero)."""
        if times.size == 0:
            return
        last = float(times.max())
        while last / self.interval >= MAX_INTERVALS:
            self._fold()
        index = (times / self.interval).astype(np.int64)
        self._bytes += np.bincount(index, minlength=MAX_INTERVALS) * bytes_each
        self._used = max(self._used, int(index.max()) + 1)

    def _fold(self) -> None:
        """Join pairs of intervals."""
        joined = self._bytes.reshape(-1, 2).sum(axis=1)
        self._bytes = np.concatenate([joined, np.zeros_like(joined)])
        self._used = (self._used + 1) // 2
        self.interval *= 2

    def merge(self, other: IntervalSeries) -> None:
        """Add a series with the same start; the finer of the two is folded to the coarser."""
        finer = IntervalSeries(other.interval)
        finer._bytes, finer._used = other._bytes.copy(), other._used
        while self.interval < finer.interval:
            self._fold()
        while finer.interval < self.interval:
            finer._fold()
        self._bytes += finer._bytes
        self._used = max(self._used, finer._used)

    @property
    def values(self) -> list[int]:
        """Bytes of each interval, from the start to the last that saw a completion."""
        return [int(b) for b in self._bytes[: self._used]]
