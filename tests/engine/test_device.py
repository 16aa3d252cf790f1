"""Raw devices: what would destroy a device's contents if a rule failed, and finds them intact."""

from __future__ import annotations

import contextlib
import os
import shutil
import stat
import struct
import subprocess
import unittest
import zlib
from collections.abc import Callable
from functools import partial
from pathlib import Path
from typing import Any
from unittest import mock

from tests.support import FolderCase
from ulterion.core.errors import UsageError
from ulterion.host import inuse, safety, stacks
from ulterion.run.overwrite_guard import Overwrite, open_device

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
        path.write_bytes(bytes(24 * MIB) if blank else os.urandom(MIB) * 24)
        return path

    def refused_and_intact(self, device: Path, image: Path, *words: str, says: str) -> None:
        """The program must refuse to write, and every byte of the device must be as it was."""
        before = zlib.crc32(image.read_bytes())
        self.refused("measure", str(device), *WRITE, *words, says=says)
        os.sync()
        self.assertEqual(zlib.crc32(image.read_bytes()), before)

    def test_reading_needs_no_permit_and_changes_nothing(self) -> None:
        """A device is read over its whole size, also at places, and its contents stay."""
        image = self.image("a.img")
        device = self.loop(image)
        before = image.read_bytes()
        data = self.json_of("measure", str(device), "--workload", "sequential read 1 MiB depth 2", "--places", "3",
                            "--passes", "3", "--seconds", "0.1")  # fmt: skip
        self.assertEqual(data["run"]["target"]["kind"], "device")
        self.assertEqual(data["run"]["settings"]["span_bytes"], 24 * MIB)
        origins = [w["workload"]["origin_bytes"] for w in data["run"]["workloads"]]
        self.assertEqual(origins, [0, 8 * MIB, 16 * MIB])
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
        self.refused_and_intact(device, image, "--overwrite", str(image), says="holds something.*--lose-contents")
        table = self.image("b.img", blank=True)
        with table.open("r+b") as out:  # one partition of 8 MiB from 1 MiB on, in the oldest kind of table
            out.seek(446)
            out.write(struct.pack("<B3sB3sII", 0, b"\0\0\0", 0x83, b"\0\0\0", 2048, 16384))
            out.seek(510)
            out.write(b"\x55\xaa")
        parted = self.loop(table, "-P")
        self.refused_and_intact(parted, table, "--overwrite", str(table), says="holds (partitions|something)")
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
        if shutil.which("dmsetup"):
            self._held(device, image, words)
        point = self.mounted(device)
        self.refused_and_intact(device, image, *words, says=f"in use.*mounted on {point}.*never overwritten")

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
        """Even where no rule of ours sees its user, a mounted device is not opened for writing."""
        image = self.image("a.img", blank=True)
        device = self.loop(image)
        self.mounted(device)
        with (
            mock.patch.object(inuse, "users", return_value=[]),
            self.assertRaisesRegex(UsageError, "in use .*the kernel says so"),
        ):
            open_device(device, Overwrite(str(image), True))

    def mounted(self, device: Path) -> Path:
        """Put a file system with a file on a device and mount it, until the test ends."""
        subprocess.run(["mkfs.ext4", "-q", "-F", str(device)], check=True)
        point = self.folder / f"mnt-{device.name}"
        point.mkdir()
        subprocess.run(["mount", str(device), str(point)], check=True)
        (point / "kept").write_text("precious")
        subprocess.run(["umount", str(point)], check=True)
        subprocess.run(
            ["mount", "-o", "ro", str(device), str(point)], check=True
        )  # so that only we could change a byte
        self.addCleanup(subprocess.run, ["umount", str(point)], check=True)
        return point

    def test_what_lies_under_another_loop_device_is_never_written(self) -> None:
        """A loop device claims nothing below it: a mounted file system on one on another survives, from both ends."""
        image = self.image("a.img", blank=True)
        lower = self.loop(image)
        upper = self.loop(lower)
        self.mounted(upper)
        self.refused_and_intact(
            lower, image, "--overwrite", str(image), "--lose-contents", says=f"in use .*under {upper.name}"
        )
        third = self.loop(lower)  # another way to what is mounted
        self.refused_and_intact(third, image, "--overwrite", str(lower), "--lose-contents",
                                says=f"in use .*on the same file or disk as {upper.name}")  # fmt: skip

    def test_two_loop_devices_on_one_file_are_never_written(self) -> None:
        """The file below is the same, though neither device holds the other."""
        image = self.image("a.img", blank=True)
        first, second = self.loop(image), self.loop(image)
        self.mounted(first)
        self.refused_and_intact(second, image, "--overwrite", str(image), "--lose-contents",
                                says=f"in use .*on the same file or disk as {first.name}")  # fmt: skip

    def test_a_loop_device_on_a_mounted_one_is_never_written(self) -> None:
        """Seen from above: what a loop device stands on is in use."""
        image = self.image("a.img", blank=True)
        lower = self.loop(image)
        self.mounted(lower)
        upper = self.loop(lower)
        self.refused_and_intact(upper, image, "--overwrite", str(lower), "--lose-contents",
                                says=f"on {lower.name}, which is mounted on")  # fmt: skip

    def test_what_a_program_writes_to_is_never_written(self) -> None:
        """A program (a virtual machine, say) holds nothing, by the device or by the file below; readers disturb nobody."""
        image = self.image("a.img", blank=True)
        device = self.loop(image)
        words = ("--overwrite", str(image), "--lose-contents")
        for opened, says in (
            (device, "open for writing in sleep"),
            (image, "on a file that sleep .* has open for writing"),
        ):
            with opened.open("r+b") as out, subprocess.Popen(["sleep", "60"], stdin=out) as program:
                out.close()
                self.refused_and_intact(device, image, *words, says=f"in use .*{says}")
                program.kill()
        with device.open("rb") as source, subprocess.Popen(["sleep", "60"], stdin=source) as program:
            source.close()
            self.assertEqual(self.ulterion("measure", str(device), *WRITE, *words).returncode, 0)
            program.kill()

    def test_what_is_mounted_in_another_namespace_is_never_written(self) -> None:
        """A container's mount is in no list of ours; the kernel knows it, and it is named."""
        image = self.image("a.img", blank=True)
        device = self.loop(image)
        subprocess.run(["mkfs.ext4", "-q", "-F", str(device)], check=True)
        point = self.folder / "inside"
        point.mkdir()
        script = f"mount -o ro {device} {point} && echo ready && sleep 60"
        with subprocess.Popen(["unshare", "-m", "sh", "-c", script], stdout=subprocess.PIPE) as container:
            assert container.stdout is not None
            if not container.stdout.readline():
                self.skipTest("no namespaces here")
            os.sync()
            self.refused_and_intact(device, image, "--overwrite", str(image), "--lose-contents",
                                    says=f"in use .*mounted on {point}")  # fmt: skip
            container.kill()
            subprocess.run(["pkill", "-P", str(container.pid)], check=False)

    def test_a_swap_file_below_is_never_written(self) -> None:
        """A loop device on a file that the system swaps to."""
        image = self.image("swap.img", blank=True)
        image.chmod(0o600)
        subprocess.run(["mkswap", str(image)], check=True, capture_output=True)
        if subprocess.run(["swapon", str(image)], capture_output=True).returncode:
            self.skipTest("this file system takes no swap file")
        self.addCleanup(subprocess.run, ["swapoff", str(image)], check=True)
        device = self.loop(image)
        self.refused("measure", str(device), *WRITE, "--overwrite", str(image), "--lose-contents",
                     says="in use .*on the swap file")  # fmt: skip

    def test_a_link_that_turns_between_check_and_opening_opens_nothing_else(self) -> None:
        """Whatever the path leads to when it is opened is what is checked: the other device keeps every byte."""
        mine, other = self.image("mine.img", blank=True), self.image("film.img")
        first, second = self.loop(mine), self.loop(other)
        link = self.folder / "drive"
        before = zlib.crc32(other.read_bytes())
        for late in (False, True):  # turned before the opening, or after it
            link.unlink(missing_ok=True)
            link.symlink_to(first)
            with mock.patch("os.open", self.turning(link, second, late=late)):
                if late:
                    target = open_device(link, Overwrite(str(mine), True))
                    self.assertEqual(target.device_name, first.name)
                    target.prepare(1)
                    target.close()
                else:
                    with self.assertRaisesRegex(UsageError, f"has the serial number '{other}', not"):
                        open_device(link, Overwrite(str(mine), True))
            self.assertEqual(link.resolve(), second)  # it was turned indeed
            os.sync()
            self.assertEqual(zlib.crc32(other.read_bytes()), before)

    def turning(self, link: Path, to: Path, *, late: bool) -> Callable[..., int]:
        """Return an `os.open` that turns a link just before, or just after, it is opened for the first time."""
        real, seen = os.open, []

        def opening(path: Any, *rest: Any, **named: Any) -> int:
            ours = os.fspath(path) == str(link) and not seen
            seen.extend([True] if ours else [])
            turn = partial(os.replace, self.turned(to), link) if ours else lambda: None
            if not late:
                turn()
            fd = real(path, *rest, **named)
            if late:
                turn()
            return fd

        return opening

    def turned(self, to: Path) -> Path:
        other = self.folder / "other"
        other.unlink(missing_ok=True)
        other.symlink_to(to)
        return other

    def test_a_node_is_what_its_number_says(self) -> None:
        """A node that bears another device's name, in a folder of its own, is known by its number alone."""
        mine, other = self.image("mine.img", blank=True), self.image("film.img")
        first, second = self.loop(mine), self.loop(other)
        (self.folder / "dev").mkdir()
        node = self.folder / "dev" / first.name  # called like the first, and the second by its number
        os.mknod(node, 0o600 | stat.S_IFBLK, second.stat().st_rdev)
        self.refused_and_intact(
            node, other, "--overwrite", str(mine), "--lose-contents", says=f"has the serial number '{other}'"
        )
        data = self.json_of(
            "measure", str(node), "--workload", "random read 4 KiB", "--passes", "1", "--seconds", "0.1"
        )
        self.assertEqual(data["run"]["target"]["device"], second.name)
        self.assertEqual(data["run"]["target"]["serial"], str(other))

    def test_a_read_only_device_is_refused_by_its_name(self) -> None:
        """Before anything is tried, with the reason; it can still be read."""
        image = self.image("a.img", blank=True)
        device = self.loop(image, "-r")
        self.refused_and_intact(device, image, "--overwrite", str(image), says=f"{device} is read-only")
        switched = self.loop(self.image("b.img", blank=True))
        subprocess.run(["blockdev", "--setro", str(switched)], check=True)
        self.addCleanup(subprocess.run, ["blockdev", "--setrw", str(switched)], check=True)  # it stays with the number
        self.refused(
            "measure", str(switched), *WRITE, "--overwrite", str(self.folder / "b.img"), says=f"{switched} is read-only"
        )


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
        self.assertIn("the system disk", inuse.users("sda", root))
        self.assertEqual(inuse.users("sdb", root), [])
        root = self.machine(**{"proc/swaps": "Filename Type\n/dev/sdb1 partition 1 0 -2\n"})
        self.assertEqual(inuse.users("sdb", root), ["swap on /dev/sdb1"])
        self.write("sys/devices/sdb/sdb1/holders/dm-0/x", "")
        self.assertIn("part of dm-0", inuse.users("sdb", root))
        root = self.machine(**{"proc/self/mountinfo": "2 1 8:17 / /media/x rw - vfat /dev/sdb1 rw\n"})
        self.assertIn("mounted on /media/x", inuse.users("sdb", root))
        self.assertIn("mounted on /media/x", inuse.users("sdb1", root))
        self.assertEqual(safety.partitions("sdb", root), ["sdb1"])
        self.assertIsNone(safety.identity("sdb", root))

    def test_what_holds_nothing_is_seen(self) -> None:
        """Members of spread file systems, exports, hibernation, the same drive by another path: each is named."""
        for name, text, says in (
            ("sys/fs/btrfs/1234-5678/devices/sdb1/x", "", "part of the mounted btrfs 1234-567"),
            ("sys/kernel/config/target/core/fileio_0/disk/udev_path", "/dev/sdb\n", "another machine .target/core/fileio_0/disk"),
            ("sys/kernel/config/nvmet/subsystems/n/namespaces/1/device_path", "/dev/sdb1\n", "another machine .nvmet"),
            ("sys/kernel/config/usb_gadget/g/functions/mass_storage.0/lun.0/file", "/dev/sdb\n", "another machine .usb_gadget"),
            ("sys/power/resume", "8:17\n", "hibernation"),
        ):  # fmt: skip
            with self.subTest(name):
                root = self.machine()
                self.assertEqual(inuse.users("sdb", root), [])
                path = self.write(name, text)
                self.assertRegex(" ".join(inuse.users("sdb", root)), says)
                path.unlink()
                if "btrfs" in name:
                    path.parent.rmdir()
        self.write("sys/devices/sda/device/serial", "X-1")
        self.write("sys/devices/sdb/device/serial", "X-1")
        self.assertRegex(
            " ".join(inuse.users("sdb", root)), "same drive as sda by its serial number, which is mounted on /"
        )

    def test_the_system_may_rest_on_several_disks(self) -> None:
        """Through volumes and encryption down to the whole disks: each is the system's."""
        root = self.machine(**{"proc/self/mountinfo": "1 0 253:0 / / rw - ext4 /dev/mapper/root rw\n"})
        self.write("sys/devices/dm-0/dev", "253:0")
        for where, name in (("class/block", "dm-0"), ("dev/block", "253:0"), ("block", "dm-0")):
            (root / "sys" / where / name).symlink_to(root / "sys/devices/dm-0")
        for below in ("sda1", "sdb1"):
            self.write(f"sys/devices/dm-0/slaves/{below}/x", "")
        self.assertEqual(stacks.system_disks(root), {"sda", "sdb"})
        self.assertIn("the system disk", inuse.users("sdb", root))

    def test_nothing_asked_nothing_permitted(self) -> None:
        """Without a serial named there is no permit; what is not a disk has none either."""
        with self.assertRaisesRegex(UsageError, "goes with --overwrite"):
            open_device(Path("/dev/null"), Overwrite(None, True))
        for path in (self.write("x", "x"), Path("/dev/null")):
            with self.assertRaisesRegex(UsageError, "not a disk that the kernel shows"):
                open_device(path, Overwrite("1", True))
