"""What repeated passes and runs say of their mean, held against random drives that vary from run to run."""

from __future__ import annotations

import math
import unittest

import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from ulterion.core.stats.estimates import estimate, ratio
from ulterion.core.stats.samples import as_runs, sample_of
from ulterion.core.stats.spreads import exact_p, welch_p
from ulterion.core.stats.verdicts import DIFFERENT, compare

RUN = st.lists(st.floats(1.0, 2.0), min_size=1, max_size=6)


def runs_of(rng: np.random.Generator, runs: int, passes: int, between: float, within: float) -> list[list[float]]:
    """Return rates around 100 of runs that differ by more than their passes do."""
    return [list(100 * np.exp(rng.normal(shift, within, passes))) for shift in rng.normal(0.0, between, runs)]


class Samples(unittest.TestCase):
    @given(st.lists(RUN, min_size=2, max_size=6))
    def test_several_runs_are_a_sample_of_runs(self, runs: list[list[float]]) -> None:
        """The mean is that of the runs' means; its variance is at least theirs, and passes alone never make it smaller."""
        found = sample_of(runs)
        means = [sum(run) / len(run) for run in runs]
        self.assertAlmostEqual(found.mean, float(np.mean(means)))
        self.assertGreaterEqual((found.variance or 0.0) + 1e-12, float(np.var(means, ddof=1)) / len(runs))
        self.assertEqual((found.df, found.runs, found.passes), (len(runs) - 1, len(runs), sum(map(len, runs))))
        self.assertEqual(as_runs([*runs[0]]), as_runs([runs[0]]))

    def test_an_interval_of_runs_holds_what_every_run_varies_around(self) -> None:
        """With 1% from run to run it holds the truth in 93 to 99%, with two runs nearly always; the passes of one run, which do not know of it, hold it in half."""
        rng = np.random.default_rng(3)
        for runs, passes, within in ((2, 4, 0.005), (3, 4, 0.005), (4, 3, 0.02), (6, 5, 0.001)):
            held = sum(
                (e := estimate(runs_of(rng, runs, passes, 0.01, within))).low <= 100 <= e.high for _ in range(1000)
            )
            self.assertTrue(930 <= held <= (995 if runs > 2 else 1000), (runs, held))
        single = sum((e := estimate(runs_of(rng, 1, 4, 0.01, 0.005))).low <= 100 <= e.high for _ in range(1000))
        self.assertLess(single, 700)

    def test_what_varies_between_runs_makes_no_difference_and_hides_none(self) -> None:
        """No more than 5% of null comparisons are called different, also where one side is a single run; a true 6% is found."""
        rng = np.random.default_rng(4)
        for mine, theirs in ((2, 2), (3, 3), (5, 5), (1, 3), (4, 2)):
            pairs = [(runs_of(rng, n, 4, 0.01, 0.005) for n in (mine, theirs)) for _ in range(600)]
            called = sum(compare(a, b).verdict in DIFFERENT for a, b in pairs)
            self.assertLessEqual(called, 600 * 0.05 + 3 * math.sqrt(600 * 0.05 * 0.95), (mine, theirs))
        slow = [[[r * 0.94 for r in run] for run in runs_of(rng, 4, 4, 0.01, 0.005)] for _ in range(200)]
        found = sum(compare(a, runs_of(rng, 4, 4, 0.01, 0.005)).verdict == "slower" for a in slow)
        self.assertGreaterEqual(found, 180)

    def test_passes_that_sink_are_no_sample_of_one_value(self) -> None:
        """What they sink by is in the interval; passes without a slope are said to have one in about 1%."""
        rng = np.random.default_rng(5)
        sinking = [100 * 0.99**i * math.exp(rng.normal(0, 0.001)) for i in range(12)]
        found = estimate(sinking)
        self.assertAlmostEqual(found.drift, 11 * math.log(0.99), delta=0.01)
        assert found.low is not None and found.high is not None
        self.assertTrue(found.low < sinking[-1] * 1.01 and found.high > sinking[0] * 0.99)
        again = estimate([sinking, [r * 1.001 for r in sinking]])
        self.assertAlmostEqual(again.drift, found.drift, delta=0.01)
        still = sum(estimate(list(100 * np.exp(rng.normal(0, 0.01, 5)))).drift != 0 for _ in range(1500))
        self.assertLessEqual(still, 30)
        against = ratio(sinking, [95.0, 94.9, 95.1])
        self.assertLess(math.log(against.low or 0), math.log(against.value) + found.drift / 2)


class Spreads(unittest.TestCase):
    def test_no_ratio_of_spreads_makes_a_small_p_common(self) -> None:
        """Three values a side, one side up to 30 times as restless: p is at most 0.01 in 1%; Welch's own is there in up to 2%."""
        rng, trials, worst = np.random.default_rng(6), 60_000, 0.0
        limit = welch_p(0.01, 2, 2)
        for restless in (1.0, 3.0, 9.0, 30.0):
            a, b = rng.normal(0, 1, (trials, 3)), rng.normal(0, restless, (trials, 3))
            va, vb = a.var(axis=1, ddof=1) / 3, b.var(axis=1, ddof=1) / 3
            t = np.abs(a.mean(axis=1) - b.mean(axis=1)) / np.sqrt(va + vb)
            p = _welch(t, va, vb, 2)
            self.assertLessEqual(float(np.mean(p <= limit)), 0.01 + 4 * math.sqrt(0.01 / trials), restless)
            worst = max(worst, float(np.mean(p <= 0.01)))
        self.assertGreater(worst, 0.017)

    @given(st.floats(1e-9, 1.0), st.sampled_from((1, 2, 4, 60)), st.sampled_from((1, 3, 7, 60)))
    def test_the_two_ways_belong_together(self, p: float, one: int, other: int) -> None:
        """Never below Welch's value, the same for both sides, and backwards where it came from."""
        exact = exact_p(p, one, other)
        self.assertGreaterEqual(exact, p * (1 - 1e-9))
        self.assertAlmostEqual(exact, exact_p(p, other, one))
        back = welch_p(exact, one, other)
        self.assertTrue(back <= p * 1.0001 or exact == 1.0)


def _welch(t: np.ndarray, va: np.ndarray, vb: np.ndarray, df: int) -> np.ndarray:
    from scipy.stats import t as student

    free = (va + vb) ** 2 / (va**2 / df + vb**2 / df)
    return np.asarray(2 * student.sf(t, free))


if __name__ == "__main__":
    unittest.main()
