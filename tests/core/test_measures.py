"""Histogram, series, workloads and suites."""

from __future__ import annotations

import dataclasses
import math
import unittest
from itertools import permutations

import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from ulterion.core.errors import UsageError
from ulterion.core.facts.differences import EXEMPT, FACTS, RunFacts, differences, unlike
from ulterion.core.facts.target import BenchFacts, NetworkEnd, NetworkFacts, TargetFacts
from ulterion.core.links.standards import find_link
from ulterion.core.sharing import sharing
from ulterion.core.workloads.histogram import LatencyHistogram
from ulterion.core.workloads.sanity_limits import impossible
from ulterion.core.workloads.series import MAX_INTERVALS, IntervalSeries
from ulterion.core.workloads.suites import SUITES, find_suite
from ulterion.core.workloads.workload import parse_sweep, parse_workload

TIMES = st.lists(st.integers(100, 10**12), min_size=1, max_size=300)


def histogram_of(times: list[int]) -> LatencyHistogram:
    made = LatencyHistogram()
    made.add(np.array(times, dtype=np.int64))
    return made


class Histogram(unittest.TestCase):
    @given(TIMES, st.floats(0.1, 100))
    def test_percentiles_are_within_one_per_cent(self, times: list[int], q: float) -> None:
        """Every percentile is within 1% of the nearest-rank one of the times themselves."""
        rank = max(1, math.ceil(q / 100 * len(times) - 1e-9))
        true = sorted(times)[rank - 1] / 1e9
        self.assertAlmostEqual(histogram_of(times).percentile(q) / true, 1.0, delta=0.01)

    @given(TIMES, TIMES)
    def test_merging_is_counting_together(self, a: list[int], b: list[int]) -> None:
        """Two merged histograms equal one of all times; and one written down reads back."""
        merged, whole = histogram_of(a), histogram_of(a + b)
        merged.merge(histogram_of(b))
        back = LatencyHistogram.from_pairs(merged.pairs(), merged.least_ns / 1e9, merged.greatest_ns / 1e9, merged.mean)
        for one in (merged, back):
            np.testing.assert_array_equal(one.counts, whole.counts)
            self.assertAlmostEqual(one.mean / whole.mean, 1.0, places=9)
            self.assertAlmostEqual(one.greatest_ns / whole.greatest_ns, 1.0, places=9)

    def test_the_shortest_and_longest_are_counted_too(self) -> None:
        """Times outside the buckets land in the outermost, and least and greatest stay exact."""
        made = histogram_of([1, 10**18])
        self.assertEqual((made.total, made.least_ns, made.greatest_ns), (2, 1.0, 1e18))
        self.assertEqual((int(made.counts[0]), int(made.counts[-1])), (1, 1))
        self.assertTrue(math.isnan(LatencyHistogram().percentile(50)))

    @given(st.floats(1e-6, 1.0), st.floats(0.05, 1.0), st.integers(1, 10**6))
    def test_a_lognormal_has_its_count_and_median(self, mean: float, spread: float, total: int) -> None:
        """Counts add up exactly; with many requests the median is the lognormal's."""
        made = LatencyHistogram.lognormal(mean, spread, total)
        self.assertEqual(made.total, total)
        if total > 1000 and mean > 1e-5:
            self.assertAlmostEqual(made.percentile(50) / (mean * math.exp(-(spread**2) / 2)), 1.0, delta=0.02)


class Series(unittest.TestCase):
    @given(st.lists(st.floats(0, 1e5), min_size=1, max_size=200), st.integers(512, 10**7))
    def test_keeps_every_byte_in_bounded_memory(self, times: list[float], block: int) -> None:
        """However long the pass, the bytes add up and the number of intervals stays bounded."""
        series = IntervalSeries()
        for part in (times[::2], times[1::2]):
            series.add(np.array(part), block)
        self.assertEqual(sum(series.values), len(times) * block)
        self.assertLessEqual(len(series.values), MAX_INTERVALS)
        at = int(max(times) / series.interval)
        self.assertGreaterEqual(series.values[at], block)

    @given(st.lists(st.floats(0, 2000), min_size=1), st.lists(st.floats(0, 2000), min_size=1))
    def test_merging_is_counting_together(self, a: list[float], b: list[float]) -> None:
        """Two series of one start merge to that of all times, whichever was folded more."""
        one, other, whole = IntervalSeries(), IntervalSeries(), IntervalSeries()
        one.add(np.array(a), 4096)
        other.add(np.array(b), 4096)
        whole.add(np.array(a), 4096)
        whole.add(np.array(b), 4096)
        one.merge(other)
        self.assertEqual((one.interval, one.values), (whole.interval, whole.values))


