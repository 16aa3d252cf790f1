"""Reviews together and over time: what watches, what is archived as it ends, another review's setup in a comparison, the notebook, `--quiet`."""

from __future__ import annotations

import ast
import contextlib
import io
import json
import os
import signal
import time
import unittest
from collections.abc import Callable
from pathlib import Path
from unittest import mock

import matplotlib as mpl

from tests.running import LONGEST, Running
from tests.support import BENCH, REVIEW, FolderCase, simulate
from ulterion.api import load_archive
from ulterion.model.journal import Journal
from ulterion.model.store import ReviewFolder
from ulterion.terminal import watch
from ulterion.terminal.environment import Environment

NOTEBOOK = Path(__file__).parents[2] / "docs/example.ipynb"


class Watching(FolderCase):
    def setUp(self) -> None:
        super().setUp()
        # standing back, it would wait for whatever else this machine does
        self.nice = self.folder.with_suffix(".nice")
        self.addCleanup(self.nice.unlink, missing_ok=True)
        self.enterContext(mock.patch("os.nice", side_effect=lambda by: self.nice.write_text(str(by))))

    def until(self, process: Running, holds: Callable[[], bool], what: str) -> None:
        end = time.monotonic() + LONGEST
        while not holds():
            self.assertIsNone(process.poll(), f"{what}; it ended")
            self.assertLess(time.monotonic(), end, what)
            time.sleep(0.1)

    def test_a_page_that_follows_the_review(self) -> None:
        """Made anew when a run ends and when a remark is written, behind what is being measured; a wrong review.toml ends nothing, Ctrl-C does."""
        store, page = self.review(), self.folder / "report.html"
        simulate(store, "direct", passes=2)
        with self.start("report", "--watch") as process:
            self.until(process, page.exists, "no page")
            simulate(store, "box", passes=2)
            self.until(process, lambda: "2 runs, checkable" in page.read_text(), "the run is not in the page")
            self.write("review.toml", REVIEW.replace("[parts.box]", "[parts.bux]"))
            time.sleep(2.5)
            self.write("review.toml", REVIEW)
            self.write("remarks/intro.md", "It hums, a little.")
            self.until(process, lambda: "It hums, a little." in page.read_text(), "the remark is not in the page")
            process.send_signal(signal.SIGINT)
            told = process.communicate()[1]
        self.assertEqual(process.returncode, 0, told)
        self.assertIn("stopped by hand; the last page is kept", told)
        self.assertIn("review.toml", told)
        self.assertGreater(int(self.nice.read_text()), 10)
        self.assertEqual(self.ulterion("report", "--watch", "--json").returncode, 2)

    def test_a_page_shows_a_run_under_way(self) -> None:
        """Its finished passes are in the page before it ends, said to be so, and the page verifies."""
        store, page = self.review(), self.folder / "report.html"
        simulate(store, "direct", passes=2)
        run = simulate(store, "box", passes=3).run
        document = next(self.folder.glob("runs/*measure-box*.json"))
        document.unlink()
        begun = [workload.changed(passes=[]) for workload in run.workloads]
        journal = Journal(document.with_suffix(".journal"), run.changed(workloads=begun))
        self.addCleanup(journal.close, remove=True)
        for index, workload in enumerate(run.workloads):
            for one in workload.passes:
                journal.add(index, one)
        with self.start("report", "--watch") as process:
            self.until(process, page.exists, "no page")
            process.send_signal(signal.SIGINT)
            process.communicate()
        text = page.read_text()
        self.assertIn("box is being measured now", text)
        self.assertIn("Test Box", text)
        self.assertFalse(document.exists())

    def test_a_run_under_way_is_looked_at_now_and_then(self) -> None:
        """A journal that grows within one half minute is no change, one that grows in the next is; without --watch of a page it is never looked at."""
        (self.folder / "runs").mkdir()
        journal = self.folder / "runs/one.journal"
        journal.write_text("{}")
        moments = (3_000_000.0, 3_000_029.0, 3_000_030.0)
        states = []
        for moment in moments:
            os.utime(journal, (moment, moment))
            states.append(watch.seen(self.folder, journals=True))
        self.assertEqual(states[0], states[1])
        self.assertNotEqual(states[1], states[2])
        self.assertEqual(watch.seen(self.folder), {})

    def test_last_years_product_in_a_page(self) -> None:
        """A setup of another review has its row, its label says whose it is, and the page verifies from what it carries."""
        simulate(self.review(), "direct", passes=2)
        other = self.folder / "last"
        other.mkdir()
        (other / "review.toml").write_text(REVIEW.replace('"Test Box"', '"Old Box"'))
        (other / "bench.toml").write_text(BENCH)
        simulate(ReviewFolder.open(other), "box", passes=2)
        done = self.ulterion("report", "--also", "last:box")
        self.assertEqual(done.returncode, 0, done.stderr)
        text = (self.folder / "report.html").read_text()
        self.assertIn("Old Box (last)", text)
        told = self.json_of("verify", "report.html")
        self.assertTrue(told["same"], told["different"])
        self.assertIn("includes last-box from other reviews", " ".join(told["looked_at"]))
        self.refused("report", "--also", "last:bux", says="did you mean 'box'")

    def test_an_archive_that_follows_reviews(self) -> None:
        """`archive add --watch` puts in what ends while it runs."""
        store, place = self.review(), str(self.folder / "all.sqlite")
        simulate(store, "direct", passes=2)
        with self.start("archive", "add", "--watch", "--archive", place, ".") as process:
            self.until(
                process, lambda: Path(place).exists() and len(load_archive(place).find()) > 0, "nothing was put in"
            )
            simulate(store, "box", passes=2)
            self.until(process, lambda: "box" in set(load_archive(place).find().setup), "the run is not in the archive")
            process.send_signal(signal.SIGINT)
            told = process.communicate()
        self.assertEqual(process.returncode, 0, told)
        self.refused("archive", "find", "--watch", says="--watch goes with add")

    def test_what_ends_while_it_works_counts(self) -> None:
        """A remark written during the first call brings the second, one during the second a third; nothing new brings none."""
        calls: list[list[Path]] = []

        def again(changed: list[Path]) -> None:
            calls.append(changed)
            if len(calls) < 3:
                self.write("remarks/intro.md", "." * len(calls))

        def looks(seconds: float) -> None:
            waits.append(seconds)
            if len(waits) == 5:
                raise KeyboardInterrupt

        waits: list[float] = []
        self.review()
        told = io.StringIO()
        with mock.patch.object(watch.time, "sleep", looks):
            watch.watch(Environment(io.StringIO(), told, self.folder), [self.folder], again, "all is well")
        self.assertEqual(calls, [[self.folder]] * 3)
        self.assertIn("stopped by hand; all is well", told.getvalue())


