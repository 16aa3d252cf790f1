"""What the program itself takes of a figure: its own cost of a request, and whether its worker was the limit."""

from __future__ import annotations

from ulterion.core.records import dataclass

SHARE = 0.03  # of a request's time from which our own part is told
BUSY = 0.85  # of a pass, from which a worker counts as the limit


@dataclass(frozen=True)
class RequestOverhead:
    """The program's own part in a figure.

    Attributes:
        share: of the time that a worker has for a request, at most; None where our cost is not known.
        busy: share of the pass in which the busiest worker computed, or None.
        workers: workers that shared the pass.
    """

    share: float | None
    busy: float | None
    workers: int

    @property
    def is_large(self) -> bool:
        """Whether our part belongs beside the figure."""
        return self.share is not None and self.share > SHARE

    @property
    def is_limit(self) -> bool:
        """Whether a worker was the limit."""
        return self.busy is not None and self.busy > BUSY


def request_overhead(
    cost: float | None, busy: float | None, seconds: float, requests: int, workers: int
) -> RequestOverhead:
    """Return our part in a pass of so many seconds and requests, `cost` seconds being ours for each request."""
    share = None if cost is None else min(1.0, cost * requests / (seconds * workers))
    return RequestOverhead(share, busy, workers)
