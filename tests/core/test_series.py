"""What replaces SciPy where loading it took longer than the answer: held against SciPy itself."""

from __future__ import annotations

import unittest

import numpy as np
from hypothesis import given
from hypothesis import strategies as st
from scipy.ndimage import median_filter, uniform_filter1d
from scipy.optimize import nnls
from scipy.signal import lfilter
from scipy.special import betaincinv, chdtrc, fdtrc

from ulterion.core.soak.lags import Lags, lagged
from ulterion.core.soak.smoothing import running_mean, running_median
from ulterion.core.stats.beta import chi_square_tail, f_tail
from ulterion.core.stats.nonnegative import NonNegative, nonnegative
from ulterion.core.workloads.network import Datagrams, lost_share


class NonNegativeWeights(unittest.TestCase):
    @given(st.integers(0, 2**32 - 1), st.integers(1, 40), st.integers(1, 25), st.booleans(), st.booleans())
    def test_nothing_is_nearer(self, seed: int, rows: int, count: int, alike: bool, positive: bool) -> None:
        """As near as SciPy comes, with weights that are none below zero; with columns that are alike, or zero, as well."""
        rng = np.random.default_rng(seed)
        columns, values = rng.normal(size=(rows, count)), rng.normal(size=rows)
        if positive:
            columns = np.abs(columns)
        if alike:
            columns[:, count // 2 :] = columns[:, : count - count // 2]
            columns[:, 0] = 0.0
        weights, distance = nonnegative(columns, values)
        _, theirs = nnls(columns, values)
        self.assertGreaterEqual(weights.min(), 0.0)
        self.assertAlmostEqual(distance, theirs, delta=1e-10 * float(np.linalg.norm(values)))
        self.assertAlmostEqual(float(np.linalg.norm(values - columns @ weights)), distance, places=9)

    def test_a_guess_changes_nothing(self) -> None:
        """Whatever columns it is told to try first, and of whichever it may choose, the same is found."""
        at = np.arange(500.0)
        columns = np.column_stack([1 - np.exp(-at / tau) for tau in np.geomspace(5, 4000, 30)])
        values = columns[:, 4] * 12 + columns[:, 21] * 30 + np.random.default_rng(3).normal(size=500)
        chosen = np.arange(0, 30, 3)
        wanted, distance = nnls(columns[:, chosen], values)
        problem = NonNegative(columns)
        for first in ((), (0,), (2, 5, 8), tuple(range(10))):
            found = problem.fit(values, chosen, first)
            np.testing.assert_allclose(found.weights, wanted, atol=1e-7)
            self.assertAlmostEqual(found.distance, distance, places=9)
            self.assertEqual(sorted(found.used), list(np.flatnonzero(wanted)))


class LostShares(unittest.TestCase):
    @given(st.floats(0, 9), st.floats(0, 1), st.sampled_from((0.5, 0.9, 0.95, 0.99, 0.9999)))
    def test_the_exact_interval(self, digits: float, share: float, level: float) -> None:
        """Of one lost in a billion as of all lost in one: Clopper and Pearson's bounds, as SciPy gives them."""
        sent = int(10**digits)
        lost = round(sent * share**4)
        found = lost_share(Datagrams(sent, sent - lost), level)
        rest = (1 - level) / 2
        low = betaincinv(lost, sent - lost + 1, rest) if lost else 0.0
        high = betaincinv(lost + 1, sent - lost, 1 - rest) if lost < sent else 1.0
        np.testing.assert_allclose([found.low, found.high], [low, high], rtol=1e-6)


class Tails(unittest.TestCase):
    @given(st.floats(0.5, 500), st.floats(0.5, 500), st.floats(1e-3, 1e3))
    def test_as_scipy_has_them(self, one: float, other: float, value: float) -> None:
        """Fisher's F, and chi-square, far out as near the middle."""
        self.assertAlmostEqual(f_tail(one, other, value), fdtrc(one, other, value), delta=1e-9)
        self.assertAlmostEqual(chi_square_tail(one, value), chdtrc(one, value), delta=1e-9)
        if chdtrc(one, value) > 1e-200:
            self.assertAlmostEqual(chi_square_tail(one, value) / chdtrc(one, value), 1.0, delta=1e-6)


class Smoothing(unittest.TestCase):
    @given(st.lists(st.floats(-1e6, 1e6), min_size=1, max_size=60), st.integers(1, 60))
    def test_as_scipy_does(self, values: list[float], rows: int) -> None:
        """The mean and the median of a window, its edges repeated."""
        series = np.array(values)
        width = min(rows, series.size)
        np.testing.assert_allclose(
            running_mean(series, width), uniform_filter1d(series, width, mode="nearest"), atol=1e-6
        )
        odd = width if width % 2 else width - 1
        np.testing.assert_array_equal(
            running_median(series, odd), median_filter(series, size=odd, mode="nearest") if odd > 1 else series
        )


class LagsInARow(unittest.TestCase):
    @given(st.integers(0, 2**32 - 1), st.floats(0.1, 30.0), st.integers(1, 700))
    def test_one_lag(self, seed: int, length: float, steps: int) -> None:
        """The recursion, as a digital filter does it."""
        causes = np.random.default_rng(seed).random((2, steps))
        for tau in (0.01, 3.0, 100.0, 5000.0):
            keep = np.exp(-length / tau)
            np.testing.assert_allclose(
                lagged(causes, tau, length), lfilter([1 - keep], [1, -keep], causes, axis=1), atol=1e-10
            )

    @given(st.integers(0, 2**32 - 1), st.floats(-9, -1))
    def test_several_in_a_row(self, seed: int, near: float) -> None:
        """By partial fractions as by one after the other, however near two of the lags are."""
        causes = np.random.default_rng(seed).random((2, 400))
        taus = np.array([5.0, 10.0 * (1 + 10**near), 30.0, 31.0, 90.0, 900.0])
        lags = Lags(causes, taus, 1.0, lambda rows: rows)
        for way in ((), (10.0,), (30.0, 30.0), (90.0, 90.0), (800.0,)):
            for tau, found in zip(taus, lags.behind(way), strict=True):
                wanted = causes
                for lag in (*way, tau):
                    wanted = lagged(wanted, float(lag), 1.0)
                np.testing.assert_allclose(found, wanted, atol=1e-8)


if __name__ == "__main__":
    unittest.main()