class Words(unittest.TestCase):
    def test_order_does_not_matter(self) -> None:
        """The same words in any order are the same workload."""
        for words in permutations(["random", "read", "4 KiB", "depth 16", "for 10 s", "over 8 GiB"]):
            found = parse_workload(" ".join(words))
            self.assertEqual(found.text, "random read 4 KiB depth 16")
            self.assertEqual((found.seconds, found.span_bytes), (10.0, 8 * 2**30))

    def test_the_canonical_text_reads_back(self) -> None:
        """Every workload of every suite can be asked for in its own words."""
        for suite in SUITES.values():
            for workload in suite.workloads:
                self.assertEqual(parse_workload(workload.text).text, workload.text)
                self.assertTrue(workload.why)

    def test_faults_are_named(self) -> None:
        """What is missing, doubled, unknown or absurd is said, with the near word."""
        cases = {
            "read 4 KiB": "sequential or random", "random 4 KiB": "reads or writes", "random read": "how large",
            "random read write 4 KiB": "twice", "random read 4 KiB depth": "whole number", "rndm read 4 KiB": "random",
            "random read 4 KiB depth 0": "from 1", "random read 1000 B": "multiple of 512", "random read 1 GiB": "64 MiB",
            "random read 4 KiB for": "duration", "random read -4 KiB": "above zero",
            "": "how large",
        }  # fmt: skip
        for text, says in cases.items():
            with self.subTest(text), self.assertRaisesRegex(UsageError, says):
                parse_workload(text)
        with self.assertRaisesRegex(UsageError, "did you mean 'brief'"):
            find_suite("breef")


