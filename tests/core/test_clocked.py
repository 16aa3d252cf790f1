"""Transfers timed by hand: how they are read, how sure they are, and that a bound is never a figure."""

from __future__ import annotations

import math
import unittest

import numpy as np
from benchmarks.hands import called_different, holds
from hypothesis import given
from hypothesis import strategies as st

from ulterion.core.errors import UsageError
from ulterion.core.stats.estimates import estimate
from ulterion.core.stats.verdicts import compare
from ulterion.core.transfers.timings import Timing, bound_of, rates_of, read_timing
from ulterion.features.clock.stopwatch import Stopwatch


class Typed(unittest.TestCase):
    def test_what_is_typed_is_rounded_to_its_last_digit(self) -> None:
        """Sizes and times with the step of what was typed last; a minute where only minutes were."""
        cases = {
            "4.2 GB in 1m12s": (4.2e9, 1e8, 72, 1), "4.20 GB in 1m12.5s": (4.2e9, 1e7, 72.5, 0.1), "12 GB in 10m": (12e9, 1e9, 600, 60),
            "3 GiB in 1:12": (3 * 2**30, 2**30, 72, 1), "64 GB in 1:02:03.5": (64e9, 1e9, 3723.5, 0.1), "900 MB in 30 s": (9e8, 1e6, 30, 1),
        }  # fmt: skip
        for text, wanted in cases.items():
            one = read_timing(text)
            self.assertEqual((one.size, one.size_step, one.seconds), wanted[:3], text)
            self.assertAlmostEqual(one.seconds_step, wanted[3])

    def test_what_did_not_end_is_a_bound_and_never_a_figure(self) -> None:
        """By the whole, by what was over as the device showed it, by a per cent; without a time it is neither."""
        cases = {
            "64 GB not finished after 10m": 64.5e9 / 570, "stopped at 30 of 64 GB after 5m": 31e9 / 270, "still at 12.4 GB of 64 GB after 1m30s": 12.5e9 / 89.5,
            "64 GB still at 0% after 2m00s": 0.64e9 / 119.5, "stopped at 30 of 64 GB": None,
        }  # fmt: skip
        for text, bound in cases.items():
            one = read_timing(text)
            self.assertIsNone(one.figure, text)
            self.assertEqual(one.bound is None, bound is None)
            self.assertAlmostEqual(one.bound or 0.0, bound or 0.0)
        self.assertEqual(rates_of([read_timing(t) for t in cases]), ())
        self.assertIsNone(read_timing("4 GB in 20s").bound)

    def test_what_is_no_timing_says_how_one_is_written(self) -> None:
        """Nonsense, more than the whole, a time too short for a hand, units that could mean two things."""
        for text, words in (("fast", "is not a timing"), ("stopped at 65 of 64 GB", "more than the whole"), ("1 GB in 1s", "too short"),
                            ("4 Gb in 20s", "in bits"), ("4 GB in soon", "not a duration"), ("", "is not a timing")):  # fmt: skip
            with self.assertRaisesRegex(UsageError, words):
                read_timing(text)

    @given(st.text(max_size=60))
    def test_any_text_is_a_timing_or_refused(self, text: str) -> None:
        """No text is anything else."""
        try:
            one = read_timing(text)
        except UsageError:
            return
        self.assertTrue(one.words())


