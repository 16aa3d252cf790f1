"""Student's t and the table of Welch's test against SciPy, over all degrees of freedom; nothing that answers a comparison loads SciPy."""

from __future__ import annotations

import math
import subprocess
import sys
import unittest

import numpy as np
from benchmarks.welch import worst
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.special import stdtr, stdtrit

from ulterion.core.stats import spreads
from ulterion.core.stats.student import NORMAL_FROM, t_cdf, t_quantile

FREEDOMS = st.floats(math.log(0.4), math.log(1e7)).map(math.exp) | st.integers(1, 400).map(float)
EXACT = 1e-10


class Student(unittest.TestCase):
    @given(FREEDOMS, st.floats(-40, 40).filter(lambda t: abs(t) > 1e-4))
    @settings(max_examples=150)
    def test_the_distribution_function(self, df: float, t: float) -> None:
        known = float(stdtr(df, t))
        self.assertLessEqual(abs(t_cdf(df, t) - known), EXACT * known + 1e-290)

    @given(FREEDOMS, st.floats(1e-9, 1 - 1e-9) | st.sampled_from([0.025, 0.05, 0.5, 0.95, 0.975, 0.995]))
    @settings(max_examples=150)
    def test_quantiles(self, df: float, p: float) -> None:
        known = float(stdtrit(df, p))
        self.assertLessEqual(abs(t_quantile(df, p) - known), EXACT * abs(known) + 1e-15)

    @given(st.floats(0.5, 1e12), st.floats(0.001, 30))
    def test_both_are_each_others_inverse(self, df: float, t: float) -> None:
        """Also beyond what SciPy is held against, where the normal distribution takes over."""
        p = t_cdf(df, -t)
        if p > 1e-280:
            self.assertAlmostEqual(t_quantile(df, p) / -t, 1.0, delta=1e-7)
        self.assertAlmostEqual(t_cdf(df, t) + p, 1.0, delta=1e-15)
        self.assertLessEqual(t_cdf(NORMAL_FROM * 2, -t), t_cdf(3.0, -t))

    def test_what_has_no_answer(self) -> None:
        for df, p in ((0.0, 0.9), (-1.0, 0.9), (3.0, 0.0), (3.0, 1.0), (math.nan, 0.5)):
            self.assertTrue(math.isnan(t_quantile(df, p)))
        self.assertTrue(math.isnan(t_cdf(0.0, 1.0)))
        for t in (1e-12, 2.5e-8, 1e-4):  # so close to zero SciPy has fewer digits
            self.assertAlmostEqual(
                (t_cdf(1.0, t) - 0.5) / (math.atan(t) / math.pi), 1.0, delta=1e-3 if t < 1e-10 else 1e-7
            )
        self.assertEqual((t_cdf(3.0, math.inf), t_cdf(3.0, -math.inf), t_cdf(3.0, 0.0)), (1.0, 0.0, 0.5))

    def test_the_kept_table(self) -> None:
        """It is what is computed, for pairs of degrees of freedom from one end of it to the other, and near it between its rows and beyond."""
        for df_a, df_b in (
            (1, 1),
            (1, 2),
            (3, 7),
            (4, 4),
            (1, 20),
            (19, 20),
            (20, 20),
            (3, 40),
            (39, 40),
            (2, 120),
            (39, 2000),
        ):
            np.testing.assert_allclose(spreads._table(df_a, df_b)[1], worst(df_a, df_b), rtol=1e-5, atol=1e-5)
        for df_a, df_b in ((1, 45), (5, 90), (20, 60), (39, 200), (3, 700), (2, 4000), (30, 3000)):
            np.testing.assert_allclose(spreads._table(df_a, df_b)[1], worst(df_a, df_b), atol=0.05)

    def test_a_comparison_loads_no_scipy(self) -> None:
        code = (
            "import sys; from ulterion.core.stats.estimates import difference; "
            "d = difference(((1.0, 1.1, 1.2, 1.15, 1.05),), ((2.0, 2.1, 2.05, 2.0, 1.9),)); "
            "assert d.p < 1e-4, d; assert not [m for m in sys.modules if m.startswith('scipy')], 'loaded'"
        )
        subprocess.run([sys.executable, "-c", code], check=True)


if __name__ == "__main__":
    unittest.main()
