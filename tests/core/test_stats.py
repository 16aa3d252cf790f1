"""Estimates and ratios, against SciPy's own tests as the reference."""

from __future__ import annotations

import math
import unittest

import numpy as np
from hypothesis import example, given
from hypothesis import strategies as st
from scipy import stats as reference

from ulterion.core.errors import UsageError
from ulterion.core.stats import estimates
from ulterion.core.stats.samples import ByHand, Looked
from ulterion.core.stats.spreads import exact_p, welch_p

RATES = st.lists(st.floats(1e3, 1e10), min_size=3, max_size=20)
FEW = st.lists(st.floats(1e3, 1e10), min_size=3, max_size=7)


class Estimate(unittest.TestCase):
    @given(RATES)
    @example([100.0 + i for i in range(10)])
    def test_is_students_t_on_the_logs(self, rates: list[float]) -> None:
        """Rate and interval equal the textbook's, with half of what the passes drifted by on either side."""
        logs = np.log(rates)
        found = estimates.estimate(rates)
        self.assertAlmostEqual(math.log(found.rate), logs.mean(), places=9)
        if rates[-1] - rates[0] == 9.0:
            self.assertGreater(found.drift, 0.05)
        if logs.std() > 1e-6:
            half = abs(found.drift) / 2
            low, high = reference.t.interval(0.95, len(logs) - 1, logs.mean(), reference.sem(logs))
            self.assertAlmostEqual(math.log(found.low or 0), low - half, places=6)
            self.assertAlmostEqual(math.log(found.high or 0), high + half, places=6)

    @given(RATES, st.floats(1e-3, 1e3))
    def test_does_not_depend_on_the_unit(self, rates: list[float], unit: float) -> None:
        """Measured in another unit, everything scales and the relative margin stays."""
        one, other = estimates.estimate(rates), estimates.estimate([r * unit for r in rates])
        self.assertAlmostEqual(other.rate / one.rate / unit, 1.0, places=9)
        self.assertAlmostEqual((other.margin or 0) - (one.margin or 0), 0.0, delta=1e-6 * (1 + (one.margin or 0)))

    @given(
        st.lists(st.floats(1e-12, 1e18), min_size=3, max_size=5),
        st.lists(st.floats(1e-12, 1e18), min_size=3, max_size=5),
    )
    @example([1e-12, 1.0, 1e18], [1e18, 1.0, 1e-12])
    def test_an_interval_that_says_nothing_has_ends(self, a: list[float], b: list[float]) -> None:
        """However mad the rates: both ends are numbers above nothing, with the rate between."""
        for found in (estimates.estimate(a), estimates.estimate(b)):
            assert found.low is not None and found.high is not None and found.margin is not None
            self.assertTrue(
                0 < found.low <= found.rate * (1 + 1e-9) and found.rate <= found.high * (1 + 1e-9) < math.inf
            )
            self.assertTrue(0 <= found.margin < math.inf)
        held = estimates.ratio(a, b)
        assert held.low is not None and held.high is not None
        self.assertTrue(0 < held.low <= held.high < math.inf)

    def test_too_few_passes_give_no_interval_and_say_so(self) -> None:
        """One or two passes have a rate, no interval, and the reason."""
        for rates in ([5.0], [5.0, 6.0]):
            found = estimates.estimate(rates)
            self.assertEqual((found.low, found.high, found.margin), (None, None, None))
            self.assertIn("too few", found.why or "")

    def test_refuses_what_is_not_a_rate(self) -> None:
        """Nothing, zero, negative, infinite and NaN are errors."""
        for rates in ([], [0.0], [-1.0, 2.0], [math.inf], [math.nan, 1.0]):
            with self.subTest(rates), self.assertRaises(UsageError):
                estimates.estimate(rates)


class Kept(unittest.TestCase):
    @given(FEW, st.permutations(("plain", "looked", "by hand")), st.floats(0.001, 0.2))
    def test_samples_of_the_same_values_are_told_apart(
        self, rates: list[float], order: list[str], error: float
    ) -> None:
        """What is kept of a sample is that of its kind: the same values until sure, or timed by hand, say something else."""
        made = {"plain": rates, "looked": Looked.of(rates, 2), "by hand": ByHand.of(rates, error, 0.01)}
        alone = {}
        for kind in order:
            estimates._sample_of.cache_clear()
            alone[kind] = estimates.estimate(made[kind])
        estimates._sample_of.cache_clear()
        self.assertEqual({kind: estimates.estimate(made[kind]) for kind in order}, alone)


class Ratio(unittest.TestCase):
    @given(FEW, FEW)
    def test_is_welch_on_the_logs(self, a: list[float], b: list[float]) -> None:
        """Ratio, interval and p-value are SciPy's Welch test's, at the level that holds for any two spreads."""
        x, y = np.log(a), np.log(b)
        if min(x.std(), y.std()) < 1e-6:
            return
        found = estimates.ratio(a, b)
        test = reference.ttest_ind(x, y, equal_var=False)
        interval = test.confidence_interval(1 - welch_p(0.05, len(a) - 1, len(b) - 1))
        drift = (abs(estimates.estimate(a).drift) + abs(estimates.estimate(b).drift)) / 2
        self.assertAlmostEqual(math.log(found.low or 0), interval.low - drift, places=6)
        self.assertAlmostEqual(math.log(found.high or 0), interval.high + drift, places=6)
        self.assertAlmostEqual(found.p or 0.0, exact_p(float(test.pvalue), len(a) - 1, len(b) - 1), places=6)

    @given(FEW, FEW)
    def test_swapping_the_sides_inverts_it(self, a: list[float], b: list[float]) -> None:
        """a over b is one over b over a, with its interval."""
        one, other = estimates.ratio(a, b), estimates.ratio(b, a)
        for x, y in ((one.value, other.value), (one.low, other.high), (one.high, other.low)):
            self.assertAlmostEqual(math.log(x or 0) + math.log(y or 0), 0.0, places=6)

    def test_equal_passes_need_no_luck(self) -> None:
        """Passes without any spread give an exact ratio, not a division by zero."""
        self.assertEqual(estimates.ratio([2.0] * 3, [1.0] * 3).low, 2.0)
        self.assertEqual(estimates.ratio([2.0] * 3, [2.0] * 3).p, 1.0)


class Holm(unittest.TestCase):
    def test_worked_example(self) -> None:
        """0.01, 0.04, 0.03, 0.005 become 0.03, 0.06, 0.06, 0.02."""
        found = estimates.holm([0.01, 0.04, 0.03, 0.005])
        np.testing.assert_allclose(found, [0.03, 0.06, 0.06, 0.02])

    @given(st.lists(st.floats(0, 1), max_size=12))
    def test_between_plain_and_bonferroni_in_the_same_order(self, p: list[float]) -> None:
        """Never below the plain value, never above Bonferroni's, and the order stays."""
        found = estimates.holm(p)
        for plain, adjusted in zip(p, found, strict=True):
            self.assertTrue(plain <= adjusted <= min(1.0, len(p) * plain) + 1e-12)
        self.assertEqual(sorted(found), [found[i] for i in sorted(range(len(p)), key=lambda i: p[i])])
