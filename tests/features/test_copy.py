"""`ulterion copy` on this machine's disk: real and made files, proven intact, and every way in which that can go wrong."""

from __future__ import annotations

import errno
import math
import os
import random
import shutil
import signal
import time
import unittest
from dataclasses import replace
from itertools import accumulate
from pathlib import Path
from unittest import mock

from hypothesis import given, settings
from hypothesis import strategies as st

from tests.support import FolderCase
from ulterion.core.errors import UsageError
from ulterion.core.transfers.copies import Cost, class_of, cost_of, slow_end
from ulterion.engine.copies import manifest, onefile, sets
from ulterion.engine.copies.batches import ProgressMeter
from ulterion.engine.copies.onepass import Meters
from ulterion.features.copy import run
from ulterion.features.copy.request import CopyRequest
from ulterion.features.copy.scratch_folder import OURS, OwnFolder
from ulterion.host.activity import meter_of
from ulterion.model.runs.copied import CopyPass, CopyRun
from ulterion.run.observers import Observer

ODD = [
    b"new\nline",
    b"\xff\xfe not utf-8",
    b"back\\slash",
    b"n" * 255,
    " spaces and ü ".encode(),
    b"-dash",
    b"tab\there",
]


class Flip(Observer):
    """Changes something once a copy is written, before it is read back."""

    def __init__(self, change: object) -> None:
        self.change = change

    def stage(self, what: str, size: int) -> None:
        """Change it when the reading back begins."""
        if what.startswith("reading"):
            assert callable(self.change)
            self.change()


class CopyCase(FolderCase):
    def setUp(self) -> None:
        super().setUp()
        self.source, self.target = self.folder / "source", self.folder / "target"
        quiet = mock.patch("ulterion.features.copy.settle.QUIET", 0.05)
        quiet.start()
        self.addCleanup(quiet.stop)
        self.source.mkdir()
        self.target.mkdir()

    def fill(self, **sizes: int) -> None:
        for name, size in sizes.items():
            path = self.source / name.replace("__", "/")
            path.parent.mkdir(parents=True, exist_ok=True)
            path.write_bytes(random.Random(size).randbytes(size))

    def copied(self, *more: str, status: int = 0) -> dict:  # type: ignore[type-arg]
        answer = self.json_of("copy", "source", "target", "--no-ends", "--passes", "1", *more, status=status)
        run: dict = answer["run"]["copied"]  # type: ignore[type-arg]
        return run

    def ours(self, **facts: object) -> CopyRequest:
        (self.folder / "review.toml").write_text("schema = 2\n")
        return CopyRequest(self.opened(), (self.source,), self.target, passes=1, ends=False, **facts)  # type: ignore[arg-type]


