"""`ulterion clock`, and what `compare` makes of it: typed, from a table, and live on a terminal."""

from __future__ import annotations

import json
import os
import pty
import re
import signal
import time
import unittest

from tests.support import PEAK_READ, FolderCase, simulate
from ulterion.core.workloads.workload import parse_workload

PEAK_WRITE = parse_workload("sequential write 4 MiB depth 4")


class Clock(FolderCase):
    def setUp(self) -> None:
        super().setUp()
        self.store = self.review()

    def test_typed_timings_are_kept_and_compared(self) -> None:
        """Three on each side decide; the interval is in the answer; the documents load again."""
        kept = self.json_of(
            "clock",
            "--setup",
            "box",
            "--task",
            "a day's clips",
            "4.2 GB in 1m12s",
            "4.2 GB in 1m11s",
            "4.2 GB in 1m13s",
        )["kept"]
        self.assertEqual((len(kept), kept[0]["timings"][0]), (1, "4.20 GB in 1m12s"))
        self.assertLess(kept[0]["low"], 4.2e9 / 72)
        self.assertGreater(kept[0]["high"], 4.2e9 / 72)
        self.ulterion(
            "clock",
            "--setup",
            "direct",
            "--task",
            "a day's clips",
            "4.2 GB in 12s",
            "4.2 GB in 11.6 s",
            "4.2 GB in 11.9s",
        )
        rows = {r["setup"]: r for r in self.json_of("compare")["clocked"]}
        self.assertEqual(
            (rows["box"]["verdict"], rows["box"]["against"], rows["box"]["against_measured"]),
            ("slower", "direct", False),
        )
        self.assertEqual(len(self.opened().runs()), 2)
        self.assertEqual(self.ulterion("compare", "--fail-on", "slower").returncode, 4)
        text = self.ulterion("compare").stdout
        self.ulterion("compare", "--figure", "all.png")
        self.assertEqual((self.folder / "all.png").read_bytes()[:4], b"\x89PNG")
        self.assertIn("a day's clips, written", text)
        self.assertLessEqual(max(map(len, text.splitlines())), 80)
        self.ulterion("note", "--exclude", rows["box"]["runs"][0], "wrong cable")
        self.assertNotIn("box", {r["setup"] for r in self.json_of("compare")["clocked"]})

    def test_a_bound_is_held_against_what_was_measured(self) -> None:
        """Slower for sure, too early to tell, and nothing at all; never a rate."""
        simulate(self.store, "direct", [PEAK_READ, PEAK_WRITE])
        simulate(self.store, "box", [PEAK_READ])
        for task, text, verdict in (("card", "64 GB not finished after 10m", "slower"), ("tape", "64 GB not finished after 20s", "undecided"),
                                    ("none", "stopped at 30 of 64 GB", None)):  # fmt: skip
            self.ulterion("clock", "--setup", "box", "--task", task, text)
            (row,) = (r for r in self.json_of("compare")["clocked"] if r["task"] == task)
            self.assertEqual((row["rate"], row["verdict"], row["against_measured"]), (None, verdict, True), task)
        shown = self.ulterion("compare").stdout
        self.assertRegex(shown, r"card, written +by hand +Test Box +> 10m00s +< 113 +slower")

    def test_a_rate_above_its_link_is_doubtful_and_decides_nothing(self) -> None:
        """What a cache took in is marked where it is typed and where it is compared; one within rounding is not."""
        link, over = self.store.review.narrowest_link("box"), 40
        assert link is not None
        for setup, size in (("direct", link.payload * 10), ("box", link.payload * over)):
            texts = [f"{size / 1e9:.3f} GB in {s} s" for s in (20, 20.2, 19.9)]
            (kept,) = self.json_of("clock", "--setup", setup, *texts)["kept"]
            self.assertEqual([link.name in w for w in kept["warnings"]], [True] if setup == "box" else [])
        row = next(r for r in self.json_of("compare")["clocked"] if r["setup"] == "box")
        self.assertEqual(row["verdict"], "undecided")
        self.assertIn(f"is more than {link.name} can carry", row["suspect"])
        self.assertEqual(self.ulterion("compare", "--fail-on", "slower").returncode, 0)
        self.json_of("clock", "--setup", "box", "--task", "fits", f"{link.payload * 10.1 / 1e9:.3f} GB in 10 s")
        rows = {r["task"]: r["suspect"] for r in self.json_of("compare")["clocked"] if r["setup"] == "box"}
        self.assertIsNone(rows["fits"])

    def test_a_table_of_timings(self) -> None:
        """Columns fill in for what is given; a fault names its line, and nothing of the table is kept."""
        self.write(
            "t.csv",
            "Timing,setup,task,direction,reaction\n4.2 GB in 1m12s,box,clips,read,\n4.2 GB in 12.1s,direct,clips,read,0 s\n900 MB in 30s,,,,\n",
        )
        kept = self.json_of("clock", "--setup", "box", "--table", "t.csv")["kept"]
        self.assertEqual([(k["setup"], k["task"], k["direction"]) for k in kept],
                         [("box", "clips", "read"), ("direct", "clips", "read"), ("box", "transfer", "write")])  # fmt: skip
        for text, words in (("timing,setup\n1 GB in 20s,box\nfast,box\n", "line 3: 'fast' is not a timing"), ("task\nclips\n", "no column 'timing'"),
                            ("timing,colour\n", "unknown column 'colour'"), ("timing,hand\n", "called 'reaction' now"), ("timing\n", "no timing in it"), ("timing,direction\n1 GB in 20s,up\n", "'up'"),
                            ("timing,setup\n1 GB in 20s,nowhere\n", "unknown setup 'nowhere'")):  # fmt: skip
            self.write("bad.csv", text)
            self.refused("clock", "--setup", "box", "--table", "bad.csv", says=words)
        self.assertEqual(len(self.opened().runs()), 3)

    def test_what_cannot_be_is_refused(self) -> None:
        """Without a setup, without a terminal, with two ways at once."""
        for arguments, words in (
            (("1 GB in 20s",), "what was timed. Name it: ulterion clock 'old reader: 1 GB in 20s'"), (("--setup", "box"), "needs a terminal"), (("--setup", "nope", "1 GB in 20s"), "unknown setup"),
            (("--setup", "box", "--table", "t.csv", "1 GB in 20s"), "cannot be combined"), (("--setup", "box", "--size", "1 GB", "1 GB in 20s"), "--size"),
            (("--setup", "box", "--reaction", "2m", "1 GB in 20s"), "reaction time"), (("--setup", "box", "1 GB in 20s", "x"), "'x' is not a timing"),
        ):  # fmt: skip
            self.refused("clock", *arguments, says=words)
        self.assertEqual(self.opened().runs(), [])

    def test_the_stopwatch_at_a_terminal(self) -> None:
        """Started, a lap, stopped, the size asked for; the terminal is given back; Ctrl-C keeps nothing and says so."""
        for keys, status in (([b" ", b" ", b"0.5 GB\r", b"\r", b"4 gigs\n4.2 GB\n"], 0), ([b" ", b"\x03"], 130)):
            text, code = self.live(keys)
            self.assertEqual(code, status, text)
            self.assertIn("space starts the clock", text)
        self.assertIn("so nothing was kept", text)
        (run,) = self.opened().runs()
        timing = json.loads(run.to_json())["clock"]["timings"][0]
        self.assertEqual(
            (timing["size_bytes"], timing["size_step"], timing["laps"][0][1]), (4_200_000_000, 1e8, 500_000_000)
        )
        self.assertGreater(timing["seconds"], timing["laps"][0][0])

    def live(self, keys: list[bytes]) -> tuple[str, int | None]:
        """Work the stopwatch by keys; return what it showed and its exit status."""
        ours, theirs = pty.openpty()
        live = self.start("clock", "--setup", "box", stdin=theirs, stdout=theirs, stderr=theirs,
                          terminal={"TERM": "xterm", "COLUMNS": "100"})  # fmt: skip
        os.close(theirs)
        shown, waiting = b"", list(keys)
        while True:
            try:
                part = os.read(ours, 65536)
            except OSError:
                break
            if not part:
                break
            shown += part
            if waiting and b"space starts" in shown:
                time.sleep(0.2)
                key = waiting.pop(0)
                live.send_signal(signal.SIGINT) if key == b"\x03" else os.write(ours, key)
        live.wait()
        os.close(ours)
        return re.sub(r"\x1b\[[0-9;?]*[a-zA-Z]", "", shown.decode("utf-8", "replace")), live.returncode


if __name__ == "__main__":
    unittest.main()
