"""Machines built from the kernel's attributes, each with what must be said of its drives, and what must not.

Attributes as Documentation/ABI has them: PCI links (sysfs-bus-pci), removable (sysfs-devices-removable), USB speed, lanes, version and
descriptors (sysfs-bus-usb), tunnels (sysfs-bus-thunderbolt).
"""

from __future__ import annotations

import json
import os
import random
import unittest
from collections.abc import Sequence
from dataclasses import dataclass, field
from pathlib import Path

from tests.support import FolderCase
from ulterion.core.facts.devices import Drive
from ulterion.features.survey.words import adapter_words, first
from ulterion.host import machine
from ulterion.host.recorded import record, replayed

SS = bytes([10, 16, 3, 0, 0x0E, 0, 1, 10, 255, 7])  # SuperSpeed: up to 5 Gb/s
USB2 = bytes([7, 16, 2, 2, 0, 0, 0])  # the USB 2 extension
UAS = bytes([9, 4, 0, 0, 2, 8, 6, 0x50, 0, 9, 4, 0, 1, 4, 8, 6, 0x62, 0])  # bulk-only, and UAS as an alternate setting


def bos(*capabilities: bytes) -> bytes:
    """Return a Binary Object Store of capabilities."""
    body = b"".join(capabilities)
    return bytes([5, 15, 5 + len(body), 0, len(capabilities)]) + body


def plus(gigabits: int, lanes: int = 1) -> bytes:
    """Return a SuperSpeedPlus capability of one sublink speed, for a pair of lanes or two."""
    word = (gigabits << 16) | (1 << 14) | (3 << 4)
    return bytes([20, 16, 10, 0, 1, 0, 0, 0, 0, lanes, 0, 0]) + 2 * word.to_bytes(4, "little")


@dataclass
class Usb:
    """A USB device: where it hangs, as '2-1' or '2-1.3', its speed, and what it says of itself."""

    name: str
    speed: str
    version: str = "3.20"
    bos: bytes = b""
    lanes: str = "1"
    driver: str = "uas"
    descriptors: bytes = UAS
    hub: bool = False
    disk: str = ""


@dataclass
class Built:
    """A machine: PCI drives as (address, own link, slot's link, running link, removable), USB buses with their speed, devices."""

    pci: Sequence[tuple[str, str, str, str, bool]] = ()
    buses: dict[str, str] = field(default_factory=dict)
    usb: Sequence[Usb] = ()
    tunnel: tuple[str, str, str] | None = None
    top: Path = Path()

    def write(self, root: Path) -> None:
        """Make its tree."""
        self.top = root
        for number, (address, own, slot, running, removable) in enumerate(self.pci):
            port = f"sys/devices/pci0000:00/0000:00:{number + 1:02x}.0"
            self._pci(root / port, "0x060400", slot, slot)
            drive = root / port / address
            self._pci(drive, "0x010802", own, running)
            self._file(drive / "removable", "removable" if removable else "fixed")
            disk = drive / f"nvme/nvme{number}/nvme{number}n1"
            self._file(disk.parent / "subsysnqn", "nqn")
            self._disk(root, disk, f"nvme{number}n1")
        for bus, speed in self.buses.items():
            self._usb(root / f"sys/devices/pci0000:00/0000:00:14.0/usb{bus}", Usb(f"usb{bus}", speed, hub=True))
        for one in self.usb:
            self._usb(self._place(root, one.name), one)
        if self.tunnel:
            folder, bus = (
                root / "sys/devices/pci0000:00/0000:00:0d.2/domain0/0-0/0-1",
                root / "sys/bus/thunderbolt/devices",
            )
            for name, value in zip(("rx_speed", "rx_lanes", "generation"), self.tunnel, strict=True):
                self._file(folder / name, value)
            self._link(bus / "0-1", os.path.relpath(folder, bus))

    def _place(self, root: Path, name: str) -> Path:
        bus, _, ports = name.partition("-")
        folder, so_far = root / f"sys/devices/pci0000:00/0000:00:14.0/usb{bus}", f"{bus}-"
        for place, port in enumerate(ports.split(".")):
            so_far += f"{'.' if place else ''}{port}"
            folder /= so_far
        return folder

    def _usb(self, folder: Path, one: Usb) -> None:
        facts = {"speed": one.speed, "version": one.version, "rx_lanes": one.lanes, "idVendor": "1d6b", "idProduct": "0002",
                 "bDeviceClass": "09" if one.hub else "00", "bMaxPower": "100mA"}  # fmt: skip
        for name, value in facts.items():
            self._file(folder / name, value)
        if one.bos:
            (folder / "bos_descriptors").write_bytes(one.bos)
        if one.disk:
            (folder / "descriptors").write_bytes(one.descriptors)
            interface = folder / f"{one.name}:1.0"
            self._link(
                interface / "driver",
                f"{'../' * (len(interface.parts) - len(self.top.parts))}sys/bus/usb/drivers/{one.driver}",
            )
            root = folder
            while root.name != "sys":
                root = root.parent
            self._disk(root.parent, interface / f"host0/target0:0:0/0:0:0:0/block/{one.disk}", one.disk)

    def _pci(self, folder: Path, kind: str, most: str, running: str) -> None:
        self._file(folder / "class", kind)
        for which, link in (("max", most), ("current", running)):
            speed, _, width = link.partition(" x")
            self._file(folder / f"{which}_link_speed", f"{speed} GT/s PCIe")
            self._file(folder / f"{which}_link_width", width)

    def _disk(self, root: Path, folder: Path, name: str) -> None:
        self._file(folder / "size", "2000000")
        self._link(folder / "device", "..")
        (root / "sys/block").mkdir(parents=True, exist_ok=True)
        (root / "sys/block" / name).symlink_to(os.path.relpath(folder, root / "sys/block"))

    def _file(self, path: Path, text: str) -> None:
        path.parent.mkdir(parents=True, exist_ok=True)
        path.write_text(f"{text}\n")

    def _link(self, path: Path, target: str) -> None:
        path.parent.mkdir(parents=True, exist_ok=True)
        path.symlink_to(target)


