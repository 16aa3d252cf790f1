"""A hostile day: bad files, bad words, bad streams, bad moments.  Nothing is lost, one line says what is wrong."""

from __future__ import annotations

import contextlib
import json
import os
import pty
import signal
import subprocess
import sys
import time
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

from benchmarks.fuzz import fuzz
from benchmarks.fuzzwords import FILES

from tests.support import BENCH, PROGRAM, REVIEW, FolderCase, simulate

QUICK = ("--workload", "random read 4 KiB", "--span", "16 MiB")
LONG = (*QUICK, "--passes", "400", "--seconds", "0.1")


class Nonsense(FolderCase):
    def test_no_nonsense_costs_a_byte_or_a_traceback(self) -> None:
        """Fifty of the fuzzer's cases: files spoiled in every way we know, command lines of nonsense."""
        wrong: list[str] = []
        with_environment = dict(os.environ)
        try:
            self.assertEqual(fuzz(25, 500_000, wrong.append), 0, wrong)
            self.assertEqual(fuzz(30, 500_000, wrong.append, FILES), 0, wrong)
        finally:
            os.environ.clear()
            os.environ.update(with_environment)

    def test_two_dashes_are_no_value(self) -> None:
        """Of an option that takes one; nothing is measured by default instead."""
        for words in (
            ("compare", "--margin=--"),
            ("measure", "drive", "--seed=--"),
            ("measure", "drive", "--passes=--"),
            ("soak", "drive", "--wait=--"),
        ):
            self.refused(*words, says="'--' is not a value")

    def test_one_bad_file_blocks_no_other(self) -> None:
        """Whatever lies among the runs, the good one is compared, and each bad one is told once, with where it went."""
        folder = self.review()
        good = simulate(folder, "box", passes=3)
        simulate(folder, "direct", passes=3)
        text = good.path.read_text()
        bad = {
            "deep.json": "[" * 100_000, "digits.json": text.replace('"passes": 3', '"passes": ' + "9" * 5000),
            "nothing.json": "", "types.json": text.replace('"workloads": [', '"workloads": 5, "x": ['), "list.json": "[{}]",
            "20260101T000000Z-measure-box-aaaaaa.journal": text.replace("\n", " ") + "\n{}\nnull\n",
            "20260101T000001Z-measure-box-bbbbbb.journal": "{}\n",
        }  # fmt: skip
        for name, content in bad.items():
            (folder.runs_folder / name).write_text(content)
        os.mkfifo(folder.runs_folder / "fifo.json")
        (folder.runs_folder / "endless.json").symlink_to("/dev/zero")
        (folder.runs_folder / "folder.json").mkdir()
        done = self.ulterion("compare")
        self.assertEqual(done.returncode, 0, done.stderr)
        self.assertIn("slower", done.stdout)
        aside = {p.name for p in (folder.runs_folder / "set-aside").iterdir()}
        for name in ("deep.json", "digits.json", "nothing.json", "list.json", "fifo.json", "endless.json", "folder.json",
                     "20260101T000001Z-measure-box-bbbbbb.journal"):  # fmt: skip
            self.assertIn(name, aside)
            self.assertEqual(done.stderr.count(name), 1, done.stderr)
        for name in bad.keys() & aside:
            self.assertEqual((folder.runs_folder / "set-aside" / name).read_text(), bad[name])
        self.assertEqual(self.ulterion("compare").stderr, "")

    def test_names_are_only_text(self) -> None:
        """Brackets are no markup, a dollar is no formula, escapes are written out: on the screen, in JSON, in figures."""
        hostile = "[/dev/sda] gone \x1b[31m $\\frac"
        review = REVIEW.replace('"Test Box"', '"[red]B$o$x[/red] \\u001b]0;x\\u0007"')
        folder = self.review(review.replace("[parts.box", '[parts."b/o.x"').replace('"box", "drive"', '"b/o.x", "drive"')
                             .replace('[parts."b/o.x".claims]', '[parts."b/o.x".claims]'), BENCH.replace("[parts.box]", '[parts."b/o.x"]'))  # fmt: skip
        for setup in folder.review.setups:
            simulate(folder, setup, passes=3)
        self.assertIn("[/dev/sda] gone \\x1b[31m $\\frac", self.ulterion("note", hostile).stdout)
        shown = (
            self.ulterion("note").stdout
            + self.ulterion("claims").stdout
            + self.ulterion("compare", "--figure", "f.svg").stdout
        )
        self.assertNotRegex(shown, "[\x1b\x07]")
        self.assertIn("[red]B$o$x[/red] \\x1b]0;x", shown)
        self.assertIn(hostile, json.dumps(self.json_of("note"), ensure_ascii=False).encode().decode("unicode_escape"))
        self.assertIn("</svg>", (self.folder / "f.svg").read_text())

    def test_a_folder_of_any_name_is_measured_and_told_again(self) -> None:
        """Bytes that are no UTF-8: the run is kept under the review, read back, and the name survives."""
        self.write("review.toml", "schema = 2\n")
        name = os.fsdecode(b"dr\xffive")
        (self.folder / name).mkdir()
        done = self.ulterion("measure", name, *QUICK, "--passes", "3", "--seconds", "0.05")
        self.assertEqual(done.returncode, 0, done.stderr)
        self.assertIn("dr\\xffive", done.stderr)
        told = self.ulterion("note", os.fsdecode(b"hum \xff"))
        self.assertEqual((told.returncode, told.stderr), (0, ""))
        folder = self.opened()
        self.assertEqual([r.target.path for r in folder.runs()], [str(self.folder / name)])
        self.assertEqual([n.text for n in folder.runs()[0].notes], ["hum \\xff"])

    def test_learning_changes_nothing_else_of_the_file(self) -> None:
        """Its rights, the link that leads to it, its line ends and its mark at the beginning stay."""
        folder = self.review(REVIEW.replace("\n", "\r\n"))
        kept = self.folder / "kept.toml"
        (folder.path / "review.toml").rename(kept)
        kept.write_bytes(b"\xef\xbb\xbf" + kept.read_bytes().replace(b"\r\r\n", b"\r\n"))
        kept.chmod(0o640)
        (folder.path / "review.toml").symlink_to("kept.toml")
        machine = str(Path(__file__).parents[1] / "host/machine.json")
        self.assertEqual(self.ulterion("survey", "sdb", "--replay", machine, "--learn", "box").returncode, 0)
        data = kept.read_bytes()
        self.assertTrue((folder.path / "review.toml").is_symlink())
        self.assertEqual(kept.stat().st_mode & 0o777, 0o640)
        self.assertTrue(data.startswith(b"\xef\xbb\xbf"))
        self.assertEqual(data.count(b"\n"), data.count(b"\r\n"))
        self.assertIn(b'serial = "LAB-STICK3"\r\n', data)

    def test_a_title_is_written_so_that_it_can_be_read(self) -> None:
        """Quotes, backslashes, line ends, control characters: `new` writes what it reads back."""
        for number, title in enumerate(('a "b" \\ c', "two\nlines\tx", "\x1b[31m\x7f", '"""', "\\u0000")):
            self.assertEqual(self.ulterion("new", f"kit{number}", "--title", title).returncode, 0)
            self.assertEqual(self.opened(self.folder / f"kit{number}").review.review.title, title)