class Whole(CopyCase):
    def test_everything_arrives_and_nothing_stays(self) -> None:
        """Files of all classes, folders, links, times; proven; each end alone; the target as empty as before, the run kept."""
        self.fill(a=0, b=1, deep__er__c=300_000, deep__d=5_000_000, e=2**20)
        (self.source / "link").symlink_to("deep/d")
        os.utime(self.source / "b", ns=(5, 1_600_000_000_123_456_789))
        answer = self.json_of(
            "copy", "source", "target", "--passes", "3", "--task", "all kinds", "--plain", "--at-once", "3"
        )
        run, passes = answer["run"]["copied"], answer["run"]["copied"]["passes"]
        self.assertEqual((run["files"], run["bytes"], run["folders"], run["links"]), (5, 6_348_577, 3, 1))
        self.assertEqual([(p["proven_files"], p["wrong_count"], p["skipped_count"]) for p in passes], [(5, 0, 0)] * 3)
        self.assertEqual((run["workers"], passes[0].get("after", "")), (3, ""))
        self.assertRegex(passes[2]["after"], "trimmed")
        self.assertLessEqual(answer["low"], answer["rate"])
        self.assertEqual({c["name"] for c in passes[0]["classes"]}, {"below 16 KiB", "below 4 MiB", "below 64 MiB"})
        self.assertTrue(run["source_alone"]["bytes"] == run["target_alone"]["bytes"] == run["bytes"])
        self.assertIn(answer["slow_end"], ("source", "target", "both", "neither", "one drive"))
        self.assertEqual(list(self.target.iterdir()), [])
        self.assertTrue(Path(answer["kept_in"]).exists())

    def test_it_stays_when_asked_and_replaces_nothing(self) -> None:
        """With --keep the last copy is there with its times, and a manifest of it that is checked again; a second time it is refused."""
        self.fill(a=10, b__c=70_000)
        self.copied("--keep", "--manifest", "sums.txt")
        copy = self.target / "source"
        self.assertEqual((copy / "b/c").read_bytes(), (self.source / "b/c").read_bytes())
        self.assertEqual((copy / "b/c").stat().st_mtime_ns, (self.source / "b/c").stat().st_mtime_ns)
        self.refused("copy", "source", "target", "--keep", says="already exists, and nothing is overwritten")
        self.refused("copy", "source", "target", "--manifest", "sums.txt", says="already exists")
        checked = self.json_of("copy", "target", "--check", "sums.txt")
        self.assertEqual((checked["files"], checked["wrong_count"]), (2, 0))
        (copy / "a").write_bytes(b"0123456789")
        (copy / "b/c").unlink()
        told = self.json_of("copy", "target", "--check", "sums.txt", status=4)["wrong"]
        self.assertEqual(
            {t["name"]: t["what"].partition(":")[0] for t in told},
            {"source/a": "differs", "source/b/c": "cannot be read back"},
        )

    def test_odd_names_holes_and_what_is_no_file(self) -> None:
        """Names of any bytes go through the manifest and back; holes stay holes; a pipe is left out by name."""
        for name in ODD:
            Path(os.fsdecode(os.fsencode(self.source) + b"/" + name)).write_bytes(name)
        with (self.source / "sparse").open("wb") as out:
            out.seek(40 * 2**20)
            out.write(b"end")
            out.truncate(60 * 2**20)
        os.mkfifo(self.source / "pipe")
        run = self.copied("--keep", "--manifest", "sums.txt")
        (one,) = run["passes"]
        self.assertEqual(
            (one["files"], one["proven_files"], one["skipped"]),
            (8, 8, [{"name": "source/pipe", "what": "it is no file, folder or link"}]),
        )
        self.assertEqual({os.fsencode(p.name) for p in (self.target / "source").iterdir()}, {*ODD, b"sparse"})
        self.assertLess((self.target / "source/sparse").stat().st_blocks * 512, 2**21)
        self.assertEqual(self.json_of("copy", "target", "--check", "sums.txt")["files"], 8)

    def test_a_link_that_is_named_is_followed(self) -> None:
        """What it leads to is copied, under the name that was given."""
        self.fill(a=100)
        (self.folder / "short").symlink_to(self.source)
        self.json_of("copy", "short", "target", "--no-ends", "--passes", "1", "--keep")
        self.assertEqual((self.target / "short/a").read_bytes(), (self.source / "a").read_bytes())

    def test_copies_of_one_task_are_compared(self) -> None:
        """Beside a timing by hand of the same, against the baseline's copies; a copy that lacks a file is no figure."""
        setups = "".join(
            f'[setups.{n}]\nchain = ["p", "d"]\ntarget = "{t}"\n{d}\n'
            for n, t, d in (("direct", "target", "baseline = true"), ("box", "other", ""))
        )
        self.write(
            "review.toml",
            f'schema = 2\n[ports.p]\nlink = "USB 10 Gb/s"\n[parts.d]\nname = "D"\nkind = "drive"\n{setups}',
        )
        (self.folder / "other").mkdir()
        self.fill(a=3_000_000)
        for setup in ("direct", "box"):
            self.json_of("copy", "source", "--to", setup, "--no-ends", "--task", "clips")
        self.ulterion("clock", "--setup", "box", "--task", "clips", "4.2 GB in 1m12s")
        rows = self.json_of("compare")["clocked"]
        self.assertEqual({(r["setup"], r["copied"], r["against"]) for r in rows},
                         {("direct", True, None), ("box", True, "direct"), ("box", False, "direct")})  # fmt: skip
        box = next(r for r in rows if r["setup"] == "box" and r["copied"])
        self.assertIsNotNone(box["ratio_low"])
        run = next(r for r in self.opened().runs() if isinstance(r, CopyRun))
        self.assertEqual(run.with_copied(files=2).rates, ())
        self.also_between_two(run)

    def also_between_two(self, run: CopyRun) -> None:
        """From one setup to another, and over a network: rows of their own, held against their like alone, with what else differed."""
        store, chain = self.opened(), [*run.chain[:1], "other"]
        for number, (setup, way, source, filesystem) in enumerate(
            (
                ("direct", "read and write", "slot", "ext4"),
                ("box", run.copied.method, "slot", "exfat"),
                ("box", "read and write", None, "nfs4"),
            )
        ):
            target = replace(run.target, filesystem=filesystem)
            made = run.changed(id=f"aaaa{number}0", setup=setup, chain=chain, target=target)
            store.save(made.with_copied(method=way, from_setup=source))
        rows = {(r["setup"], r["source"], r["network"]): r for r in self.json_of("compare")["clocked"] if r["copied"]}
        between = rows["box", "slot", None]
        self.assertEqual((between["against"], between["runs"]), ("direct", ["aaaa10"]))
        self.assertIn("file system: exfat against ext4", between["differs"])
        self.assertIsNone(rows["box", None, "nfs4"]["against_measured"] or None)
        self.assertEqual(rows["box", None, None]["differs"], [])
        self.assertIn("written from slot", self.ulterion("compare").stdout)
        self.assertIn("over the network (nfs4)", " ".join(self.ulterion("compare").stdout.split()))

    def test_made_sets(self) -> None:
        """The same files for the same name, size and seed; as many bytes as asked for; gone afterwards at both ends."""
        for name in sets.SETS:
            planned = list(sets.plan(name, 3_000_000, 7))
            self.assertEqual(sum(p.size for p in planned), 3_000_000)
            self.assertEqual(planned, list(sets.plan(name, 3_000_000, 7)))
            self.assertEqual(len({p.path for p in planned}), len(planned))
        run = self.json_of("copy", "--set", "tree", "--of", "2 MB", "source", "target", "--passes", "2", "--no-ends")[
            "run"
        ]["copied"]
        self.assertEqual((run["set_name"], run["bytes"], run["task"]), ("tree", 2_000_000, "set tree, 2.00 MB"))
        self.assertEqual([*self.source.iterdir(), *self.target.iterdir()], [])
        self.refused("copy", "--set", "tree", "--of", "9000 TB", "source", "target", says="has not the room|too large")
        self.refused("copy", "--of", "2 MB", "source", "target", says="add --set")


