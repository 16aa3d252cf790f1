"""The analysis of long runs, on series whose truth is known."""

from __future__ import annotations

import math
import unittest

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from ulterion.core.soak.classes import never_below
from ulterion.core.soak.falls import Fall, falls
from ulterion.core.soak.findings import Findings, analyse
from ulterion.core.soak.levels import levels
from ulterion.core.soak.resting import is_at_rest, left_to_settle, stands_still
from ulterion.core.soak.settling import Course, doubts, is_settled, settle, time_above
from ulterion.core.soak.steady import lowest, rounds_of, steady_end, steady_round, window
from ulterion.core.soak.trace import AGAIN, COOL, DRIVE, IDLE, LOAD, Counters, Phase, Trace
from ulterion.features.soak.words import class_words

MB = 1e6


def trace(rates: list[float], temperatures: list[float] | None = None, **facts: object) -> Trace:
    """Return a load of one-second rows in MB/s, with the drive's temperature."""
    count = len(rates)
    sensors = {} if temperatures is None else {DRIVE: np.array(temperatures, dtype=float)}
    settings = {"phases": (Phase(LOAD, 0.0, float(count)),), **facts}
    return Trace(np.arange(count, dtype=float), np.ones(count), np.array(rates) * MB, sensors, **settings)  # type: ignore[arg-type]


def noisy(levels_and_lengths: list[tuple[float, int]], noise: float = 0.01, seed: int = 1) -> list[float]:
    rng = np.random.default_rng(seed)
    return [float(rate * math.exp(rng.normal(0, noise))) for rate, length in levels_and_lengths for _ in range(length)]


class Changes(unittest.TestCase):
    @settings(max_examples=60, deadline=None)
    @given(st.floats(50, 5000), st.floats(0.2, 0.8), st.integers(5, 300), st.integers(5, 300), st.floats(0.002, 0.03),
           st.integers(0, 10**6))  # fmt: skip
    def test_one_cliff_is_found_where_it_is(self, rate: float, share: float, before: int, after: int, noise: float,
                                            seed: int) -> None:  # fmt: skip
        """A fall of 20% or more, in up to 3% noise, is one cut, at most two rows off."""
        found = levels(np.array(noisy([(rate, before), (rate * share, after)], noise, seed)))
        near = [level.first for level in found[1:] if abs(level.first - before) <= 2]
        self.assertTrue(near, [level.first for level in found])
        self.assertAlmostEqual(found[-1].rate / (rate * share), 1, delta=0.1)

    def test_noise_alone_has_no_level(self) -> None:
        """In 200 flat series of half an hour at 4% noise at most 2% show a change; a lone bad row shows none."""
        split = sum(len(levels(np.array(noisy([(800, 1800)], 0.04, seed)))) > 1 for seed in range(200))
        self.assertLessEqual(split, 4)
        rates = np.array(noisy([(800, 100)]))
        rates[50] = 0.0
        self.assertEqual(len(levels(rates)), 1)
        self.assertEqual(levels(np.array([])), [])


