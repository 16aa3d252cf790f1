"""The survey, on a machine that was written down: every drive with its chain, and no file that it cannot do without."""

from __future__ import annotations

import contextlib
import io
import json
import os
import random
import unittest
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path
from unittest import mock

from tests.support import FolderCase
from ulterion.core.documents.plain import plain
from ulterion.core.documents.reading import reader_of
from ulterion.core.errors import UsageError
from ulterion.core.facts.devices import Drive, Survey, Volume, changes
from ulterion.core.facts.target import BenchFacts
from ulterion.core.links.chain import Step, ceilings, faults
from ulterion.core.links.negotiated import guess_link
from ulterion.core.links.standards import find_link
from ulterion.features.survey.tables import survey_lines
from ulterion.host import drive, machine
from ulterion.host.activity import Activity, busyness
from ulterion.host.names import name_of
from ulterion.host.recorded import Machine, record, replayed
from ulterion.show.live import Lines, console

MACHINE = Path(__file__).with_name("machine.json")


def shown(survey: Survey) -> str:
    """Return the survey as it is printed."""
    out = io.StringIO()
    with mock.patch.dict(os.environ, {"COLUMNS": "80"}):
        screen = console(out)
    for line in survey_lines(survey):
        screen.print(Lines(line))
    return out.getvalue()


NONSENSE = ("", "\x00\x01\x02", "-1", "9" * 400, "ünïcödé", "0x", "12 34", "/", "..", "\n\n", "9999999999999999999")


