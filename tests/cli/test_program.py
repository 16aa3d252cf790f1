"""The installed program, driven as a reviewer drives it, in a folder of its own."""

from __future__ import annotations

import os
import pty
import re
import select
import subprocess
import unittest
from pathlib import Path

from tests.support import BENCH, REVIEW, FolderCase, simulate

QUICK = ("--passes", "3", "--seconds", "0.05", "--span", "16 MiB")
ONCE = ("--passes", "1", *QUICK[2:])
ROOT = hasattr(os, "geteuid") and os.geteuid() == 0


class Journey(FolderCase):
    def test_from_nothing_to_both_verdicts(self) -> None:
        """new, measure on two setups, compare, claims: each says what comes next, and the figures are the bench's."""
        started = self.ulterion("new", "kit")
        self.assertEqual(started.returncode, 0, started.stderr)
        self.assertIn("next:", started.stdout)
        self.write("kit/review.toml", REVIEW)
        self.write("kit/bench.toml", BENCH)
        inside = {"cwd": self.folder / "kit"}
        first = self.ulterion("measure", "--setup", "direct", **inside)
        self.assertIn("next: ulterion measure --setup box", first.stdout)
        second = self.ulterion("measure", "--setup", "box", **inside)
        self.assertIn("next: ulterion compare", second.stdout)
        (self.folder / "disk").mkdir()
        loose = self.ulterion("measure", "../disk", "--workload", "random read 4 KiB depth 2", *ONCE, **inside)
        self.assertIn(
            "next: measure with --setup NAME to compare it with others; there are direct and box",
            " ".join(loose.stdout.split()),
        )
        self.assertRegex(second.stdout, r"sequential-read +(99\d|10[01]\d) +[01]\.\d%")
        (self.folder / "kit/deep/er").mkdir(parents=True)
        data = self.json_of("compare", cwd=self.folder / "kit/deep/er")
        rows = {(r["setup"], r["workload"]): r for r in data["groups"][0]["rows"]}
        self.assertEqual(rows["box", "sequential-read"]["verdict"], "slower")
        self.assertAlmostEqual(rows["box", "sequential-read"]["ratio"], 1 / 3, delta=0.01)
        claims = self.json_of("claims", **inside)["claims"]
        self.assertEqual({(c["part"], c["claim"]): c["verdict"] for c in claims},
                         {("drive", "read"): "met", ("box", "read"): "met", ("box", "write"): "not testable"})  # fmt: skip
        self.assertEqual(self.ulterion("compare", "--fail-on", "slower", **inside).returncode, 4)
        self.assertEqual(self.ulterion("claims", "--fail-on", "missed", **inside).returncode, 0)

    def test_setups_without_a_workload_in_common(self) -> None:
        """Each is shown with what it was measured with, and what would make them comparable is said; the page is made."""
        self.review()
        for setup, workload in (("direct", "sequential read 1 MiB depth 4"), ("box", "random read 4 KiB depth 4")):
            self.assertEqual(self.ulterion("measure", "--setup", setup, "--workload", workload).returncode, 0)
        told = " ".join(self.ulterion("compare", "--long", "--figure", "all.png").stdout.split())
        self.assertIn(
            "box: no test in common with 'direct', so nothing can be compared; ulterion measure --setup box", told
        )
        rows = self.json_of("compare")["groups"][0]["rows"]
        self.assertEqual([(r["setup"], "ratio" in r) for r in rows], [("direct", False), ("box", False)])
        self.assertEqual(self.ulterion("report").returncode, 0)
        self.ulterion("measure", "--setup", "box", "--workload", "sequential read 1 MiB depth 4")
        self.assertNotIn("nothing compares", self.ulterion("compare").stdout)

    def test_tables_fit_80_columns_and_pipes_have_no_colour(self) -> None:
        """No line of any table is longer than 80, cut, or coloured when piped."""
        inside = {"cwd": self.demo()}
        for command in (
            ("compare",),
            ("compare", "--long"),
            ("claims",),
            ("claims", "--everywhere"),
            ("compare", "--long", "--units", "Gb/s"),
        ):
            out = self.ulterion(*command, **inside).stdout
            self.assertLessEqual(max(map(len, out.splitlines())), 80)
            self.assertNotIn("…", out)
            self.assertNotIn("\x1b", out)

    def test_figures_are_written_for_each_medium(self) -> None:
        """compare --figure writes whole PNG and SVG files; another ending is refused."""
        inside = {"cwd": self.demo("d")}
        one = ("--workload", "sequential-read")
        done = self.ulterion("compare", "pod", "duo", *one, "--figure", "c.png", **inside)
        self.assertEqual(done.returncode, 0, done.stderr)
        for name in ("c-reed.png", "c-spool.png"):
            self.assertEqual((self.folder / "d" / name).read_bytes()[:8], b"\x89PNG\r\n\x1a\n")
        (self.folder / "d/c-reed.png").write_text("a photograph")
        self.refused(
            "compare",
            "pod",
            "duo",
            *one,
            "--figure",
            "c.png",
            says="c-reed.png exists and was not drawn by this program",
            **inside,
        )
        self.assertEqual((self.folder / "d/c-reed.png").read_text(), "a photograph")
        self.ulterion("compare", "pod", "--against", "direct", *one, "--figure", "c.svg", **inside)
        self.assertIn("</svg>", (self.folder / "d/c.svg").read_text())
        self.refused("compare", "--figure", "c.doc", says="does not end in .png or .svg", **inside)