class Causes(unittest.TestCase):
    def only(self, load: Trace) -> Fall:
        found = falls(load)
        self.assertEqual(len(found), 1, found)
        return found[0]

    def test_a_cache_is_sized_to_a_part_of_a_row(self) -> None:
        """100.5 s at 1000 MB/s, then 300: 100.5 GB, with counters that stood still as the evidence."""
        rates = [1000.0] * 100 + [650.0] + [300.0] * 500
        found = self.only(trace(rates, [50.0] * 601, counters=Counters(throttlings=0, alive=True)))
        self.assertEqual(found.cause, "write cache")
        self.assertAlmostEqual(found.written / 1e9, 100.5, places=3)
        self.assertAlmostEqual(found.at, 100.5, places=3)
        self.assertEqual((found.before / MB, found.after / MB), (1000, 300))

    def test_what_speaks_for_and_against_heat(self) -> None:
        """The same cliff, with each kind of evidence: temperature, limit, counters, cooling, or none of it."""
        rates = noisy([(1000, 300), (300, 600)])
        warming = [40 + 42 * (1 - math.exp(-t / 100)) for t in range(300)]
        held, cooling = [warming[-1] - 2.0] * 600, [max(45.0, warming[-1] - t / 10) for t in range(600)]
        cool = [t - 35 for t in warming + held]
        cases = [
            ("cold", cool, None, Counters(), "write cache", "too cool for any drive to throttle"),
            ("near its limit", warming + held, 81.0, Counters(), "throttling", "drive limit 81 °C"),
            ("far from its limit", warming + held, 95.0, Counters(), "write cache", "too cool for any drive to throttle"),
            ("counters moved", warming + held, None, Counters(throttlings=3), "throttling", "counters show throttling"),
            ("counters stood", warming + held, 90.0, Counters(throttled_seconds=0, alive=True), "write cache", "which work"),
            ("counters at zero, ever", warming + held, 90.0, Counters(throttled_seconds=0), "unexplained", "no working counters"),
            ("grew warmer at the new rate", warming + [warming[-1] + t / 60 for t in range(600)], None, Counters(), "write cache", "afterwards at the same rate"),
            ("cooled, not back", warming + cooling, None, Counters(), "write cache", "did not come back"),
            ("counters moved though cool", cool, None, Counters(throttlings=1, throttled_seconds=833.0), "throttling", "counters show throttling"),
            ("nothing known", warming + held, None, Counters(), "unexplained", "its limit is not known, and the drive has no working counters"),
        ]  # fmt: skip
        for name, temperatures, limit, counters, cause, words in cases:
            with self.subTest(name):
                found = self.only(trace(rates, temperatures, limit=limit, counters=counters))
                self.assertEqual(found.cause, cause)
                self.assertIn(words, found.evidence)
        self.assertEqual(self.only(trace(rates)).cause, "unexplained")

    def test_counters_belong_to_the_warmest_fall(self) -> None:
        """A cache that was used up while cold, and heat later on: the counters moved by the heat, and the cache stays one."""
        rates = noisy([(1000, 200), (600, 400)])
        temperatures = [45.0] * 200 + [45 + t * 0.0875 for t in range(400)]
        for _ in range(3):
            rates += noisy([(200, 60), (600, 60)])
            temperatures += [80 - t / 10 for t in range(60)] + [74 + t / 10 for t in range(60)]
        found = falls(trace(rates, temperatures, counters=Counters(throttlings=3, throttled_seconds=180.0)))
        self.assertEqual([f.cause for f in found], ["write cache", "throttling"], found)

    def test_throttling_that_comes_and_goes_is_one_event(self) -> None:
        """Three dips at 80 °C that end once it has cooled: throttling, three times, with the time in it."""
        rates, temperatures = noisy([(1000, 200)]), [50 + t * 0.15 for t in range(200)]
        for _ in range(3):
            rates += noisy([(250, 60), (1000, 60)])
            temperatures += [80 - t / 10 for t in range(60)] + [74 + t / 10 for t in range(60)]
        found = self.only(trace(rates, temperatures))
        self.assertEqual((found.cause, found.times), ("throttling", 3))
        self.assertAlmostEqual(found.at, 200, delta=2)
        self.assertAlmostEqual(found.seconds, 180, delta=8)

    @settings(max_examples=40, deadline=None)
    @given(st.floats(0.2, 0.6), st.integers(2, 8), st.integers(20, 60), st.booleans())
    def test_a_fall_in_small_steps_is_a_fall(self, depth: float, steps: int, length: int, back: bool) -> None:
        """However small the steps, the sum of them is told with the rate it began at, and never more time than there was."""
        down = [(1000 * (1 - depth * (step + 1) / steps), length) for step in range(steps)]
        rates = noisy([(1000, 150), *down, *([(1000, 150)] if back else [])])
        found = falls(trace(rates))
        self.assertTrue(found, "a fall that nobody told")
        self.assertAlmostEqual(found[0].before, 1000 * MB, delta=60 * MB)
        self.assertLessEqual(sum(f.seconds for f in found), len(rates) - 140)
        if back:
            self.assertAlmostEqual(min(f.after for f in found), 1000 * (1 - depth) * MB, delta=60 * MB)
            self.assertIsNotNone(found[-1].until)

    def test_what_came_last_and_has_not_lasted_is_not_known(self) -> None:
        """Two seconds at the end are no write cache; nor is the ninth spell of throttling that is still going on."""
        (short,) = falls(trace([500.0] * 898 + [200.0] * 2, [45.0] * 900))
        self.assertEqual((short.cause, short.until), ("unexplained", None))
        self.assertIn("too short to say more", short.evidence)
        rates, temperatures = noisy([(1000, 100)]), [60 + t * 0.2 for t in range(100)]
        for _ in range(8):
            rates += noisy([(250, 50), (1000, 50)])
            temperatures += [80 - t / 5 for t in range(50)] + [70 + t / 5 for t in range(50)]
        rates, temperatures = rates + noisy([(250, 40)]), temperatures + [80 - t / 5 for t in range(40)]
        causes = {f.cause for f in falls(trace(rates, temperatures, limit=80.0))}
        self.assertEqual(causes, {"throttling"})
        lasting = falls(trace(noisy([(500, 400), (200, 300)]), [45.0] * 700))
        self.assertEqual([f.cause for f in lasting], ["write cache"])

    def test_a_drive_that_pauses_cools_because_it_works_less(self) -> None:
        """Dips of other lengths, in each of which it cools, show no heat without a limit or counters; a thermostat's cycle does."""
        rates, temperatures = noisy([(1000, 200)]), [75.0] * 200
        for length in (15, 40, 90, 25):
            rates += noisy([(300, length), (1000, 120)])
            temperatures += [75 - 6 * (1 - math.exp(-t / 30)) for t in range(length)] + [75.0] * 120
        found = self.only(trace(rates, temperatures))
        self.assertEqual((found.cause, found.times, found.heat), ("unexplained", 4, None))

    def test_behind_a_bridge_a_cool_drive_rules_nothing_out(self) -> None:
        """The same fall: a cache where nothing can be hot beside the drive; unexplained behind a bridge; a cache when all grew warmer after it."""
        rates = noisy([(1000, 200), (300, 600)])
        flat, rising = [48.0] * 800, [45 + t / 40 for t in range(800)]
        for bridged, temperatures, cause in (
            (False, flat, "write cache"),
            (True, flat, "unexplained"),
            (True, rising, "write cache"),
        ):
            found = self.only(trace(rates, temperatures, bridged=bridged))
            self.assertEqual(found.cause, cause, (bridged, found.evidence))

    @settings(max_examples=25, deadline=None)
    @given(st.floats(1.8, 5), st.floats(0.4, 0.8), st.floats(0.002, 0.025), st.booleans(), st.integers(0, 2**31))
    def test_a_disk_that_is_gone_round_has_zones(
        self, rounds: float, inner: float, noise: float, known: bool, seed: int
    ) -> None:
        """However often, known to the kernel as a disk or not: the place, and never a cache; what else happens is told beside it."""
        rng, moved, rates, span = np.random.default_rng(seed), 0.0, [], 150 * MB * 400.0
        while moved < rounds * span:
            rates.append(150 * (1 - (1 - inner) * (moved % span) / span) * math.exp(rng.normal(0, noise)))
            moved += rates[-1] * MB
        found = falls(trace(rates, [40.0] * len(rates), rotational=known, span=span))
        self.assertEqual([f.cause for f in found], ["zones"])
        self.assertAlmostEqual(found[0].before / 150e6, 1, delta=0.08)
        self.assertAlmostEqual(found[0].after / found[0].before, inner, delta=0.08)

    def test_a_spinning_disk_and_a_read_have_no_cache(self) -> None:
        """A rate that sinks in steps on a spinning disk is its zones; a read that falls is never a write cache."""
        stairs = noisy([(150 - 8 * k, 60) for k in range(9)], 0.003)
        span = sum(stairs) * MB
        self.assertEqual(self.only(trace(stairs, rotational=True, span=span)).cause, "zones")
        self.assertNotEqual(
            falls(trace(stairs, span=span))[0].cause, "zones"
        )  # less than a round, and not known as a disk
        read = trace(noisy([(1000, 100), (300, 300)]), [40.0] * 400, writes=0.0)
        self.assertEqual(self.only(read).cause, "unexplained")


