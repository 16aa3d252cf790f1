"""`survey` and what setups expect, through the installed program."""

from __future__ import annotations

import json
import signal
import tomllib
from pathlib import Path

from tests.support import REVIEW, FolderCase

MACHINE = Path(__file__).parents[1] / "host/machine.json"
QUICK = ("--suite", "brief", "--passes", "3", "--seconds", "0.1", "--span", "16 MiB")


class Survey(FolderCase):
    def test_this_machine_and_a_recorded_one(self) -> None:
        """Both come out as text and JSON; a record of this machine can be played; nothing is overwritten."""
        self.assertEqual(self.ulterion("survey").returncode, 0)
        here = self.json_of("survey")
        self.assertTrue(here["bench"]["host"])
        self.assertEqual(self.ulterion("survey", "--record", "m.json").returncode, 0)
        again = self.json_of("survey", "--replay", "m.json")
        self.assertEqual([d["name"] for d in again["drives"]], [d["name"] for d in here["drives"]])
        self.refused("survey", "--record", "m.json", says="exists already")
        one = self.json_of("survey", "LAB-NVME", "--replay", str(MACHINE))
        self.assertEqual([d["name"] for d in one["drives"]], ["nvme0n1"])
        self.refused("survey", "sdx", "--replay", str(MACHINE), says="unknown drive 'sdx'")
        self.refused("survey", "--replay", "none.json", says="cannot be read")
        self.refused("survey", "--watch", "--record", "x", says="cannot be combined")

    def test_the_simulated_bench_shows_itself(self) -> None:
        """The same tree, from the bench; without one it is refused."""
        self.review()
        data = self.json_of("survey", "--simulated")
        self.assertEqual([(d["name"], d["link"], d["serial"]) for d in data["drives"]],
                         [("direct", "PCIe 4.0 x4", "T-1"), ("box", "USB 10 Gb/s", "T-1")])  # fmt: skip
        self.assertIn("bridge box", self.ulterion("survey", "--simulated", "--brief").stdout)

    def test_watching_ends_when_told(self) -> None:
        """For a time, or until Ctrl-C (130); the drives of the beginning are shown."""
        self.assertIn("watching", self.ulterion("survey", "--watch", "--for", "0.3 s").stdout)
        with self.start("survey", "--watch") as process:
            assert process.stdout is not None
            while "watching" not in process.stdout.readline():
                self.assertIsNone(process.poll())
            process.send_signal(signal.SIGINT)
            process.communicate(timeout=20)
        self.assertEqual(process.returncode, 130)


class Expecting(FolderCase):
    def setup(self, expect: str) -> None:
        (self.folder / "drive").mkdir(exist_ok=True)
        self.write("bench.toml", "schema = 2\n")
        self.write("review.toml", REVIEW.partition("[setups.direct]")[0] + "[setups.box]  # the box\n"
                   'chain = ["b:usb", "box", "drive"]\ntarget = "drive"\n' + expect)  # fmt: skip

    def test_the_wrong_drive_is_refused_before_anything_is_written(self) -> None:
        """Another serial: one line, status 2, no run, an untouched folder; --accept goes on and the run carries it."""
        self.setup('[setups.box.expect]\nserial = "NOT-THIS"\n')
        for command in (("measure", *QUICK), ("soak", "--for", "3 s", "--idle", "0", "--span", "16 MiB")):
            self.refused(*command, "--setup", "box", says="expects something else, so nothing was written: .*NOT-THIS")
        self.assertEqual(list((self.folder / "drive").iterdir()), [])
        self.assertFalse((self.folder / "runs").exists() and list((self.folder / "runs").iterdir()))
        data = self.json_of("measure", "--setup", "box", *QUICK, "--accept")
        self.assertIn("accepted: it is another drive", " ".join(data["run"]["warnings"]))
        waited = self.ulterion("measure", "--setup", "box", "--wait", "1 s", *QUICK)
        self.assertEqual((waited.returncode, waited.stdout), (2, ""))
        self.assertRegex(
            waited.stderr, "plug in: b:usb > Test Box(?s:.*)was not ready after 1.0 s: the drive with serial"
        )
        self.refused("measure", "drive", "--wait", "1 s", says="needs a setup")

    def test_learning_keeps_the_file_and_its_remarks(self) -> None:
        """What is plugged in goes into the setup; the rest of review.toml stays, comments included."""
        self.setup("")
        told = self.json_of("survey", "sdb", "--replay", str(MACHINE), "--learn", "box")
        text = (self.folder / "review.toml").read_text()
        self.assertIn("[setups.box]  # the box", text)
        expect = tomllib.loads(text)["setups"]["box"]["expect"]
        self.assertEqual(expect, told["expect"])
        self.assertEqual(expect, {"serial": "LAB-STICK3", "port": "0000:00:06.0 port 1", "link": "USB 5 Gb/s",
                                  "driver": "usb-storage"})  # fmt: skip
        self.ulterion("survey", "sda", "--replay", str(MACHINE), "--learn", "box")
        self.assertEqual(
            tomllib.loads((self.folder / "review.toml").read_text())["setups"]["box"]["expect"]["driver"], "uas"
        )
        self.refused("survey", "sda", "--replay", str(MACHINE), "--learn", "bx", says="did you mean 'box'")
        self.refused("survey", "--replay", str(MACHINE), "--learn", "box", says="there are 7 drives")

    def test_a_run_carries_its_chain_and_the_bench(self) -> None:
        """Port and steps of the drive, governor and power where the machine shows them, in the run document."""
        self.setup("")
        run = self.json_of("measure", "--setup", "box", *QUICK)["run"]
        here = {d["name"]: d for d in self.json_of("survey")["drives"]}
        device = run["target"].get("device")
        if device in here:
            self.assertEqual(run["target"].get("port"), here[device]["port"])
            kept = [s["name"] for s in run["target"].get("steps", [])]
            self.assertEqual(kept, [s["name"] for s in here[device]["steps"]])
        self.assertIn("cpu", json.dumps(run["bench"]))
