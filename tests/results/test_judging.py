"""From runs to verdicts: comparisons, claims, the notebook API."""

from __future__ import annotations

from dataclasses import replace

import ulterion
from tests.support import BENCH, PEAK_READ, REVIEW, FolderCase, simulate
from ulterion.core.errors import UsageError
from ulterion.core.links.chain import Step
from ulterion.core.links.standards import find_link
from ulterion.core.workloads.workload import parse_workload
from ulterion.features.claims.judging import judge_claims
from ulterion.features.claims.words import reasons
from ulterion.results.comparison import compare_review

PEAK_WRITE = parse_workload("sequential write 4 MiB depth 4")
LARGE = [PEAK_READ, PEAK_WRITE]


class Comparing(FolderCase):
    def test_every_workload_of_every_setup_with_what_differed(self) -> None:
        """Ratios to direct come out as the bench has them, in the baseline's order, with the changed circumstances."""
        review = self.review()
        simulate(review, "direct", LARGE)
        simulate(review, "box", LARGE, seconds=4.0)
        (group,) = compare_review(review.review, review.runs())
        self.assertEqual([r.setup for r in group.rows], ["direct", "box"] * 2)
        self.assertEqual([r.workload.direction for r in group.rows], ["read", "read", "write", "write"])
        read = group.rows[1].comparison
        assert read is not None
        self.assertEqual(read.verdict, "slower")
        self.assertAlmostEqual(read.ratio.value, 1 / 3, delta=0.005)
        told = "; ".join(group.differs["box"])
        for words in ("link: USB 10 Gb/s against PCIe 4.0 x4", "length of a pass: 4.0 s against 2.0 s"):
            self.assertIn(words, told)
        self.assertEqual([s.key for s in group.bottlenecks["box", "read"].finding.suspects], ["b:usb", "box"])

    def test_runs_are_taken_together_and_an_unfinished_one_is_marked(self) -> None:
        """A second run of the same kind joins the first, one of another length replaces it; one that broke off says so beside its figures."""
        review = self.review()
        simulate(review, "direct", LARGE)
        simulate(review, "box", LARGE)
        simulate(review, "box", [PEAK_READ], passes=8)
        (group,) = compare_review(review.review, review.runs())
        self.assertEqual(
            [(r.estimate.passes, r.estimate.runs) for r in group.rows if r.setup == "box"], [(13, 2), (5, 1)]
        )
        self.write("bench.toml", BENCH + '[[faults]]\npart = "box"\nwhat = "pulled out"\nafter = "13.5 s"\n')
        simulate(review, "box", [PEAK_READ], passes=8)
        (group,) = compare_review(review.review, review.runs())
        self.assertEqual(next(r.estimate.passes for r in group.rows if r.setup == "box"), 17)
        self.assertRegex(" ".join(group.caveats["box"]), "failed: box was pulled out")
        self.write("bench.toml", BENCH)
        simulate(review, "box", [PEAK_READ], passes=3, seconds=4.0)
        (group,) = compare_review(review.review, review.runs())
        self.assertEqual(next(r.estimate.passes for r in group.rows if r.setup == "box"), 3)

    def test_no_loss_is_a_finding(self) -> None:
        """The same truth through another setup comes out `same`."""
        free = BENCH + '[parts.wire]\n[ports."b:two"]\nlink = "PCIe 4.0 x4"\n'
        written = REVIEW + ('[ports."b:two"]\nlink = "PCIe 4.0 x4"\n[parts.wire]\nname = "W"\nkind = "cable"\n'
                            '[setups.wire]\nchain = ["b:two", "wire", "drive"]\ntarget = "sim:bench.toml"\n')  # fmt: skip
        review = self.review(written, free)
        simulate(review, "direct", LARGE)
        simulate(review, "wire", LARGE)
        (group,) = compare_review(review.review, review.runs())
        self.assertEqual({r.comparison.verdict for r in group.rows if r.comparison}, {"same"})
        self.assertEqual(group.not_measured, ("box",))

    def test_nothing_to_compare_is_said(self) -> None:
        """No run, no run of the named baseline, an unknown name: each its own sentence."""
        review = self.review()
        with self.assertRaisesRegex(UsageError, "no measured setup yet"):
            compare_review(review.review, [])
        simulate(review, "box", LARGE)
        with self.assertRaisesRegex(UsageError, "'direct' has no measurement yet"):
            compare_review(review.review, review.runs(), against="direct")
        (group,) = compare_review(review.review, review.runs())
        self.assertEqual((group.baseline, group.not_measured), (None, ("direct",)))