class Arrived(CopyCase):
    """What is on the medium, and not what went into memory."""

    @given(st.floats(5e6, 80e6), st.floats(100e6, 900e6), st.floats(50e6, 3e9), st.floats(0, 3e8))
    @settings(max_examples=40, deadline=None)
    def test_progress_is_what_reached_the_device(
        self, device: float, program: float, size: float, memory: float
    ) -> None:
        """A program fills memory at once while a slow device empties it: what is told never runs ahead of the device, nor behind by a second of it."""

        class WorkerPool:
            """Writes into memory until that is full, then as fast as the device; the device works all the while, at something else before."""

            at = 0.0
            before = 1e9

            @property
            def moved(self) -> int:
                return int(min(size, self.at * program, memory + self.at * device))

            @property
            def written(self) -> int:
                return int(self.before + min(size, self.at * device))

            def now(self) -> float:
                return self.at

        workers, told = WorkerPool(), list[tuple[float, int]]()
        pulse = ProgressMeter(workers, lambda seconds, there: told.append((seconds, there)), lambda: workers.written)  # type: ignore[arg-type]
        copying_ends = max(size / program, (size - memory) / device)
        end = max(copying_ends, size / device)
        for step in range(1, 200):
            workers.at = end * step / 199
            pulse()
            self.assertLessEqual(told[-1][1], min(size, workers.at * device) + 1)
        self.assertAlmostEqual(told[-1][1], size, delta=2)
        moved = [min(size, (s + 1) * program, memory + (s + 1) * device) for s in range(int(copying_ends))]
        series = [round(b - a) for a, b in zip([0.0, *moved], moved, strict=False)]
        facts = {
            "number": 1,
            "seconds": max(end, 0.1),
            "flush_seconds": max(0.0, end - copying_ends),
            "files": 1,
            "bytes": int(size),
        }
        old = CopyPass.from_data({**facts, "moved": series})
        kept = CopyPass.from_data({**facts, "moved": series, "arrived": pulse.arrived})
        for number, (known, guessed, into_memory) in enumerate(
            zip(kept.progress, old.progress, accumulate(series), strict=False), 1
        ):
            self.assertLessEqual(known, number * device + end / 199 * device + 2)
            self.assertLessEqual(guessed, into_memory + 2)
        if old.progress:
            self.assertLessEqual(old.progress[-1], size * (1 - old.flush_seconds / old.seconds) + 2)

    def test_a_copy_from_memory_is_no_result(self) -> None:
        """The source's device was hardly asked for what was copied: that is told, and no rate is made of it."""
        self.fill(a=3_000_000, b=500_000)
        counted = [0]
        for read, results in (
            (lambda: counted[0], 0),
            (lambda: counted.__setitem__(0, counted[0] + 3_600_000) or counted[0], 1),
        ):
            with mock.patch.object(run, "meters_of", lambda *_, read=read: Meters(read, None)):
                done = run.copy(self.ours(), Observer())
            (one,) = done.run.copied.passes
            self.assertEqual((len(done.run.rates), one.from_memory), (results, not results))
            self.assertEqual("came from memory instead of the source" in " ".join(done.run.warnings), not results)

    def test_what_was_just_written_is_read_from_the_source(self) -> None:
        """Not flushed when the copy begins: it is flushed first, dropped, and read, as the disk's own counter says."""
        (self.source / "big").write_bytes(random.Random(5).randbytes(24_000_000))
        done = run.copy(self.ours(plain=True), Observer())
        (one,) = done.run.copied.passes
        self.assertEqual(one.from_memory_bytes is None, meter_of(self.source) is None)
        self.assertFalse(one.from_memory, one)
        self.assertEqual(len(done.run.rates), 1)


