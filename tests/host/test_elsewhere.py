"""macOS and Windows: what recorded texts of their programs say (made up, in the documented shapes), whole, damaged, and by the command."""

from __future__ import annotations

import copy
import json
import os
import plistlib
import unittest
from pathlib import Path

from hypothesis import given, settings
from hypothesis import strategies as st

from tests.support import FolderCase
from ulterion.core.facts.devices import Drive, Survey
from ulterion.host.other_systems import asking, macos, shapes, windows

HERE = Path(__file__).parent
PROFILE, REGISTRY = (HERE / "macos-profile.json").read_text(), (HERE / "macos-registry.plist").read_bytes()
WINDOWS = (HERE / "windows.json").read_text()
MAD = st.one_of(
    st.none(), st.booleans(), st.integers(), st.floats(), st.text(max_size=8), st.lists(st.integers(), max_size=2),
    st.dictionaries(st.text(max_size=3), st.integers(), max_size=2), st.just([[[]]]), st.just("x" * 400),
)  # fmt: skip


def by_name(survey: Survey) -> dict[str, Drive]:
    return {d.name: d for d in survey.drives}


def places(tree: object, way: tuple[object, ...] = ()) -> list[tuple[object, ...]]:
    """Return the way to every piece of a tree."""
    found = [way] if way else []
    for key, one in tree.items() if isinstance(tree, dict) else enumerate(tree) if isinstance(tree, list) else ():
        found += places(one, (*way, key))
    return found


def changed(tree: object, way: tuple[object, ...], to: object, *, remove: bool) -> object:
    """Return a copy of a tree in which one piece is another, or is gone."""
    whole = copy.deepcopy(tree)
    at: object = whole
    for key in way[:-1]:
        at = at[key]  # type: ignore[index]
    if remove:
        del at[way[-1]]  # type: ignore[attr-defined]
    else:
        at[way[-1]] = to  # type: ignore[index]
    return whole


class Macos(unittest.TestCase):
    def test_what_is_plugged_in(self) -> None:
        """A drive in an enclosure behind a hub, a stick on a slow link that asks for more than its port gives, the system's own disk."""
        found = macos.survey(PROFILE, REGISTRY)
        drives = by_name(found)
        self.assertEqual(list(drives), ["disk0", "disk4", "disk5"])
        own, pod, slip = drives.values()
        self.assertEqual((own.transport, own.link, own.system), ("NVMe", "PCIe 3.0 x4", True))
        self.assertEqual((pod.model, pod.serial, pod.firmware, pod.link), ("Reed", "TR-0001", "2.1", "USB 10 Gb/s"))
        self.assertEqual(
            [(s.role, s.title) for s in pod.steps],
            [("controller", "USB31Bus"), ("hub", "Sallowmere H4"), ("bridge", "Brindlewick Pod")],
        )
        self.assertEqual((pod.port, pod.system, pod.rotational), ("usb 0x02120000", False, False))
        self.assertEqual(
            [(v.mounted, v.filesystem, v.free) for v in pod.volumes], [("/Volumes/REED", "exfat", 900000000000)]
        )
        self.assertEqual((slip.link, slip.rotational), ("USB 480 Mb/s", True))
        (tunnel,) = found.tunnels
        self.assertEqual((tunnel.title, tunnel.speed), ("Draught", "40 Gb/s"))
        self.assertTrue(any("asks for 4.5 W and its port gives 2.5 W" in f for f in slip.faults), slip.faults)
        self.assertEqual(
            (found.bench.cpu, found.bench.memory_bytes, found.bench.model),
            ("Apple M9", 16 * 2**30, "MacBook Pro Mac99,1"),
        )
        for path, name in (("/Volumes/REED/clips", "disk4"), ("/Users/me", "disk0"), ("/Volumes/REEDS", "disk0")):
            drive, _ = asking.under(found.drives, path)
            self.assertEqual(drive and drive.name, name)

    @given(st.data())
    @settings(max_examples=100, deadline=None)
    def test_nothing_missing_or_mad_is_an_error(self, data: st.DataObject) -> None:
        """Any piece of either text gone or another thing; texts cut short or of something else."""
        profile, registry = json.loads(PROFILE), plistlib.loads(REGISTRY)
        way, remove, to = data.draw(st.sampled_from(places(profile))), data.draw(st.booleans()), data.draw(MAD)
        macos.survey(json.dumps(changed(profile, way, to, remove=remove)), REGISTRY)
        way, to = (
            data.draw(st.sampled_from(places(registry))),
            data.draw(
                st.one_of(st.booleans(), st.integers(0, 2**63), st.text("ab", max_size=5), st.just([]), st.just({}))
            ),
        )
        found = macos.survey(PROFILE, plistlib.dumps(changed(registry, way, to, remove=remove)))
        self.assertLessEqual(len(found.drives), 3)
        cut = data.draw(st.integers(0, len(PROFILE)))
        macos.survey(PROFILE[:cut], REGISTRY[: data.draw(st.integers(0, len(REGISTRY)))])
        macos.survey(data.draw(st.text(max_size=20)), data.draw(st.binary(max_size=20)))


