"""What repeated measurements say of their mean: by the passes of one run, or by the means of several runs.

What varies from one run to the next (the plug taken out and put in again, where a file came to lie, how warm it was) is in no pass of
a single run.  So several runs are a sample of runs: their mean is the mean of the runs' means, and how sure it is follows from how far
these lie apart, never less than their passes' scatter explains (the one-way layout with random effects; H. Scheffé, The Analysis of
Variance, 1959, chapter 7).

Where the number of passes followed from what they gave (`Looked`), the spread found at the end is one that looked small.  Then the
greatest that any look found is taken: benchmarks/looks.py counts that intervals hold, and null comparisons are called different, as often as
they should.

Passes that rise or sink one after the other are no sample of one value.  The line through them (one slope for all runs, Student's t
for it at 1%) is looked for, and what it rises or sinks by from the first pass to the last is added to the interval.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence

from ulterion.core.records import dataclass
from ulterion.core.stats.student import t_cdf

DOUBTED = 2.0  # what the scatter of timings by hand is multiplied by
VARIES = 0.10  # standard deviation of the log from one transfer by hand to the next, where fewer than `SEEN` show it
SEEN = 3  # timings that show themselves what they vary by
GUESSED = 3.25  # degrees of freedom of a spread that is only taken so: intervals then hold against twice the spread in 88% (benchmarks/hands.py)
KNOWN = 200  # degrees of freedom of a variance that is known beforehand
DRIFTS_BELOW = 0.01  # p-value of "there is no slope" from which on the passes count as drifting

Runs = Sequence[Sequence[float]]
Rates = Sequence[float] | Runs
"""The passes of one run, in their order, or those of several runs."""


class Looked(tuple[float, ...]):
    """The passes of a run that went on until they were sure; `first` is the number after which it was first asked."""

    first: int = 3

    @classmethod
    def of(cls, rates: Sequence[float], first: int) -> Looked:
        """Return passes that were first looked at after so many."""
        looked = cls(rates)
        looked.first = max(2, first)
        return looked


class ByHand(tuple[float, ...]):
    """Rates of transfers that were timed by hand.

    `error` is the standard deviation of the log of one that the hand explains, `shared` that of the rounding they were told with,
    which no number of timings makes smaller; `varies` that from one transfer to the next, taken so where there are few.
    """

    error: float = 0.0
    shared: float = 0.0
    varies: float = VARIES

    @classmethod
    def of(cls, rates: Sequence[float], error: float, shared: float, varies: float = VARIES) -> ByHand:
        """Return rates with what is known of their errors."""
        timed = cls(rates)
        timed.error, timed.shared, timed.varies = error, shared, varies
        return timed


@dataclass(frozen=True)
class Sample:
    """What a mean rests on, on the scale of its values.

    Attributes:
        mean: the mean.
        variance: of that mean, with `df` degrees of freedom; None of a single value.
        units: how many values it is the mean of: passes, or runs where there are several.
        passes, runs: how many there are of each.
        spread: standard deviation of one unit, None of a single value.
        drift: what the passes rise by from first to last, 0 where no slope shows.
        by_hand: whether the variance is one that is known of a single value, too.
        assumed: whether what transfers by hand vary by is only taken so: there are too few to show it.
        known_df: degrees of freedom, where they are not one less than the units.
    """

    mean: float
    variance: float | None
    units: int
    passes: int
    runs: int
    spread: float | None
    drift: float
    by_hand: bool = False
    assumed: bool = False
    known_df: float | None = None

    @property
    def df(self) -> float:
        """Degrees of freedom of the variance."""
        return self.units - 1 if self.known_df is None else self.known_df


def as_runs(rates: Rates) -> list[Sequence[float]]:
    """Return passes by run, runs without any left out."""
    if isinstance(rates, Looked | ByHand):
        return [rates] if len(rates) else []
    runs = [one for one in rates if isinstance(one, Sequence)]
    single = [float(one) for one in rates if not isinstance(one, Sequence)]
    return [run for run in [single, *runs] if len(run)]


def scaled(runs: Runs, scale: Callable[[float], float]) -> list[Sequence[float]]:
    """Return runs with every value put on another scale."""
    values = [[scale(v) for v in run] for run in runs]
    return [_like(run, v) for v, run in zip(values, runs, strict=True)]


def _like(run: Sequence[float], values: Sequence[float]) -> Sequence[float]:
    if isinstance(run, ByHand):
        return ByHand.of(values, run.error, run.shared, run.varies)
    return Looked.of(values, run.first) if isinstance(run, Looked) else values


def sample_of(runs: Runs) -> Sample:
    """Return what the passes of one run, or of several, say of their mean; one value at least."""
    if len(runs) == 1 and isinstance(runs[0], ByHand):
        return _timed(runs[0])
    means = [math.fsum(run) / len(run) for run in runs]
    passes = sum(len(run) for run in runs)
    units = runs[0] if len(runs) == 1 else means
    mean = math.fsum(units) / len(units)
    if len(units) == 1:
        return Sample(mean=mean, variance=None, units=1, passes=passes, runs=len(runs), spread=None, drift=0.0)
    scatter = _scatter(units)
    if len(runs) > 1:
        scatter = max(scatter, _within(runs, means))
    return Sample(
        mean=mean,
        variance=scatter / len(units),
        units=len(units),
        passes=passes,
        runs=len(runs),
        spread=math.sqrt(scatter),
        drift=_drift(runs, means),
    )


def _timed(values: ByHand) -> Sample:
    """Return what logs of rates timed by hand say of their mean.

    The hand is known to err by `error`; what the transfers themselves vary by shows only in what scatter is left beside that.  Little
    is seen of it in a few timings, so the scatter counts twice: intervals then hold in 93% and more, whatever the transfers vary by
    (benchmarks/hands.py).  One or two timings show nothing of it: it is taken as `varies`, by no better than with `GUESSED` degrees of freedom.
    Degrees of freedom of the sum of both: F. E. Satterthwaite (1946).
    """
    count, error = len(values), values.error**2
    if count < SEEN:
        return _guessed(values)
    left = max(0.0, DOUBTED * _variance(values) - error) if count > 1 else 0.0
    scatter = error + left
    df = min(KNOWN, round(scatter**2 / (left**2 / (count - 1)))) if left else KNOWN
    return _by_hand(values, scatter, max(df, count - 1))


def _guessed(values: ByHand) -> Sample:
    """Return the mean of one or two timings by hand.  Their spread is taken as `varies`, or as that of the two if it is larger."""
    count = len(values)
    scatter = max(values.varies**2, _variance(values) if count > 1 else 0.0) + values.error**2
    return _by_hand(values, scatter, GUESSED, assumed=True)


def _by_hand(values: ByHand, scatter: float, known_df: float, *, assumed: bool = False) -> Sample:
    """Return the sample of timings by hand that vary by a variance `scatter` each, known with so many degrees of freedom."""
    count = len(values)
    return Sample(
        mean=math.fsum(values) / count,
        variance=scatter / count + values.shared**2,
        units=count,
        passes=count,
        runs=1,
        spread=math.sqrt(scatter),
        drift=0.0,
        by_hand=True,
        assumed=assumed,
        known_df=known_df,
    )


def _scatter(values: Sequence[float]) -> float:
    """Return the variance of a value, the greatest of all looks where there were several."""
    first = min(len(values), values.first) if isinstance(values, Looked) else len(values)
    return max(_variance(values[:n]) for n in range(first, len(values) + 1))


def _variance(values: Sequence[float]) -> float:
    mean = math.fsum(values) / len(values)
    return math.fsum((v - mean) ** 2 for v in values) / (len(values) - 1)


def _within(runs: Runs, means: Sequence[float]) -> float:
    """Return the variance of a run's mean that the scatter of its passes explains."""
    free = sum(len(run) - 1 for run in runs)
    if not free:
        return 0.0
    squares = math.fsum((v - mean) ** 2 for run, mean in zip(runs, means, strict=True) for v in run)
    return squares / free * math.fsum(1 / len(run) for run in runs) / len(runs)


def _drift(runs: Runs, means: Sequence[float]) -> float:
    """Return what the passes of a run rise by from first to last, by one slope for all runs; 0 where it is not sure."""
    steps = [(i - (len(run) - 1) / 2, v) for run in runs for i, v in enumerate(run)]
    levels = [mean for run, mean in zip(runs, means, strict=True) for _ in run]
    across = math.fsum(step**2 for step, _ in steps)
    free = len(steps) - len(runs) - 1
    if free < 2 or across == 0:
        return 0.0
    slope = math.fsum(step * v for step, v in steps) / across
    left = math.fsum((v - mean - slope * step) ** 2 for (step, v), mean in zip(steps, levels, strict=True))
    error = math.sqrt(left / free / across)
    sure = slope != 0 and (error == 0 or 2 * t_cdf(free, -abs(slope) / error) < DRIFTS_BELOW)
    return slope * (max(len(run) for run in runs) - 1) if sure else 0.0