class Wrong(CopyCase):
    def test_a_byte_changed_behind_its_back_is_found_with_its_place(self) -> None:
        """So is a file that is gone, one that is longer, and one that nobody sent; no figure comes of such a copy."""
        self.fill(a=3_000_000, b=100, c=100)

        def spoil() -> None:
            (top,) = self.target.glob("ulterion-copy-*/files/source")
            path = top / "a"
            times = path.stat()
            with path.open("r+b") as out:
                out.seek(2_345_678)
                byte = out.read(1)
                out.seek(2_345_678)
                out.write(bytes([byte[0] ^ 1]))
            os.utime(path, ns=(times.st_atime_ns, times.st_mtime_ns))
            (top / "b").unlink()
            (top / "extra").write_bytes(b"x")

        done = run.copy(self.ours(), Flip(spoil))
        (one,) = done.run.copied.passes
        told = {r.name: r.what for r in one.wrong}
        self.assertEqual(told["source/a"], "differs from byte 2345678 on")
        self.assertIn("cannot be read back", told["source/b"])
        self.assertEqual(done.run.rates, ())
        self.assertEqual(one.proven_files, 1)

    def test_a_copy_made_by_others_is_held_against_its_source(self) -> None:
        """Nothing is copied; a difference has its file and its place; the sums of the source can be kept."""
        self.fill(a=3_000_000, b=100, c=70)
        shutil.copytree(self.source, self.target / "source", copy_function=shutil.copy2)
        again = self.json_of("copy", "source", "target", "--verify-only", "--manifest", "sums.txt")
        self.assertEqual((again["files"], again["wrong_count"]), (3, 0))
        path = self.target / "source/a"
        times, data = path.stat(), bytearray(path.read_bytes())
        data[1_500_000] ^= 255
        path.write_bytes(data)
        os.utime(path, ns=(times.st_atime_ns, times.st_mtime_ns))
        told = self.json_of("copy", "source", "target", "--verify-only", status=4)["wrong"]
        self.assertEqual(told, [{"name": "source/a", "what": "differs from byte 1500000 on"}])
        self.assertEqual(self.json_of("copy", "target", "--check", "sums.txt", status=4)["files"], 2)
        self.refused("copy", "source", "--verify-only", says="needs the originals and the folder")

    def test_the_reviewers_own_command_looks_at_each_file(self) -> None:
        """What it does not take is no sound copy; one that is not there is refused before anything is copied."""
        (self.source / "good").write_text("clip")
        (self.source / "bad").write_text("noise")
        (one,) = self.copied("--open", "grep -q clip", status=4)["passes"]
        self.assertEqual(one["wrong"], [{"name": "source/bad", "what": "'grep' rejects it (status 1)"}])
        for command, words in (("no-such-command", "is not a command that can be run"), ("grep '", "is not a command")):
            self.refused("copy", "source", "target", "--open", command, says=words)

    def test_an_extra_file_is_found(self) -> None:
        """Also where everything that was sent is there."""
        self.fill(a=100)
        done = run.copy(
            self.ours(), Flip(lambda: next(self.target.glob("ulterion-copy-*/files/source")).joinpath("more").touch())
        )
        self.assertEqual([r.name for r in done.run.copied.passes[0].wrong], ["source/more"])

    def test_a_source_that_changes_is_left_out(self) -> None:
        """While it is read it grows, or becomes shorter: neither is taken for a copy; the rest goes on."""
        self.fill(a=3_000_000, b=3_000_000, c=50)
        real, seen = os.preadv, set()

        def read(fd: int, buffers: list, place: int, *rest: int) -> int:  # type: ignore[type-arg]
            name = Path(f"/proc/self/fd/{fd}").readlink().name
            if name in ("a", "b") and place == 0 and name not in seen:
                seen.add(name)
                with (self.source / name).open("r+b") as out:
                    out.truncate(1000 if name == "a" else 4_000_000)
            return real(fd, buffers, place, *rest)

        with mock.patch.object(os, "preadv", read):
            done = run.copy(self.ours(), Observer())
        told = {r.name: r.what for r in done.run.copied.passes[0].skipped}
        self.assertIn("changed while it was copied", told["source/a"])
        self.assertIn("changed while it was copied", told["source/b"])
        self.assertEqual((done.run.copied.passes[0].files, done.run.copied.passes[0].wrong_count), (1, 0))

    def test_a_target_that_fills_up_ends_the_run(self) -> None:
        """What was copied before is kept, the target is cleared, and the status says that a target failed."""
        self.fill(a=3_000_000)

        def full(*_: object) -> int:
            raise OSError(errno.ENOSPC, os.strerror(errno.ENOSPC))

        for call, more in (("copy_file_range", ()), ("pwrite", ("--plain",))):
            with mock.patch.object(os, call, full):
                failed = self.ulterion("copy", "source", "target", *more)
            self.assertEqual(failed.returncode, 3, failed.stderr)
            self.assertIn("source/a: the target is full (during copy 1)", failed.stderr)
            self.assertEqual(list(self.target.iterdir()), [])

    def test_a_target_that_is_gone_when_it_is_cleared(self) -> None:
        """Also between two copies a target may fail: what was copied before is kept."""
        self.fill(a=100)
        gone = OSError(errno.ENODEV, os.strerror(errno.ENODEV))
        with mock.patch.object(OwnFolder, "emptied", side_effect=gone):
            done = run.copy(self.ours(), Observer())
        self.assertEqual((done.run.state.name, len(done.run.copied.passes)), ("failed", 1))
        self.assertIn("No such device", str(done.failure))

    def test_two_names_that_are_one_on_the_target(self) -> None:
        """Nothing is replaced: the second is left out by name."""
        self.fill(a=10, b=20)
        real = onefile.Copier._open

        def folded(copier: onefile.Copier, folder: int, name: bytes, mode: int) -> int:
            return real(copier, folder, b"a" if name == b"b" else name, mode)

        with mock.patch.object(onefile.Copier, "_open", folded):
            done = run.copy(self.ours(prove=False), Observer())
        (one,) = done.run.copied.passes
        self.assertEqual((one.files, one.skipped_count), (1, 1))
        self.assertIn("has that name", one.skipped[0].what)

    def test_what_cannot_be_is_refused(self) -> None:
        """Before anything is made or written."""
        (self.source / "x").write_bytes(b"1")
        (self.folder / "empty").mkdir()
        for arguments, words in (
            ((), "nothing to copy"), (("source",), "nothing to copy"), (("--from", "direct"), "nothing to copy|no review.toml|which"), (("source", "nowhere"), "is not a folder"), (("none", "target"), "is not there"),
            (("source", "source"), "a copy into itself"), (("empty", "target"), "no file to copy"), (("source", "target", "--check", "m"), "one folder"),
            (("target", "--check", "none"), "cannot be read"), (("source", "source", "target"), "two sources are called 'source'"),
        ):  # fmt: skip
            self.refused("copy", *arguments, says=words)
        self.assertEqual(list(self.target.iterdir()), [])

    def test_killed_at_any_moment(self) -> None:
        """Nothing under its final name that is not whole, the source untouched, the run recovered, and the next copy clears up."""
        self.fill(**{f"d{n % 5}__f{n}": 2000 + 997 * n for n in range(150)})
        before = {p: p.stat().st_mtime_ns for p in self.source.rglob("*")}
        rng = random.Random(5)
        (self.folder / "review.toml").write_text("schema = 2\n")
        for number in range(5):
            how = ("--passes", "1", "--keep", "--no-proof") if number % 2 else ("--passes", "40", "--manifest", "m.txt")
            process = self.start("copy", "source", "target", "--no-ends", *how)
            time.sleep(rng.uniform(0.05, 0.9))
            process.send_signal(signal.SIGKILL)
            process.wait()
            time.sleep(0.05)
            self.assertEqual(
                [p for p in self.target.iterdir() if not OURS.fullmatch(p.name) and p.name != "source"], []
            )
            kept = self.target / "source"
            if kept.exists():
                for path in before:
                    if path.is_file():
                        self.assertEqual((kept / path.relative_to(self.source)).read_bytes(), path.read_bytes())
                shutil.rmtree(kept)
        self.assertEqual({p: p.stat().st_mtime_ns for p in self.source.rglob("*")}, before)
        self.copied()
        self.assertEqual(list(self.target.iterdir()), [])
        runs = [r for r in self.opened().runs() if isinstance(r, CopyRun)]
        self.assertEqual({r.state.name for r in runs}, {"interrupted", "complete"} if len(runs) > 1 else {"complete"})


