"""What a machine shows, read from a tree built for the test."""

from __future__ import annotations

import itertools
import os
from pathlib import Path

from tests.support import FolderCase
from ulterion.host import drives, facts, inuse, mounts, stacks

MOUNTINFO = """\
22 1 8:1 / / rw,relatime shared:1 - ext4 /dev/sda1 rw
40 22 8:17 / /mnt/card\\040one rw,noatime,sync - vfat /dev/sdb1 rw,flush
41 22 0:55 / /mnt/mem rw - tmpfs tmpfs rw
42 40 8:17 /sub /mnt/card\\040one/deep rw - vfat /dev/sdb1 rw
nonsense
"""


class Tree(FolderCase):
    """A machine with a USB drive behind a hub, an NVMe drive, a SATA disk and a card."""

    def setUp(self) -> None:
        super().setUp()
        self.write("proc/self/mountinfo", MOUNTINFO)
        usb = "sys/devices/pci0000:00/0000:00:14.0/usb2/2-3/2-3.1"
        self.files("sys/devices/pci0000:00/0000:00:14.0/usb2/2-3", speed="10000", idVendor="1d6b", bDeviceClass="09")
        self.files(usb, speed="5000", idVendor="abcd", bDeviceClass="00", serial="BRIDGE-7")
        self.disk(
            "sdb",
            f"{usb}/2-3.1:1.0/host1/target1:0:0/1:0:0:0",
            size="62333952",
            vendor="Merrow  ",
            model="Pocket",
            partition="sdb1",
            number="8:16",
            part_number="8:17",
        )
        self.link(f"{usb}/2-3.1:1.0/driver", "sys/bus/usb/drivers/uas")
        pci = "sys/devices/pci0000:00/0000:01:00.0"
        self.files(pci, current_link_speed="16.0 GT/s PCIe", current_link_width="4")
        self.link(f"{pci}/driver", "sys/bus/pci/drivers/nvme")
        self.disk("nvme0n1", f"{pci}/nvme/nvme0", size="2000409264", model="Reed", serial="R-1", firmware_rev="2.0")
        self.files(f"{pci}/nvme/nvme0/hwmon3", temp1_input="38500")
        ata = "sys/devices/pci0000:00/0000:00:17.0/ata3"
        self.files(f"{ata}/link3/ata_link/link3", sata_spd="6.0 Gbps")
        self.disk(
            "sda",
            f"{ata}/host2/target2:0:0/2:0:0:0",
            size="1000",
            vendor="ATA",
            model="Disk",
            partition="sda1",
            number="8:0",
            part_number="8:1",
        )
        (self.folder / ata / "host2/target2:0:0/2:0:0:0/vpd_pg80").write_bytes(b"\0\x80\0\x06SER  9")
        self.files("sys/devices/pci0000:00/0000:00:1a.0/mmc_host/mmc0/mmc0:aaaa", type="SD", serial="0x12")
        self.disk("mmcblk0", "sys/devices/pci0000:00/0000:00:1a.0/mmc_host/mmc0/mmc0:aaaa", size="500", name="CARD")

    def files(self, folder: str, **values: str) -> None:
        for name, value in values.items():
            self.write(f"{folder}/{name}", value + "\n")

    def link(self, name: str, target: str) -> None:
        (self.folder / target).mkdir(parents=True, exist_ok=True)
        path = self.folder / name
        path.parent.mkdir(parents=True, exist_ok=True)
        path.symlink_to(self.folder / target)

    def disk(self, disk: str, device: str, size: str, partition: str = "", number: str = "", *, part_number: str = "",
             **values: str) -> None:  # fmt: skip
        block = f"{device}/block/{disk}"
        self.files(device, **values)
        self.files(block, size=size)
        self.files(f"{block}/queue", logical_block_size="512", physical_block_size="4096", rotational="0")
        (self.folder / block / "device").symlink_to(self.folder / device)
        self.link(f"sys/block/{disk}", block)
        if partition:
            self.files(f"{block}/{partition}", partition="1")
            self.link(f"sys/dev/block/{number}", block)
            self.link(f"sys/dev/block/{part_number}", f"{block}/{partition}")

    def test_the_bridge_gives_link_and_driver(self) -> None:
        """The nearest bus tells: the device's own USB speed, not the hub's; PCIe by lanes; SATA; a card."""
        found = {d: drives.connection(d, self.folder) for d in ("sdb", "nvme0n1", "sda", "mmcblk0")}
        self.assertEqual(found["sdb"], drives.Connection("USB", "USB 5 Gb/s", "uas", "BRIDGE-7"))
        self.assertEqual(found["nvme0n1"], drives.Connection("NVMe", "PCIe 4.0 x4", "nvme"))
        self.assertEqual((found["sda"].transport, found["sda"].link), ("SATA", "SATA 6 Gb/s"))
        self.assertEqual((found["mmcblk0"].transport, found["mmcblk0"].serial), ("SD", "0x12"))

    def test_model_serial_capacity_and_temperature(self) -> None:
        """Each from where the kernel keeps it."""
        root = self.folder
        self.assertEqual([drives.serial(d, root) for d in ("nvme0n1", "sda", "sdb")], ["R-1", "SER  9", "BRIDGE-7"])
        self.assertEqual([drives.model(d, root) for d in ("sdb", "sda", "mmcblk0")], ["Merrow Pocket", "Disk", "CARD"])
        self.assertEqual(drives.capacity("sdb", root), 62333952 * 512)
        self.assertEqual((drives.temperature("nvme0n1", root), drives.temperature("sdb", root)), (38.5, None))

    def test_a_device_that_is_pulled_out_is_gone(self) -> None:
        """Without its entry, or with no capacity left, a disk is gone; otherwise it is there."""
        for disk, size in (("sda", "1000"), ("sdb", "0")):
            self.write(f"sys/class/block/{disk}/size", size)
        gone = {disk: drives.is_gone(disk, self.folder) for disk in ("sda", "sdb", "sdz")}
        self.assertEqual(gone, {"sda": False, "sdb": True, "sdz": True})

    def test_a_path_leads_to_its_mount_and_disk(self) -> None:
        """Longest mount wins, spaces in names are understood, memory has no disk."""
        for path, filesystem, disk in (("/mnt/card one/a", "vfat", "sdb"), ("/mnt/card one/deep/x", "vfat", "sdb"),
                                       ("/home", "ext4", "sda"), ("/mnt/mem/x", "tmpfs", None)):  # fmt: skip
            mount = mounts.mount_of(Path(path), self.folder)
            assert mount is not None
            self.assertEqual((mount.filesystem, mounts.disk_of(mount, self.folder)), (filesystem, disk), path)
        mount = mounts.mount_of(Path("/mnt/card one"), self.folder)
        self.assertEqual(mount.telling_options if mount else "", "flush,noatime,sync")
        self.assertEqual(stacks.system_disks(self.folder), {"sda"})

    def test_nothing_missing_or_mad_is_an_error(self) -> None:
        """With any single file removed, or filled with nonsense, every question still gets an answer or None."""
        paths = [p for p in self.folder.rglob("*") if p.is_file() and not p.is_symlink()]
        self.assertGreater(len(paths), 30)
        nonsense = itertools.cycle((b"\xff\xfe{[", b"99999999999999999999999"))
        for path in paths:
            text = path.read_bytes()
            for content in (None, next(nonsense)):
                path.unlink() if content is None else path.write_bytes(content)
                self._ask_everything()
                path.write_bytes(text)

    def _ask_everything(self) -> None:
        for disk in ("sda", "sdb", "nvme0n1", "mmcblk0", "gone"):
            for question in (
                drives.connection,
                drives.serial,
                drives.model,
                drives.capacity,
                drives.temperature,
                inuse.users,
            ):
                question(disk, self.folder)
        facts.target_facts(Path("/"), self.folder)
        facts.bench_facts({}, None, self.folder)

    def test_this_machine_answers(self) -> None:
        """On the real tree the folder of the test has a file system, sizes that hold together, and no error."""
        found = facts.target_facts(self.folder)
        self.assertEqual(found.path, str(self.folder))
        self.assertTrue(found.filesystem)
        self.assertLessEqual(found.free_bytes or 0, found.filesystem_bytes or 0)
        room = os.statvfs(self.folder)
        self.assertEqual(found.filesystem_bytes, room.f_blocks * room.f_frsize)
        self.assertGreater(facts.bench_facts({}, 21.0).memory_bytes or 0, 2**28)