class Claiming(FolderCase):
    def verdicts(self, review_text: str = REVIEW, bench: str = BENCH, **settings: object) -> dict[tuple[str, str], str]:
        review = self.review(review_text, bench)
        for setup in review.review.setups:
            simulate(review, setup, LARGE)
        rows = judge_claims(review.review, review.runs(), **settings)  # type: ignore[arg-type]
        self.rows = {(r.part, r.claim): r for r in rows}
        return {key: row.judgement.verdict for key, row in self.rows.items()}

    def test_met_missed_and_not_testable(self) -> None:
        """The box meets its read claim; its write claim lies above the port; the drive's is met where it can be."""
        found = self.verdicts()
        self.assertEqual(found[("box", "read")], "met")
        self.assertEqual(found[("box", "write")], "not testable")
        self.assertRegex(self.rows[("box", "write")].judgement.why or "", r"b:usb, USB 10 Gb/s.*less than this claim")
        self.assertEqual((found[("drive", "read")], self.rows[("drive", "read")].setup), ("met", "direct"))

    def test_a_product_that_links_lower_than_sold_misses_by_its_own_fault(self) -> None:
        """Linked at 5 Gb/s on a 10 Gb/s port: missed, with the link named, and the link claim missed too."""
        text = REVIEW.replace("[parts.box.claims]\n", '[parts.box.claims]\nlink = "USB 10 Gb/s"\n')
        bench = BENCH.replace('[parts.box]\nlink = "USB 10 Gb/s"', '[parts.box]\nlink = "USB 5 Gb/s"')
        found = self.verdicts(text, bench)
        self.assertEqual((found[("box", "read")], found[("box", "link")]), ("missed", "missed"))
        bottleneck = self.rows[("box", "read")].bottleneck
        assert bottleneck is not None
        (sole_suspect,) = bottleneck.finding.suspects
        self.assertEqual(
            (sole_suspect.key, sole_suspect.link.name if sole_suspect.link else None), ("box", "USB 5 Gb/s")
        )
        self.assertRegex(" ".join(reasons(list(self.rows.values()))), "try another cable and port")

    def test_a_claim_is_judged_where_it_has_the_fairest_chance(self) -> None:
        """By default the best setup; with `everywhere` each; nothing measured is said."""
        review = self.review()
        rows = judge_claims(review.review, [])
        self.assertEqual({r.judgement.verdict for r in rows}, {"not measured"})
        for setup in ("box", "direct"):
            simulate(review, setup, LARGE)
        rows = judge_claims(review.review, review.runs(), everywhere=True)
        drive = {r.setup: r.judgement.verdict for r in rows if r.part == "drive"}
        self.assertEqual(drive, {"direct": "met", "box": "not testable"})

    def test_a_limit_that_was_found_elsewhere_stands_in_a_claims_way(self) -> None:
        """A port that held one drive back holds another's claim back too, whatever it is labelled as; below it the claim is missed."""
        text = REVIEW + ('[ports."b:slow"]\nlink = "PCIe 4.0 x4"\n[parts.other]\nname = "Other Drive"\nkind = "drive"\nlink = "PCIe 4.0 x4"\n'
                         '[parts.other.claims]\nread = "CLAIM MB/s"\n[setups.slow]\nchain = ["b:slow", "drive"]\ntarget = "sim:bench.toml"\n'
                         '[setups.other]\nchain = ["b:slow", "other"]\ntarget = "sim:bench.toml"\nbaseline = true\n')  # fmt: skip
        bench = BENCH + ('[ports."b:slow"]\nlink = "PCIe 4.0 x4"\nread = "300 MB/s"\nwrite = "300 MB/s"\n'
                         '[parts.other]\nread = "280 MB/s"\nwrite = "280 MB/s"\ncapacity = "1 TB"\nnoise = "0.5%"\n')  # fmt: skip
        for claim, verdict in (("400", "not testable"), ("295", "missed"), ("281", "met")):
            found = self.verdicts(text.replace("CLAIM", claim), bench)
            self.assertEqual(found[("other", "read")], verdict, claim)
            for path in (self.folder / "runs").iterdir():
                path.unlink()
        self.verdicts(text.replace("CLAIM", "400"), bench)
        self.assertRegex(
            self.rows[("other", "read")].judgement.why or "",
            "what b:slow gave at most on slow, (300|299|301) MB/s, is less than this claim",
        )

    def test_a_flush_that_alone_misses_a_claim_is_said(self) -> None:
        """Short passes pay for it: the figure keeps it, and the reason names the rate without it."""
        text = REVIEW.replace("[parts.drive.claims]\n", '[parts.drive.claims]\nwrite = "1980 MB/s"\n')
        self.verdicts(text, BENCH.replace("parallel = 32", 'parallel = 32\nflush = "150 ms"'))
        row = self.rows[("drive", "write")]
        self.assertEqual(row.judgement.verdict, "missed")
        self.assertAlmostEqual((row.judgement.unflushed or 0) / 2000e6, 1, delta=0.01)
        self.assertAlmostEqual((row.measured or 0) / 2000e6, 1.85 / 2, delta=0.01)
        self.assertRegex(
            " ".join(reasons([row])),
            r"misses the claim only because of the final flush \((2,0\d\d|1,99\d) MB/s without it\)",
        )
        self.verdicts(text, BENCH.replace('write = "2000 MB/s"', 'write = "1900 MB/s"'))
        self.assertIsNone(self.rows[("drive", "write")].judgement.unflushed)

    def test_a_hubs_link_is_judged_by_what_was_seen_of_it(self) -> None:
        """The hub between port and box is seen as linked at 5 Gb/s; where a box alone is held the hub's claim is not measured."""
        hub = (
            '[parts.hub]\nname = "Hub"\nkind = "hub"\nlink = "USB 10 Gb/s"\n[parts.hub.claims]\nlink = "USB 10 Gb/s"\n'
        )
        bench = BENCH + '[parts.hub]\nlink = "USB 5 Gb/s"\ntransport = "USB"\n'
        self.assertEqual(self.verdicts(REVIEW + hub, bench)[("hub", "link")], "not measured")
        chain = '[setups.hubbed]\nchain = ["b:usb", "hub", "box", "drive"]\ntarget = "sim:bench.toml"\n'
        self.assertEqual(self.verdicts(REVIEW + hub + chain, bench)[("hub", "link")], "missed")
        row = self.rows[("hub", "link")]
        self.assertEqual((row.measured_name, row.setup), ("USB 5 Gb/s", "hubbed"))
        self.assertRegex(
            row.judgement.why or "", "the same port ran Test Box at USB 10 Gb/s or faster, so try another cable"
        )

    def test_a_box_that_says_it_can_do_the_link_is_not_accused(self) -> None:
        """A tunnel or bridge below its claim that could do more: cable and port are suspects too; one that says no more has missed."""
        review = REVIEW.replace("[parts.box.claims]\n", '[parts.box.claims]\nlink = "USB4 40 Gb/s"\n').replace(
            '[ports."b:usb"]\nlink = "USB 10 Gb/s"', '[ports."b:usb"]\nlink = "USB4 40 Gb/s"'
        )
        store = self.review(review)
        run = simulate(store, "box", [PEAK_READ], passes=3).run
        fast, slow = find_link("USB4 40 Gb/s"), find_link("USB4 20 Gb/s")
        for alone, verdict in ((fast, "undecided"), (slow, "missed"), (None, "missed")):
            step = Step("tunnel", "0-1", "Box", link=slow, alone=alone)
            target = replace(run.target, steps=(step,), link=slow.name)
            rows = judge_claims(store.review, [run.changed(target=target)])
            (row,) = (r for r in rows if (r.part, r.claim) == ("box", "link"))
            self.assertEqual(row.judgement.verdict, verdict, alone)

    def test_iops_and_capacity(self) -> None:
        """Claims in IOPS are held against random workloads, capacity against what the drive states."""
        text = REVIEW.replace('[parts.drive.claims]\n', '[parts.drive.claims]\nrandom_read = "15 kIOPS"\n'
                              'random_write = "400 kIOPS"\ncapacity = "2 TB"\n')  # fmt: skip
        review = self.review(text)
        simulate(
            review,
            "direct",
            [parse_workload("random read 4 KiB depth 1"), parse_workload("random write 4 KiB depth 1")],
        )
        found = {r.claim: r for r in judge_claims(review.review, review.runs()) if r.part == "drive"}
        self.assertEqual({c: r.judgement.verdict for c, r in found.items()}, {
            "read": "not measured", "random read": "met", "random write": "undecided", "capacity": "missed"})  # fmt: skip
        self.assertIn("random write 4 KiB depth 128", found["random write"].judgement.why or "")
        self.assertTrue(15_000 < (found["random read"].measured or 0) < 18_000)
        self.assertEqual((found["random read"].unit, found["capacity"].claimed), ("IOPS", 2e12))


class Notebook(FolderCase):
    def test_a_review_as_tables(self) -> None:
        """Passes, comparisons and claims as data frames, with units in the column names."""
        review = self.review()
        for setup in ("direct", "box"):
            simulate(review, setup, LARGE)
        opened = ulterion.load_review(self.folder)
        frame = opened.frame()
        self.assertEqual(len(frame), 20)
        medians = frame.groupby(["setup", "workload"])["MB_per_s"].median()
        self.assertAlmostEqual(medians["box", PEAK_READ.text], 1000, delta=10)
        self.assertEqual(list(opened.compare()["verdict"].dropna().unique()), ["slower"])
        self.assertIn("not testable", set(opened.claims()["verdict"]))