class Numbers(unittest.TestCase):
    @given(
        st.lists(st.tuples(st.integers(1, 20_000), st.integers(1, 10**7)), min_size=4, max_size=12),
        st.floats(1e-5, 0.01),
        st.floats(1e6, 3e9),
    )
    @settings(max_examples=60, deadline=None)
    def test_the_cost_is_found(self, copies: list[tuple[int, int]], per_file: float, rate: float) -> None:
        """From exact copies the very cost that made them, or none where they are all of one kind."""
        told = [(files, files * mean, files * per_file + files * mean / rate) for files, mean in set(copies)]
        cost = cost_of(told)
        if cost is None:
            means = [size / files for files, size, _ in told]
            self.assertTrue(len(told) < 3 or max(means) <= 4 * min(means))
            return
        for files, size, seconds in told:
            self.assertAlmostEqual(cost.seconds(files, size) / seconds, 1, places=5)

    def test_copies_of_one_folder_are_one(self) -> None:
        """Ten passes over a folder say no more of other folders than their mean does; the interval holds what it says."""
        rng, held = random.Random(8), 0
        for _ in range(400):
            told = []
            for files, size in ((1, 400e6), (15, 300e6), (1993, 60e6)):
                true = (files * 4e-4 + size / 3e8) * math.exp(rng.gauss(0, 0.08))
                told += [(files, round(size), true * math.exp(rng.gauss(0, 0.01))) for _ in range(10)]
            cost = cost_of(told)
            assert cost is not None
            self.assertEqual(cost.copies, 3)
            low, high = cost.between(40, 250_000_000)
            held += low <= (40 * 4e-4 + 250e6 / 3e8) * math.exp(rng.gauss(0, 0.08)) <= high
        self.assertGreater(held / 400, 0.87)

    def test_nothing_is_foretold_far_from_what_was_copied(self) -> None:
        """A cost covers files of sizes near those it rests on."""
        cost = Cost(1e-4, 1e8, 0.02, 3, 5, least=1e4, most=1e8)
        self.assertTrue(cost.covers(100, 100 * 10_000))
        self.assertFalse(cost.covers(100, 100 * 1_000))
        low, high = cost.between(1000, 10**9)
        self.assertTrue(low < cost.seconds(1000, 10**9) < high)

    def test_the_slow_end_is_named_only_where_it_shows(self) -> None:
        """By each end alone."""
        for (copied, source, target), end in (((400e6, 412e6, 931e6), "source"), ((90e6, 900e6, 95e6), "target"), ((300e6, 700e6, 720e6), "neither"),
                                              ((650e6, 700e6, 720e6), "both"), ((800e6, 900e6, 95e6), "neither")):  # fmt: skip
            self.assertEqual(slow_end(copied, source, target), end)
        self.assertEqual(slow_end(60e6, 152e6, 97e6, one_drive=True), "one drive")
        self.assertEqual(slow_end(20e6, 152e6, 97e6, one_drive=True), "neither")
        self.assertEqual([class_of(s) for s in (0, 2**14, 2**26)], ["below 16 KiB", "below 256 KiB", "64 MiB and more"])


