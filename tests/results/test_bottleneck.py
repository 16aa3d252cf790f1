"""Bottlenecks over whole reviews: a sample of the benchmark's, and what compare, claims and notebooks say of them."""

from __future__ import annotations

import random
import unittest
from collections import Counter
from pathlib import Path

from benchmarks.accused import tally_of
from benchmarks.bottlenecks import World, judged, play, run_of, world

from tests.support import BENCH, REVIEW, FolderCase, simulate
from ulterion import load_review
from ulterion.core.workloads.workload import parse_workload
from ulterion.features.claims.judging import judge_claims
from ulterion.model.review import parse_review
from ulterion.results.bottleneck import bottlenecks
from ulterion.results.pooling import pooled_results


class Reviews(unittest.TestCase):
    def test_right_or_honestly_one_of_several(self) -> None:
        """Forty random reviews: hardly ever a wrong name, the truth nearly always named or among those left."""
        tally, ended = Counter[str](), Counter[str]()
        for number in range(40):
            w = world(random.Random(900_000 + number))
            runs = [run_of(w, name, chain, at + 1) for at, (name, chain) in enumerate(w.chains.items())]
            for (setup, direction), bottleneck in judged(w, runs).items():
                _, owner, _ = w.truth(w.chains[setup])
                keys = [s.key for s in bottleneck.finding.suspects]
                tally["right" if keys == [owner] else "several" if owner in keys else "wrong"] += 1
                if owner in keys and len(keys) > 1 and direction == "read":
                    ended[play(w, runs, setup, direction, bottleneck)[:7]] += 1
        total = sum(tally.values())
        self.assertLessEqual(tally["wrong"] / total, 0.03, tally)
        self.assertGreaterEqual(tally["right"] / total, 0.5, tally)
        self.assertGreaterEqual(ended["settled"] / sum(ended.values()), 0.8, ended)


class Accused(unittest.TestCase):
    def test_no_honest_part_misses_its_claim(self) -> None:
        """Sixty random reviews, half of them with nothing connected directly: what is short of its claim may be named, what keeps it never."""
        tally = tally_of(60, seed=8)
        self.assertEqual(tally[True, "missed"], 0, tally)
        self.assertGreater(tally[False, "missed"], 10)
        self.assertGreater(tally[True, "met"], 20)

    def test_a_card_and_its_reader_are_both_suspects(self) -> None:
        """A card that reads 296 and claims 280 is measured at 262 in a reader: undecided, with the swap that tells; and then it is met."""
        parts = (
            '[ports.usb]\nlink = "USB 10 Gb/s"\n[parts.old]\nname = "Old reader"\nkind = "reader"\nlink = "USB 5 Gb/s"\n'
            '[parts.new]\nname = "New reader"\nkind = "reader"\nlink = "USB 5 Gb/s"\n'
            '[parts.card]\nname = "Card"\nkind = "card"\n[parts.card.claims]\nread = "280 MB/s"\n'
            '[setups.one]\nchain = ["usb", "old", "card"]\n[setups.two]\nchain = ["usb", "new", "card"]\n'
        )
        w = World(
            random.Random(3),
            {"old": 262e6, "new": 400e6, "card": 296e6},
            kinds={},
            chains={"one": ["usb", "old", "card"], "two": ["usb", "new", "card"]},
        )
        runs = [run_of(w, name, chain, at + 1) for at, (name, chain) in enumerate(w.chains.items())]
        review = parse_review("schema = 2\n" + parts, Path("review.toml"))
        (first,) = (r for r in judge_claims(review, runs[:1]) if r.part == "card")
        self.assertEqual((first.judgement.verdict, first.judgement.others), ("undecided", True))
        assert first.bottleneck is not None and first.bottleneck.next is not None
        self.assertEqual(first.bottleneck.next.setup, "two")
        (both,) = (r for r in judge_claims(review, runs) if r.part == "card")
        self.assertEqual((both.judgement.verdict, both.setup), ("met", "two"))

    def test_likeness_with_another_medium_clears_nothing(self) -> None:
        """An enclosure on one bench and a bare drive on another that happen to give the same: no part is cleared by that."""
        w = World(
            random.Random(4),
            {"box": 2980e6, "one": 6000e6, "other": 2985e6},
            chains={"through": ["usb", "box", "one"], "bare": ["m2", "other"]},
        )
        text = (
            'schema = 2\n[ports.usb]\nlink = "USB4 40 Gb/s"\n[ports.m2]\nlink = "PCIe 4.0 x4"\n[parts.box]\nname = "Box"\nkind = "enclosure"\n'
            '[parts.one]\nname = "One"\nkind = "drive"\n[parts.other]\nname = "Other"\nkind = "drive"\n'
            '[setups.through]\nchain = ["usb", "box", "one"]\n[setups.bare]\nchain = ["m2", "other"]\nbaseline = true\n'
        )
        runs = [run_of(w, name, chain, at + 1) for at, (name, chain) in enumerate(w.chains.items())]
        bottleneck = bottlenecks(parse_review(text, Path("review.toml")), pooled_results(runs))["through", "read"]
        self.assertLessEqual({"box", "one"}, {s.key for s in bottleneck.finding.suspects})

    def test_a_slow_state_accuses_nobody(self) -> None:
        """A drive that was throttled, or whose cache was used up, has carried what it did in another state: it clears and blames nothing."""
        w = World(random.Random(5), {"box": 900e6, "drive": 2000e6}, chains={"through": ["usb", "box", "drive"]})
        text = (
            'schema = 2\n[ports.usb]\nlink = "USB 10 Gb/s"\n[parts.box]\nname = "Box"\nkind = "enclosure"\n'
            '[parts.drive]\nname = "Drive"\nkind = "drive"\n[setups.through]\nchain = ["usb", "box", "drive"]\n'
        )
        (run,) = (run_of(w, name, chain, 1) for name, chain in w.chains.items())
        review = parse_review(text, Path("review.toml"))
        self.assertTrue(bottlenecks(review, pooled_results([run])))
        slow = [r.changed(passes=[p.changed(state="throttled") for p in r.passes]) for r in run.workloads]
        self.assertEqual(bottlenecks(review, pooled_results([run.changed(workloads=slow)])), {})