def twin(root: Path, slow: str, fast: str) -> None:
    """Make two halves of a socket of the host each other's peer, with what hangs on them, as the kernel's port folders have them."""
    folders = [Built()._place(root, name) for name in (slow, fast)]
    ports = [f.parent / f"{f.name[0]}-0:1.0/{f.parent.name}-port{f.name[2:]}" for f in folders]
    for folder, port, peer in zip(folders, ports, reversed(ports), strict=True):
        port.mkdir(parents=True, exist_ok=True)
        (port / "peer").symlink_to(peer)
        if folder.exists():
            (folder / "port").symlink_to(port)
            (port / "device").symlink_to(folder)


G4, G3 = "16.0 x4", "8.0 x16"
FAST = {"1": "480", "2": "10000"}
CASES: list[tuple[str, Built, list[str], list[str], str | None]] = [
    # what it is, the machine, words of faults, words of ceilings, link
    ("4.0 x4 in a slot of 3.0 x16", Built([("0000:01:00.0", G4, G3, "8.0 x4", False)]), [],
     ["supports PCIe 4.0 x4, but its slot only PCIe 3.0 x16"], "PCIe 3.0 x4"),
    ("at half the lanes", Built([("0000:01:00.0", G4, G4, "16.0 x2", False)]), ["it and its slot support PCIe 4.0 x4"], [], "PCIe 4.0 x2"),
    ("at its best", Built([("0000:01:00.0", G4, G4, G4, False)]), [], [], "PCIe 4.0 x4"),
    ("6.0 in a domain of five digits", Built([("10000:e1:00.0", "64.0 x4", "64.0 x4", "64.0 x4", False)]), [], [], "PCIe 6.0 x4"),
    ("tunnelled", Built([("0000:04:00.0", G4, "2.5 x4", "2.5 x4", True)], tunnel=("20.0 Gb/s", "2", "3")), [], [], "Thunderbolt 3"),
    ("tunnelled by USB4", Built([("0000:04:00.0", G4, "2.5 x4", "2.5 x4", True)], tunnel=("20.0 Gb/s", "2", "4")), [], [], "USB4 40 Gb/s"),
    ("a USB 2.0 stick", Built(buses=FAST, usb=[Usb("1-1", "480", "2.00", disk="sda", driver="usb-storage", descriptors=b"")]), [],
     ["45.1 MB/s at most"], "USB 480 Mb/s"),
    ("5 Gb/s by its own descriptors", Built(buses=FAST, usb=[Usb("2-1", "5000", bos=bos(USB2, SS), disk="sda")]), [], [], "USB 5 Gb/s"),
    ("5 Gb/s that says nothing", Built(buses=FAST, usb=[Usb("2-1", "5000", disk="sda")]), [], ["this kernel does not show what"], "USB 5 Gb/s"),
    ("10 Gb/s at 5", Built(buses=FAST, usb=[Usb("2-1", "5000", bos=bos(SS, plus(10)), disk="sda")]), ["support USB 10 Gb/s"], [], "USB 5 Gb/s"),
    ("two lanes at their best", Built(buses={"2": "20000"}, usb=[Usb("2-1", "20000", bos=bos(SS, plus(10, 2)), lanes="2", disk="sda")]), [], [],
     "USB 20 Gb/s"),
    ("two lanes of 5", Built(buses={"2": "10000"}, usb=[Usb("2-1", "10000", lanes="2", disk="sda")]), [], [], "USB 10 Gb/s (2 x 5)"),
    ("20 Gb/s on a port of 10", Built(buses=FAST, usb=[Usb("2-1", "10000", bos=bos(SS, plus(10, 2)), disk="sda")]), [],
     ["supports USB 20 Gb/s, but the port only USB 10 Gb/s"], "USB 10 Gb/s"),
    ("UAS with the bulk-only driver", Built(buses=FAST, usb=[Usb("2-1", "5000", bos=bos(SS), driver="usb-storage", disk="sda")]),
     ["supports command queueing"], [], "USB 5 Gb/s"),
    ("a plain stick", Built(buses=FAST, usb=[Usb("2-1", "5000", bos=bos(SS), driver="usb-storage", descriptors=UAS[:9], disk="sda")]), [],
     ["one command at a time"], "USB 5 Gb/s"),
    ("5 Gb/s behind a USB 2.0 hub", Built(buses={"2": "10000"}, usb=[Usb("2-1", "480", "2.00", hub=True),
     Usb("2-1.1", "480", "2.10", bos=bos(USB2, SS), disk="sda")]), [], ["plug it into the port itself"], "USB 480 Mb/s"),
    ("a USB 2.0 stick behind such a hub", Built(buses={"2": "10000"}, usb=[Usb("2-1", "480", "2.00", hub=True),
     Usb("2-1.1", "480", "2.00", disk="sda")]), [], ["45.1 MB/s at most"], "USB 480 Mb/s"),
]  # fmt: skip


