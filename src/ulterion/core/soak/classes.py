"""Whether a load never fell below a rate, second by second, as the video speed classes want it.

Requests are counted in the second in which they end, though they moved their bytes over all the time they took: an even rate of six
and a quarter requests a second is counted as six, six, six, seven.  With p the bytes that requests in flight at the beginning of a second
had already moved, what was really moved in it is what was counted, less p, and the p of its end more; 0 <= p <= what is in flight.  A rate was
kept if such p exist, and not if they do not.  A drive works off one request after another, or all in flight together: a rate that
only the latter would have kept cannot be determined.
"""

from __future__ import annotations

from ulterion.core.arrays import Floats, np
from ulterion.core.records import dataclass
from ulterion.core.soak.trace import Trace

SPEED_CLASSES = (6, 10, 30, 60, 90)  # SD Physical Layer Specification, video speed classes: MB/s of sustained writing
EXACT = 1e-9  # of a rate, that its own rounding may make
WHOLE = 0.95  # of the usual length, that a row must have to count


def whole_rows(trace: Trace) -> np.ndarray:
    """Return which rows have the usual length: the last of a phase may be cut short, and says little."""
    return np.asarray(trace.seconds >= WHOLE * float(np.median(trace.seconds)))


def never_below(trace: Trace, rate: float) -> bool | None:
    """Return whether every row of a load moved at least `rate` (bytes per second); None when its requests are too coarse to tell."""
    rows = whole_rows(trace)
    counted, needed = (trace.rate * trace.seconds)[rows], rate * trace.seconds[rows]
    if _possible(counted, needed, trace.block):
        return True
    return None if _possible(counted, needed, trace.block * trace.depth) else False


def _possible(counted: Floats, needed: Floats, in_flight: float) -> bool:
    """Return whether bytes in flight, never more than so many, make up for what was counted too late."""
    ahead = 0.0
    for got, wanted in zip(counted.tolist(), needed.tolist(), strict=True):
        ahead = max(0.0, wanted - got + ahead)
        if ahead > in_flight + EXACT * wanted:
            return False
    return True


@dataclass(frozen=True)
class SpeedClasses:
    """The highest video speed class whose rate every row `kept`, and the highest above it that is `unclear`; None for none."""

    kept: int | None
    unclear: int | None


def speed_classes(trace: Trace) -> SpeedClasses:
    """Return which video speed classes a load kept."""
    told = {c: never_below(trace, c * 1e6) for c in SPEED_CLASSES}
    kept = max((c for c, answer in told.items() if answer), default=None)
    unclear = max((c for c, answer in told.items() if answer is None and c > (kept or 0)), default=None)
    return SpeedClasses(kept, unclear)
