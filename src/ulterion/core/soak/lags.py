"""What bodies that lag behind see of the causes of their warmth: first-order lags, alone and in a row.

All series begin at rest.  A series is `length` seconds a step; causes are rows of an array (causes x steps).
"""

from __future__ import annotations

import math
from collections.abc import Callable

from ulterion.core.arrays import Floats, np

FORGOTTEN = 1e-18  # share of a cause that is left of it, below which it is none
NEAR = 1e-3  # relative distance of two lags below which their difference is too small to divide by

Way = tuple[float, ...]
"""Time constants of lags in a row, seconds."""


def lagged(causes: Floats, tau: float, length: float) -> Floats:
    """Return causes as a body sees them that lags behind by a time constant, in seconds: y[n] = k y[n-1] + (1 - k) x[n].

    It is summed by doubling: after each step y holds twice as many of the moments before it.
    """
    keep = math.exp(-length / tau)
    seen = (1 - keep) * causes
    back, share = 1, keep
    while back < causes.shape[1] and share > FORGOTTEN:
        seen[:, back:] += share * seen[:, :-back]
        back, share = 2 * back, share * share
    return seen


class Lags:
    """Causes behind many lags, each behind one of several ways, averaged: only those behind no way are summed up.

    Two lags in a row, a and b, are a difference of each alone, by partial fractions of their product:
    (k_a (1 - k_b) A - k_b (1 - k_a) B) / (k_a - k_b).

    `averaged` takes rows by steps, and gives them by fewer; it is linear.
    """

    def __init__(self, causes: Floats, taus: Floats, length: float, averaged: Callable[[Floats], Floats]) -> None:
        self._taus, self._length, self._averaged = taus, length, averaged
        self._seen: dict[Way, Floats] = {(): causes}
        self._columns: dict[Way, Floats] = {}

    def _behind(self, way: Way) -> Floats:
        """Return the causes behind a way."""
        if way not in self._seen:
            self._seen[way] = lagged(self._behind(way[:-1]), way[-1], self._length)
        return self._seen[way]

    def behind(self, way: Way) -> Floats:
        """Return the averaged causes behind each lag behind a way (lags x causes x averaged steps)."""
        if way not in self._columns:
            self._columns[way] = self._from_shorter(way) if way else self._directly(way, self._taus)
        return self._columns[way]

    def _directly(self, way: Way, taus: Floats) -> Floats:
        causes = self._behind(way)
        return np.array([self._averaged(lagged(causes, float(tau), self._length)) for tau in taus])

    def _from_shorter(self, way: Way) -> Floats:
        shorter = self.behind(way[:-1])
        alone = self._averaged(self._behind(way))
        theirs = np.exp(-self._length / self._taus)[:, None, None]
        mine = math.exp(-self._length / way[-1])
        near = np.abs(self._taus / way[-1] - 1) < NEAR
        apart = np.where(near[:, None, None], 1.0, theirs - mine)
        found = np.asarray((theirs * (1 - mine) * shorter - mine * (1 - theirs) * alone) / apart)
        if near.any():
            found[near] = self._directly(way, self._taus[near])
        return found
