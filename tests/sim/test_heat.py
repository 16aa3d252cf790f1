"""The simulated bench over time: heat, caches, throttling, tidying, zones, hubs, wrapping."""

from __future__ import annotations

import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from tests.support import BENCH, FolderCase
from ulterion.core.errors import UsageError
from ulterion.core.workloads.workload import parse_workload
from ulterion.sim.bench import load_bench
from ulterion.sim.sharing import allot, ways_shared
from ulterion.sim.target import SimTarget

WRITING = parse_workload("sequential write 1 MiB depth 4")
HEAT = """
[parts.drive.heat]
idle = "1 W"
awake = "2 W"
writing = "4 W"
capacity = "10 J/K"
to_case = "4 K/W"
throttles_at = "80 °C"
resumes_at = "72 °C"
throttled = "200 MB/s"
counters = true
[parts.box.case]
capacity = "40 J/K"
to_room = "6 K/W"
own = "1 W"
probe = true
"""


class Time(FolderCase):
    def target(self, extra: str, chain: str = "b:usb box drive", into: str = "") -> SimTarget:
        text = BENCH.replace('small_noise = "3%"', f'small_noise = "3%"\n{into}').replace(
            'noise = "0.5%"', "noise = '0%'"
        )
        bench = load_bench(self.write("bench.toml", text + extra))
        return SimTarget(bench, chain.split(), "h", "sim:bench.toml")

    def test_heat_settles_where_the_formula_says(self) -> None:
        """Idle and load end where the resistances put them: worked by hand, 21 + ... C; the probe sees the case."""
        cooler = HEAT.replace('throttles_at = "80 °C"\nresumes_at = "72 °C"\nthrottled = "200 MB/s"\n', "")
        target = self.target(cooler)
        self.assertAlmostEqual(target.state.inside, 21 + (1 + 1) * 6 + 1 * 4)
        target.state.work(WRITING, 3600)
        power = 1 + 2 + 4 * 990 / 2000
        self.assertAlmostEqual(target.state.inside, 21 + (power + 1) * 6 + power * 4, delta=0.05)
        self.assertAlmostEqual(target.state.settled_temperature(990e6), target.state.inside, delta=0.05)
        self.assertEqual(target.state.sensors()["case"], round(target.state.case, 1))
        target.rest(3600)
        self.assertAlmostEqual(target.state.inside, 37, delta=0.05)

    def test_a_stepwise_throttle_has_hysteresis(self) -> None:
        """It works at 200 MB/s from 80 °C until 72 °C, and counts; a gradual one finds its level in between."""
        hotter = HEAT.replace('awake = "2 W"', 'awake = "7 W"')
        target = self.target(hotter, into="latency_spread = 0.2")
        rates, seen = [], []
        for _ in range(1800):
            rates.append(target.state.work(WRITING, 1.0) / 1e6)
            seen.append(target.state.inside)
        self.assertLess(max(seen), 80.5)
        self.assertEqual({round(r, -1) for r in rates if r > 950 or r < 250}, {990, 200})
        low = [t for r, t in zip(rates, seen, strict=True) if r < 250]
        self.assertAlmostEqual(min(low), 72, delta=1.0)
        self.assertGreater(target.counters()["throttlings"], 3)
        gradual = self.target(hotter.replace("counters = true", "counters = true\ngradual = true"))
        gradual.state.work(WRITING, 1800)
        self.assertTrue(80 < gradual.state.inside < 86.1)
        self.assertTrue(200e6 < gradual.state.truth(WRITING).rate < 990e6)

    def test_a_cache_fills_to_the_byte_and_folds_at_rest(self) -> None:
        """10 GB at 990 MB/s, then 150; ten seconds of rest at 300 MB/s give 3 GB back; reading gives back too."""
        target = self.target("", into='cache = "10 GB"\nafter_cache = "150 MB/s"\nfold = "300 MB/s"')
        moved = target.state.work(WRITING, 20.0)
        self.assertAlmostEqual(moved, 10e9 + (20 - 10e9 / 990e6) * 150e6, delta=10)
        target.rest(10)
        self.assertAlmostEqual(target.state.cached, 7e9, delta=10)
        target.state.work(parse_workload("sequential read 1 MiB depth 4"), 10.0)
        self.assertAlmostEqual(target.state.cached, 4e9, delta=10)

    def test_tidying_and_zones(self) -> None:
        """1 GB in every 5 at the floor; a disk twice as slow at its end as at its start."""
        target = self.target("", into='floor = "66 MB/s"\ntidy_every = "4 GB"\ntidy = "1 GB"')
        seconds = 4e9 / 990e6 + 1e9 / 66e6
        self.assertAlmostEqual(target.state.work(WRITING, seconds * 3) / 15e9, 1, places=4)
        disk = self.target("", into='inner_write = "400 MB/s"')
        first = disk.state.truth(WRITING).rate
        disk.state.travelled = 0.999e12
        self.assertEqual(first, 990e6)
        self.assertAlmostEqual(disk.state.truth(WRITING).rate, 2000e6 - 1600e6 * 63 / 64, delta=1)

    def test_the_same_seed_gives_the_same_rows(self) -> None:
        """Two targets with one seed see the same soak, row by row."""
        rows = [[self.target(HEAT).soak_row(WRITING, 1.0, np.random.default_rng(5)) for _ in range(20)] for _ in "ab"]
        self.assertEqual(rows[0], rows[1])

    def test_settings_that_need_each_other(self) -> None:
        """A cache without its after, a throttle without its rate: one line that names both."""
        for into, says in (
            ('cache = "1 GB"', "'cache' and 'after_cache'"),
            ('floor = "1 MB/s"', "'floor' and 'tidy_every'"),
        ):
            with self.assertRaisesRegex(UsageError, says):
                self.target("", into=into)
        with self.assertRaisesRegex(UsageError, "'resumes_at'"):
            self.target(HEAT.replace('resumes_at = "72 °C"\n', ""))
        with self.assertRaisesRegex(UsageError, "write it in quotes|J/K"):
            self.target(HEAT.replace('capacity = "10 J/K"', 'capacity = "10 K/W"'))