class Manifests(FolderCase):
    @given(st.binary(min_size=1, max_size=80), st.integers(0, 2**62), st.integers(-(2**62), 2**62))
    @settings(max_examples=80, deadline=None)
    def test_any_name_comes_back(self, path: bytes, size: int, modified: int) -> None:
        """Paths of any bytes that stay in their folder; others are refused."""
        out = self.folder / "m"
        with out.open("wb+") as file:
            writer = manifest.Writer(file, "a test")
            line = manifest.Line(path, size, modified, "0" * 32)
            writer.add(line)
            writer.end()
            file.seek(0)
            leads_out = path.startswith(b"/") or b".." in path.split(b"/") or b"\0" in path
            if leads_out:
                with self.assertRaises(UsageError):
                    list(manifest.read(file, "m"))
            else:
                self.assertEqual(list(manifest.read(file, "m")), [line])

    def test_what_is_cut_off_or_changed_is_refused(self) -> None:
        """Half a manifest is none; nor is another file, or one whose end does not count right."""
        out = self.folder / "m"
        with out.open("wb+") as file:
            writer = manifest.Writer(file, "a test")
            for n in range(3):
                writer.add(manifest.Line(b"f%d" % n, n, n, f"{n:032x}"))
            writer.end()
        whole = out.read_bytes()
        lines = whole.splitlines(keepends=True)
        for text, words in ((whole[: len(whole) // 2], "line of a manifest|incomplete"), (b"".join(lines[:-1]), "incomplete"), (b"x", "not an Ulterion manifest"),
                            (b"".join([*lines[:2], lines[-1]]), "inconsistent"), (whole + b"more\n", "inconsistent")):  # fmt: skip
            out.write_bytes(text)
            with out.open("rb") as file, self.assertRaisesRegex(UsageError, words):
                list(manifest.read(file, "m"))


if __name__ == "__main__":
    unittest.main()
