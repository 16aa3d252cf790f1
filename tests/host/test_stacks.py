"""What disks are a part of: encryption, volumes, RAID, file systems over several, overlays, swap; live and written down alike."""

from __future__ import annotations

import json
import os
from pathlib import Path

from tests.support import FolderCase
from ulterion.core.facts.devices import Survey
from ulterion.features.survey.words import in_use, volume_words
from ulterion.host import machine
from ulterion.host.recorded import record, replayed
from ulterion.host.stacks import system_disks


def _link(path: Path, target: Path) -> None:
    """Make a link as the kernel does: by the way from where it stands."""
    path.symlink_to(os.path.relpath(target, path.parent.resolve()))


class Stacks(FolderCase):
    """Machines of disks, partitions and what the kernel builds on them, under this test's folder."""

    def setUp(self) -> None:
        super().setUp()
        self.minor = 0

    def device(self, name: str, *, on: str | None = None, below: tuple[str, ...] = (), **facts: str) -> None:
        """Make a block device: a disk, a partition `on` one, or one of the kernel's own with others `below` it."""
        self.minor += 1
        folder = self.folder / "sys/devices/virtual/block" / (f"{on}/{name}" if on else name)
        for file, text in {
            "dev": f"8:{self.minor}",
            "size": "4000000",
            **({"partition": "1"} if on else {}),
            **facts,
        }.items():
            self.write(str((folder / file.replace("__", "/")).relative_to(self.folder)), f"{text}\n")
        for kind, place in (
            ("class/block", name),
            ("dev/block", f"8:{self.minor}"),
            *(() if on else (("block", name),)),
        ):
            path = self.folder / "sys" / kind / place
            path.parent.mkdir(parents=True, exist_ok=True)
            _link(path, folder)
        for lower in below:
            under = (self.folder / "sys/class/block" / lower).resolve()
            for one, kind, other in ((folder, "slaves", under), (under, "holders", folder)):
                (one / kind).mkdir(exist_ok=True)
                _link(one / kind / other.name, other)

    def mounted(self, *lines: str) -> None:
        self.write("proc/self/mountinfo", "".join(f"{i} 0 {line}\n" for i, line in enumerate(lines, 1)))

    def surveyed(self) -> tuple[Survey, dict[str, str]]:
        found = machine.survey(root=self.folder)
        return found, {v.name: volume_words(v) for d in found.drives for v in d.volumes}

    def same_when_played_again(self) -> None:
        path = self.folder / "record.json"
        path.write_text(json.dumps(record(self.folder).as_data()))
        with replayed(path) as (root, _):
            again, first = machine.survey(root=root), machine.survey(root=self.folder)
        self.assertEqual(again.drives, first.drives)

    def test_encrypted_volumes_on_a_mirror(self) -> None:
        """The root on a volume in an encrypted mirror of two disks: both are the system's, each member says what it is a part of."""
        for disk in ("sda", "sdb", "sdc"):
            self.device(disk)
            self.device(f"{disk}1", on=disk)
        self.device("md0", below=("sda1", "sdb1"), md__level="raid1")
        self.device("dm-0", below=("md0",), dm__name="luks-root", dm__uuid="CRYPT-LUKS2-1")
        self.device("dm-1", below=("dm-0",), dm__name="vg-root", dm__uuid="LVM-1")
        self.mounted("0:99 /@ / rw - btrfs /dev/mapper/vg-root rw", "0:40 / /mnt/share rw - nfs server:/sdc rw",
                     "0:41 / /mnt/other rw - cifs //server/sdc1 rw")  # fmt: skip
        self.assertEqual(system_disks(self.folder), {"sda", "sdb"})
        found, volumes = self.surveyed()
        self.assertEqual({d.name: d.system for d in found.drives}, {"sda": True, "sdb": True, "sdc": False})
        self.assertIn("part of md0 (raid1)", volumes["sda1"])
        self.assertEqual(in_use(found.drives[0]), ["part of md0 (raid1)"])
        self.assertNotIn("not mounted", volumes["sda1"])
        self.assertEqual(volumes["sdc1"], "2.05 GB, not mounted", "a share whose name ends like a disk is none")
        self.same_when_played_again()

    def test_a_file_system_over_two_disks_and_swap(self) -> None:
        """btrfs lists its members itself; swap in use is no free partition; a disk used whole says what for."""
        for disk in ("sda", "sdb", "sdc"):
            self.device(disk)
        self.device("sda1", on="sda")
        self.device("sdb1", on="sdb")
        for member in ("sda1", "sdb1"):
            path = self.folder / "sys/fs/btrfs/1234567890/devices" / member
            path.parent.mkdir(parents=True, exist_ok=True)
            _link(path, (self.folder / "sys/class/block" / member).resolve())
        self.mounted("0:50 /@ / rw - btrfs /dev/sda1 rw", "0:50 /@home /home rw - btrfs /dev/sda1 rw")
        self.write("proc/swaps", "Filename Type Size Used Priority\n/dev/sdc partition 1 0 -2\n")
        found, volumes = self.surveyed()
        self.assertEqual({d.name for d in found.drives if d.system}, {"sda", "sdb"})
        self.assertIn("part of the mounted btrfs 12345678", volumes["sdb1"])
        self.assertIn("swap on /dev/sdc", volumes["sdc"])
        self.assertIn("on /", volumes["sda1"])
        self.same_when_played_again()

    def test_a_root_laid_over_others(self) -> None:
        """An overlay's layers lie on a stick and on a disk: both are the system's; a bind mount of a folder hides no whole."""
        for disk in ("sda", "sdb", "sdc"):
            self.device(disk)
            self.device(f"{disk}1", on=disk)
        number = {
            n: (self.folder / "sys/class/block" / n / "dev").read_text().strip() for n in ("sda1", "sdb1", "sdc1")
        }
        self.mounted("0:30 / / rw - overlay overlay rw,lowerdir=/media/rom:/opt,upperdir=/media/data/up,workdir=/media/data/work",
                     f"{number['sda1']} / /media/rom ro - squashfs /dev/sda1 ro", f"{number['sdb1']} / /media/data rw - ext4 /dev/sdb1 rw",
                     f"{number['sdc1']} / /media/card rw - vfat /dev/sdc1 rw", f"{number['sdc1']} /DCIM /srv/dcim rw - vfat /dev/sdc1 rw")  # fmt: skip
        self.assertEqual(system_disks(self.folder), {"sda", "sdb"})
        _, volumes = self.surveyed()
        self.assertIn("on /media/card", volumes["sdc1"])
        self.same_when_played_again()

    def test_a_live_system_on_an_image(self) -> None:
        """Its root is laid over an image that a loop device shows; the stick that holds the image is the system's."""
        for disk in ("sda", "sdb"):
            self.device(disk)
            self.device(f"{disk}1", on=disk)
        self.device("loop0", loop__backing_file="/run/medium/live/filesystem.squashfs")
        number = {
            n: (self.folder / "sys/class/block" / n / "dev").read_text().strip() for n in ("sda1", "sdb1", "loop0")
        }
        self.mounted("0:30 / / rw - overlay overlay rw,lowerdir=/run/rootfs,upperdir=/run/overlay/rw,workdir=/run/overlay/work",
                     f"{number['loop0']} / /run/rootfs ro - squashfs /dev/loop0 ro", "0:31 / /run rw - tmpfs tmpfs rw",
                     f"{number['sdb1']} / /run/medium ro - iso9660 /dev/sdb1 ro", f"{number['sda1']} / /mnt rw - ext4 /dev/sda1 rw")  # fmt: skip
        self.assertEqual(system_disks(self.folder), {"sdb"})
        self.same_when_played_again()

    def test_a_replay_asks_the_reader_nothing(self) -> None:
        """Processor, cores and system are those of the machine that was written down, or unknown."""
        self.write(
            "proc/cpuinfo", "processor\t: 0\nmodel name\t: A Processor\n\nprocessor\t: 1\nmodel name\t: A Processor\n"
        )
        self.write("proc/sys/kernel/osrelease", "5.4.0-x\n")
        bench = machine.survey(root=self.folder).bench
        self.assertEqual((bench.cpu, bench.cores, bench.system), ("A Processor", 2, "Linux 5.4.0-x"))
        empty = self.folder / "empty"
        Path(empty).mkdir()
        bench = machine.survey(root=empty).bench
        self.assertEqual((bench.cpu, bench.cores, bench.system), (None, None, None))