class Windows(unittest.TestCase):
    def test_what_is_plugged_in(self) -> None:
        """Chains from their devices' parents, drivers by the names they have here, letters and mount points; what is not told is missing."""
        found = windows.survey(WINDOWS)
        own, pod, slip = by_name(found).values()
        self.assertEqual(
            (own.name, own.transport, own.driver, own.serial, own.system),
            ("PhysicalDrive0", "NVMe", "nvme", "0025_38B1", True),
        )
        self.assertEqual((pod.model, pod.driver, pod.link, pod.system), ("Tarnfell Reed", "uas", None, False))
        self.assertEqual([s.role for s in pod.steps], ["controller", "root hub", "hub", "bridge", "drive"])
        self.assertEqual((pod.port, slip.port), ("usb 6&ABC&0&2", None))
        self.assertEqual(
            (slip.model, slip.serial, slip.driver, slip.read_only), ("Hollowbeck Slip", None, "usb-storage", True)
        )
        self.assertEqual(
            [(v.mounted, v.filesystem) for v in (*pod.volumes, *slip.volumes)],
            [("E:\\", "exfat"), ("C:\\mnt\\slip\\", "fat32")],
        )
        self.assertEqual((found.bench.model, found.bench.memory_bytes), ("Oxlode Desk 9", 16 * 2**30))
        for path, name in (
            ("E:\\clips", "PhysicalDrive1"),
            ("c:\\mnt\\slip\\x", "PhysicalDrive2"),
            ("C:\\Users", "PhysicalDrive0"),
            ("Z:\\", None),
        ):
            drive, _ = asking.under(found.drives, path)
            self.assertEqual(drive and drive.name, name)

    @given(st.data())
    @settings(max_examples=100, deadline=None)
    def test_nothing_missing_or_mad_is_an_error(self, data: st.DataObject) -> None:
        """Any piece gone or another thing, a device that is its own parent, a text cut short or of something else."""
        said = json.loads(WINDOWS)
        one, to = data.draw(st.sampled_from(places(said))), data.draw(MAD)
        found = windows.survey(json.dumps(changed(said, one, to, remove=data.draw(st.booleans()))))
        self.assertLessEqual(len(found.drives), 4)
        windows.survey(WINDOWS[: data.draw(st.integers(0, len(WINDOWS)))])
        windows.survey(data.draw(st.text(max_size=20)))
        ring = json.loads(WINDOWS)
        for known in ring["devices"].values():
            known["Parent"] = data.draw(st.sampled_from(list(ring["devices"])))
        windows.survey(json.dumps(ring))

    @given(
        st.recursive(
            st.none() | st.booleans() | st.floats() | st.text(max_size=4),
            lambda s: st.lists(s, max_size=3),
            max_leaves=6,
        )
    )
    def test_pieces_are_what_is_asked_for_or_missing(self, found: object) -> None:
        """Numbers finite and not negative, texts never empty, lists of objects only."""
        number, text = shapes.number(found), shapes.text(found)
        self.assertTrue(number is None or 0 <= number < 1e21)
        self.assertTrue(text is None or text.strip() == text != "")
        self.assertTrue(all(hasattr(e, "get") for e in shapes.entries(found)))


