"""Waiting for a hand, against surveys that change as a reviewer swaps drives."""

from __future__ import annotations

import socket
from unittest import mock

from tests.support import REVIEW, FolderCase
from ulterion.core.errors import UsageError
from ulterion.core.facts.devices import Drive, Survey
from ulterion.core.facts.target import BenchFacts, TargetFacts
from ulterion.core.links.standards import find_link
from ulterion.host import here
from ulterion.host.uevents import Uevents
from ulterion.model.expect import Expect
from ulterion.model.store import ReviewFolder
from ulterion.run import wait_for_setup as swapping
from ulterion.run import waiting
from ulterion.run.expectations import unexpected
from ulterion.run.place import Place
from ulterion.run.wait_for_setup import wait_for

RIGHT = Drive("sda", serial="A-1", port="pci port 1", size=10)
ELSEWHERE = Drive("sda", serial="A-1", port="pci port 2", size=10)
OTHER = Drive("sdb", serial="B-2", port="pci port 1", size=10)


class Waiting(FolderCase):
    def setUp(self) -> None:
        super().setUp()
        text = REVIEW.partition("[setups.direct]")[0] + (
            '[setups.box]\nchain = ["b:usb", "box", "drive"]\ntarget = "drive"\n'
            '[setups.box.expect]\nserial = "A-1"\nport = "pci port 1"\n'
        )
        self.write("review.toml", text)
        self.opened = ReviewFolder.open(self.folder)

    def wait(self, *seen: tuple[Drive, ...], seconds: float = 5.0, disk: str | None = "sda") -> list[str]:
        """Wait while each look sees the next of these drives (the last stays), the target on a disk; return what was said."""
        left = list(seen)
        said: list[str] = []

        def survey() -> Survey:
            return Survey(BenchFacts("h"), left.pop(0) if len(left) > 1 else left[0])

        with mock.patch.object(swapping.machine, "survey", survey), mock.patch.object(waiting, "SETTLED", 0.01), \
                mock.patch.object(waiting, "STEP", 0.01), mock.patch.object(here.mounts, "mount_of", return_value=mock.Mock(filesystem="overlay")), \
                mock.patch.object(here.mounts, "disk_of", return_value=disk), mock.patch.object(here.stacks, "whole_disk", lambda name, *root: str(name)):  # fmt: skip
            wait_for(Place(self.opened, self.folder, None, "box"), seconds, said.append)
        return said

    def test_each_mistake_is_told_once_and_the_right_drive_ends_it(self) -> None:
        """Nothing there, another drive in its place, the wrong port, not mounted, then right."""
        (self.folder / "drive").mkdir()
        said = self.wait((), (), (OTHER,), (ELSEWHERE,), (RIGHT,), (RIGHT,))
        self.assertEqual(len(said), 5)
        for words, line in zip(("plug in: b:usb > Test Box > Test Drive", "A-1 is not there", "another drive is there: sdb, serial B-2",
                                "wrong port: it is in pci port 2 and belongs in pci port 1", "there it is"), said, strict=True):  # fmt: skip
            self.assertIn(words, line)

    def test_a_folder_on_no_disk_is_not_the_drive(self) -> None:
        """The drive is plugged in, and its folder still lies on a live system's overlay, or on another disk."""
        (self.folder / "drive").mkdir()
        for disk, words in (
            (None, "is on overlay and not on sda; mount the drive there"),
            ("sdc", "is on sdc and not on sda"),
        ):
            with self.assertRaisesRegex(UsageError, words):
                self.wait((RIGHT,), seconds=0.05, disk=disk)

    def test_it_gives_up_with_what_was_missing(self) -> None:
        """After its time, one sentence; a drive that flickers is not there yet; a setup without a target cannot be waited for."""
        with self.assertRaisesRegex(UsageError, "was not ready after 50.0 ms: .*drive is not there yet; mount"):
            self.wait((RIGHT,), seconds=0.05)
        (self.folder / "drive").mkdir()
        self.assertEqual(
            self.wait((RIGHT,), (), (), (RIGHT,), (RIGHT,))[-2:],
            ["the drive with serial A-1 is not there", "there it is"],
        )
        self.write("review.toml", REVIEW.replace('target = "sim:bench.toml"', ""))
        with self.assertRaisesRegex(UsageError, "--wait is for setups with a target"):
            wait_for(Place(ReviewFolder.open(self.folder), self.folder, None, "box"), 1.0, print)

    def test_the_kernels_messages_are_listened_to(self) -> None:
        """A message ends the wait once it is quiet, no message lets it run out; without a socket it looks by itself."""
        events = Uevents()
        events.close()
        ours, kernels = socket.socketpair(socket.AF_UNIX, socket.SOCK_DGRAM)
        self.addCleanup(kernels.close)
        ours.setblocking(False)
        events._socket = ours
        self.addCleanup(events.close)
        self.assertFalse(events.wait(0.05))
        for _ in range(3):
            kernels.send(b"add@/devices/x")
        self.assertTrue(events.wait(5.0))
        self.assertFalse(events.wait(0.05))
        with mock.patch("socket.AF_NETLINK", None):
            blind = Uevents()
        self.assertFalse(blind.live)
        self.assertTrue(blind.wait(0.01))

    def test_what_is_not_as_expected(self) -> None:
        """Each difference by itself; a better link is welcome; what is not shown is not held against it."""
        expect = Expect.from_data({"serial": "A-1", "link": "USB 5 Gb/s", "driver": "uas", "port": "pci port 1"})
        facts = TargetFacts("/x", "folder", serial="A-1", link="USB 10 Gb/s", driver="uas", port="pci port 1")
        self.assertEqual(unexpected(expect, facts), [])
        self.assertEqual(unexpected(expect, TargetFacts("/x", "folder", serial="A-1")), [])
        wrong = TargetFacts("/x", "folder", serial="Z", link="USB 480 Mb/s", driver="usb-storage", port="pci port 2")
        self.assertEqual(len(unexpected(expect, wrong)), 4)
        system = TargetFacts("/x", "folder", serial="A-1", system_disk=True)
        self.assertEqual(
            unexpected(Expect(link=None), system), ["it is the system disk, and the setup names no serial"]
        )
        self.assertEqual(find_link("USB 5 Gb/s"), expect.link)
