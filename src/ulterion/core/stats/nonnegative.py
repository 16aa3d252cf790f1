"""Least squares with weights that cannot be negative.

The active-set method of C. L. Lawson and R. J. Hanson, Solving Least Squares Problems (1974), chapter 23: first on the normal equations
(R. Bro, S. de Jong, Journal of Chemometrics 11, 1997), which are quick and find which columns are used; then on the columns themselves,
which are exact.  SciPy has the method too, but loading its optimizers takes longer than fitting a soak does.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence

from ulterion.core.arrays import Floats, Integers, np
from ulterion.core.records import dataclass

MOST = 3  # times as many steps as there are columns: only rounding errors could make it longer
TINY = 1e-12  # of the largest slope that could be, below which a slope is none
ROUNDED = 1e-9  # likewise, by the normal equations


@dataclass(frozen=True)
class Fit:
    """The nearest that was found.

    Attributes:
        weights: none below zero, one for each column that could be used.
        used: places of those above zero.
        distance: the root of the sum of squares left over.
    """

    weights: Floats
    used: tuple[int, ...]
    distance: float


class NonNegative:
    """Columns (rows x columns), of which the nearest to values is looked for: of several values, or among several of the columns."""

    def __init__(self, columns: Floats) -> None:
        lengths = np.sqrt(np.einsum("ij,ij->j", columns, columns))
        self._lengths = np.where(lengths == 0, 1.0, lengths)
        self._unit = columns / self._lengths
        self._gram = self._unit.T @ self._unit

    def fit(self, values: Floats, chosen: Integers | None = None, first: Sequence[int] = ()) -> Fit:
        """Return the sum of the chosen columns, or of all, that is nearest to `values` (rows); `first` are places among them that are likely to be used."""
        most = float(np.linalg.norm(values))
        place = np.arange(self._unit.shape[1]) if chosen is None else chosen
        unit, gram = self._unit[:, place], self._gram[np.ix_(place, place)]
        products = unit.T @ values
        guess = _Search(
            lambda used: np.asarray(np.linalg.solve(gram[used][:, used], products[used]), dtype=np.float64),
            lambda used, weights: products - gram[:, used] @ weights,
            ROUNDED * most,
        )
        try:
            guess.go(list(first), place.size)
        except np.linalg.LinAlgError:  # two columns are alike
            guess.used = []
        exact = _Search(
            lambda used: np.asarray(np.linalg.lstsq(unit[:, used], values, rcond=None)[0], dtype=np.float64),
            lambda used, weights: unit.T @ (values - unit[:, used] @ weights),
            TINY * most,
        )
        exact.go(guess.used, place.size)
        weights = np.zeros(place.size)
        weights[exact.used] = exact.weights / self._lengths[place[exact.used]]
        distance = float(np.linalg.norm(values - unit[:, exact.used] @ exact.weights))
        return Fit(weights, tuple(exact.used), distance)


class _Search:
    """A search for the columns to be used: `used`, with their `weights`.

    `solve` gives the best weights, of either sign, of columns; `slopes` what each further column would better; above `least` it counts.
    """

    def __init__(
        self, solve: Callable[[list[int]], Floats], slopes: Callable[[list[int], Floats], Floats], least: float
    ) -> None:
        self._solve, self._slopes, self._least = solve, slopes, least
        self.used: list[int] = []
        self.weights: Floats = np.zeros(0)

    def go(self, first: list[int], columns: int) -> None:
        """Start with some columns in use, and go on until no further one betters the fit."""
        self.used, self.weights = list(first), np.zeros(len(first))
        if first:
            self._settle()
        for _ in range(MOST * columns):
            slopes = self._slopes(self.used, self.weights)
            slopes[self.used] = -np.inf
            best = int(slopes.argmax())
            if slopes[best] <= self._least:
                break
            self.used.append(best)
            self.weights = np.append(self.weights, 0.0)
            self._settle()
            if best not in self.used:  # its slope was a rounding error
                break

    def _settle(self) -> None:
        """Take the best weights of the columns in use; those whose weight would be negative are put out of use on the way."""
        while self.used:
            wanted = self._solve(self.used)
            low = wanted <= 0
            if not low.any():
                self.weights = wanted
                return
            now = self.weights
            share = float((now[low] / np.maximum(now[low] - wanted[low], 1e-300)).min())
            now = now + share * (wanted - now)
            stays = ~(low & (now <= 1e-15 * max(float(now.max()), 1e-300)))
            self.used = [column for column, kept in zip(self.used, stays, strict=True) if kept]
            self.weights = now[stays]


def nonnegative(columns: Floats, values: Floats) -> tuple[Floats, float]:
    """Return the weights, none below zero, with which `columns` (rows x columns) come nearest to `values` (rows), and the root of the squares left over."""
    found = NonNegative(columns).fit(values)
    return found.weights, found.distance
