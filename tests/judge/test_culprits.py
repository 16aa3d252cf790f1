"""Culprits over whole reviews: a sample of the benchmark's, and what compare, claims and notebooks say of them."""

from __future__ import annotations

import random
import unittest
from collections import Counter

from benchmarks.blame import judged, play, run_of, world

from tests.support import BENCH, REVIEW, FolderCase, simulate
from ulterion import load_review
from ulterion.core.workload import parse_workload
from ulterion.judge.comparisons import compare_review
from ulterion.model.store import ReviewFolder
from ulterion.report.figures.comparison import draw_comparison
from ulterion.report.figures.ground import Cast


class Reviews(unittest.TestCase):
    def test_right_or_honestly_one_of_several(self) -> None:
        """Forty random reviews: hardly ever a wrong name, the truth nearly always named or among those left."""
        tally, ended = Counter[str](), Counter[str]()
        for number in range(40):
            w = world(random.Random(900_000 + number))
            runs = [run_of(w, name, chain, at + 1) for at, (name, chain) in enumerate(w.chains.items())]
            for (hookup, direction), blame in judged(w, runs).items():
                _, owner, _ = w.truth(w.chains[hookup])
                keys = [s.key for s in blame.finding.suspects]
                tally["right" if keys == [owner] else "several" if owner in keys else "wrong"] += 1
                if owner in keys and len(keys) > 1 and direction == "read":
                    ended[play(w, runs, hookup, direction, blame)[:7]] += 1
        total = sum(tally.values())
        self.assertLessEqual(tally["wrong"] / total, 0.03, tally)
        self.assertGreaterEqual(tally["right"] / total, 0.5, tally)
        self.assertGreaterEqual(ended["settled"] / sum(ended.values()), 0.8, ended)


class Told(FolderCase):
    def test_one_answer_everywhere(self) -> None:
        """The box by swap in compare, claims, JSON and the data frame; unmeasured, the measurement that would tell."""
        folder = self.review()
        simulate(folder, "box")
        (one,) = self.json_of("compare")["groups"][0]["culprits"]
        self.assertEqual((one["suspects"], one["how"]), (["b:usb", "box", "drive"], None))
        self.assertEqual(one["next"], {"chain": ["b:fast", "drive"], "hookup": "direct"})
        self.assertIn("to tell: ulterion measure --hookup direct", " ".join(self.ulterion("compare").stdout.split()))
        simulate(folder, "direct")
        culprits = {(c["hookup"], c["direction"]): c for c in self.json_of("compare")["groups"][0]["culprits"]}
        self.assertEqual(culprits["direct", "read"]["suspects"], ["drive"])
        self.assertEqual(culprits["box", "read"]["suspects"], ["b:usb", "box"])
        self.assertEqual({c["part"] for c in culprits["box", "read"]["cleared"]}, {"drive"})
        claims = {(c["part"], c["claim"]): c for c in self.json_of("claims")["claims"]}
        self.assertEqual(claims["box", "read"]["culprit"]["suspects"], ["b:usb", "box"])
        frame = load_review(self.folder).compare()
        self.assertEqual(frame[frame.hookup == "box"].suspects.iloc[0], ["b:usb", "box"])

    def test_a_soak_and_a_figure_give_the_same_answer(self) -> None:
        """What compare says of the box's writing stands with its soak, in JSON, in words and at the foot of figures."""
        folder = self.review()
        writes = [parse_workload("sequential write 4 MiB depth 4")]
        for hookup in ("direct", "box"):
            simulate(folder, hookup, writes)
        culprits = {(c["hookup"], c["direction"]): c for c in self.json_of("compare")["groups"][0]["culprits"]}
        soaked = self.json_of("soak", "--hookup", "box", "--for", "2m", "--idle", "0")
        words = culprits["box", "write"]["words"]
        self.assertEqual(
            soaked["culprit"], {k: v for k, v in culprits["box", "write"].items() if k in soaked["culprit"]}
        )
        told = " ".join(self.ulterion("compare", "--soaks", "box").stdout.split())
        self.assertIn(f"held back by {words}", told)
        (group,) = compare_review(folder.review, ReviewFolder.open(self.folder).runs())
        foot = draw_comparison(group, "Test Drive", "MB/s", Cast.of(folder.review)).get_supxlabel()
        self.assertIn("Test Box: held back by b:usb or Test Box", foot)

    def test_a_second_box_settles_it(self) -> None:
        """A faster box on the same port clears it: the first is named, with what the other carried."""
        faster = '[parts.quick]\nlink = "USB 10 Gb/s"\nread = "1080 MB/s"\nwrite = "1080 MB/s"\n'
        review = REVIEW + '[parts.quick]\nname = "Quick Box"\nkind = "enclosure"\n[hookups.quick]\n'
        bench = BENCH.replace('read = "1000 MB/s"', 'read = "700 MB/s"') + faster
        folder = self.review(review + 'chain = ["b:usb", "quick", "drive"]\ntarget = "sim:bench.toml"\n', bench)
        for hookup in folder.review.hookups:
            simulate(folder, hookup)
        self.assertRegex(
            " ".join(self.ulterion("compare").stdout.split()),
            r"box, read: Test Box: without it quick carried 10\d\d MB/s",
        )

    def test_a_better_port_of_another_family_is_proposed(self) -> None:
        """Port and box are left; the review's USB4 port takes a USB plug and does more: the box there would tell."""
        text = REVIEW + '[ports."b:four"]\nlink = "USB4 40 Gb/s"\n'
        folder = self.review(text, BENCH + '[ports."b:four"]\nlink = "USB4 40 Gb/s"\n')
        for hookup in folder.review.hookups:
            simulate(folder, hookup)
        (one,) = [c for c in self.json_of("compare")["groups"][0]["culprits"] if c["hookup"] == "box"]
        self.assertEqual(one["next"], {"chain": ["b:four", "box", "drive"], "hookup": None})
