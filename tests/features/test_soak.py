"""`soak`, `note` and `compare --soaks` through the installed program, on real folders and the simulated bench."""

from __future__ import annotations

import contextlib
import json
import os
import pty
import re
import signal
import time
from pathlib import Path

from tests.support import BENCH, REVIEW, WARM, FolderCase

LOAD = ("--load", "sequential write 256 KiB depth 2", "--span", "32 MiB")


def wait_for(found, seconds: float = 30.0):  # type: ignore[no-untyped-def]
    """Return what a function gives once it gives something."""
    until = time.monotonic() + seconds
    while time.monotonic() < until:
        if result := found():
            return result
        time.sleep(0.05)
    raise AssertionError("it never came")


class RealSoak(FolderCase):
    def setUp(self) -> None:
        super().setUp()
        self.drive = self.folder / "drive"
        self.drive.mkdir()
        self.ulterion("new", "review")

    def runs(self, pattern: str = "*.json") -> list[Path]:
        return sorted((self.folder / "review/runs").glob(pattern))

    def rows_kept(self) -> int:
        """Rows in the journal of the run that is going on."""
        journals = self.runs("*.journal")
        return journals[0].read_text().count('"row"') if journals else 0

    def test_a_soak_with_probes_and_a_figure(self) -> None:
        """Idle, load, cool on a real folder: every phase has its rows, the probes their values, the folder is empty."""
        data = self.json_of(
            "soak", "drive", "--review", "review", "--for", "1 s", "--idle", "0.4 s", "--cool", "0.4 s", "--interval",
            "0.1 s", *LOAD, "--probe", "case=echo 38.5", "--probe", "room=echo 21", "--figure", "soak.svg",
        )  # fmt: skip
        self.assertEqual(data["state"], "complete")
        self.assertGreater(data["findings"]["bytes"], 0)
        self.assertEqual(data["findings"]["room"], 21.0)
        self.assertIn("<svg", (self.folder / "soak.svg").read_text())
        (path,) = self.runs()
        soak = json.loads(path.read_text())["soak"]
        self.assertEqual([p["name"] for p in soak["phases"]], ["idle", "load", "cool"])
        load = soak["phases"][1]
        self.assertAlmostEqual(load["end"] - load["start"], 1.0, delta=0.3)
        self.assertEqual(set(load["sensors"]["case"]), {38.5})
        self.assertEqual(list(self.drive.iterdir()), [])

    def test_killed_and_taken_up_again(self) -> None:
        """kill -9 in mid-soak, then --resume: one soak in two parts, every interval of the first but the last kept."""
        with self.start("soak", "drive", "--review", "review", "--for", "2.4 s", "--idle", "0", "--interval", "0.1 s", *LOAD,
                        "--seed", "5") as process:  # fmt: skip
            wait_for(lambda: self.rows_kept() > 5)
            process.send_signal(signal.SIGKILL)
            process.wait()
        kept = self.rows_kept()
        self.assertEqual(list(self.drive.iterdir()), [])
        data = self.json_of("soak", "drive", "--review", "review", "--resume", "--for", "99 s")
        (path,) = self.runs()
        soak = json.loads(path.read_text())["soak"]
        self.assertEqual([(p["part"], p["name"]) for p in soak["phases"]], [(1, "load"), (2, "load")])
        self.assertEqual(len(soak["phases"][0]["bytes"]), kept)
        loaded = sum(p["end"] - p["start"] for p in soak["phases"])
        self.assertAlmostEqual(loaded, 2.4, delta=0.4)
        self.assertGreater(soak["phases"][1]["start"], soak["phases"][0]["end"])
        self.assertEqual((data["state"], self.runs("*.journal")), ("complete", []))
        self.refused("soak", "drive", "--review", "review", "--resume", says="was cut off")

    def test_stopped_by_hand_with_a_note_from_another_terminal(self) -> None:
        """`note` reaches the soak that is going on; Ctrl-C ends it with 130, and all of it is kept."""
        with self.start("soak", "drive", "--review", "review", "--for", "60 s", "--idle", "0", "--interval", "0.2 s",
                        *LOAD) as process:  # fmt: skip
            wait_for(lambda: self.rows_kept() > 3)
            said = self.ulterion("note", "--review", "review", "case 37.5 °C")
            self.assertIn("the run in progress", said.stdout)
            process.send_signal(signal.SIGINT)
            out, err = process.communicate(timeout=60)
        self.assertEqual(process.returncode, 130, err)
        self.assertIn("stopped by hand", err)
        self.assertRegex(out, r"case 37\.5 °C")
        run = json.loads(self.runs()[0].read_text())
        self.assertEqual((run["state"]["name"], run["readings"][0]["value"]), ("interrupted", 37.5))
        self.assertEqual(len(self.runs("[!.]*")), 1)

    def test_the_live_view_takes_what_is_typed(self) -> None:
        """On a terminal: rate and temperatures are shown, a typed reading is kept, the terminal is given back."""
        ours, theirs = pty.openpty()
        live = self.start("soak", "drive", "--review", "review", "--for", "2 s", "--idle", "0", *LOAD, "--interval", "0.2 s",
                          "--probe", "case=echo 38.5", stdin=theirs, stdout=theirs, stderr=theirs,
                          terminal={"TERM": "xterm", "COLUMNS": "100", "LINES": "30"})  # fmt: skip
        os.close(theirs)
        shown, typed = b"", False
        while True:
            try:
                part = os.read(ours, 65536)
            except OSError:
                break
            if not part:
                break
            shown += part
            if not typed and b"rate" in shown:
                os.write(ours, b"skin 4x\x7f1 C\r")
                typed = True
        live.wait()
        os.close(ours)
        text = re.sub(r"\x1b\[[0-9;?]*[a-zA-Z]", "", shown.decode("utf-8", "replace"))
        self.assertEqual(live.returncode, 0, text)
        for words in ("load for 2.0 s", "rate", "MB/s", "38.5 °C", "noted: skin 41 °C"):
            self.assertIn(words, text)
        run = json.loads(self.runs()[0].read_text())
        self.assertEqual([(r["what"], r["value"]) for r in run["readings"]], [("skin", 41.0)])

    def test_a_load_of_files(self) -> None:
        """Files are written and deleted, and none is left; what cannot be is refused before anything is written."""
        data = self.json_of("soak", "drive", "--review", "review", "--for", "1 s", "--idle", "0", "--interval", "0.2 s",
                            "--files", "1 MB to 3 MB", "--span", "16 MiB")  # fmt: skip
        self.assertGreater(data["findings"]["bytes"], 16 * 2**20)
        self.assertEqual(list(self.drive.iterdir()), [])

    def test_what_cannot_be_is_refused_in_one_line(self) -> None:
        """Each names the thing, says why, and what to do; nothing is kept."""
        soak = ("soak", "drive", "--review", "review")
        cases = [
            (("--probe", "x=echo warm"), "printed 'warm'"),
            (("--probe", "x=false"), "status 1"), (("--probe", "x"), "NAME=COMMAND"),
            (("--probe", "a=echo 1", "--probe", "a=echo 2"), "two sensors"), (("--sensor", "a=no/such"), "no sensor"),
            (("--amount", "0%"), "nothing"), (("--amount", "5 Gb"), "in bits"), (("--for", "1 s"), "three intervals"),
            (("--load", "sequential"), "does not say"), (("--load", "sequential read 1 MiB for 5 s"), "use --for"),
            (("--files", "9 MB to 1 MB"), "small to large"), (("--interval", "5m"), "0.1 s to 60 s"),
            (("--files", "1 MB", "--load", "x"), "cannot be combined"), (("--resume",), "was cut off"), (("--pace", "0"), "not a pace"),
            (("--figure", "x.gif"), "does not end in .png or .svg"), (("--idle", "long"), "not a duration"),
            (("--span", "9000 TB"), "does not fit"),
        ]  # fmt: skip
        for extra, says in cases:
            with self.subTest(says):
                self.refused(*soak, *extra, says=says)
        self.refused("soak", "--review", "review", says="nothing to soak")
        self.assertEqual(self.runs("*"), [])