class Notes(FolderCase):
    def test_twelve_notes_at_once_are_all_kept(self) -> None:
        """On a setup, on a run that is over, and on one that goes on: what was said to be kept is there."""
        folder = self.review()
        run = simulate(folder, "box", passes=3).run.id
        (self.folder / "drive").mkdir()
        with self.begun("measure", "drive", *LONG) as process, ThreadPoolExecutor(6) as pool:
            jobs = [("note", f"live {n}") for n in range(4)]
            jobs += [("note", "--setup", "box", f"setup {n}") for n in range(4)]
            jobs += [("note", "--run", run, f"run {n}") for n in range(4)]
            done = list(pool.map(self.in_a_process, [jobs[at::4] for at in range(4)]))
            process.send_signal(signal.SIGINT)
            process.communicate(timeout=60)
        self.assertEqual(done, [[0] * 3] * 4)
        told = self.json_of("note")
        every = [n["what"] for n in told["setups"] + told["runs"]]
        self.assertEqual(
            sorted(every), sorted(f"remark: {kind} {n}" for kind in ("live", "setup", "run") for n in range(4))
        )

    def in_a_process(self, jobs: list[tuple[str, ...]]) -> list[int]:
        """Run command lines one after the other, each in a process of its own."""
        return [self.start(*words).wait() for words in jobs]