class Newcomer(FolderCase):
    def test_a_folder_without_any_review(self) -> None:
        """The result is shown and kept in a personal review, and the message says where; nothing stays in the folder."""
        (self.folder / "drive").mkdir()
        done = self.ulterion("measure", "drive", "--suite", "brief", *QUICK)
        self.assertEqual(done.returncode, 0, done.stderr)
        kept = re.search(r"kept in\s+(\S+)", done.stdout)
        self.assertTrue(kept and str(self.folder / "personal") in kept[1])
        for words in ("target", "file system", "free", "removed afterwards"):
            self.assertIn(words, done.stderr)
        self.assertEqual(list((self.folder / "drive").iterdir()), [])
        again = self.json_of("measure", "drive", "--workload", "random write 4 KiB depth 4", *QUICK)
        self.assertEqual(again["estimates"][0]["passes"], 3)
        self.assertEqual(len(list(Path(again["kept_in"]).parent.glob("*.json"))), 2)

    def test_one_pass_has_no_interval_and_says_so(self) -> None:
        """With one pass the spread is a dash and a note says what to do."""
        done = self.ulterion("measure", ".", "--workload", "random read 4 KiB", "--passes", "1", *QUICK[2:])
        self.assertRegex(done.stdout, r"– ")
        self.assertIn("--passes 3 or more", done.stdout)


