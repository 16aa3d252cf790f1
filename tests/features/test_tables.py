"""Tables on a terminal: nothing that fits is cut; a workload without a figure has a row all the same."""

from __future__ import annotations

import io
import re
import unittest
from dataclasses import replace

from hypothesis import given
from hypothesis import strategies as st

from tests.support import BENCH, REVIEW, FolderCase, simulate
from ulterion.core.units import show_rate
from ulterion.core.workloads.workload import parse_workload
from ulterion.features.compare.answer import answers
from ulterion.features.compare.overview import large_and_small
from ulterion.features.measure.tables import results
from ulterion.results.comparison import compare_review
from ulterion.results.pooling import runs_for_results
from ulterion.show.blocks import Table, Text
from ulterion.show.live import Lines, Screen
from ulterion.show.looks import in_sentence

WORDS = st.text("abcdefgh 0123456789.%", min_size=1, max_size=14).map(lambda s: s.strip() or "x")


def printed(*lines: object, width: int = 80) -> str:
    """Return what is printed on a screen of a width."""
    out = io.StringIO()
    screen = Screen(file=out, width=width)
    for line in lines:
        screen.print(Lines(line))
    return out.getvalue()


class Tables(unittest.TestCase):
    @given(st.lists(st.tuples(WORDS, WORDS, WORDS, WORDS, WORDS), min_size=1, max_size=8), st.integers(30, 90))
    def test_what_fits_set_close_is_not_cut(self, rows: list[tuple[str, ...]], width: int) -> None:
        """At any width no line is longer than the screen; where the columns fit with one space between, no word is lost."""
        columns = [(f"c{n}", "right" if n % 2 else "left") for n in range(5)]
        text = printed(Table(columns, [list(row) for row in rows]), width=width)
        self.assertLessEqual(max(len(line) for line in text.splitlines()), width)
        widths = [max(len(f"c{n}"), *(len(row[n]) for row in rows)) for n in range(5)]
        if sum(widths) + 4 <= width:
            self.assertNotIn("…", text)
            for line, row in zip(text.splitlines()[1:], rows, strict=True):
                self.assertEqual(line.split(), " ".join(row).split())
        if sum(widths) + 8 <= width:
            self.assertIn("c0".ljust(widths[0]) + "  ", text.splitlines()[0])

    def test_a_heading_between_rows_stands_over_the_width(self) -> None:
        """A row that is one text is not set in columns."""
        text = printed(Table([("a", "left"), ("b", "right")], [Text("a long heading by itself"), ["1", "2"]]), width=30)
        self.assertEqual([line.rstrip() for line in text.splitlines()], ["a  b", "a long heading by itself", "1  2"])


class Answers(FolderCase):
    def test_rates_stand_in_the_order_of_the_names(self) -> None:
        """Of each pair of the demo, whoever is faster and whichever is named first; and by the workload that the table shows."""
        pairs = ("slot", "duo", "crumble", "crumble-duo", "vault", "vault-long", "lan", "hub-lan")
        folder = self.opened(self.demo(only=pairs))
        review, seen = folder.review, 0
        for group in compare_review(review, runs_for_results(folder)):
            names = {in_sentence(review, setup): setup for setup in {r.setup for r in group.rows}}
            for assumed in (False, True):
                told = answers(review, replace(group, assumed=assumed), "MB/s")[0]
                first, second = sorted(names, key=lambda name: told.lower().index(name.lower()))
                for both, measure in zip(re.findall(r"([\d.,]+) against ([\d.,]+)", told), (0, 1), strict=False):
                    rows = [large_and_small(group, names[name])[measure] for name in (first, second)]
                    rates = [show_rate(r.estimate.rate, "MB/s", with_unit=False) for r in rows if r is not None]
                    self.assertEqual([*both], rates, told)
                    seen += 1
        self.assertGreaterEqual(seen, 12)

    def test_what_is_no_number_stands_in_the_table(self) -> None:
        """An outcome below a setup's figures or in their place; a run that failed; one that was never tried."""
        more = "".join(
            f'[setups.{n}]\nchain = ["b:usb", "box", "drive"]\ntarget = "sim:bench.toml"\n' for n in ("dead", "later")
        )
        fault = '[[faults]]\npart = "box"\nwhat = "not recognised"\nsetup = "dead"\n'
        self.review(REVIEW + more, BENCH + fault)
        for setup, status in (("direct", 0), ("box", 0), ("dead", 3)):
            done = self.ulterion("measure", "--setup", setup, "--suite", "brief", "--passes", "3")
            self.assertEqual(done.returncode, status, done.stderr)
        self.ulterion("note", "--setup", "box", "needs external power on the left port")
        shown = self.ulterion("compare").stdout
        table, _, rest = shown.partition("In short")
        for line in (
            "box  needs external power on the left port",
            "dead  failed: box is not recognised on b:usb",
            "later  has not been measured",
        ):
            self.assertIn(line, table)
        self.assertRegex(" ".join(rest.split()), "dead: failed: .*ulterion measure --setup dead")
        self.assertNotIn("…", table)
        self.assertNotIn("(Holm)", shown)
        self.assertIn(
            "corrected for all 2 comparisons with 'direct' (Holm)",
            " ".join(self.ulterion("compare", "--long").stdout.split()),
        )


class WithoutFigure(FolderCase):
    def test_passes_of_no_one_state_have_a_row_and_no_figure(self) -> None:
        """A cache that fills again between passes and is used up in each: no mean of both is shown, and it is said."""
        cache = 'small_noise = "3%"\ncache = "5 GB"\nafter_cache = "300 MB/s"\nfold = "2 GB/s"\n'
        review = self.review(bench=BENCH.replace('small_noise = "3%"\n', cache))
        writes = parse_workload("sequential write 4 MiB depth 4")
        reads = replace(parse_workload("sequential read 4 MiB depth 4"), seconds=4.0)
        done = simulate(review, "direct", [writes, reads], passes=5, seconds=5.0)
        (record, _) = done.run.workloads
        self.assertEqual({p.state for p in record.passes}, {"mixed"})
        text = " ".join(printed(*results(done.run, done.path, "MB/s")).split())
        self.assertRegex(text, f"{writes.text} – – – – –")
        self.assertIn("no pass of 5 stayed in one state", text)
        self.assertIn("5 of 5 passes slowed down for a while and do not count: a write cache that fills again", text)
        self.assertEqual(self.ulterion("compare").returncode, 0)


class Places(FolderCase):
    def test_how_little_of_the_medium_is_covered_is_said(self) -> None:
        """A small span of a large disk says nothing of the rest; all of it needs no word."""
        self.review(bench=BENCH.replace('capacity = "1 TB"', 'capacity = "64 GB"'))
        words = (
            "measure",
            "--setup",
            "direct",
            "--workload",
            "sequential read 1 MiB depth 2",
            "--places",
            "2",
            "--passes",
            "3",
            "--seconds",
            "0.2",
        )
        for span, said in (("4 GB", True), ("60 GB", False)):
            shown = " ".join(self.ulterion(*words, "--span", span).stdout.split())
            self.assertEqual("only 6.25% of the medium was covered (4.00 GB of 64.0 GB)" in shown, said, shown)