class Figures(FolderCase):
    def test_one_that_cannot_be_written_is_told_before_anything_is_measured(self) -> None:
        """No run is made for a figure without a place; a long name, a folder in its place, a closed folder."""
        (self.folder / "taken.png").mkdir()
        (self.folder / "taken.svg").symlink_to("/dev/full")
        for name, says in (("no/f.png", "not a folder"), ("x" * 250 + ".png", "too long"), ("taken.png", "not a plain file"),
                           ("taken.svg", "not a plain file"), ("f.doc", "does not end in")):  # fmt: skip
            words = ("measure", ".", "--sweep", "random read 4 KiB to 8 KiB", "--passes", "1", "--figure", name)
            self.refused(*words, says=says)
        self.assertFalse((self.folder / "personal").exists())

    def test_one_that_fails_never_costs_the_results(self) -> None:
        """The table is shown, or the JSON whole with the reason in it; then one line and status 2."""
        folder = self.review()
        for setup in folder.review.setups:
            simulate(folder, setup, passes=3)
        (self.folder / "sub").mkdir()
        for words in ((), ("--json",)):
            with self.subTest(words), self.failing_figure():
                done = self.ulterion("compare", "--figure", "f.png", *words)
                self.assertEqual(done.returncode, 2)
                self.assertIn("slower", done.stdout)
                self.assertRegex(done.stderr, "^ulterion: .*f.png cannot be written: No space left.*\n$")
                if words:
                    self.assertIn("No space left", json.loads(done.stdout)["figure_error"])

    def failing_figure(self) -> object:
        from unittest import mock

        error = OSError(28, "No space left on device")
        return mock.patch("ulterion.model.files._write_through", side_effect=error)