class Recorded(unittest.TestCase):
    def test_a_dead_drive_is_no_empty_reader_and_flash_chips_are_no_drive(self) -> None:
        """A drive that cannot be taken out and shows no size has no capacity shown; what the kernel makes of bare flash is left out."""
        with replayed(MACHINE) as (root, _):
            (root / "sys/block/mtdblock0").mkdir(parents=True)
            (root / "sys/block/mtdblock0/size").write_text("1024\n")
            for name in ("nvme0n1", "sdb"):
                (root / f"sys/block/{name}/size").write_text("0\n")
            (root / "sys/block/sdb/removable").write_text("1\n")
            found = machine.survey(root=root)
        self.assertNotIn("mtdblock0", [d.name for d in found.drives])
        self.assertRegex(shown(found), r"nvme0n1 .*no capacity shown")
        self.assertRegex(shown(found), r"sdb .*(no medium|empty slot)")

    def test_every_drive_with_its_link_driver_serial_and_port(self) -> None:
        """Seven drives on five buses, as the kernel of that machine showed them."""
        with replayed(MACHINE) as (root, _):
            found = machine.survey(root=root)
        facts = {d.serial: (d.name, d.transport, d.link, d.driver, d.port) for d in found.drives}
        self.assertEqual(facts, {
            "LAB-UASDISK": ("sda", "USB", "USB 5 Gb/s", "uas", "0000:00:06.0 port 2"),
            "LAB-STICK3": ("sdb", "USB", "USB 5 Gb/s", "usb-storage", "0000:00:06.0 port 1"),
            "LAB-STICK2": ("sdc", "USB", "USB 480 Mb/s", "usb-storage", "0000:00:07.0 port 1"),
            "LAB-HUBSTICK": ("sdd", "USB", "USB 12 Mb/s", "usb-storage", "0000:00:06.0 port 5.1"),
            "LAB-SATA": ("sde", "SATA", "SATA 1.5 Gb/s", "ahci", "0000:00:0a.0 ata1"),
            "0xdeadbeef": ("mmcblk0", "SD", "SD high speed", "sdhci-pci", "0000:00:09.0 mmc0"),
            "LAB-NVME": ("nvme0n1", "NVMe", "PCIe 1.0 x1", "nvme", "0000:00:08.0"),
        })  # fmt: skip
        by_serial = {d.serial: d for d in found.drives}
        self.assertEqual([s.name for s in by_serial["LAB-HUBSTICK"].steps], ["0000:00:06.0", "usb1", "1-5", "1-5.1"])
        self.assertEqual(by_serial["LAB-STICK3"].volumes[0].mounted, "/media/stick")
        self.assertEqual((by_serial["LAB-NVME"].temperature, by_serial["LAB-NVME"].size), (49.85, 2**31))
        self.assertEqual([a.name for a in found.adapters], ["eth0"])

    def test_what_is_wrong_stands_in_words_and_fits_80_columns(self) -> None:
        """The stick behind the slow hub and the one on the old port are marked, and the fast ones are not."""
        with replayed(MACHINE) as (root, _):
            found = machine.survey(root=root)
        self.assertEqual([f for d in found.drives for f in d.faults], [])
        told = {d.serial: " ".join(d.ceilings) for d in found.drives}
        self.assertIn("behind a hub (1-5) that runs at USB 12 Mb/s", told["LAB-HUBSTICK"])
        self.assertIn("USB 5 Gb/s", told["LAB-HUBSTICK"])
        self.assertIn("45.1 MB/s at most in practice", told["LAB-STICK2"])
        self.assertIn("one command at a time", told["LAB-STICK3"])
        self.assertEqual((told["LAB-UASDISK"], told["LAB-SATA"], told["LAB-NVME"]), ("", "", ""))
        text = shown(found)
        self.assertLessEqual(max(len(line.rstrip()) for line in text.splitlines()), 80)
        for words in ("hub 1-5", "serial LAB-NVME", "50 °C", "uas (queues commands)"):
            self.assertIn(words, text)

    def test_no_file_is_needed_and_none_is_believed(self) -> None:
        """With each file and link gone, or full of nonsense, in turn, the survey still comes out whole."""
        data = json.loads(MACHINE.read_text())
        rng = random.Random(4)
        names = sorted([*data["files"], *data["links"], *data["bytes"]])
        with replayed(MACHINE) as (root, _):
            for _ in range(30):
                with contextlib.ExitStack() as mended:
                    for name in rng.sample(names, 4):  # others each time the seed is changed
                        mended.callback(self._spoil(root / name, rng))
                    shown(machine.survey(root=root))
            self.assertEqual(len(machine.survey(root=root).drives), 7)

    def _spoil(self, path: Path, rng: random.Random) -> Callable[[], object]:
        """Take a file or link away, or put nonsense there; return what mends it."""
        if path.is_symlink():
            target = path.readlink()
            path.unlink()
            path.symlink_to(rng.choice(["nowhere", ".", ".."]))
            return lambda: (path.unlink(), path.symlink_to(target))
        before = path.read_bytes()
        path.unlink()
        if rng.random() < 0.7:
            path.write_text(rng.choice(NONSENSE))
        return lambda: path.write_bytes(before)

    def test_what_device_and_port_could_do(self) -> None:
        """Capability descriptors and the power asked for are read where they stand; a slot that does not say what it can do accuses nobody."""
        usb = bytes([5, 15, 22, 0, 2, 7, 16, 2, 2, 0, 0, 0])  # a header and the USB 2 extension
        fast = usb + bytes([10, 16, 3, 0, 0x0E, 0, 1, 10, 255, 7])  # SuperSpeed: 12, 480 Mb/s and 5 Gb/s
        with replayed(MACHINE) as (root, _):
            bus = root / "sys/devices/pci0000:00/0000:00:06.0/usb1"
            (bus / "1-5/1-5.1/bos_descriptors").write_bytes(fast)
            (bus / "1-5/1-5.1/bMaxPower").write_text("896mA\n")
            nvme = root / "sys/devices/pci0000:00/0000:00:08.0"
            (nvme / "max_link_speed").write_text("16.0 GT/s PCIe\n")
            (nvme / "max_link_width").write_text("4\n")
            found = {d.serial: d for d in machine.survey(root=root).drives}
        stick = " ".join([*found["LAB-HUBSTICK"].faults, *found["LAB-HUBSTICK"].ceilings])
        self.assertIn("behind a hub (1-5)", stick)
        self.assertIn("asks for 4.5 W and its port gives 2.5 W", stick)
        self.assertEqual(found["LAB-NVME"].faults, ())

    def test_looking_around_asks_no_usb_bridge(self) -> None:
        """On a live machine only drives that are not behind USB are asked for their logs, unless told otherwise."""
        with replayed(MACHINE) as (root, _), mock.patch.object(drive, "LIVE", root), \
                mock.patch.object(drive.sensors, "counters_of", return_value={}) as asked, \
                mock.patch.object(drive.sensors, "of_disk", return_value=([], "")), \
                mock.patch.object(machine.os, "statvfs", side_effect=OSError):  # fmt: skip
            machine.survey(root)
            self.assertEqual(sorted(c.args[0] for c in asked.call_args_list), ["mmcblk0", "nvme0n1", "sde"])
            asked.reset_mock()
            machine.survey(root, ask_usb=True)
            self.assertEqual(asked.call_count, 7)

    def test_written_down_and_played_again_it_is_the_same(self) -> None:
        """A record of the replayed machine gives the same survey."""
        with replayed(MACHINE) as (root, _):
            first = machine.survey(root=root)
            again = record(root)
            with replayed(_saved(again, root)) as (other, _):
                second = machine.survey(root=other)
        self.assertEqual(first.drives, second.drives)
        self.assertEqual(first.adapters, second.adapters)


def _saved(data: Machine, folder: Path) -> Path:
    path = folder / "again.json"
    path.write_text(json.dumps(data.as_data()))
    return path


