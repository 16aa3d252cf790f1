"""Where a comparison may stop: a verdict that may be taken at whatever look it first can be.

Each look at the passes so far gives an interval of the ratio at one nominal level, strict enough that the intervals of all looks together hold the true
ratio in 95% (repeated confidence intervals: C. Jennison, B. W. Turnbull, Interim analyses: the repeated confidence interval approach, 1989, with the
constant level of S. J. Pocock, Group sequential methods, 1977).  So it does not matter when one stops, nor what decided which comparison was
looked at next.  The level was set by counting: from the third to the twenty-fourth pass, against 18 of a reference that is as noisy, three times as
noisy or a third, some look leaves the truth out in 3.5% (normal noise, and one pass in twenty three times as noisy).
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from functools import lru_cache

from ulterion.core.stats.estimates import ratio
from ulterion.core.stats.verdicts import Verdict, decide

NOMINAL = 0.01  # of each look


def decided(rates: Sequence[float], reference: Sequence[float], margin: float) -> Verdict:
    """Return the verdict on passes against those of a reference that may be taken now, 'undecided' as long as none may."""
    return _decided(tuple(rates), tuple(reference), margin)


@lru_cache(maxsize=4096)  # a plan asks for all its cells again after every run
def _decided(rates: tuple[float, ...], reference: tuple[float, ...], margin: float) -> Verdict:
    if not rates or not reference:
        return "undecided"
    one = ratio(rates, reference, 1 - NOMINAL)
    if one.low is None or one.high is None:
        return "undecided"
    low, high = math.log(one.low), math.log(one.high)
    return decide(math.log(one.value), low, high, low > 0 or high < 0, margin)
