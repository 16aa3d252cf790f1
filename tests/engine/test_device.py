"""Raw devices: what would destroy a device's contents if a rule failed, and finds them intact."""

from __future__ import annotations

import contextlib
import hashlib
import os
import shutil
import struct
import subprocess
import unittest
from pathlib import Path

from tests.support import FolderCase
from ulterion.core.errors import UsageError
from ulterion.engine.device import DeviceTarget
from ulterion.host import safety
from ulterion.tasks.permits import Overwrite, permit_writing

ROOT = hasattr(os, "geteuid") and os.geteuid() == 0
MIB = 2**20
WRITE = ("--workload", "random write 4 KiB depth 4", "--passes", "1", "--seconds", "0.1", "--span", "16 MiB")


def loops_work() -> bool:
    return ROOT and shutil.which("losetup") is not None and Path("/dev/loop-control").exists()


@unittest.skipUnless(loops_work(), "loop devices need root")
class LoopDevices(FolderCase):
    def loop(self, image: Path, *options: str) -> Path:
        made = subprocess.run(
            ["losetup", "-f", "--show", *options, str(image)], check=True, capture_output=True, text=True
        )
        device = Path(made.stdout.strip())
        self.addCleanup(subprocess.run, ["losetup", "-d", str(device)], check=False)
        return device

    def image(self, name: str, *, blank: bool = False) -> Path:
        path = self.folder / name
        path.write_bytes(bytes(48 * MIB) if blank else os.urandom(MIB) * 48)
        return path

    def refused_and_intact(self, device: Path, image: Path, *words: str, says: str) -> None:
        """The program must refuse to write, and every byte of the device must be as it was."""
        before = hashlib.sha256(image.read_bytes()).hexdigest()
        self.refused("measure", str(device), *WRITE, *words, says=says)
        os.sync()
        self.assertEqual(hashlib.sha256(image.read_bytes()).hexdigest(), before)

    def test_reading_needs_no_permit_and_changes_nothing(self) -> None:
        """A device is read over its whole size, also at places, and its contents stay."""
        image = self.image("a.img")
        device = self.loop(image)
        before = image.read_bytes()
        data = self.json_of("measure", str(device), "--workload", "sequential read 1 MiB depth 2", "--places", "3",
                            "--passes", "3", "--seconds", "0.1")  # fmt: skip
        self.assertEqual(data["run"]["target"]["kind"], "device")
        self.assertEqual(data["run"]["settings"]["span_bytes"], 48 * MIB)
        origins = [w["workload"]["origin_bytes"] for w in data["run"]["workloads"]]
        self.assertEqual(origins, [0, 16 * MIB, 32 * MIB])
        self.assertEqual(image.read_bytes(), before)

    def test_without_the_right_number_nothing_is_written(self) -> None:
        """No permit, a wrong number, the second word alone, a permit for a folder: refused."""
        image = self.image("a.img")
        device = self.loop(image)
        self.refused_and_intact(device, image, says="only read.*--overwrite SERIAL")
        self.refused_and_intact(
            device, image, "--overwrite", "12345", "--lose-contents", says="not '12345'; nothing was written"
        )
        self.refused_and_intact(device, image, "--lose-contents", says="goes with --overwrite")
        self.refused("measure", ".", *WRITE, "--overwrite", "12345", says="is for raw devices")

    def test_contents_need_the_second_word(self) -> None:
        """A device with data, or with partitions, is refused until the second word is said; then it is written."""
        image = self.image("a.img")
        device = self.loop(image)
        self.refused_and_intact(device, image, "--overwrite", str(image), says="bears something.*--lose-contents")
        table = self.image("b.img", blank=True)
        with table.open("r+b") as out:  # one partition of 8 MiB from 1 MiB on, in the oldest kind of table
            out.seek(446)
            out.write(struct.pack("<B3sB3sII", 0, b"\0\0\0", 0x83, b"\0\0\0", 2048, 16384))
            out.seek(510)
            out.write(b"\x55\xaa")
        parted = self.loop(table, "-P")
        self.refused_and_intact(parted, table, "--overwrite", str(table), says="bears (partitions|something)")
        done = self.ulterion("measure", str(device), *WRITE, "--overwrite", str(image), "--lose-contents")
        self.assertEqual(done.returncode, 0, done.stderr)
        self.assertIn("OVERWRITTEN", done.stderr)

    def test_a_blank_device_with_its_name_is_written(self) -> None:
        """With its number a blank device is written, inside the span and not beyond it."""
        image = self.image("a.img", blank=True)
        device = self.loop(image)
        done = self.ulterion("measure", str(device), *WRITE, "--overwrite", str(image))
        self.assertEqual(done.returncode, 0, done.stderr)
        os.sync()
        data = image.read_bytes()
        self.assertTrue(any(data[: 16 * MIB]))
        self.assertFalse(any(data[16 * MIB :]))

    def test_what_is_in_use_is_never_written(self) -> None:
        """Mounted, swap, and held by another device: refused whatever words are said."""
        image = self.image("a.img", blank=True)
        device = self.loop(image)
        words = ("--overwrite", str(image), "--lose-contents")
        subprocess.run(["mkfs.ext4", "-q", "-F", str(device)], check=True)
        point = self.folder / "mnt"
        point.mkdir()
        subprocess.run(["mount", str(device), str(point)], check=True)
        try:
            (point / "kept").write_text("precious")
            os.sync()
            self.refused_and_intact(device, image, *words, says=f"in use.*mounted on {point}.*never overwritten")
        finally:
            subprocess.run(["umount", str(point)], check=True)
        if shutil.which("dmsetup"):
            self._held(device, image, words)

    def _held(self, device: Path, image: Path, words: tuple[str, ...]) -> None:
        name = f"ulterion-test-{os.getpid()}"
        table = f"0 65536 linear {device} 0"
        made = subprocess.run(["dmsetup", "create", name, "--noudevsync", "--table", table], capture_output=True)
        if made.returncode:
            return  # no device mapper in this kernel
        try:
            self.refused_and_intact(device, image, *words, says="in use.*part of dm-")
        finally:
            subprocess.run(["dmsetup", "remove", "--noudevsync", name], check=True)

    def test_the_kernel_refuses_too(self) -> None:
        """Even with a permit given by mistake, a mounted device is not opened for writing."""
        image = self.image("a.img", blank=True)
        device = self.loop(image)
        subprocess.run(["mkfs.ext4", "-q", "-F", str(device)], check=True)
        point = self.folder / "mnt"
        point.mkdir()
        subprocess.run(["mount", str(device), str(point)], check=True)
        try:
            with self.assertRaisesRegex(UsageError, "in use and is not written"):
                DeviceTarget(device, 16 * MIB, writable=True)
        finally:
            subprocess.run(["umount", str(point)], check=True)