class Told(FolderCase):
    def test_one_answer_everywhere(self) -> None:
        """The box by swap in compare, claims, JSON and the data frame; unmeasured, the measurement that would tell."""
        folder = self.review()
        simulate(folder, "box")
        (one,) = self.json_of("compare")["groups"][0]["bottlenecks"]
        self.assertEqual((one["suspects"], one["how"]), (["b:usb", "box", "drive"], None))
        self.assertEqual(one["next"], {"chain": ["b:fast", "drive"], "setup": "direct"})
        self.assertIn(
            "to separate them: ulterion measure --setup direct",
            " ".join(self.ulterion("compare", "--why").stdout.split()),
        )
        simulate(folder, "direct")
        bottlenecks = {(c["setup"], c["direction"]): c for c in self.json_of("compare")["groups"][0]["bottlenecks"]}
        self.assertEqual(bottlenecks["direct", "read"]["suspects"], ["drive"])
        self.assertEqual(bottlenecks["box", "read"]["suspects"], ["b:usb", "box"])
        self.assertEqual({c["part"] for c in bottlenecks["box", "read"]["cleared"]}, {"drive"})
        claims = {(c["part"], c["claim"]): c for c in self.json_of("claims")["claims"]}
        self.assertEqual(claims["box", "read"]["bottleneck"]["suspects"], ["b:usb", "box"])
        frame = load_review(self.folder).compare()
        self.assertEqual(frame[frame.setup == "box"].suspects.iloc[0], ["b:usb", "box"])

    def test_a_soak_and_a_figure_give_the_same_answer(self) -> None:
        """What compare says of the box's writing stands with its soak, in JSON, in words and at the foot of figures."""
        folder = self.review()
        writes = [parse_workload("sequential write 4 MiB depth 4")]
        for setup in ("direct", "box"):
            simulate(folder, setup, writes)
        bottlenecks = {(c["setup"], c["direction"]): c for c in self.json_of("compare")["groups"][0]["bottlenecks"]}
        soaked = self.json_of("soak", "--setup", "box", "--for", "2m", "--idle", "0")
        words = bottlenecks["box", "write"]["words"]
        self.assertEqual(
            soaked["bottleneck"], {k: v for k, v in bottlenecks["box", "write"].items() if k in soaked["bottleneck"]}
        )
        told = " ".join(self.ulterion("compare", "--soaks", "box", "--why").stdout.split())
        self.assertIn(f"bottleneck {words}", told)

    def test_a_second_box_settles_it(self) -> None:
        """A faster box on the same port clears it: the first is named, with what the other carried."""
        faster = '[parts.quick]\nlink = "USB 10 Gb/s"\nread = "1080 MB/s"\nwrite = "1080 MB/s"\n'
        review = REVIEW + '[parts.quick]\nname = "Quick Box"\nkind = "enclosure"\n[setups.quick]\n'
        bench = BENCH.replace('read = "1000 MB/s"', 'read = "700 MB/s"') + faster
        folder = self.review(review + 'chain = ["b:usb", "quick", "drive"]\ntarget = "sim:bench.toml"\n', bench)
        for setup in folder.review.setups:
            simulate(folder, setup)
        self.assertRegex(
            " ".join(self.ulterion("compare", "--why").stdout.split()),
            r"box, read: Test Box: 1,0\d\d MB/s without it \(quick\)",
        )

    def test_a_better_port_of_another_family_is_proposed(self) -> None:
        """Port and box are left; the review's USB4 port takes a USB plug and does more: the box there would tell."""
        text = REVIEW + '[ports."b:four"]\nlink = "USB4 40 Gb/s"\n'
        folder = self.review(text, BENCH + '[ports."b:four"]\nlink = "USB4 40 Gb/s"\n')
        for setup in folder.review.setups:
            simulate(folder, setup)
        (one,) = [c for c in self.json_of("compare")["groups"][0]["bottlenecks"] if c["setup"] == "box"]
        self.assertEqual(one["next"], {"chain": ["b:four", "box", "drive"], "setup": None})