class Machines(FolderCase):
    def test_what_is_no_recorded_machine_is_refused(self) -> None:
        """Another file, half of one, one that would lead out of its folder."""
        for text, words in (
            ("{", "is incomplete or damaged"),
            ("{}", "not a recorded machine"),
            ("[1]", "not a recorded machine"),
        ):
            with self.assertRaisesRegex(UsageError, words), replayed(self.write("m.json", text)):
                pass
        bad = {"schema": {"name": "ulterion-machine", "version": 1}, "files": {"../../out": "x", "/etc/x": "y"},
               "links": {"a": "/etc/passwd", "b": "../../.."}}  # fmt: skip
        with replayed(self.write("m.json", json.dumps(bad))) as (root, _):
            self.assertEqual(sorted(str(p.relative_to(root)) for p in root.rglob("*")), ["etc", "etc/x"])
        self.assertFalse((self.folder / "out").exists())

    def test_an_empty_machine_is_a_survey_too(self) -> None:
        """A tree with nothing in it has no drives, and says so."""
        self.assertIn("No drives found", shown(machine.survey(root=self.folder)))

    def test_names_from_the_identifier_databases(self) -> None:
        """Vendor and product, the vendor alone, neither."""
        self.write("usr/share/misc/usb.ids", "# comment\n0001  Hollowbeck\n\t0002  Slip\n0003  Oxlode\n\t0002  Duo\n")
        names = [name_of("usb", v, p, self.folder) for v, p in (("0001", "0002"), ("0003", "9999"), ("0009", "0001"))]
        self.assertEqual(names, ["Hollowbeck Slip", "Oxlode", None])


class Chains(unittest.TestCase):
    def test_a_lower_link_is_told_with_what_could_be(self) -> None:
        """By device and port, by the port alone; a link at its best, and one that nothing is known of, are no fault."""
        root = Step("root hub", "usb2", link=find_link("USB 10 Gb/s"))
        of_tomorrow = reader_of(Step)({"role": "bridge", "name": "2-1", "link": "a link of tomorrow"}).link
        self.assertEqual(plain(Step("bridge", "x", link=of_tomorrow))["link"], "a link of tomorrow")
        cases = [
            (Step("bridge", "2-1", link=find_link("USB 480 Mb/s"), capable=find_link("USB 5 Gb/s"), port_capable=find_link("USB 10 Gb/s")), "device and port"),
            (Step("controller", "0000:01:00.0", link=find_link("PCIe 3.0 x1"), capable=find_link("PCIe 4.0 x4")), "try another slot"),
            (Step("bridge", "2-1", link=find_link("USB 10 Gb/s"), asks=7.5, gives=4.5), "asks for 7.5 W and its port gives 4.5 W"),
        ]  # fmt: skip
        for step, words in cases:
            self.assertIn(words, " ".join(faults([root, step])))
        self.assertIn(
            "1.20 MB/s at most", " ".join(ceilings([root, Step("bridge", "2-1", link=find_link("USB 12 Mb/s"))]))
        )
        for step in (Step("bridge", "2-1", link=find_link("USB 5 Gb/s"), port_capable=find_link("USB 10 Gb/s")), Step("bridge", "2-1"),
                     Step("bridge", "2-1", link=of_tomorrow, capable=find_link("USB 5 Gb/s"))):  # fmt: skip
            self.assertEqual(faults([root, step]), [])

    def test_what_came_went_and_changed(self) -> None:
        """By name and serial; another stick under the same name is one gone and one come."""
        one, other = Drive("sda", serial="A", link="USB 5 Gb/s", size=10), Drive("sda", serial="B", size=10)
        before, after = Survey(BenchFacts("h"), (one,)), Survey(BenchFacts("h"), (other,))
        self.assertEqual([c.what for c in changes(before, after)], ["went", "came"])
        slower = replace(one, link="USB 480 Mb/s", volumes=(Volume("sda1", mounted="/x"),))
        (change,) = changes(before, Survey(BenchFacts("h"), (slower,)))
        self.assertEqual(change.words, "link: USB 480 Mb/s (was USB 5 Gb/s), mounted on /x")
        self.assertEqual(changes(before, before), [])

    def test_a_link_guessed_from_its_ceiling(self) -> None:
        """Both directions at 38 MB/s look like 480 Mb/s; a drive that reads faster than it writes looks like nothing."""
        guessed = [guess_link(r * 1e6, w * 1e6) for r, w in ((38, 36), (410, 400), (1020, 990), (38, 11), (148, 147))]
        self.assertEqual([g.name if g else None for g in guessed],
                         ["USB 480 Mb/s", "USB 5 Gb/s", "USB 10 Gb/s", None, None])  # fmt: skip

    def test_a_busy_bench(self) -> None:
        """Processors taken by others and traffic on other disks are told; our own work and a quiet bench are not."""
        before = Activity(1000, 10_000, {"sda": 0, "sdb": 0})
        busy = Activity(1800, 12_000, {"sda": 4_000_000, "sdb": 4_000_000})
        found = busyness(before, busy, 10.0, 1.0, "sda", cores=2)
        self.assertEqual(len(found), 2)
        self.assertIn("other programs used 35%", found[0])
        self.assertIn("moved 205 MB/s on sdb", found[1])
        self.assertEqual(
            busyness(before, Activity(1200, 12_000, {"sda": 9_000_000, "sdb": 10}), 10.0, 1.5, "sda", cores=2), []
        )
