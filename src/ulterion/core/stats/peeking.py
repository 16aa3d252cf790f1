"""When passes may stop because they are sure: an interval that holds at every look.

Whoever looks after each pass and stops once Student's interval is narrow stops where the spread happens to look small.  So the stop is
taken on a confidence sequence, which holds the true mean at all looks together in 95%: the normal mixture over the standardized mean of
T. L. Lai, "On confidence sequences", Annals of Statistics 4 (1976), 265-280, as an e-process (H. Wang, A. Ramdas, "Anytime-valid t-tests
and confidence sequences for Gaussian means with unknown variance", 2023).  With n logs of mean m and squares V about it, and
K = (sqrt((n + c) / c) / 0.05)^(2/n), the mean lies within  m ± sqrt((K - 1) V / (n (1 - K c / (n + c)))),  or anywhere where that root is none.
V is taken by the greatest variance that any look found, from the fourth pass on: a spread that looks small for once stops nothing.

What is shown afterwards is Student's interval still, by the greatest spread that any look found (`core/stats/samples.py`).
"""

from __future__ import annotations

import math
from collections.abc import Sequence

from ulterion.core.stats.samples import Looked, sample_of

MIXTURE = 0.05  # c: how wide the mixture is; the interval is narrowest at some ten passes
MISSES = 0.05  # share in which the sequence may fail to hold the mean at any look
FIRST = 4  # passes from which on the greatest spread that was found counts


def half_width_under_peeking(rates: Sequence[float]) -> float | None:
    """Return half the relative width that the true rate lies within, whenever it is asked; None of too few passes."""
    n = len(rates)
    if n < 2:
        return None
    one = sample_of([Looked.of([math.log(r) for r in rates], FIRST)])
    wide = (math.sqrt((n + MIXTURE) / MIXTURE) / MISSES) ** (2 / n)
    left = 1 - wide * MIXTURE / (n + MIXTURE)
    if left <= 0:
        return None
    squares = (one.spread or 0.0) ** 2 * (n - 1)
    return math.expm1(math.sqrt((wide - 1) * squares / (n * left)) + abs(one.drift) / 2)