class Rules(FolderCase):
    """The same rules on a machine built for the test, without root."""

    def machine(self, **files: str) -> Path:
        for name, text in {"proc/self/mountinfo": "1 0 8:1 / / rw - ext4 /dev/sda1 rw\n", "proc/swaps": "Filename Type\n",
                           **files}.items():  # fmt: skip
            self.write(name, text)
        for name, parent, number in (
            ("sda", "", "8:0"),
            ("sda1", "sda/", "8:1"),
            ("sdb", "", "8:16"),
            ("sdb1", "sdb/", "8:17"),
        ):
            self.write(f"sys/devices/{parent}{name}/dev", number)
            if parent:
                self.write(f"sys/devices/{parent}{name}/partition", "1")
            for where in ("class/block", "dev/block", *([] if parent else ["block"])):
                link = self.folder / "sys" / where / (number if where == "dev/block" else name)
                link.parent.mkdir(parents=True, exist_ok=True)
                with contextlib.suppress(FileExistsError):
                    link.symlink_to(self.folder / f"sys/devices/{parent}{name}")
        return self.folder

    def test_every_user_of_a_disk_is_seen(self) -> None:
        """The system disk, a mounted partition, swap on one, and a device built on one: each counts for the whole disk."""
        root = self.machine()
        self.assertIn("the system disk", safety.users("sda", root))
        self.assertEqual(safety.users("sdb", root), [])
        root = self.machine(**{"proc/swaps": "Filename Type\n/dev/sdb1 partition 1 0 -2\n"})
        self.assertEqual(safety.users("sdb", root), ["swap on /dev/sdb1"])
        self.write("sys/devices/sdb/sdb1/holders/dm-0/x", "")
        self.assertIn("part of dm-0", safety.users("sdb", root))
        root = self.machine(**{"proc/self/mountinfo": "2 1 8:17 / /media/x rw - vfat /dev/sdb1 rw\n"})
        self.assertIn("mounted on /media/x", safety.users("sdb", root))
        self.assertIn("mounted on /media/x", safety.users("sdb1", root))
        self.assertEqual(safety.partitions("sdb", root), ["sdb1"])
        self.assertIsNone(safety.identity("sdb", root))

    def test_nothing_asked_nothing_permitted(self) -> None:
        """Without a serial named there is no permit; what is not a disk has none either."""
        self.assertFalse(permit_writing(Path("/dev/null"), Overwrite()))
        with self.assertRaisesRegex(UsageError, "not a disk that the kernel shows"):
            permit_writing(self.folder / "x", Overwrite("1", True))
