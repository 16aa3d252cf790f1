"""Steady state, and what a rate never fell below.

The criterion is that of the SNIA Solid State Storage Performance Test Specification (2.0.2, definition of steady
state): over a window of five rounds the largest less the smallest is at most 20% of the average, and the line fitted through them
rises or falls by at most 10% of the average from the first round to the fifth.  A round there is one measurement; the
form used on a soak takes rounds of equal length in time.
"""

from __future__ import annotations

from collections.abc import Sequence

from ulterion.core.arrays import Floats, np
from ulterion.core.records import dataclass
from ulterion.core.soak.classes import speed_classes, whole_rows
from ulterion.core.soak.trace import Trace, longest_true

ROUNDS = 5
EXCURSION, SLOPE = 0.20, 0.10  # shares of the window's average
ROUND_SECONDS = 60.0
STALL_SHARE = 0.02  # of the median rate: a row below it moved as good as nothing
STALL_LATENCY = 1.0  # seconds that one request took


@dataclass(frozen=True)
class Window:
    """Five rounds held against the criterion: shares of their average, and whether both are within it."""

    average: float
    excursion: float
    slope: float

    @property
    def steady(self) -> bool:
        """Whether the window is steady."""
        return self.excursion <= EXCURSION and self.slope <= SLOPE


def window(rounds: Sequence[float] | Floats) -> Window:
    """Judge five rounds (rates above zero on average)."""
    values = np.asarray(rounds, dtype=np.float64)
    average = float(values.mean())
    if average <= 0:
        return Window(average, np.inf, np.inf)
    rise = float(np.polyfit(np.arange(values.size), values, 1)[0]) * (values.size - 1)
    return Window(average, float(values.max() - values.min()) / average, abs(rise) / average)


def steady_round(rounds: Sequence[float]) -> int | None:
    """Return the number (from 1) of the round at which five in a row are steady for the first time, or None."""
    for last in range(ROUNDS, len(rounds) + 1):
        if window(rounds[last - ROUNDS : last]).steady:
            return last
    return None


def rounds_of(trace: Trace, seconds: float = ROUND_SECONDS) -> Floats:
    """Return the mean rate of each whole round of a load, from its beginning."""
    if trace.at.size == 0:
        return np.zeros(0)
    number = ((trace.at - trace.at[0]) / seconds + 1e-9).astype(np.int64)
    lengths = np.bincount(number, weights=trace.seconds)
    moved = np.bincount(number, weights=trace.rate * trace.seconds)
    whole = lengths >= seconds * 0.95
    return np.asarray(moved[whole] / lengths[whole], dtype=np.float64)


@dataclass(frozen=True)
class Steady:
    """The steady end of a load: since when (seconds from its beginning), and the last window."""

    since: float
    window: Window


def steady_end(trace: Trace, seconds: float = ROUND_SECONDS) -> Steady | None:
    """Return since when a load was steady up to its end, or None when its last five rounds are not steady.

    It is steady from the first round on of the longest run of steady windows that reaches the end, and each round of
    it within the excursion allowed around the average of the last window: a cache used up in between ends it.
    """
    rounds = rounds_of(trace, seconds)
    if rounds.size < ROUNDS or not window(rounds[-ROUNDS:]).steady:
        return None
    last = window(rounds[-ROUNDS:])
    first = rounds.size - ROUNDS
    while (
        first > 0
        and window(rounds[first - 1 : first - 1 + ROUNDS]).steady
        and (abs(rounds[first - 1] / last.average - 1) <= EXCURSION / 2)
    ):
        first -= 1
    return Steady(first * seconds, last)


@dataclass(frozen=True)
class Lowest:
    """What a load never fell below.

    Attributes:
        by_row: lowest rate of a row (a second, unless rows are longer) by the requests that ended in it, and `row_seconds` the length of a row.
        by_minute: lowest mean of any 60 seconds; None for a shorter load.
        speed_class: highest video speed class whose rate every row kept, or None; `unclear_class` the highest above it of which requests are
            too coarse to tell, or None.
        stalls: stretches in which as good as nothing was moved or a request took a second or longer.
        longest_stall: seconds.
    """

    by_row: float
    row_seconds: float
    by_minute: float | None
    speed_class: int | None
    stalls: int
    longest_stall: float
    unclear_class: int | None = None


def lowest(trace: Trace) -> Lowest | None:
    """Return what a load never fell below; None for one of fewer than three rows.  The last, partial row is left out."""
    if trace.at.size < 3:
        return None
    length = float(np.median(trace.seconds))
    whole = whole_rows(trace)
    rate, seconds = trace.rate[whole], trace.seconds[whole]
    least = float(rate.min())
    per_minute = max(1, round(60.0 / length))
    by_minute = None
    if rate.size >= per_minute:
        sums = np.concatenate([[0.0], np.cumsum(rate)])
        by_minute = float((sums[per_minute:] - sums[:-per_minute]).min() / per_minute)
    stalled = rate < STALL_SHARE * float(np.median(rate))
    if trace.worst is not None:
        stalled = stalled | (np.nan_to_num(trace.worst[whole]) >= STALL_LATENCY)
    starts = stalled & ~np.concatenate([[False], stalled[:-1]])
    classes = speed_classes(trace)
    longest = longest_true(stalled, seconds)
    return Lowest(
        by_row=least,
        row_seconds=length,
        by_minute=by_minute,
        speed_class=classes.kept,
        stalls=int(starts.sum()),
        longest_stall=longest,
        unclear_class=classes.unclear,
    )
