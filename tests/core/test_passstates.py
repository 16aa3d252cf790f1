"""The states of write passes: told apart where there are two, and never where there is one."""

from __future__ import annotations

import random
import unittest
from collections.abc import Callable

from hypothesis import given, settings
from hypothesis import strategies as st

from ulterion.core.soak.cache_fill import Fill
from ulterion.core.soak.warmth import Warmth
from ulterion.core.workloads.histogram import LatencyHistogram
from ulterion.core.workloads.pass_states import CacheExhaustion, PassShape, shape_of, states_from_known_cache, states_of
from ulterion.core.workloads.passes import PassResult


def passes(
    rate_at: Callable[[float], float], lengths: list[float], noise: float, seed: int
) -> tuple[list[PassShape], list[str]]:
    """Play passes of so many seconds on a drive whose rate follows from the bytes written; return them and what is true of each."""
    rng, written, made, truth = random.Random(seed), 0.0, [], []
    for length in lengths:
        each, seen = [], set()
        for _ in range(round(length / 0.1)):
            # heavy-tailed, and correlated with what was before by a slow swing
            factor = (1 + noise * rng.gauss(0, 1) / max(0.4, rng.random())) * (1 + noise * (written % 7e9) / 7e9)
            rate = max(1e6, rate_at(written) * factor)
            seen.add(rate_at(written))
            written += rate * 0.1
            each.append(rate)
        made.append(PassShape(sum(each) / len(each), tuple(each)))
        truth.append("mixed" if len(seen) > 1 else "cached" if seen == {rate_at(0)} else "after the cache")
    return made, truth


class States(unittest.TestCase):
    @settings(max_examples=150, deadline=None)
    @given(st.floats(0.1, 0.7), st.floats(1e9, 60e9), st.floats(0.002, 0.03), st.integers(0, 2**31),
           st.lists(st.floats(1, 8), min_size=3, max_size=10))  # fmt: skip
    def test_a_cache_that_is_used_up(
        self, slow: float, cache: float, noise: float, seed: int, lengths: list[float]
    ) -> None:
        """Whatever the lengths: no pass is given a state it was not in, but one that was nearly all of that state."""
        fast = 2.5e9
        made, truth = passes(lambda written: fast if written < cache else fast * slow, lengths, noise, seed)
        states = states_of(made)
        if len(set(truth)) == 1 and truth[0] != "mixed":
            self.assertEqual(set(states), {None})
            return
        for one, state, true in zip(made, states, truth, strict=True):
            if state == "cached":
                self.assertGreater(one.rate, fast * 0.9, (states, truth))
            if state == "after the cache":
                self.assertLess(one.rate, fast * slow * 1.25 + fast * 0.05, (states, truth))
            if true != "mixed" and state is not None:
                self.assertIn(state, (true, "mixed"), (states, truth))

    def test_one_rate_is_one_state(self) -> None:
        """Noise alone makes a state in hardly any workload: a property that chance may break, so it is counted."""
        rng, named = random.Random(11), 0
        for _ in range(300):
            count = rng.randint(3, 9)
            made, _ = passes(lambda written: 1e9, [4.0] * count, rng.uniform(0.002, 0.05), rng.randrange(2**31))
            named += states_of(made) != [None] * count
        self.assertLessEqual(named / 300, 0.005)

    def test_noise_between_short_passes_is_no_cache(self) -> None:
        """Of 2,000 workloads of 3 to 6 passes whose rates scatter by 3 to 30%, hardly any is given states."""
        rng, named = random.Random(4), 0
        for _ in range(2000):
            spread, count = rng.uniform(0.03, 0.3), rng.randint(3, 6)
            shapes = [PassShape(1e9 * rng.lognormvariate(0, spread), ()) for _ in range(count)]
            named += states_of(shapes) != [None] * count
        self.assertLessEqual(named / 2000, 0.01)

    def test_a_disturbance_is_no_cache(self) -> None:
        """One slow pass among fast ones names nothing; one that dips and recovers counts for nothing, and the others count."""

        def shape(*rates: float) -> PassShape:
            return PassShape(sum(rates) / len(rates), rates)

        steady, slow = shape(*[1e9] * 20), shape(*[4e8] * 20)
        self.assertEqual(states_of([steady, slow, steady, steady]), [None] * 4)
        dips = shape(*[1e9] * 8, *[4e8] * 6, *[1e9] * 6)
        self.assertEqual(states_of([steady, dips, steady]), [None, "mixed", None])
        self.assertEqual(
            states_of([steady, steady, slow, slow]), ["cached", "cached", "after the cache", "after the cache"]
        )
        falls = shape(*[1e9] * 10, *[4e8] * 10)
        self.assertEqual(states_of([steady, steady, falls]), [None, None, "mixed"])  # what came last has not lasted
        self.assertEqual(states_of([steady, steady, shape(*[1e9] * 18, *[4e8] * 2)]), [None] * 3)
        last = shape(*[6e8] * 20)
        self.assertEqual(states_of([steady] * 4 + [last]), [None] * 4 + ["mixed"])  # likewise
        self.assertEqual(states_of([last] + [steady] * 4), [None] * 5)
        self.assertEqual(states_of([falls, slow, slow]), ["mixed", "after the cache", "after the cache"])


def shape(rate: float, *, hot: bool | None = None, throttled: float | None = None) -> PassShape:
    return PassShape(rate, (rate,) * 20, hot, throttled)