class SteadyState(unittest.TestCase):
    def test_the_standards_window(self) -> None:
        """20% excursion and 10% slope, each just kept and just broken; worked by hand."""
        self.assertTrue(window([100, 110, 100, 90, 100]).steady)
        self.assertFalse(window([100, 111, 100, 90, 100]).steady)
        self.assertAlmostEqual(window([96, 98, 100, 102, 104]).slope, 0.08)
        self.assertFalse(window([94, 97, 100, 103, 106]).steady)
        self.assertFalse(window([0, 0, 0, 0, 0]).steady)
        self.assertEqual(steady_round([300, 200, 150, 120, 105, 101, 100, 99, 100]), 9)
        self.assertIsNone(steady_round([1, 2, 4, 8, 16, 32]))

    def test_the_steady_end_begins_after_the_cache(self) -> None:
        """Ten minutes, the first two fast: steady from minute two on; a load that ends in a fall is not steady."""
        found = steady_end(trace(noisy([(1000, 120), (300, 480)])))
        assert found is not None
        self.assertEqual(found.since, 120.0)
        self.assertAlmostEqual(found.window.average / MB, 300, delta=3)
        self.assertIsNone(steady_end(trace(noisy([(1000, 480), (300, 120)]))))
        self.assertEqual(rounds_of(trace([100.0] * 150)).size, 2)

    @given(
        st.lists(st.floats(0, 9), min_size=3, max_size=40),
        st.floats(4, 20),
        st.floats(0, 1),
        st.booleans(),
        st.integers(1, 8),
        st.booleans(),
    )
    def test_requests_are_counted_late_and_a_class_is_not(
        self, more: list[float], floor: float, short: float, falls_short: bool, depth: int, together: bool
    ) -> None:
        """What was really moved each second decides, whether requests end one by one or all in flight together.

        A load that kept a rate is never said to have missed it, one that fell short by more than its requests can hide never to have
        kept it, and at depth 1 nothing is left open.
        """
        moved = [floor + m for m in more]
        if falls_short:
            moved[len(moved) // 2] = floor * (1 - short)
        block = 1.0
        unit = block * (depth if together else 1)
        ended = np.floor(np.cumsum(np.concatenate([[0.0], moved])) / unit + 1e-9) * unit
        at = np.arange(float(len(moved)))
        counted = Trace(at, np.ones(at.size), np.diff(ended), block=block, depth=depth)
        said, least = never_below(counted, floor), min(moved)
        if least >= floor:
            self.assertIsNot(said, False)
            self.assertTrue(said or (together and depth > 1))
        if least < floor - block - unit:
            self.assertIsNot(said, True)
        if depth == 1:
            self.assertIsNotNone(said)

    def test_the_lowest_second_and_minute(self) -> None:
        """A class is kept only when every second keeps it; stalls are counted with their length."""
        rates = [70.0] * 100 + [61.0] + [70.0] * 99
        low = lowest(trace(rates))
        assert low is not None
        self.assertEqual((low.by_row / MB, low.speed_class, low.stalls), (61.0, 60, 0))
        self.assertAlmostEqual((low.by_minute or 0) / MB, (59 * 70 + 61) / 60)
        low = lowest(trace([70.0] * 50 + [0.0] * 3 + [70.0] * 50 + [59.9] + [0.0] + [70.0]))
        assert low is not None
        self.assertEqual((low.speed_class, low.stalls, low.longest_stall), (None, 2, 3.0))
        self.assertIsNone(lowest(trace([1.0, 1.0])))

    def test_a_class_has_one_answer_with_its_third_word(self) -> None:
        """Kept, below, or too coarse to tell; and where requests in flight make up for the lowest second, that is said."""
        for rates, block, depth, words in (
            ([70.0] * 20, 1.0, 1, "kept V60 throughout"),
            ([5.0] * 20, 1.0, 1, "below V6 at times"),
            ([6.0, 6.0, 4.65, 7.4] * 5, 4.0, 1, "kept V6 throughout, allowing for requests in flight"),
            ([12.0, 0.0] * 10, 2.0, 8, "V6 cannot be judged at this request size"),
        ):
            at = np.arange(float(len(rates)))
            low = lowest(Trace(at, np.ones(at.size), np.array(rates) * MB, block=block * MB, depth=depth))
            assert low is not None
            self.assertEqual(class_words(low).partition(";")[0], words)


def course(at: np.ndarray, temperature: np.ndarray) -> Course:
    """Return a temperature under an even load that began with it, half a minute of rest at its first value before."""
    rest = np.arange(-30.0, 0.0)
    rate = np.concatenate([np.zeros(30), np.full(at.size, 1e9)])
    first = temperature[np.flatnonzero(np.isfinite(temperature))[0]]
    return Course(
        np.concatenate([rest, at]), 1.0, rate, np.concatenate([np.full(30, first), temperature]), float(at[0])
    )


class Heat(unittest.TestCase):
    at = np.arange(2400.0)

    def test_the_end_of_a_curve_of_two_bodies(self) -> None:
        """30 -> 71.5 °C with 25 s and 400 s: found within its interval and within 0.5 °C, by a coarse sensor too."""
        curve = 71.5 - 12 * np.exp(-self.at / 25) - 29.5 * np.exp(-self.at / 400)
        rng = np.random.default_rng(3)
        for name, seen in (("fine", curve + rng.normal(0, 0.05, 2400)), ("coarse", np.round(curve))):
            with self.subTest(name):
                found = settle(course(self.at, seen))
                assert found is not None and found.time is not None
                self.assertTrue(found.low <= 71.5 <= found.high, found)
                self.assertAlmostEqual(found.end, 71.5, delta=0.5)
                self.assertTrue(found.sure)
                self.assertAlmostEqual(found.time, 400 * math.log(29.5), delta=120)

    def test_a_short_look_says_so(self) -> None:
        """Two minutes, a rise that has not slowed down, and half of the slow time constant give no end; most of that constant gives one that is not sure."""
        curve = 71.5 - 41.5 * np.exp(-self.at / 1200)
        self.assertIsNone(settle(course(self.at[:100], curve[:100])))
        self.assertIsNone(settle(course(self.at[:200], np.round(curve[:200]))))
        self.assertIsNone(
            settle(course(self.at[:700], np.round(curve[:700])))
        )  # known no better than by its rise so far
        found = settle(course(self.at[:1000], np.round(curve[:1000])))
        assert found is not None
        self.assertFalse(found.sure)
        gappy = curve.copy()
        gappy[200:900] = np.nan
        found = settle(course(self.at, gappy))
        assert found is not None
        self.assertTrue(found.low <= 71.5 <= found.high, found)
        self.assertAlmostEqual(found.end, 71.5, delta=1.0)

    def test_a_sensor_on_another_body(self) -> None:
        """Two lags in a row, without noise: no end while the rise gathers speed, and one that holds afterwards."""
        at, quick, slow = np.arange(3600.0), 300.0, 700.0
        curve = 57.0 - 30.0 * (slow * np.exp(-at / slow) - quick * np.exp(-at / quick)) / (slow - quick)
        for seconds in (500, 1200, 2400, 3600):
            found = settle(course(at[:seconds], curve[:seconds]))
            with self.subTest(seconds):
                if seconds < 900:
                    self.assertIsNone(found)
                else:
                    assert found is not None
                    self.assertTrue(found.low <= 57.0 <= found.high, found)
                    self.assertLess(found.high - found.low, 25)
        assert found is not None
        self.assertTrue(found.sure)

    def test_a_slow_part_may_hide_in_a_short_load(self) -> None:
        """Six minutes show the fast part of a rise alone: the interval reaches as far as a slow one, which no fit can see, may go."""
        at = np.arange(400.0)
        seen = 30 + 20 * (1 - np.exp(-at / 60)) + 12 * (1 - np.exp(-at / 6000))
        found = settle(course(at, seen))
        assert found is not None
        self.assertLess(found.end, 56)
        self.assertGreaterEqual(found.high, 62)

    def test_settled_is_two_minutes_without_movement(self) -> None:
        """A drift of 0.1 °C a minute is settled, one of 1 °C is not, one coarse step is no movement."""
        at = np.arange(300.0)
        self.assertTrue(is_settled(at, 40 + at / 600, 300.0))
        self.assertFalse(is_settled(at, 40 + at / 60, 300.0))
        self.assertFalse(is_settled(at[:100], np.full(100, 40.0), 100.0))
        self.assertFalse(is_settled(at, np.full(300, np.nan), 300.0))

    def test_a_still_sensor_is_not_yet_at_rest(self) -> None:
        """A slow case behind a sensor of whole degrees: it stands still 9 °C too early, and what may be left says so; a cold drive rests at once."""
        at = np.arange(600.0)
        left = 12 * np.exp(-at / 60) + 14 * np.exp(-at / 1500)
        shown = np.round(35 + left)
        still = next(n for n in range(120, 600) if stands_still(at[:n], shown[:n]))
        self.assertGreater(left[still], 9.0)
        self.assertFalse(any(is_at_rest(at[:n], shown[:n]) for n in range(still, 600, 20)))
        may = left_to_settle(at, shown)
        assert may is not None
        self.assertTrue(float(left[-1]) - 1 <= may <= 16, may)
        self.assertTrue(is_at_rest(at[:180], np.full(180, 35.0)))
        self.assertTrue(is_at_rest(at, np.round(35 + 20 * np.exp(-at / 40))))
        self.assertIsNone(left_to_settle(at[:60], shown[:60]))
        rising = left_to_settle(at, 35 - left)
        assert rising is not None
        self.assertGreater(rising, float(left[-1]) - 1)

    def test_a_sensor_that_lies_is_told(self) -> None:
        """Vanished, stuck from the start, stuck later, none at all; a coarse one at rest and the room are believed."""
        at = np.arange(1200.0)
        warm = np.round(40 + 20 * (1 - np.exp(-at / 200)), 1)
        vanished = np.where(at < 700, warm, np.nan)
        later = np.where(at < 500, warm, warm[500])
        cases = [
            (vanished, "vanished"), (np.full(1200, 49.85), "without moving"), (later, "stopped moving"),
            (np.full(1200, np.nan), "no value at all"),
        ]  # fmt: skip
        for values, words in cases:
            found = doubts("drive", at, values, 1100.0, 1199.0)
            assert found is not None, words
            self.assertIn(words, found.why)
        self.assertIsNone(doubts("drive", at, np.round(warm), 1100.0, 1199.0))
        self.assertIsNone(doubts("room", at, np.full(1200, 21.0), 1100.0, 1199.0))
        self.assertEqual(time_above(at, np.ones(1200), np.where(at < 100, 90.0, 50.0), 82.0), 100.0)


class Whole(unittest.TestCase):
    def soak(self, again: float = 0.5, missing: int = 0, stalled: bool = False) -> Findings:
        """Idle, ten minutes of load with a cache of 60 GB, cooling, and a second load with a share of the cache.

        `missing` seconds of the load have no power, and the second load may stall for a second.
        """
        rates = [0.0] * 120 + noisy([(1000, 60), (300, 540)], 0.005) + [0.0] * 300
        rates += noisy([(1000, round(60 * again)), (300, 60)], 0.005)
        count = len(rates)
        if stalled:
            rates[1025] = 1.0
        power = np.full(count, 4.0)
        power[300 : 300 + missing] = np.nan
        at = np.arange(count, dtype=float)
        warm = 35 + 20 * (1 - np.exp(-np.maximum(at - 120, 0) / 90))
        phases = (Phase(IDLE, 0, 120), Phase(LOAD, 120, 720), Phase(COOL, 720, 1020), Phase(AGAIN, 1020, count))
        sensors = {DRIVE: warm, "power": power, "room": np.full(count, 21.0)}
        found = analyse(Trace(at, np.ones(count), np.array(rates) * MB, sensors, phases, counters=Counters(0, 0.0)))
        assert found is not None
        return found

    def test_one_rate_is_only_said_when_it_was_one(self) -> None:
        """A load that fell in the middle and came back did not hold its rate; `last` is the mean of the last minute, sawtooth or not."""
        teeth = noisy([(1000, 240), *[(200, 25), (1000, 5)] * 12], 0.005)
        for rates, held, last in (
            (noisy([(1000, 600)], 0.01), True, 1000),
            (noisy([(1000, 250), (400, 100), (1000, 250)], 0.005), False, 1000),
            (teeth, False, (200 * 25 + 1000 * 5) / 30),
        ):
            at = np.arange(len(rates), dtype=float)
            found = analyse(Trace(at, np.ones(len(rates)), np.array(rates) * MB, {}, (Phase(LOAD, 0, len(rates)),)))
            assert found is not None
            self.assertEqual(found.held, held)
            self.assertAlmostEqual(found.last / MB / last, 1, delta=0.05)

    def test_a_sensor_that_has_settled_is_believed(self) -> None:
        """A case at rest for a quarter of an hour is settled; one that stands still while the drive goes on warming, or cools, is not."""
        at = np.arange(2400.0)
        case = np.minimum(np.round(30 + 0.01 * at, 1), 36.0)
        for drive, cool, doubted in ((np.minimum(40 + 0.02 * at, 52.0), 0, False), (40 + 0.01 * at, 0, True),
                                     (np.full(2400, 50.0), 900, True)):  # fmt: skip
            phases = (Phase(LOAD, 0, 2400 - cool), *([Phase(COOL, 2400 - cool, 2400)] if cool else []))
            rates = np.where(at < 2400 - cool, 900.0, 0.0) * MB
            moving = drive + 0.05 * (at % 3)
            found = analyse(Trace(at, np.ones(2400), rates, {DRIVE: moving, "case": case}, phases))
            assert found is not None
            self.assertEqual([d.sensor for d in found.doubts], ["case"] if doubted else [])

    def test_everything_a_soak_says(self) -> None:
        """Cache, recovery, rise above the room, energy, steady end, from one trace."""
        found = self.soak()
        cache, rise = found.fall("write cache"), found.rise
        assert cache is not None and rise is not None and found.recovered is not None
        self.assertAlmostEqual(cache.written / 1e9, 60, delta=1)
        self.assertAlmostEqual(found.recovered, 0.5, delta=0.05)
        self.assertAlmostEqual(rise[0], 34, delta=0.3)
        self.assertEqual(found.energy, 2400.0)
        self.assertEqual((found.steady is not None, found.doubts), (True, ()))
        self.assertAlmostEqual(self.soak(1.0).recovered or 0, 1.0, delta=0.03)

    def test_a_room_that_drifts_is_no_product(self) -> None:
        """The room warms by 4 °C in the course of half an hour: the rise is told above the room of the end, as if it had stood still."""
        at = np.arange(1920.0)
        room = 21 + 4 * np.maximum(at - 120, 0) / 1800
        followed = np.empty_like(room)
        followed[0] = room[0]
        for i in range(1, room.size):
            followed[i] = followed[i - 1] + (room[i] - followed[i - 1]) / 300  # the case follows with its own lag
        heat = np.where(at < 120, 0.0, 30 * (1 - np.exp(-(at - 120) / 300)))
        phases = (Phase(IDLE, 0, 120), Phase(LOAD, 120, 1920))
        rate = np.where(at < 120, 0.0, 900 * MB)
        found = analyse(Trace(at, np.ones(1920), rate, {DRIVE: followed + heat, "room": room}, phases))
        assert found is not None and found.rise is not None
        self.assertAlmostEqual(found.room or 0, 25.0, delta=0.2)
        self.assertAlmostEqual(found.rise[0], 30.0, delta=1.0)
        self.assertTrue(found.rise[1] <= 30.0 <= found.rise[2], found.rise)

    def test_a_gap_is_not_nothing(self) -> None:
        """Power that was not read for half a minute is no 0 W, for two minutes no energy; a stalled second ends no recovery."""
        self.assertAlmostEqual(self.soak(missing=30).energy or 0, 2400.0)
        self.assertIsNone(self.soak(missing=120).energy)
        self.assertAlmostEqual(self.soak(1.0, stalled=True).recovered or 0, 1.0, delta=0.05)

    def test_a_soak_without_a_load_says_nothing(self) -> None:
        """No load phase, or one in which nothing was moved, gives no findings."""
        idle = Trace(np.arange(5.0), np.ones(5), np.zeros(5), {}, (Phase(IDLE, 0, 5),))
        self.assertIsNone(analyse(idle))
        self.assertIsNone(analyse(trace([0.0] * 10)))

    def test_joining_rows_keeps_the_bytes(self) -> None:
        """A night joined to a few thousand rows has the same bytes, and a mean temperature where one was known."""
        long = trace(noisy([(500, 9001)]), [40.0] * 4000 + [float("nan")] * 5001)
        short = long.joined(1000)
        self.assertLessEqual(short.at.size, 1000)
        self.assertAlmostEqual(short.bytes / long.bytes, 1, places=9)
        self.assertEqual(float(short.sensors[DRIVE][0]), 40.0)
        self.assertTrue(math.isnan(short.sensors[DRIVE][-1]))