class Streams(FolderCase):
    def setUp(self) -> None:
        super().setUp()
        folder = self.review()
        for setup in folder.review.setups:
            simulate(folder, setup, passes=3)

    def test_whatever_standard_output_is(self) -> None:
        """Closed, full, or in an encoding without our signs: no traceback, and the status tells."""
        shell = f"{PROGRAM} compare"
        cases = ((">&-", 0, ""), (">&- 2>&-", 0, ""), ("> /dev/full", 2, "cannot be written"), ("| true", 0, ""))

        def told(case: tuple[str, int, str]) -> None:
            tail, status, says = case
            done = subprocess.run(["sh", "-c", f"{shell} {tail}"], cwd=self.folder, env=self.environment(), capture_output=True,
                                  text=True, timeout=60)  # fmt: skip
            self.assertEqual(done.returncode, status, tail)
            self.assertIn(says, done.stderr)
            self.assertLessEqual(done.stderr.count("\n"), 1, done.stderr)

        with ThreadPoolExecutor(2) as pool:
            list(pool.map(told, cases))
        plain = {**self.environment(), "LC_ALL": "C", "PYTHONIOENCODING": "ascii", "PYTHONUTF8": "0"}
        done = subprocess.run(
            [PROGRAM, "compare"], cwd=self.folder, env=plain, capture_output=True, text=True, timeout=60
        )
        self.assertEqual((done.returncode, done.stderr), (0, ""))
        self.assertRegex(done.stdout, r" -6\d%")

    def test_refusals_answer_in_json_where_that_was_asked_for(self) -> None:
        """One document on standard output, the same line on standard error, also for a command line that is none."""
        for words in (
            ("compare", "nope"),
            ("compare", "--nope"),
            ("measure",),
            ("nope",),
            ("compare", "--margin", " " * 60_000),
        ):
            done = self.ulterion(*words, "--json")
            self.assertEqual(done.returncode, 2)
            self.assertEqual(json.loads(done.stdout)["error"]["status"], 2)
            self.assertIn(json.loads(done.stdout)["error"]["message"], done.stderr)
        self.refused("compare", "--mar", "3%", says="unknown option --mar; did you mean --margin")
        self.refused("compare", "x" * 20_000, says=r"\(20\d\d\d characters\)")

    def test_a_fault_of_our_own_has_a_status_of_its_own(self) -> None:
        """Not that of a failed drive: 70, one line, what is kept, where the details are; --debug shows the traceback."""
        from unittest import mock

        with mock.patch("ulterion.results.comparison.compare_review", side_effect=ZeroDivisionError("x")):
            done = self.ulterion("compare", "--json")
            self.assertEqual(done.returncode, 70)
            self.assertRegex(
                done.stderr,
                "^ulterion: a fault of this program, not of the drive: ZeroDivisionError: x; .*kept.*; details.*\n$",
            )
            self.assertEqual(json.loads(done.stdout)["error"]["kind"], "fault of ours")
            details = Path(done.stderr.strip().rpartition(" ")[2])
            self.assertIn("Traceback", details.read_text())
            self.assertIn("Traceback", self.ulterion("--debug", "compare").stderr)