class Heat(unittest.TestCase):
    @settings(max_examples=150, deadline=None)
    @given(st.integers(0, 2**31), st.floats(0.1, 0.8), st.floats(0.002, 0.03), st.integers(4, 12), st.booleans())
    def test_a_drive_that_counts_its_throttling(
        self, seed: int, slow: float, noise: float, count: int, both: bool
    ) -> None:
        """Whatever order hot and cool passes come in, with a cache used up on the way or not: no throttled pass is in another figure."""
        rng = random.Random(seed)
        made, truth = [], []
        for number in range(count):
            share = rng.choice([0.0, 0.0, 1.0, rng.random()])
            base = 1e9 if not both or number < count // 2 else 5e8
            rate = base * (1 - share) + min(base, 1e9 * slow) * share
            made.append(shape(rate * rng.lognormvariate(0, noise), hot=share > 0, throttled=share))
            truth.append(share)
        for state, share in zip(states_of(made), truth, strict=True):
            if state == "throttled":
                self.assertTrue(share >= 0.5, (states_of(made), truth))
            if state in ("cached", "after the cache") and slow < 0.4 and not both:
                self.assertEqual(share, 0.0, (states_of(made), truth))

    def test_heat_is_named_where_it_tells_the_passes_apart(self) -> None:
        """Hot and slow against cool and fast, in any order, is heat; where the fast ones were hot too nothing is named."""
        fast, slow = shape(1e9, hot=False), shape(4e8, hot=True)
        self.assertEqual(states_of([fast, slow, fast, slow]), [None, "throttled", None, "throttled"])
        self.assertEqual(states_of([fast, fast, slow, slow]), [None, None, "throttled", "throttled"])
        warm = shape(1e9, hot=True)
        self.assertEqual(states_of([warm, warm, slow, slow]), [None, None, "mixed", "mixed"])
        cool = shape(4e8, hot=False)
        self.assertEqual(
            states_of([fast, fast, cool, cool]), ["cached", "cached", "after the cache", "after the cache"]
        )
        always = shape(4e8, hot=True, throttled=1.0)
        self.assertEqual(states_of([always] * 3), ["throttled"] * 3)
        idle_counter = shape(1e9, hot=True, throttled=0.3)  # it counts, and is as fast as ever
        self.assertEqual(states_of([idle_counter, shape(1.01e9, throttled=0.0), idle_counter]), [None] * 3)

    def test_was_it_hot(self) -> None:
        """By its counter, or near its limit; cool only when well below; a counter that stands still says nothing."""
        cold = Warmth(30.0, 80.0, 5.0)
        for after, said in ((Warmth(40.0, 80.0, 7.0), True), (Warmth(78.0, 80.0, 5.0), True), (Warmth(72.0, 80.0, 5.0), None),
                            (Warmth(60.0, 80.0), False), (Warmth(65.0), None), (Warmth(50.0), False), (Warmth(), None)):  # fmt: skip
            self.assertEqual(after.was_hot(cold), said, after)


class Elsewhere(unittest.TestCase):
    def test_a_slow_state_that_is_seen_alone(self) -> None:
        """Its rate is the one that the cache left elsewhere, from the pass on at which it was used up; or it is simply its own."""
        known = CacheExhaustion(4e9, 1e9, 2)
        late = [(2, 1.02e9), (3, 0.99e9)]
        self.assertEqual(
            states_from_known_cache([(1, 4e9), *late], [known]), [None, "after the cache", "after the cache"]
        )
        self.assertEqual(
            states_from_known_cache([(1, 2e9), *late], [known]), ["mixed", "after the cache", "after the cache"]
        )
        self.assertEqual(states_from_known_cache([(1, 1.01e9), *late], [known]), [None] * 3)
        self.assertEqual(states_from_known_cache([(2, 2e9), (3, 2e9)], [known]), [None] * 2)
        self.assertEqual(states_from_known_cache(late, [CacheExhaustion(1.1e9, 1e9, 2)]), [None] * 2)

    @settings(max_examples=100, deadline=None)
    @given(st.integers(0, 2**31), st.floats(1e9, 1e11), st.floats(1e8, 2e9), st.floats(0, 1))
    def test_a_cache_is_never_fuller_than_is_said(self, seed: int, size: float, slow: float, folds: float) -> None:
        """A drive that empties its cache at any rate up to the one it writes at after it, while writing and resting: it holds at least that."""
        rng = random.Random(seed)
        fill, true = Fill(size, slow), 0.0
        for _ in range(30):
            seconds, writes = rng.expovariate(1 / 20), rng.random() < 0.6
            written = 0.0
            for _ in range(200):
                step = seconds / 200
                rate = (slow * 3 if true < size else slow) if writes else 0.0
                written += rate * step
                gone = slow * folds * step if true < size or not writes else slow * step
                true = min(size, max(0.0, true + rate * step - gone))
            fill = fill.after(written, seconds)
            self.assertLessEqual(fill.used, true + slow * 3 * seconds / 200 + 1.0)
        self.assertEqual(Fill(size, slow).after(size * 2, 1e-9).used, size)
        self.assertTrue(Fill(size, slow, size).after(0, size / slow).is_fresh)

    def test_single_requests_are_no_states(self) -> None:
        """A slow drive in large requests: one or two of them end in an interval, and that is no change of rate."""
        block, rate = 4 * 2**20, 78e6
        ends = [int((i + 1) * 0.1 * rate / block) - int(i * 0.1 * rate / block) for i in range(40)]
        moved = tuple(n * block for n in ends)
        result = PassResult(sum(moved), 4.0, sum(ends), LatencyHistogram(), 0.0, None, 0.1, moved)
        self.assertGreater(max(moved) / max(min(moved), 1), 1.5)
        one = shape_of(result)
        self.assertIsNone(one.slowed())
        self.assertEqual(states_of([one] * 5), [None] * 5)