class Sweeps(unittest.TestCase):
    def test_ranges_double(self) -> None:
        """Sizes and depths double from the first to the last; without a range, or backwards, it is no sweep."""
        found = parse_sweep("random read 4 KiB to 32 KiB depth 1 to 4")
        self.assertEqual([(w.block_bytes // 1024, w.depth) for w in found],
                         [(s, d) for d in (1, 2, 4) for s in (4, 8, 16, 32)])  # fmt: skip
        self.assertEqual([w.depth for w in parse_sweep("sequential write 1 MiB depth 3 to 20")], [3, 6, 12])
        for text, says in (("random read 4 KiB", "no range"), ("random read 8 KiB to 4 KiB", "small to large"),
                           ("random read to 4 KiB", "size|between"), ("random read 4 KiB to", "between"),
                           ("read 4 KiB to 8 KiB", "sequential or random")):  # fmt: skip
            with self.subTest(text), self.assertRaisesRegex(UsageError, says):
                parse_sweep(text)

    def test_mixed_work_states_its_share(self) -> None:
        """Either share can be said; a mixed one without, or a share without mixing, is refused."""
        found = parse_workload("random mixed 30% writes 4 KiB depth 8")
        self.assertEqual((found.direction, found.write_share), ("mixed", 0.3))
        self.assertEqual(parse_workload("mixed random 4 KiB 70% reads depth 8").text, found.text)
        self.assertEqual(parse_workload(found.text).text, found.text)
        for text in ("random mixed 4 KiB", "random read 30% writes 4 KiB", "random mixed 30% 4 KiB"):
            with self.subTest(text), self.assertRaisesRegex(UsageError, "share|30% writes"):
                parse_workload(text)

    @given(st.integers(1, 50), st.integers(2**22, 2**45))
    def test_places_lie_side_by_side_inside_the_span(self, count: int, span: int) -> None:
        """N places are equal, in order, aligned, do not overlap and end inside the span."""
        places = [w.settled(1.0, span) for w in parse_workload("random read 4 KiB").at_places(count)]
        self.assertEqual(len({w.text for w in places}), count)
        for one, other in zip(places, [*places[1:], None], strict=True):
            end = one.origin_bytes + (one.span_bytes or 0)
            self.assertLessEqual(end, other.origin_bytes if other else span)
            self.assertEqual((one.origin_bytes % 4096, one.span_bytes), (0, places[0].span_bytes))


class SharedHub(unittest.TestCase):
    @given(st.lists(st.tuples(st.floats(1, 1e10), st.floats(0, 1)), min_size=1, max_size=8))
    def test_fairness_lies_between_one_share_and_all(self, drives: list[tuple[float, float]]) -> None:
        """Jain's index is 1 for equal shares, 1/n when one takes all, and between otherwise."""
        alone = [a for a, _ in drives]
        found = sharing(alone, [a * k for a, k in drives])
        self.assertTrue(1 / len(drives) - 1e-9 <= found.fairness <= 1 + 1e-9)
        self.assertAlmostEqual(sharing(alone, [a / 2 for a in alone]).fairness, 1.0)
        one = sharing(alone, [alone[0], *[0.0] * (len(alone) - 1)])
        self.assertAlmostEqual(one.fairness, 1 / len(alone))
        self.assertAlmostEqual(found.total, sum(found.together))

    def test_needs_rates(self) -> None:
        """Lists that do not match, and nothing at all, are refused."""
        for alone, together in (([], []), ([1.0], [1.0, 2.0]), ([0.0], [1.0])):
            with self.assertRaises(UsageError):
                sharing(alone, together)


class Plausible(unittest.TestCase):
    def test_what_no_drive_can_do_is_named(self) -> None:
        """Above the link, or reads of what fits into memory past no cache: said; anything else is not."""
        link, read = find_link("USB 480 Mb/s"), parse_workload("sequential read 1 MiB").settled(1.0, 2**30)
        write = parse_workload("sequential write 1 MiB").settled(1.0, 2**30)
        settings = {"cache_bypassed": True, "memory_bytes": 2**34}
        self.assertRegex(impossible(read, 108e6, link, **settings) or "", "more than USB 480 Mb/s can carry")
        self.assertIsNone(impossible(read, 53e6, link, **settings))
        self.assertIsNone(impossible(read, 5e9, None, **settings))
        settings["cache_bypassed"] = False
        self.assertRegex(impossible(read, 40e6, link, **settings) or "", "fits into memory")
        self.assertIsNone(impossible(write, 40e6, link, **settings))


class Differences(unittest.TestCase):
    def facts(self, **target: object) -> RunFacts:
        base = TargetFacts(
            "/x", "folder", serial="1", driver="uas", filesystem_bytes=100, free_bytes=90, temperature=30
        )
        changed = TargetFacts(**{**base.__dict__, **target})  # type: ignore[arg-type]
        return RunFacts(changed, BenchFacts("h", room_temperature=21), ("port", "drive"), 5, 2**30, True, "1")

    def test_every_field_is_a_fact_or_exempted(self) -> None:
        """A field of target or bench that is in no fact has a reason; and a fact that is changed in one of two runs is told."""
        for kind in (TargetFacts, BenchFacts):
            names = {f.name for f in dataclasses.fields(kind)}
            covered = {n for fact in FACTS for n in fact.fields}
            self.assertEqual(names - covered - set(EXEMPT), set())
            self.assertEqual(names & covered & set(EXEMPT) - {"model"}, set())
        end = NetworkEnd("h", driver="a", link="Ethernet 1 Gb/s")
        values: dict[str, tuple[object, object]] = {
            "capacity_bytes": (10**9, 2 * 10**9), "logical_block": (512, 4096), "physical_block": (512, 4096), "system_disk": (True, False),
            "filesystem_bytes": (100, 400), "free_bytes": (90, 10), "temperature": (30.0, 45.0), "cores": (4, 8), "memory_bytes": (2**30, 2**31),
            "versions": ({"ulterion": "1"}, {"ulterion": "2"}), "room_temperature": (20.0, 30.0), "drivers": ({"uas": "1"}, {"uas": "2"}),
            "network": (NetworkFacts(end, end), NetworkFacts(end, dataclasses.replace(end, mtu=9000))),
        }  # fmt: skip
        for kind, fixed in ((TargetFacts, {"path": "/x", "kind": "folder"}), (BenchFacts, {"host": "h"})):
            for name in {f.name for f in dataclasses.fields(kind)} - set(EXEMPT):
                room = {"filesystem_bytes": 100, "free_bytes": 50} if name in ("free_bytes", "filesystem_bytes") else {}
                runs = []
                for value in values.get(name, ("one", "two")):
                    made = kind(**{**fixed, **room, name: value})  # type: ignore[arg-type]
                    target = made if isinstance(made, TargetFacts) else TargetFacts("/x", "folder")
                    bench = made if isinstance(made, BenchFacts) else BenchFacts("h")
                    runs.append(RunFacts(target, bench, ("port", "drive"), engine=bench.versions.get("ulterion")))
                if name == "uncompiled":  # by what reason is no difference
                    runs[0] = dataclasses.replace(runs[0], bench=BenchFacts("h"))
                self.assertEqual((len(differences(*runs)), len(unlike(runs))), (1, 1), name)

    def test_each_circumstance_is_named_with_both_values(self) -> None:
        """A difference names both sides; equal, unknown or slight ones are not named."""
        base = self.facts()
        self.assertEqual(differences(base, base), [])
        self.assertEqual(differences(self.facts(temperature=32, free_bytes=88, link="USB 5 Gb/s"), base), [])
        self.assertEqual(differences(self.facts(driver="usb-storage"), base), ["driver: usb-storage against uas"])
        self.assertEqual(differences(self.facts(serial="2"), base), ["drive serial: 2 against 1"])
        self.assertEqual(differences(self.facts(free_bytes=20), base), ["fill: 80% against 10%"])
        self.assertIn(
            "drive temperature at the start: 45 °C against 30 °C", differences(self.facts(temperature=45), base)
        )