AS_THERE = """
import builtins, io, os, sys
from pathlib import Path
from ulterion.terminal.environment import Environment
from ulterion.cli.main import main
from ulterion.host.other_systems import asking, macos
import subprocess, platformdirs, multiprocessing, concurrent.futures, rich.live, numpy, ulterion.features.measure.run, ulterion.engine.portable.targets
here = Path({here!r})
said = {{macos.PROFILE: here / "macos-profile.json", macos.REGISTRY: here / "macos-registry.plist"}}
asking._said = lambda command: said[command].read_bytes() if command in said else (here / "windows.json").read_bytes()
real, listed, scanned = builtins.open, os.listdir, os.scandir


def without(how):
    def opened(name=".", *arguments, **named):
        if isinstance(name, str | os.PathLike) and os.fspath(name).startswith(("/proc", "/sys")):
            raise FileNotFoundError(2, "No such file or directory", os.fspath(name))
        return how(name, *arguments, **named)

    return opened


builtins.open = io.open = without(real)
os.listdir, os.scandir, os.stat, os.readlink = (without(f) for f in (listed, scanned, os.stat, os.readlink))
sys.platform = {platform!r}
print([int(main(words, Environment(sys.stdout, sys.stderr, Path.cwd()))) for words in {commands!r}])
"""


class ByTheCommand(FolderCase):
    def test_what_a_program_says(self) -> None:
        """As it prints it; one that is not there, or fails, says nothing, and ends nothing."""
        self.assertEqual(asking._said(("sh", "-c", "echo x; exit 3")), b"x\n")
        self.assertEqual(asking._said(("nothing-of-the-kind",)), b"")

    def as_there(self, platform: str, *commands: list[str]) -> tuple[str, str]:
        """Run commands in a process that takes itself for another system, with the recorded texts for its programs'; return both outputs."""
        code = AS_THERE.format(here=str(HERE), platform=platform, commands=commands)
        done = self.python(code)
        self.assertEqual(done.returncode, 0, done.stderr)
        return done.stdout, done.stderr

    def test_windows_survey_says_that_it_is_untried(self) -> None:
        """Drives with their chains, and that nobody has tried it there."""
        shown, _ = self.as_there("win32", ["survey"])
        self.assertIn("Tarnfell Reed", shown)
        self.assertIn("measuring on Windows is written from", shown.replace("\n    ", " "))

    def test_a_survey_and_a_run_by_macos(self) -> None:
        """By its own calls, which this kernel refuses one by one: measured all the same, every doubt in the document; the rest is refused in a sentence."""
        measure = [
            "measure",
            ".",
            "--suite",
            "sequential",
            "--passes",
            "3",
            "--seconds",
            "0.2",
            "--span",
            "32 MiB",
            "--json",
        ]
        network = ["measure", "--network", "192.0.2.1", "--code", "abcdefgh"]
        refused = [["copy", "x", "."], ["capacity", "."], ["peer"], network]
        soak = [
            "soak",
            ".",
            "--for",
            "1 s",
            "--interval",
            "250 ms",
            "--span",
            "32 MiB",
            "--idle",
            "0 s",
            "--cool",
            "0 s",
            "--quiet",
        ]
        (self.folder / "clip.mov").write_bytes(os.urandom(2**24))
        file = [
            "measure",
            "clip.mov",
            "--workload",
            "sequential read 1 MiB depth 2",
            "--passes",
            "1",
            "--seconds",
            "0.1",
        ]
        shown, errors = self.as_there("darwin", ["survey"], measure, soak, file, *refused)
        self.assertTrue(shown.endswith("[0, 0, 0, 0, 2, 2, 2, 2]\n"), shown[-200:] + errors)
        self.assertIn("macOS reads what it has cached of clip.mov from memory", " ".join(shown.split()))
        self.assertEqual(errors.count("works on Linux only so far"), 4, errors)
        self.assertIn("measuring on macOS is written from", shown.replace("\n    ", " "))
        for words in (
            "Brindlewick Pod",
            "never on real hardware",
            "by threads",
            "refuses to bypass the system's cache",
            "the system disk (disk0)",
        ):
            self.assertIn(words, shown)
        self.assertEqual([p.name for p in self.folder.iterdir() if "ulterion-test" in p.name], [])


if __name__ == "__main__":
    unittest.main()