class Sure(unittest.TestCase):
    def test_the_interval_holds_the_truth(self) -> None:
        """Of simulated hands, with what transfers vary by where there are enough timings, at least 95% (less three standard errors of 400)."""
        rng = np.random.default_rng(3)
        for count, varies in ((1, 0.1), (2, 0.1), (3, 0.0), (3, 0.03), (10, 0.0)):
            found = [holds(rng, count, varies)[0] for _ in range(400)]
            self.assertGreater(np.mean(found), 0.95 - 3 * math.sqrt(0.95 * 0.05 / 400), (count, varies))

    def test_what_one_timing_each_decides(self) -> None:
        """Two alike that vary by the tenth that is assumed are called different in at most 5%, by twice that in 12; twice as fast is found in 95."""
        rng, tries = np.random.default_rng(32), 1500
        for varies, times, most, least in ((0.1, 1.0, 0.05, 0.0), (0.2, 1.0, 0.12, 0.0), (0.1, 2.0, 1.0, 0.95)):
            share = np.mean([called_different(rng, (1, 1), varies, times) for _ in range(tries)])
            error = 3 * math.sqrt(0.12 * 0.88 / tries)
            self.assertLessEqual(share, most + error, (varies, times))
            self.assertGreaterEqual(share, least - error, (varies, times))

    def test_several_timings_narrow_it_to_what_rounding_leaves(self) -> None:
        """The hand's part shrinks with their number; the size's rounding does not."""
        many = [rates_of([Timing("done", 4.2e9, 1e8, 30.0)] * n) for n in (1, 3, 30)]
        margins = [estimate(r).margin or 0.0 for r in many]
        self.assertGreater(margins[0], margins[1])
        self.assertGreater(margins[1], margins[2])
        self.assertGreater(margins[2], 1.9 * 1e8 / math.sqrt(12) / 4.2e9)
        self.assertEqual(estimate(many[0]).why, "one timing")
        self.assertIsNone(estimate(many[1]).why)

    def test_by_hand_and_measured_are_compared_with_both_their_errors(self) -> None:
        """12 s by hand against 11.8 s measured is no difference; 12 s against 24 s is one, by a single timing too."""
        measured = [4.2e9 / s for s in (11.78, 11.8, 11.82)]
        timed = rates_of([read_timing("4.20 GB in 12s")] * 3)
        self.assertNotIn(compare(timed, measured).verdict, ("faster", "slower", "a little slower"))
        self.assertEqual(compare(rates_of([read_timing("4.20 GB in 24.1s")] * 3), measured).verdict, "slower")
        single = rates_of([read_timing("4.20 GB in 24.1s")])
        self.assertEqual(compare(single, measured).verdict, "slower")
        self.assertEqual(compare(rates_of([read_timing("4.20 GB in 14s")]), measured).verdict, "undecided")

    def test_a_shown_rate_is_not_averaged_with_timings(self) -> None:
        """Where a hand timed, its timings alone are the figures; else what the device showed is."""
        timed, shown = read_timing("4.2 GB in 1m12s"), read_timing("shows 109 MB/s")
        self.assertEqual(rates_of([timed, shown]), rates_of([timed]))
        self.assertEqual(tuple(rates_of([shown])), (109e6,))

    def test_what_a_hand_repeats_stays(self) -> None:
        """A hundred timings of a hand are no surer than its habit: the interval stays wider than one end is off by."""
        one = estimate(rates_of([read_timing("1.000 GB in 20.0s")] * 100))
        assert one.low is not None and one.high is not None
        self.assertGreater(math.log(one.high / one.low), 2 * 1.9 * 0.2 / 20)

    def test_the_least_bound_counts(self) -> None:
        """Of several that did not end."""
        self.assertEqual(bound_of([Timing("going on", 64e9, 0, 600.0), Timing("going on", 64e9, 0, 900.0)]), 64e9 / 900)


class Watch(unittest.TestCase):
    def pressed(self, watch: Stopwatch, keys: str, at: float) -> None:
        for key in keys:
            watch.press(key, at)

    def test_keys_start_it_mark_laps_and_stop_it(self) -> None:
        """A lap counts from when space was pressed, not from when its size was typed; units are kept; nonsense is said and left out."""
        watch = Stopwatch((64e9, 1e9))
        self.pressed(watch, "x\r", 0.0)
        self.assertEqual(watch.state, "ready")
        self.pressed(watch, " ", 10.0)
        self.pressed(watch, " ", 40.0)
        self.pressed(watch, "12.4 GBx\x7f\r", 47.0)
        self.pressed(watch, " ", 70.0)
        self.pressed(watch, "9\r", 71.0)
        self.assertIn("less than before", watch.line(72.0))
        self.pressed(watch, " 24\r", 80.0)
        self.assertIn("24.0 GB at 1:10.0, 343 MB/s, about", watch.line(80.0))
        self.pressed(watch, " \x1b\r", 150.0)
        one = watch.timing((64e9, 1e9))
        self.assertEqual((one.end, one.seconds, one.laps), ("done", 140.0, ((30.0, 12.4e9), (70.0, 24e9))))

    def test_what_broke_off_is_a_bound(self) -> None:
        """With what was over by then, as it was typed last."""
        watch = Stopwatch((64e9, 1e9))
        self.pressed(watch, " ", 0.0)
        self.pressed(watch, " 30 GB\r", 100.0)
        self.pressed(watch, "x", 130.0)
        one = watch.timing((64e9, 1e9))
        self.assertEqual((one.end, one.figure, one.bound), ("stopped", None, 31e9 / 130))


if __name__ == "__main__":
    unittest.main()
