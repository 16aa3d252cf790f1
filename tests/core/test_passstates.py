"""The states of write passes: told apart where there are two, and never where there is one."""

from __future__ import annotations

import random
import unittest
from collections.abc import Callable

from hypothesis import given, settings
from hypothesis import strategies as st

from ulterion.core.passstates import PassShape, states_of


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

    @settings(max_examples=60, deadline=None)
    @given(st.floats(0.002, 0.05), st.integers(0, 2**31), st.integers(3, 9))
    def test_one_rate_is_one_state(self, noise: float, seed: int, count: int) -> None:
        """Noise alone makes no state."""
        made, _ = passes(lambda written: 1e9, [4.0] * count, noise, seed)
        self.assertEqual(states_of(made), [None] * count)

    def test_noise_between_short_passes_is_no_cache(self) -> None:
        """Of 2,000 workloads of 3 to 6 passes whose rates scatter by 3 to 30 %, hardly any is given states."""
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
        self.assertEqual(states_of([falls, slow, slow]), ["mixed", "after the cache", "after the cache"])