class Wider(FolderCase):
    """Sweeps, places, several targets, and passes until sure."""

    def test_a_sweep_is_one_run_with_a_table_and_a_figure(self) -> None:
        """Every size and depth is in one document; the table has a row a size and a column a depth; the figure is whole."""
        words = ("measure", ".", "--sweep", "random read 4 KiB to 16 KiB depth 1 to 2", *ONCE, "--figure", "s.svg")
        done = self.ulterion(*words)
        self.assertEqual(done.returncode, 0, done.stderr)
        self.assertRegex(done.stdout, r"MB/s, size +depth 1 +depth 2")
        self.assertRegex(done.stdout, r"8 KiB +[\d.]+ +[\d.]+\n")
        self.assertIn("</svg>", (self.folder / "s.svg").read_text())
        data = self.json_of(
            "measure", ".", "--workload", "random read 4 KiB", "--places", "4", *ONCE, "--figure", "p.png"
        )
        self.assertEqual([w["workload"]["place"] for w in data["run"]["workloads"]], [[k, 4] for k in (1, 2, 3, 4)])
        self.assertEqual((self.folder / "p.png").read_bytes()[:4], b"\x89PNG")

    def test_several_targets_alone_and_together(self) -> None:
        """Each target has its own document with both; kept, total and fairness follow from the rates."""
        for name in ("a", "b"):
            (self.folder / name).mkdir()
        data = self.json_of("measure", "a", "--together", "b", "--workload", "random read 4 KiB depth 2", *QUICK)
        (found,) = data["workloads"].values()
        self.assertEqual(len(data["kept_in"]), 2)
        self.assertEqual(list(Path(data["kept_in"][0]).parent.glob("*.journal")), [])
        self.assertAlmostEqual(found["total"], sum(found["together"]), delta=1)
        for kept, alone, together in zip(found["kept"], found["alone"], found["together"], strict=True):
            self.assertAlmostEqual(kept, together / alone, places=9)
        self.assertTrue(0.5 <= found["fairness"] <= 1)
        self.refused("measure", "a", "--together", "a", *QUICK, says="are the same target")

    def test_workers_warm_up_and_sureness_are_in_the_document(self) -> None:
        """The warm-up is kept and not counted; the reason for stopping and the workers are written down."""
        data = self.json_of("measure", ".", "--workload", "random read 4 KiB depth 2", "--workers", "2", "--warm-up",
                            "--until-sure", "90%", *QUICK)  # fmt: skip
        record = data["run"]["workloads"][0]
        self.assertEqual([p["number"] for p in record["passes"]][:2], [0, 1])
        self.assertEqual(data["estimates"][0]["passes"], len(record["passes"]) - 1)
        self.assertRegex(record["ended"], "sure within 90%")
        self.assertEqual(data["run"]["settings"]["workers"], 2)
        self.assertIn(record["engine"], ("ring", "threads"))
        self.assertTrue(record["engine_why"])