class SimulatedSoaks(FolderCase):
    def test_readings_that_are_asked_for(self) -> None:
        """Asked at their moments; a bare number answers, of what was asked; what was not read is said; without a terminal it is refused."""
        self.review()
        ours, theirs = pty.openpty()
        wanted = ("--ask", "case at 5s, 20s, end", "--ask", "hub at 20s")
        live = self.start("soak", "--setup", "box", "--for", "60 s", "--idle", "0", "--pace", "10", *wanted,
                          stdin=theirs, stdout=theirs, stderr=theirs, terminal={"TERM": "xterm", "COLUMNS": "100"})  # fmt: skip
        os.close(theirs)
        shown, answers = (
            b"",
            {b"the case now (5.0": b"38\n", b"the case now (20.0": b"101.3 F case\n", b"the hub now (20.0": b"30\n"},
        )
        with contextlib.suppress(OSError):  # the terminal is gone when the program is
            while part := os.read(ours, 65536):
                shown += part
                for question in [q for q in answers if q in shown]:
                    os.write(ours, answers.pop(question))
        live.wait()
        os.close(ours)
        self.assertEqual((live.returncode, answers), (0, {}), shown[-2000:])
        (run,) = self.opened().runs()
        read = [(r.what, r.value) for r in run.readings]
        self.assertEqual(read, [("case", 38.0), ("case", 38.5), ("hub", 30.0)])
        moments = [r.at_seconds or 0.0 for r in run.readings]
        self.assertTrue(5 <= moments[0] < 20 <= moments[1] <= moments[2] <= 60, moments)
        self.assertIn(b"not read: case, end; write it down: ulterion note 'case 38 C end'", shown)
        for words, says in (("case at 5m", "--ask needs a terminal; .*ulterion note 'case 38 C at 5m00s'"), ("case", "does not say what is read and when"),
                            ("case at noon", "noon")):  # fmt: skip
            self.refused("soak", "--setup", "box", "--ask", words, says=says)

    def test_two_soaks_compared_and_drawn(self) -> None:
        """Soaks of two setups: a table, what they differ by, a light and a dark figure, notes, and claims."""
        self.review(REVIEW, BENCH + WARM)
        for setup in ("direct", "box"):
            done = self.ulterion("soak", "--setup", setup, "--for", "20m", "--cool", "2m", "--figure", f"{setup}.png")
            self.assertEqual(done.returncode, 0, done.stderr)
            self.assertLessEqual(max(len(line.rstrip()) for line in done.stdout.splitlines() if "kept in" not in line
                                     and "figure:" not in line), 80)  # fmt: skip
            self.assertGreater((self.folder / f"{setup}.png").stat().st_size, 20_000)
        shown = self.ulterion("compare", "--soaks", "direct", "box", "--figure", "both.png", "--dark").stdout
        for words in ("Test Box finishes 50% slower than b:fast", "settled", "rise", "figure: both.png"):
            self.assertIn(words, shown)
        data = self.json_of("compare", "--soaks", "box", "direct")
        self.assertEqual(len(data["differences"]), 1)
        self.assertEqual(self.json_of("note", "case 38 °C at 5m")["what"], "case 38 °C")
        self.assertIn("case 38 °C", self.ulterion("note").stdout)
        self.assertIn("5m00s", self.ulterion("note").stdout)
        self.assertEqual(self.ulterion("compare", "--soaks", "box").returncode, 0)
        self.refused("compare", "--soaks", "nope", says="unknown setup or soak")
        self.refused("compare", "--dark", says="add --figure")
        self.refused("compare", "--soaks", "--against", "box", says="takes no --against")
        self.refused("note", "--log", "none.csv", "--name", "case", says="cannot be read")
        self.refused("note", "--log", "none.csv", says="takes --name")

    def test_a_share_of_the_drive_and_outcomes(self) -> None:
        """--amount '1%' of 1 TB is 10 GB; an outcome noted on a setup stands below the comparison."""
        self.review()
        data = self.json_of("soak", "--setup", "box", "--amount", "1%", "--idle", "0")
        self.assertTrue(10e9 <= data["findings"]["bytes"] < 11.1e9)
        self.ulterion("note", "--setup", "box", "needs external power on the left port")
        self.ulterion("measure", "--setup", "direct", "--suite", "brief", "--passes", "3")
        shown = self.ulterion("compare").stdout
        self.assertIn("box: needs external power on the left port", shown)

    def test_setups_on_one_hub(self) -> None:
        """Two simulated setups together share the hub; options that have no meaning then are refused."""
        hub = '[parts.hub]\nlink = "USB 10 Gb/s"\nshared = "1200 MB/s"\n'
        named = '[parts.hub]\nname = "Hub"\nkind = "hub"\nlink = "USB 10 Gb/s"\n'
        for one in "ab":
            hub += f'[parts.drive-{one}]\nread = "3000 MB/s"\nwrite = "990 MB/s"\ncapacity = "1 TB"\n'
            named += (
                f'[parts.drive-{one}]\nname = "Drive {one}"\nkind = "drive"\n'
                f'[setups.{one}]\nchain = ["b:usb", "hub", "drive-{one}"]\ntarget = "sim:bench.toml"\n'
            )
        self.review(REVIEW + named, BENCH + hub)
        data = self.json_of(
            "measure", "--setup", "a", "--together", "b", "--workload", "sequential write 4 MiB depth 4"
        )
        (sharing,) = data["workloads"].values()
        # the hub could move 1200 MB/s; its own link to the port carries 1100 in practice
        self.assertAlmostEqual(sharing["total"] / 1e9, 1.1, delta=0.02)
        self.assertAlmostEqual(sharing["together"][0] / sharing["together"][1], 1.0, delta=0.02)
        self.refused("measure", "--setup", "direct", "--together", "box", says="two setups of one drive, Test Drive")
        self.refused("measure", "--setup", "a", "--together", "b", "--warm-up", says="takes no --warm-up")