class Collection(FolderCase):
    def drive(self, built: Built) -> Drive:
        built.write(self.folder)
        (found,) = machine.survey(root=self.folder).drives
        return found

    def played_again(self, root: Path) -> tuple[Drive, ...]:
        """Return the drives of a machine that was written down, moved, and looked at elsewhere."""
        path = self.folder / "record.json"
        path.write_text(json.dumps(record(root).as_data()))
        with replayed(path) as (other, _):
            return machine.survey(root=other).drives

    def check(self, drive: Drive, faults: list[str], ceilings: list[str]) -> None:
        for told, wanted in ((drive.faults, faults), (drive.ceilings, ceilings)):
            self.assertEqual(len(told), len(wanted), told)
            for words, sentence in zip(wanted, told, strict=True):
                self.assertIn(words, sentence)

    def test_every_machine_is_told_as_it_is(self) -> None:
        """Faults where something runs below what both ends say, ceilings where one end can do less, nothing of what does not say."""
        for number, (what, built, faults, ceilings, link) in enumerate(CASES):
            with self.subTest(what):
                root = self.folder / str(number)
                built.write(root)
                (drive,) = machine.survey(root=root).drives
                self.check(drive, faults, ceilings)
                self.assertEqual(drive.link, link)
                self.assertEqual(self.played_again(root), (drive,))
                self.assertIsNotNone(drive.port)

    def test_nothing_is_accused_of_what_is_missing(self) -> None:
        """With any attribute gone no machine has a fault that it had not before; with nonsense there it is still surveyed."""
        rng = random.Random(7)
        for number, (what, built, *_) in enumerate(CASES):
            root = self.folder / str(number)
            built.write(root)
            (whole,) = machine.survey(root=root).drives
            attributes = sorted(p for p in root.rglob("*") if p.is_file() and not p.is_symlink())
            for path in rng.sample(attributes, min(9, len(attributes))):
                kept = path.read_bytes()
                path.unlink()
                for drive in machine.survey(root=root).drives:
                    self.assertLessEqual(set(drive.faults), set(whole.faults), (what, path.name))
                path.write_bytes(rng.choice((b"", b"\xff\x00", b"-1", b"9" * 40, b"nonsense\n")))
                machine.survey(root=root)
                path.write_bytes(kept)

    def test_what_is_wrong_comes_first_and_the_dearest_of_it(self) -> None:
        """Faults before ceilings, each by what it costs in practice."""
        half = [("0000:01:00.0", G4, G4, "16.0 x2", False), ("0000:02:00.0", G4, G3, "8.0 x4", False)]
        slow = Usb("2-1", "5000", bos=bos(SS, plus(10)), disk="sda")
        Built(half, FAST, [slow, Usb("1-2", "480", "2.00", disk="sdb")]).write(self.folder)
        told = first(machine.survey(root=self.folder).drives)
        self.assertEqual([t.partition(":")[0] for t in told], ["nvme0n1", "sda", "nvme1n1", "sdb"])
        self.assertIn("up to 3,742 MB/s less", told[0])
        self.assertIn("up to 635 MB/s less", told[1])
        self.assertNotIn("less", told[3])

    def test_a_sentence_costs_what_it_is_about(self) -> None:
        """A stick that does not say what it can do loses nothing to its driver, though its port can do more."""
        stick = Usb("2-1", "5000", driver="usb-storage", descriptors=b"", disk="sda")
        Built(buses=FAST, usb=[stick]).write(self.folder)
        (told,) = first(machine.survey(root=self.folder).drives)
        self.assertIn("one command at a time", told)
        self.assertNotIn("less", told)

    def test_behind_a_switch(self) -> None:
        """A switch of one lane holds four back; one as wide as its drive does not, and its lower side is no second one."""
        for number, (up, ceilings) in enumerate(
            (("8.0 x1", ["behind a switch (0000:01:00.0) that runs at PCIe 3.0 x1"]), (G4, []))
        ):
            root, built = self.folder / str(number), Built()
            built.top = root
            folder = root / "sys/devices/pci0000:00/0000:00:01.0"
            for name, link in (("", up), ("0000:01:00.0", up), ("0000:02:00.0", G4)):
                folder = folder / name if name else folder
                built._pci(folder, "0x060400", link, link)
            drive = folder / "0000:03:00.0"
            built._pci(drive, "0x010802", G4, G4)
            built._file(drive / "nvme/nvme0/subsysnqn", "nqn")
            built._disk(root, drive / "nvme/nvme0/nvme0n1", "nvme0n1")
            found = machine.survey(root=root).drives[0]
            self.check(found, [], ceilings)
            self.assertEqual([s.role for s in found.steps], ["switch", "controller", "drive"])
            self.assertEqual("less" in " ".join(first([found])), bool(ceilings))

    def test_sata(self) -> None:
        """What drive, host and link can do: a drive of 3 Gb/s is sound at 3; a link held down after errors, and one below both, are faults."""
        cases: list[tuple[str, str, str, int, list[str], list[str]]] = [
            ("6.0", "<unknown>", "6.0", 0b1110, [], []),
            ("3.0", "6.0", "6.0", 0b0110, [], []),
            ("3.0", "6.0", "3.0", 0b1110, [], ["supports SATA 6 Gb/s, but the port only SATA 3 Gb/s"]),
            ("3.0", "6.0", "6.0", 0b1110, ["support SATA 6 Gb/s: check cable and plug"], []),
            ("3.0", "3.0", "6.0", 0b1110, ["limited to SATA 3 Gb/s after errors"], []),
            ("3.0", "<unknown>", "<unknown>", 0xFFFF, [], []),
        ]
        for number, (runs, allowed, host, speeds, faults, ceilings) in enumerate(cases):
            with self.subTest(runs=runs, allowed=allowed, host=host, speeds=speeds):
                port = f"{number}/sys/devices/pci0000:00/0000:00:17.0/ata1"
                for name, rate in (("sata_spd", runs), ("sata_spd_limit", allowed), ("hw_sata_spd_limit", host)):
                    text = rate if rate.startswith("<") else f"{rate} Gbps"
                    self.write(f"{port}/link1/ata_link/link1/{name}", f"{text}\n")
                words = ["0000"] * 256
                words[76] = f"{speeds:04x}"
                self.write(f"{port}/link1/dev1.0/ata_device/dev1.0/id", " ".join(words))
                disk = self.folder / port / "host0/target0:0:0/0:0:0:0/block/sda"
                self.write(str(disk.relative_to(self.folder) / "size"), "1000\n")
                (self.folder / f"{number}/sys/block").mkdir(parents=True)
                (self.folder / f"{number}/sys/block/sda").symlink_to(disk)
                self.check(machine.survey(root=self.folder / str(number)).drives[0], faults, ceilings)

    def test_network_adapters(self) -> None:
        """1 Gb/s on a bus of 480 Mb/s is held back; switched off is not without a cable; a radio has none."""
        Built(buses=FAST, usb=[Usb("1-1", "480", "2.00")]).write(self.folder)
        usb = "sys/devices/pci0000:00/0000:00:14.0/usb1/1-1"
        for name, where, facts in (
            ("eth0", usb, {"speed": "1000", "operstate": "up", "flags": "0x1003"}),
            ("eth1", "sys/devices/pci0000:00/0000:00:1f.6", {"speed": "-1", "operstate": "down", "flags": "0x1002"}),
            ("eth2", "sys/devices/pci0000:00/0000:00:1f.7", {"speed": "10", "operstate": "down", "flags": "0x1003", "carrier": "0"}),
            ("wlan0", "sys/devices/pci0000:00/0000:00:1f.8", {"operstate": "down", "flags": "0x1003", "wireless/x": "1"}),
        ):  # fmt: skip
            for file, text in facts.items():
                self.write(f"{where}/net/{name}/{file}", f"{text}\n")
            (self.folder / where / "net" / name / "device").symlink_to(self.folder / where)
            (self.folder / "sys/class/net").mkdir(parents=True, exist_ok=True)
            (self.folder / "sys/class/net" / name).symlink_to(self.folder / where / "net" / name)
        adapters = machine.survey(root=self.folder).adapters
        words = [adapter_words(a) for a in adapters]
        self.assertEqual(words, ["network, Ethernet 1 Gb/s", "network, switched off", "network, Ethernet 10 Mb/s, no cable",
                                 "radio network, not connected"])  # fmt: skip
        (told,) = first([], adapters)
        self.assertIn("eth0: linked at Ethernet 1 Gb/s, on a bus of USB 480 Mb/s: 45.1 MB/s at most", told)

    def test_a_slow_network_adapter_has_its_cause(self) -> None:
        """An adapter of 2.5 Gb/s at USB 480, in a port of 10: a fault by its descriptors, a question by its version alone."""
        for said, words in (
            (bos(USB2, SS), "device and port support USB 5 Gb/s: try another cable or port, or flip the plug"),
            (b"", "try another cable"),
        ):
            root = self.folder / str(len(said))
            Built(buses=FAST, usb=[Usb("1-1", "480", "2.10", bos=said)]).write(root)
            twin(root, "1-1", "2-1")
            folder = root / "sys/devices/pci0000:00/0000:00:14.0/usb1/1-1/net/eth0"
            folder.mkdir(parents=True)
            for file, text in (("speed", "2500"), ("operstate", "up"), ("flags", "0x1003")):
                (folder / file).write_text(f"{text}\n")
            (folder / "device").symlink_to(folder.parents[1])
            (root / "sys/class/net").mkdir(parents=True)
            (root / "sys/class/net/eth0").symlink_to(folder)
            told = first([], machine.survey(root=root).adapters)
            self.assertIn(words, told[0])
            self.assertIn("on a bus of USB 480 Mb/s: 45.1 MB/s at most", told[-1])

    def test_a_fast_device_on_the_slow_half_of_its_socket(self) -> None:
        """By its descriptors a fault; by its version alone a question; where the socket has no fast half, nothing but the rate."""
        for number, (said, faults, ceilings) in enumerate(
            ((bos(USB2, SS), ["support USB 5 Gb/s: try another cable"], []), (b"", [], ["try another cable"]))
        ):
            root = self.folder / str(number)
            Built(buses=FAST, usb=[Usb("1-1", "480", "2.10", bos=said, disk="sda")]).write(root)
            alone = machine.survey(root=root).drives[0]
            self.check(
                alone, [], ["45.1 MB/s"] if not said else ["supports USB 5 Gb/s, but the port only USB 480 Mb/s"]
            )
            twin(root, "1-1", "2-1")
            self.check(machine.survey(root=root).drives[0], faults, ceilings)

    def test_a_hub_is_two_hubs_side_by_side(self) -> None:
        """A stick on its slow half is no fault of a hub whose fast half is there; a hub on its slow half alone is one."""
        hub, stick = bos(USB2, SS), Usb("1-1.2", "480", "2.00", disk="sda")
        Built(
            buses=FAST, usb=[Usb("1-1", "480", "2.10", bos=hub, hub=True), stick, Usb("2-1", "5000", bos=hub, hub=True)]
        ).write(self.folder)
        twin(self.folder, "1-1", "2-1")
        self.check(machine.survey(root=self.folder).drives[0], [], ["45.1 MB/s at most"])
        other = self.folder / "other"
        Built(buses=FAST, usb=[Usb("1-1", "480", "2.10", bos=hub, hub=True), stick]).write(other)
        twin(other, "1-1", "2-1")
        self.check(
            machine.survey(root=other).drives[0],
            ["hub 1-1 linked at USB 480 Mb/s, although it and its port support USB 5 Gb/s"],
            ["45.1"],
        )


if __name__ == "__main__":
    unittest.main()