class Hubs(FolderCase):
    @given(st.lists(st.floats(1, 1e4), min_size=1, max_size=8), st.floats(1, 2e4))
    def test_max_min_fairness(self, wanted: list[float], most: float) -> None:
        """Nobody gets more than wanted, all that can be used is used, and only who is satisfied gets less than others."""
        given = allot(wanted, most)
        self.assertAlmostEqual(sum(given), min(sum(wanted), most), delta=1e-6 * most)
        for one, got in zip(wanted, given, strict=True):
            self.assertLessEqual(got, one * (1 + 1e-9))
            if got < one * (1 - 1e-9):
                self.assertAlmostEqual(got, max(given), delta=1e-6 * most)

    def test_what_is_shared_is_shared_only_within(self) -> None:
        """Two drives on a hub of 900 MB/s get 450 each; without it their port's 10 Gb/s is shared; afterwards all is as before."""
        more = '[parts.other]\nread = "3000 MB/s"\nwrite = "990 MB/s"\n'
        more += '[parts.third]\nread = "3000 MB/s"\nwrite = "2000 MB/s"\n'
        bench = load_bench(self.write("bench.toml", BENCH + more + '[parts.hub]\nshared = "900 MB/s"\n'))
        elsewhere = ["b:fast", "third"]
        for between, each in ((["hub"], 450), ([], 550)):
            chains = (["b:usb", *between, "box", "drive"], ["b:usb", *between, "other"], elsewhere)
            targets = [SimTarget(bench, c, "h", "sim:bench.toml") for c in chains]
            with ways_shared(targets, [WRITING] * len(targets)):
                rates = [round(t.state.truth(WRITING).rate / 1e6) for t in targets]
            self.assertEqual(rates, [each, each, 2000])
        self.assertEqual(round(targets[0].state.truth(WRITING).rate / 1e6), 990)