class Refusals(FolderCase):
    def test_bad_targets_and_options(self) -> None:
        """Each bad input is one line that names the thing and the remedy, with status 2, and leaves no run."""
        self.write("small.bin", "x")
        cases = [
            (("measure", "nope"), "nope does not exist; plug the drive in"),
            (("measure", "small.bin"), "too small"),
            (("measure",), "nothing to measure"),
            (("measure", "/proc"), "/proc .*(0 B free|cannot)"),
            (("measure", ".", "--suite", "breif"), "unknown suite 'breif'; did you mean 'brief'"),
            (("measure", ".", "--setup", "x"), "no review.toml"),
            (("measure", ".", "--workload", "random red 4 KiB"), "did you mean 'read'"),
            (("measure", ".", "--workload", "random read 4 KiB", "--suite", "brief"), "cannot be combined"),
            (("measure", ".", "--passes", "0"), "whole number from 1"),
            (("measure", ".", "--passes", "-3"), "whole number from 1|expected one argument"),
            (("measure", ".", "--passes", "1e9"), "whole number from 1"),
            (("measure", ".", "--seconds", "0"), "above zero"),
            (("measure", ".", "--seconds", "9999999"), "24 h"),
            (("measure", ".", "--seconds", "nan"), "not a duration"),
            (("measure", ".", "--span", "1 PB"), "does not fit: use --span"),
            (("measure", ".", "--span", "4 KB"), "KiB"),
            (("measure", ".", "--seed", "-1"), "seed|expected one argument"),
            (("measure", ".", "--units", "Mbps"), "did you mean 'MB/s'"),
            (("measure", ".", "--sweep", "random read 4 KiB"), "has no range"),
            (("measure", ".", "--suite", "brief", "--sweep", "random read 4 KiB to 8 KiB"), "cannot be combined"),
            (("measure", ".", "--places", "0"), "whole number from 1"),
            (("measure", ".", "--workers", "1000"), "whole number from 1 to 64"),
            (("measure", ".", "--until-sure", "0%"), "above zero"),
            (("measure", ".", "--until-sure", "1%", "--max-passes", "2"), "less than --passes"),
            (("measure", ".", "--figure", "x.png"), "draws a --sweep"),
            (("measure", ".", "--sweep", "random read 4 KiB to 8 KiB", "--figure", "x.doc"), "does not end in .png or .svg"),
            (("measure", ".", "--overwrite", "1"), "is for raw devices"),
            (("mesure", "."), "unknown command 'mesure'; did you mean 'measure'"),
            (("compare",), "nothing has been measured outside a review"), (("claims",), "no review.toml"),
            (("claims", "--review", "nope"), "holds no review.toml"),
            (("new", "small.bin/x"), "cannot hold a review"),
            (("measure", "sim:x.toml"), "needs a setup"),
        ]  # fmt: skip
        for arguments, says in cases:
            with self.subTest(" ".join(arguments)):
                self.refused(*arguments, says=says)
        self.assertEqual(
            list(self.folder.rglob("*.journal")) + list((self.folder / "personal").rglob("runs/*.json")), []
        )

    def test_bad_reviews(self) -> None:
        """A wrong review.toml stops every command with file, line and remedy, and is not touched."""
        for old, new, says in (("schema = 2", "schema = = 1", "not valid TOML.*line 2"),
                               ("kind = \"drive\"", "knd = \"drive\"", "line 9, parts.drive.knd: unknown key.*'kind'"),
                               ("[setups.box]", "[setups.box]\nbaseline = true", "only one can be the baseline")):  # fmt: skip
            path = self.write("review.toml", REVIEW.replace(old, new, 1))
            text = path.read_bytes()
            for command in (("measure", "--setup", "direct"), ("compare",), ("claims",)):
                self.refused(*command, says=says)
            self.assertEqual(path.read_bytes(), text)
        self.review()
        self.refused("measure", "--setup", "dirct", says="unknown setup 'dirct'; did you mean 'direct'")
        self.refused("compare", "bx", says="unknown setup 'bx'; did you mean 'box'")
        self.refused("compare", says="no measured setup yet")
        self.refused("new", ".", says="left as it is")
        self.refused("demo", ".", says="not empty")

    def test_half_a_run_is_not_fatal(self) -> None:
        """A document cut in half is reported and set aside; the others are compared."""
        self.review()
        for setup in ("direct", "box"):
            self.ulterion("measure", "--setup", setup, "--suite", "brief")
        newest = sorted((self.folder / "runs").glob("*.json"))[-1]
        text = newest.read_text()
        newest.write_text(text[: len(text) // 2])
        done = self.ulterion("compare")
        self.assertEqual(done.returncode, 0)
        self.assertRegex(done.stderr, f"{newest.name} is incomplete or damaged.*moved to runs/set-aside")
        self.assertIn("sequential-read", done.stdout)
        self.assertEqual((self.folder / "runs/set-aside" / newest.name).read_text(), text[: len(text) // 2])

    def test_a_target_that_fails_is_a_finding(self) -> None:
        """Pulled out in mid-run: status 3, one line, and the finished passes are kept and compared."""
        self.review(bench=BENCH + '[[faults]]\npart = "box"\nwhat = "pulled out"\nafter = "25 s"\n')
        self.ulterion("measure", "--setup", "direct", "--suite", "brief")
        done = self.ulterion("measure", "--setup", "box", "--suite", "brief")
        self.assertEqual(done.returncode, 3)
        self.assertRegex(done.stderr.splitlines()[-1], "^ulterion: box was pulled out after 25.0 s, at offset")
        self.assertIn("the run failed: box was pulled out", " ".join(done.stdout.split()))
        self.assertIn("failed", " ".join(self.ulterion("compare").stdout.split()))


@unittest.skipUnless(ROOT, "mounting a file system of its own needs root")
class SmallDrives(FolderCase):
    def mounted(self, size: str, *options: str) -> Path:
        point = self.folder / "mnt"
        point.mkdir()
        subprocess.run(
            ["mount", "-t", "tmpfs", "-o", ",".join((f"size={size}", *options)), "x", str(point)], check=True
        )
        self.addCleanup(subprocess.run, ["umount", "-l", str(point)], check=True)
        return point

    def test_full_and_read_only_ones_are_refused(self) -> None:
        """A full drive and one mounted read-only: one line each, and nothing is written."""
        point = self.mounted("40m")
        self.refused("measure", str(point), says="stay free.*make room")
        subprocess.run(["mount", "-o", "remount,size=400m", str(point)], check=True)
        done = self.ulterion("measure", str(point), "--suite", "brief", *QUICK)
        self.assertEqual(done.returncode, 0, done.stderr)
        self.assertRegex(" ".join(done.stdout.split()), "lives in memory: no drive is measured")
        subprocess.run(["mount", "-o", "remount,ro", str(point)], check=True)
        self.refused("measure", str(point), says="mounted read-only; remount it")


class Terminal(FolderCase):
    def test_the_live_view_shows_what_runs_and_goes_away(self) -> None:
        """On a terminal the workload, the pass, a rate and the time left are shown; plain pipes see none of it."""
        main, side = pty.openpty()
        process = self.start("measure", ".", "--workload", "random read 4 KiB", "--passes", "2", "--seconds", "0.5",
                             "--span", "16 MiB", stderr=side, terminal={"TERM": "xterm-256color"})  # fmt: skip
        os.close(side)
        shown = self.read_all(main)
        out, _ = process.communicate()
        for words in (r"pass 2 of 2", r"\d MB/s", r"about .* left", "Ctrl-C keeps"):
            self.assertRegex(shown, words)
        self.assertNotIn("Ctrl-C", out)
        self.assertIn("random read 4 KiB depth 1", out)

    def read_all(self, main: int) -> str:
        """Read a terminal until its program ends."""
        data = b""
        while select.select([main], [], [], 60)[0]:
            try:
                part = os.read(main, 65536)
            except OSError:
                break
            if not part:
                break
            data += part
        os.close(main)
        return data.decode(errors="replace")


class Demo(FolderCase):
    def test_finds_the_truth(self) -> None:
        """The Slip misses, the Pod meets, of card and reader neither is accused alone."""
        self.demo()
        claims = self.json_of("claims", cwd=self.folder / "ulterion-demo")["claims"]
        verdicts = {(c["part"], c["claim"]): c["verdict"] for c in claims}
        for part, claim, verdict in (("slip", "read", "missed"), ("slip", "write", "missed"), ("slip", "link", "missed"),
                                     ("pod", "read", "met"), ("pod", "write", "met"), ("draught", "write", "missed"),
                                     ("spool", "write", "undecided"), ("duo", "read", "not testable"),
                                     ("draught", "read", "met"), ("crumble", "read", "missed"), ("crumble", "speed class", "missed"),
                                     ("spool", "speed class", "met")):  # fmt: skip
            self.assertEqual(verdicts[part, claim], verdict, (part, claim))
        rates = {(c["part"], c["claim"]): c["estimate"]["rate"] for c in claims if c["estimate"]}
        for key, truth in {("reed", "read"): 4930, ("draught", "write"): 2570, ("draught", "read"): 3445, ("crumble", "read"): 88, ("desk:slot", "read"): 91, ("pod", "read"): 1043,
                           ("slip", "read"): 402, ("spool", "read"): 268}.items():  # fmt: skip
            self.assertAlmostEqual(rates[key] / 1e6 / truth, 1.0, delta=0.02, msg=str(key))
        self.assertIn("ulterion measure FOLDER", " ".join(self.demo_said()))


class Lean(FolderCase):
    def test_what_only_some_commands_need(self) -> None:
        """Without the packages of the extras everything else goes on as before, and what needs one says what installs it."""
        for setup in ("direct", "box"):
            simulate(self.review(), setup, passes=3)
        code = (
            "import sys; sys.modules |= dict.fromkeys(('pandas', 'scipy', 'sqlalchemy', 'pyarrow', 'psycopg'))\n"
            "from ulterion.cli.main import main\n"
            "for words in ({}): print(main(words.split()), words)"
        )
        done = self.python(code.format("'compare', 'claims', 'report', 'export results --as csv', 'archive add .'"))
        self.assertRegex(done.stdout, r"(?s)0 compare.*0 claims.*0 report.*2 export.*2 archive")
        self.assertEqual(
            [line.rpartition("needs the package ")[2] for line in done.stderr.splitlines()],
            ["pandas: pip install 'ulterion[tables]'", "sqlalchemy: pip install 'ulterion[archive]'"],
        )
