"""Where a comparison may stop: a verdict that holds at whatever moment it is asked for.

Both sides have a confidence sequence (`ulterion.core.looking`; T. L. Lai, 1976) that misses its mean at any look in 2.5 %; their difference lies within the
sum of both.  So a verdict that is taken the first time it can be is false in at most 5 % of comparisons, however often one looks, and whatever
decided which comparison was looked at next.
"""

from __future__ import annotations

import math
from collections.abc import Sequence

from ulterion.core.looking import MISSES, half_log
from ulterion.core.verdicts import Verdict, decide


def decided(rates: Sequence[float], reference: Sequence[float], margin: float) -> Verdict:
    """Return the verdict on passes against those of a reference that may be taken now, 'undecided' as long as none may.

    `a little faster` and `a little slower` stand as soon as the interval leaves out 1 and lies inside the band or on one side of it.
    """
    one, other = half_log(rates, MISSES / 2), half_log(reference, MISSES / 2)
    if one is None or other is None:
        return "undecided"
    centre = _middle(rates) - _middle(reference)
    low, high = centre - one - other, centre + one + other
    return decide(centre, low, high, low > 0 or high < 0, margin)


def _middle(rates: Sequence[float]) -> float:
    return math.fsum(math.log(r) for r in rates) / len(rates)