class Together(FolderCase):
    def test_each_run_into_the_archive(self) -> None:
        """Where the personal defaults say so: a measurement and a note are in it at once; an archive that cannot be opened costs no run."""
        self.review()
        place = self.folder / "mine.sqlite"
        settings = self.write("config/ulterion/config.toml", f'archive = "{place}"\narchive_each_run = true\n')
        measured = ("measure", "--setup", "box", "--passes", "2", "--suite", "sequential")
        self.assertIn("in the archive: 1 new", self.ulterion(*measured).stdout)
        self.assertEqual(set(load_archive(place).find(every=True).setup), {"box"})
        settings.write_text(f'archive = "{self.folder}"\narchive_each_run = true\n')
        done = self.ulterion(*measured, "--json")
        self.assertEqual((done.returncode, json.loads(done.stdout)["schema"]["kind"]), (0, "measurement"))
        self.assertIn("not put into the archive", done.stderr)
        settings.write_text('archive_each_run = "yes"\n')
        self.refused(*measured, says="write true or false")

    def test_last_years_product_beside_this_years(self) -> None:
        """A setup of another review stands in table and figure, held against our direct one; what differed is said, and none is told to measure it."""
        store = self.review()
        for setup in ("direct", "box"):
            simulate(store, setup)
        old = self.folder / "last-year"
        old.mkdir()
        (old / "review.toml").write_text(REVIEW.replace("Test Box", "Old Box"))
        slower = BENCH.replace('read = "1000 MB/s"', 'read = "400 MB/s"').replace("testbench", "oldbench")
        (old / "bench.toml").write_text(slower)
        theirs = ReviewFolder.open(old)
        simulate(theirs, "box")
        before = self.json_of("compare")
        told = self.json_of("compare", "--also", "last-year:box", "--figure", "both.png")
        (group,) = told["groups"]
        rows = {r["setup"]: r for r in group["rows"] if "ratio" in r and "read" in r["text"]}
        self.assertLess(rows["last-year:box"]["ratio"], 0.2)
        self.assertTrue(any("oldbench" in w for w in group["differs"]["last-year:box"]))
        self.assertEqual(
            group["bottlenecks"], before["groups"][0]["bottlenecks"]
        )  # nothing is cleared by another's bench
        self.assertGreater((self.folder / "both.png").stat().st_size, 5000)
        self.assertNotIn("--setup last-year", self.ulterion("compare", "--also", "last-year:box").stdout)
        self.ulterion("archive", "add", "last-year")
        again = self.json_of("compare", "--also", "Last-Year:box")  # by its folder's name, out of the archive
        self.assertEqual(len(again["groups"][0]["rows"]), len(group["rows"]))
        (old / "review.toml").write_text((old / "review.toml").read_text().replace("Test Drive", "Old Drive"))
        for also, says in (
            ("last-year:bax", "did you mean 'box'"),
            ("last-year:direct", "has no measurement"),
            ("last-year:box", "was measured with Old Drive, and nothing here was; add --against"),
            ("nowhere:box", "no review in the archive has that title"),
            ("box", "write REVIEW:SETUP"),
        ):
            self.refused("compare", "--also", also, says=says)
        twice = ("--also", "last-year:box") * 2
        for also, says in (
            (("--against", "direct", *twice), "is there already"),
            (("--soaks", *twice), "--soaks takes no"),
        ):
            self.refused("compare", *also, says=says)
        (all_in_one,) = self.json_of("compare", "--also", "last-year:box", "--against", "direct")["groups"]
        self.assertIn("last-year:box", {r["setup"] for r in all_in_one["rows"]})

    def test_the_notebook(self) -> None:
        """Every cell of docs/example.ipynb runs on the demo, and the last line of each gives something."""
        folder = self.demo()
        known: dict[str, object] = {}
        mpl.use("agg")
        with contextlib.chdir(folder):
            for cell in json.loads(NOTEBOOK.read_text())["cells"]:
                if cell["cell_type"] != "code":
                    continue
                tree = ast.parse("".join(cell["source"]))
                last = tree.body.pop()
                assert isinstance(last, ast.Expr)
                exec(compile(tree, "cell", "exec"), known)
                given = eval(compile(ast.Expression(last.value), "cell", "eval"), known)
                self.assertGreater(len(given), 0)
        large = known["large"]
        self.assertEqual(set(large.verdict.dropna()), {"slower"})  # type: ignore[attr-defined]
        self.assertRegex(str(given["MB_per_s"].max()), r"^\d{4}\.")

    def test_quiet(self) -> None:
        """Nothing is shown but what goes wrong; data, the status and the run stay what they are; options stand anywhere."""
        self.review()
        for setup in ("direct", "box"):
            done = self.ulterion("measure", "--quiet", "--setup", setup, "--passes", "3", "--suite", "sequential")
            self.assertEqual((done.returncode, done.stdout), (0, ""), done.stderr)
        self.assertEqual(len(list((self.folder / "runs").glob("*.json"))), 2)
        done = self.ulterion("compare", "--quiet", "box", "--fail-on", "slower")
        self.assertEqual((done.returncode, done.stdout, done.stderr), (4, "", ""))
        self.assertTrue(self.json_of("compare", "--quiet")["groups"])
        self.refused("compare", "--quiet", "bax", says="did you mean 'box'")
        found = self.json_of("archive", "add", "--archive", "here.sqlite", ".")  # words behind an option
        self.assertEqual(found["new"], 2)


if __name__ == "__main__":
    unittest.main()