class Moments(FolderCase):
    """Signals at bad moments, scarce files, folders that go away."""

    def setUp(self) -> None:
        super().setUp()
        self.write("review.toml", "schema = 2\n")
        (self.folder / "drive").mkdir()

    def test_what_the_caller_ignores_stays_ignored(self) -> None:
        """nohup: SIGHUP ends nothing; a background job that ignores SIGINT still heeds SIGTERM, `survey --watch` too."""

        def ignoring() -> None:
            signal.signal(signal.SIGHUP, signal.SIG_IGN)
            signal.signal(signal.SIGINT, signal.SIG_IGN)
            signal.signal(signal.SIGTERM, signal.SIG_DFL)

        process = self.begun("measure", "drive", *LONG, prepare=ignoring)
        for number in (signal.SIGHUP, signal.SIGINT):
            process.send_signal(number)
        time.sleep(0.4)
        self.assertIsNone(process.poll())
        process.send_signal(signal.SIGTERM)
        _, err = process.communicate(timeout=60)
        self.assertEqual(process.returncode, 130)
        self.assertIn("SIGTERM", err)
        watching = self.start("survey", "--watch", prepare=ignoring)
        assert watching.stdout is not None
        while "watching" not in watching.stdout.readline():
            self.assertIsNone(watching.poll())
        watching.send_signal(signal.SIGTERM)
        self.assertIn("SIGTERM", watching.communicate(timeout=30)[1])
        self.assertEqual(watching.returncode, 130)

    def test_a_pass_that_stood_still_is_run_again(self) -> None:
        """Ctrl-Z and fg: the pass is dropped and said so, the run has all its passes, none of them with the pause in it."""
        process = self.begun("measure", "drive", *QUICK, "--passes", "3", "--seconds", "0.4", "--json", session=True)
        time.sleep(0.2)  # into the middle of the next pass
        os.killpg(process.pid, signal.SIGSTOP)
        time.sleep(0.9)
        os.killpg(process.pid, signal.SIGCONT)
        out, err = process.communicate(timeout=60)
        self.assertEqual(process.returncode, 0, err)
        run = json.loads(out)["run"]
        self.assertRegex(
            " ".join(run["warnings"]), r"pass \d of random read 4 KiB depth 1 was dropped and run again: .*continued"
        )
        self.assertEqual([p["number"] for p in run["workloads"][0]["passes"]], [1, 2, 3])
        self.assertLess(max(p["seconds"] for p in run["workloads"][0]["passes"]), 0.8)

    def test_a_worker_that_is_killed_ends_the_run_and_loses_nothing(self) -> None:
        """As by the system when memory runs short: one line, status 130, the finished passes are kept."""
        process = self.begun("measure", "drive", *LONG)
        until = time.monotonic() + 60
        while (
            process.poll() is None and time.monotonic() < until
        ):  # a worker lives as long as a pass, and may be missed
            found = subprocess.run(["pgrep", "-P", str(process.pid)], capture_output=True, text=True).stdout.split()
            for worker in found[1:]:  # the first holds the test file
                with contextlib.suppress(ProcessLookupError):
                    os.kill(int(worker), signal.SIGKILL)
        _, err = process.communicate(timeout=60)
        self.assertEqual(process.returncode, 130, err)
        self.assertRegex(
            err.splitlines()[-1], "a worker process was ended by SIGKILL: the system may have run short of memory"
        )
        self.assertGreaterEqual(sum(len(w.passes) for r in self.opened().runs() for w in r.workloads), 1)

    def test_scarce_files_and_folders_that_are_closed_or_gone(self) -> None:
        """Too few descriptors, a folder above that may not be searched, a working folder that was deleted: a line each."""
        deep = "'random read 4 KiB depth 4' --span '16 MiB' --passes 1 --seconds 0.05"
        few = f"ulimit -n 8; exec {PROGRAM} measure drive --workload {deep}"
        done = subprocess.run(
            ["sh", "-c", few], cwd=self.folder, env=self.environment(), capture_output=True, text=True, timeout=60
        )
        self.assertEqual(done.returncode, 2, done.stderr)
        self.assertRegex(done.stderr.splitlines()[-1], "^ulterion: .*(ulimit -n|cannot be)")
        gone = f"mkdir gone; cd gone; rmdir ../gone; exec {PROGRAM} compare"
        done = subprocess.run(
            ["sh", "-c", gone], cwd=self.folder, env=self.environment(), capture_output=True, text=True, timeout=60
        )
        self.assertEqual((done.returncode, done.stdout), (2, ""))
        self.assertRegex(done.stderr, "^ulterion: the folder you are in is gone.*\n$")

    def test_ctrl_c_while_the_program_is_loaded(self) -> None:
        """From the first line of ours on: 130 and one line, no traceback."""
        code = ("import os, signal, sys\nsys.argv = ['ulterion', 'compare']\nimport ulterion.__main__ as first\n"
                "os.kill(os.getpid(), signal.SIGINT)\nfirst.main()\n")  # fmt: skip
        done = subprocess.run([sys.executable, "-c", f"import signal; signal.signal(2, signal.default_int_handler)\n{code}"],
                              cwd=self.folder, env=self.environment(), capture_output=True, text=True, timeout=60)  # fmt: skip
        self.assertEqual((done.returncode, done.stderr), (130, "ulterion: stopped by hand\n"))

    def test_a_terminal_that_closes_ends_it_in_order(self) -> None:
        """The terminal's end (SIGHUP): the run is kept as interrupted."""
        main, side = pty.openpty()
        process = self.begun("measure", "drive", *LONG, stdin=side, session=True)
        os.close(side)
        os.close(main)
        process.send_signal(signal.SIGHUP)
        process.communicate(timeout=60)
        self.assertEqual((process.returncode, [r.state.name for r in self.opened().runs()]), (130, ["interrupted"]))
