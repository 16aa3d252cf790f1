"""Capacity: fakes of every kind and honest memories, proven and looked at quickly; files on this machine's disk; what claims make of it."""

from __future__ import annotations

import datetime
import json
import random
import re
import signal
import time
import unittest
from typing import Any
from unittest import mock

from hypothesis import given, settings
from hypothesis import strategies as st

from tests.support import BENCH, PEAK_READ, FolderCase, simulate
from ulterion.core.capacity import UNIT, Capacity, Tally, only_read, proven
from ulterion.core.errors import TargetFailed
from ulterion.engine.capacity import media, proof
from ulterion.engine.capacity.proof import PIECE, Scribe, quick_look
from ulterion.features.capacity import media as capacity_media
from ulterion.features.capacity import run as capacity_run
from ulterion.features.capacity.media import CapacityRequest
from ulterion.model.runs.capacity import CapacityRun
from ulterion.run.observers import Observer
from ulterion.run.place import Place
from ulterion.sim.memory import Memory as SimMemory


class Memory:
    """A memory of some units that answers for more: honest, or it wraps, or it swallows; some units may be bad."""

    def __init__(self, units: int, real: int, kind: str, bad: frozenset[int] = frozenset()) -> None:
        self.size, self.real, self.kind, self.bad = units * UNIT, real, kind, bad
        self.held: dict[int, bytes] = {}

    def _at(self, unit: int) -> int | None:
        if self.kind == "honest" or unit < self.real:
            return unit
        return unit % self.real if self.kind == "wraps" else None

    def write(self, place: int, data: memoryview) -> None:
        for index in range(len(data) // UNIT):
            unit = self._at(place // UNIT + index)
            if unit is not None:
                self.held[unit] = b"\x55" * UNIT if unit in self.bad else bytes(data[index * UNIT : (index + 1) * UNIT])

    def read(self, place: int, into: memoryview) -> int:
        for index in range(len(into) // UNIT):
            unit = self._at(place // UNIT + index)
            into[index * UNIT : (index + 1) * UNIT] = bytes(UNIT) if unit is None else self.held.get(unit, bytes(UNIT))
        return len(into)

    def flush(self) -> None:
        """It keeps nothing back."""


def small() -> mock._patch:  # type: ignore[type-arg]
    """A quick look that is quick on the small memories of tests too."""
    return mock.patch.multiple(proof, MIN_BEGINNING=2**16, DRIVEN_OUT=2**18)


class Fakes(unittest.TestCase):
    def look(self, memory: Memory, key: int) -> Capacity:
        with small():
            return quick_look(Scribe(memory, key))

    def prove(self, memory: Memory, key: int) -> Capacity:
        scribe, tally, units = Scribe(memory, key), Tally(), memory.size // UNIT
        scribe.write(0, units)
        scribe.check(0, units, tally)
        return proven(tally, memory.size, units)

    def test_every_fake_is_found_and_no_honest_one_accused(self) -> None:
        """Wrap-rounds at any size and ends at any place, by the quick look and by the proof, with their true size; honest ones by both."""
        rng = random.Random(15)
        for number in range(45):
            units, kind = rng.randrange(1500, 6000), ("wraps", "swallows", "honest")[number % 3]
            real = rng.randrange(60, units - 1)
            quick, full = (look(Memory(units, real, kind), number + 1) for look in (self.look, self.prove))
            wanted = {"honest": "whole"}.get(kind, kind)
            self.assertEqual((quick.finding, full.finding), (wanted, wanted), (kind, real, units))
            if kind != "honest":
                self.assertEqual(full.real, real * UNIT)
            if kind == "wraps":
                self.assertEqual(quick.real, real * UNIT)

    @given(st.sets(st.integers(0, 999), min_size=1, max_size=30), st.integers(1, 2**60))
    @settings(max_examples=15, deadline=None)
    def test_bad_places_are_counted_one_by_one(self, bad: set[int], key: int) -> None:
        """Silent ones, wherever they are."""
        if bad == set(range(min(bad), 1000)):
            return  # all of the end: that is an end
        found = self.prove(Memory(1000, 1000, "honest", frozenset(bad)), key)
        self.assertEqual((found.finding, found.lost), ("bad areas", len(bad) * UNIT))

    def test_reading_alone_suspects_what_repeats_itself(self) -> None:
        """A fake with files on it is suspected at its true size; an honest memory, and an empty one, are not."""
        rng = random.Random(3)
        for kind, real, wanted in (
            ("wraps", 2048, "suspected"),
            ("honest", 8192, "unproven"),
            ("empty", 8192, "unproven"),
        ):
            memory = Memory(8192, real, "honest" if kind == "empty" else kind)
            for unit in range(0 if kind == "empty" else real):
                memory.held[unit] = rng.randbytes(UNIT)
            found = only_read(memory.size, proof.repeats(memory, 1))
            self.assertEqual((found.finding, found.real), (wanted, real * UNIT if wanted == "suspected" else None))

    def test_what_gives_errors_is_a_bad_area_and_what_is_gone_is_gone(self) -> None:
        """Errors of reading and of writing are laid to pieces of 64 KiB; where nothing answers any more, that is raised."""

        class Failing(Memory):
            broken: frozenset[int] = frozenset(range(2000, 2016)) | {3000}
            gone = False

            def write(self, place: int, data: memoryview) -> None:
                if self.gone or place == 4096 * UNIT:  # one block is refused
                    raise TargetFailed("Input/output error")
                super().write(place, data)

            def read(self, place: int, into: memoryview) -> int:
                if self.gone or self.broken & set(range(place // UNIT, (place + len(into)) // UNIT)):
                    raise TargetFailed("Input/output error")
                return super().read(place, into)

        memory = Failing(6000, 6000, "honest")
        scribe, tally = Scribe(memory, 7), Tally()
        scribe.write(0, 6000)
        scribe.check(0, 6000, tally)
        self.assertEqual((tally.unreadable, tally.nothing, tally.sound), (32, 1024, 6000 - 32 - 1024))
        self.assertEqual(proven(tally, memory.size, 6000).finding, "bad areas")
        memory.gone = True
        for name, told in (("write", (0, 1)), ("check", (0, 1, tally)), ("one", (0,))):
            with self.assertRaises(TargetFailed):
                getattr(scribe, name)(*told)

    def test_reads_that_fail_once_are_no_bad_areas(self) -> None:
        """They are told; what fails again and again is a bad area, beside them."""

        class Hesitant(Memory):
            failing: dict[int, int] = {100: 1, 1500: 2, 3000: 99}

            def read(self, place: int, into: memoryview) -> int:
                for unit in range(place // UNIT, (place + len(into)) // UNIT):
                    if self.failing.get(unit, 0) > 0:
                        self.failing[unit] -= len(into) <= PIECE  # halves of a block are no second try
                        raise TargetFailed("Input/output error")
                return super().read(place, into)

        found = self.prove(Hesitant(6000, 6000, "honest"), 5)
        self.assertEqual((found.finding, found.lost), ("bad areas", 16 * UNIT))
        self.assertIn("2 reads failed at first and worked when retried", found.words)

    def test_mirrored_and_crossed_memories_do_not_wrap(self) -> None:
        """An address line that does nothing, or two that are one: no modulus explains it, so none is named; what came back sound is."""

        class Crossed(Memory):
            way = "mirrored"

            def _at(self, unit: int) -> int:
                if self.way == "mirrored":
                    return unit & ~(1 << 7)  # line 7 does nothing
                return unit & ~0b11 | 0b11 * bool(unit & 0b11)  # two lines touch

        for way in ("mirrored", "touching"):
            memory = Crossed(4096, 4096, "crossed")
            memory.way = way
            found = self.prove(memory, 9)
            self.assertEqual(found.finding, "bad areas", way)
            self.assertIn("mirrored or crossed", found.words)
            self.assertEqual(
                found.real, sum(memory.held[memory._at(u)][8:16] == u.to_bytes(8, "little") for u in range(4096)) * UNIT
            )

    def test_the_quick_look_says_what_it_cannot_see(self) -> None:
        """A fake that keeps its last writes in a buffer passes when the buffer is larger than is said, and no smaller one does."""

        class Buffered(Memory):
            room = 0

            def __init__(self, units: int, real: int, room: int) -> None:
                super().__init__(units, real, "swallows")
                self.room, self.last = room, dict[int, bytes]()

            def write(self, place: int, data: memoryview) -> None:
                super().write(place, data)
                for index in range(len(data) // UNIT):
                    self.last.pop(place // UNIT + index, None)
                    self.last[place // UNIT + index] = bytes(data[index * UNIT : (index + 1) * UNIT])
                while len(self.last) > self.room:
                    self.last.pop(next(iter(self.last)))

            def read(self, place: int, into: memoryview) -> int:
                super().read(place, into)
                for index in range(len(into) // UNIT):
                    kept = self.last.get(place // UNIT + index)
                    if kept is not None:
                        into[index * UNIT : (index + 1) * UNIT] = kept
                return len(into)

        class Written(Memory):
            def __init__(self) -> None:
                super().__init__(6000, 6000, "honest")
                self.lengths: list[int] = []

            def write(self, place: int, data: memoryview) -> None:
                super().write(place, data)
                self.lengths.append(len(data) // UNIT)

        written = Written()
        said = self.look(written, 3)
        match = re.search(r"buffers more than (\d+) KiB", said.words)
        assert match is not None
        limit = int(match[1]) * 1024 // UNIT
        samples = [at for at, units in enumerate(written.lengths) if units == 1]
        self.assertEqual(limit, sum(written.lengths[samples[-1] + 1 :]), "what came after the last sample")
        for room, finding in ((limit // 2, "swallows"), (limit - 1, "swallows"), (limit * 20, "whole")):
            self.assertEqual(self.look(Buffered(6000, 2000, room), 4).finding, finding, room)

    def test_what_an_earlier_proof_left_is_no_proof(self) -> None:
        """The units of another key are not ours, even in their own place."""
        memory = Memory(200, 200, "honest")
        Scribe(memory, 1).write(0, 200)
        tally = Tally()
        Scribe(memory, 2).check(0, 200, tally)
        self.assertEqual((tally.sound, tally.damaged), (0, 200))


class Rooms(FolderCase):
    """The free room of a folder: told to be small, for the disk under the tests is not theirs to fill."""

    def setUp(self) -> None:
        super().setUp()
        self.store, self.drive = self.review(), self.folder / "drive"
        self.drive.mkdir()

    def asked(self, setup: str | None = None) -> CapacityRequest:
        return CapacityRequest(Place(self.store, self.folder, str(self.drive), setup))

    def room(self, free: int) -> mock._patch:  # type: ignore[type-arg]
        facts = mock.Mock(f_blocks=free, f_bavail=free, f_frsize=1)
        return mock.patch.object(capacity_media.os, "statvfs", return_value=facts)  # type: ignore[attr-defined]

    def test_the_free_room_is_proven_and_given_back(self) -> None:
        """Several files, all sound; the folder as empty as before; the run in the review, with both rates."""
        with self.room(80 * 2**20), mock.patch.object(media, "PART", 2**24):
            done = capacity_run.prove(self.asked("box"), Observer())
        one = done.run.capacity
        self.assertEqual((one.finding, one.wrong_bytes, one.sound_bytes), ("whole", 0, 64 * 2**20))
        self.assertTrue(done.run.cache_bypassed)
        self.assertGreater(min(one.write_seconds or 0, one.read_seconds or 0), 0)
        self.assertEqual(list(self.drive.iterdir()), [])
        self.assertEqual([r.id for r in self.opened().runs() if isinstance(r, CapacityRun)], [done.run.id])

    def test_a_file_system_that_bypasses_no_cache_is_told(self) -> None:
        """The proof is made all the same, and the run says that reading may have come from memory."""
        with self.room(48 * 2**20), mock.patch.object(media.FilesMedium, "bypasses", return_value=False):
            done = capacity_run.prove(self.asked(), Observer())
        self.assertFalse(done.run.cache_bypassed)
        self.assertIn("refuses to bypass", " ".join(done.run.warnings))
        self.assertEqual(done.run.capacity.finding, "whole")

    def test_bytes_changed_behind_its_back_are_told(self) -> None:
        """With their place and their size."""

        class Spoil(Observer):
            def stage(self, what: str, size: int) -> None:
                if what.startswith("reading"):
                    (part,) = drive.glob("ulterion-proof-*/files/part00000")
                    with part.open("r+b") as out:
                        out.seek(5 * UNIT + 17)
                        out.write(b"!")

        drive = self.drive
        with self.room(48 * 2**20):
            done = capacity_run.prove(self.asked(), Spoil())
        one = done.run.capacity
        self.assertEqual((one.finding, one.wrong_bytes, one.stretches[0].first), ("bad areas", UNIT, 5 * UNIT))

    def test_a_proof_decides_the_claim(self) -> None:
        """Met by a whole device, missed by a fake; the free room alone proves what it holds."""
        self.write(
            "review.toml",
            (self.folder / "review.toml")
            .read_text()
            .replace('read = "3000 MB/s"', 'read = "3000 MB/s"\ncapacity = "1 GB"'),
        )
        store = self.opened()
        simulate(store, "direct", [PEAK_READ])
        with self.room(48 * 2**20):
            done = capacity_run.prove(self.asked("direct"), Observer())
        (row,) = (c for c in self.json_of("claims")["claims"] if c["claim"] == "capacity")
        self.assertEqual(row["verdict"], "reported")
        self.assertIn("of it were free and are proven", row["why"])
        for changes, verdict in (({"sound_bytes": 10**9, "method": "whole device", "real_bytes": 10**9}, "met"),
                                 ({"finding": "bad areas", "sound_bytes": 10**9 - 4096, "method": "whole device", "real_bytes": 10**9 - 4096}, "met"),
                                 ({"finding": "bad areas", "sound_bytes": 9 * 10**8, "method": "whole device", "real_bytes": 9 * 10**8}, "missed"),
                                 ({"finding": "wraps", "real_bytes": 10**8, "summary": "it wraps round at 100 MB"}, "missed")):  # fmt: skip
            run = done.run.changed(capacity=done.run.capacity.changed(**changes))
            store.save(run)
            (row,) = (c for c in self.json_of("claims")["claims"] if c["claim"] == "capacity")
            self.assertEqual(row["verdict"], verdict)
        self.assertAlmostEqual(row["share"], 0.1)
        one = done.run.capacity.changed(finding="whole", method="quick look", real_bytes=10**9)
        later = done.run.started + datetime.timedelta(hours=1)
        store.save(done.run.changed(id="abcdef", started=later, capacity=one))  # proves less than what was found before
        (row,) = (c for c in self.json_of("claims")["claims"] if c["claim"] == "capacity")
        self.assertEqual((row["verdict"], row["run"]), ("missed", done.run.id))

    def test_a_stop_gives_the_room_back_and_keeps_the_run(self) -> None:
        """Ctrl-C while it is written: nothing stays, the run says where it was stopped."""
        process = self.start("capacity", str(self.drive), "--review", ".", "--setup", "box", "--json")
        until = time.monotonic() + 30
        while not list(self.drive.glob("ulterion-proof-*/files/part*")) and time.monotonic() < until:
            time.sleep(0.02)
        time.sleep(0.2)
        process.send_signal(signal.SIGINT)
        self.assertEqual(process.wait(), 130)
        self.assertEqual(list(self.drive.iterdir()), [])
        (run,) = (r for r in self.opened().runs() if isinstance(r, CapacityRun))
        self.assertEqual((run.capacity.finding, run.state.name), ("stopped", "interrupted"))

    def test_what_cannot_be_is_refused(self) -> None:
        """A folder that is none, a quick look at files, a permit for a folder, a simulated setup, no room."""
        for arguments, words in (
            (("nowhere",), "neither a folder nor a device"), (("drive", "--quick"), "needs the raw device"), (("drive", "--overwrite", "X"), "for raw devices"),
            (("drive", "--resume"), "not left full"), ((), "nothing to prove"),
        ):  # fmt: skip
            self.refused("capacity", *arguments, says=words)
        with self.room(2**20):
            self.refused("capacity", "drive", says="too little to prove")


class Simulated(FolderCase):
    """Memories of the simulated bench: the whole command in virtual time."""

    def bench(self, drive: str = "", faults: str = "") -> None:
        told = f'model = "Test Drive"\ncapacity = "64 GB"\n{drive}'
        self.store = self.review(
            bench=BENCH.replace('model = "Test Drive"', told).replace('capacity = "1 TB"', "") + faults
        )

    def proof(self, *arguments: str, status: int = 0) -> Any:
        done = self.ulterion("capacity", "--setup", "direct", *arguments, "--review", ".", "--json")
        self.assertEqual(done.returncode, status, done.stderr)
        return json.loads(done.stdout)["run"]["capacity"]

    def test_each_kind_is_found_with_its_size(self) -> None:
        """Wrapping, swallowing, bad places, honest: by the proof, and by the quick look what it promises."""
        for drive, finding, real in (
            ('real_capacity = "15123456789 B"', "wraps", 15123456789 // UNIT * UNIT),
            ('real_capacity = "20 GB"\nswallows = true', "swallows", 20 * 10**9 // UNIT * UNIT),
            ('bad_areas = [{at = "4 GiB", size = "8 KiB"}, {at = "40 GiB", size = "1 MiB"}]', "bad areas", None),
            ("", "whole", 64 * 10**9),
        ):
            self.bench(drive)
            status = 0 if finding == "whole" else 4
            full, quick = (
                self.proof(status=status),
                self.proof("--quick", status=0 if finding == "bad areas" else status),
            )
            self.assertEqual((full["finding"], full["method"]), (finding, "whole device"))
            self.assertEqual(quick["finding"], "whole" if finding == "bad areas" else finding)
            if real is not None:
                self.assertEqual(full["real_bytes"], real)
            else:
                self.assertEqual((full["damaged_bytes"], len(full["stretches"])), (4096 * 258, 2))
        self.assertAlmostEqual(full["write_seconds"], 64e9 / 2e9, delta=0.5)  # what the bench says it writes
        self.assertEqual((sum(full["wrote"]), sum(full["read"])), (64 * 10**9, 64 * 10**9))
        # what was written counts as such for what is measured next
        measured = simulate(self.opened(), "direct", passes=1).run
        assert measured.before is not None
        self.assertGreaterEqual(measured.before.recent_bytes, 64 * 10**9)

    def test_a_proof_that_was_cut_off_goes_on(self) -> None:
        """Pulled out twice: each part begins where the last was on the medium; together they say what one would have."""
        self.bench('real_capacity = "20 GB"', '[[faults]]\npart = "drive"\nwhat = "pulled out"\nafter = "25 s"\n')
        first = self.proof(status=3)
        self.assertEqual((first["finding"], first["read_bytes"]), ("stopped", 0))
        self.assertGreater(first["written_bytes"], 20 * 10**9)
        parts = [first]
        while parts[-1]["finding"] == "stopped":
            parts.append(self.proof("--resume", status=3 if len(parts) < 2 else 4))
        whole, last = parts[-1], parts[-2]
        self.assertEqual((whole["key"], whole["finding"], whole["read_bytes"]), (first["key"], "wraps", 64 * 10**9))
        self.assertEqual(whole["real_bytes"], 20 * 10**9 // UNIT * UNIT)
        self.assertGreaterEqual(last["written_bytes"] + last["read_bytes"], first["written_bytes"])
        self.refused("capacity", "--setup", "direct", "--resume", says="that was cut off can be resumed")


class Places(unittest.TestCase):
    @given(
        st.lists(st.tuples(st.integers(0, 39), st.integers(1, 12)), max_size=12),
        st.integers(3, 40), st.booleans(), st.lists(st.tuples(st.integers(0, 39), st.integers(1, 5)), max_size=3),
    )  # fmt: skip
    @settings(max_examples=200, deadline=None)
    def test_stretches_say_what_cell_after_cell_would(
        self, writes: list[tuple[int, int]], real: int, swallows: bool, bad: list[tuple[int, int]]
    ) -> None:
        """Against a memory that keeps each unit by itself, written in any order."""
        memory = SimMemory(40 * UNIT, real * UNIT, swallows=swallows, bad=[(a * UNIT, n * UNIT) for a, n in bad])
        cells: dict[int, int] = {}
        for first, count in writes:
            count = min(count, 40 - first)
            memory.write(first, count)
            for place in range(first, first + count):
                if place < real or not swallows:
                    cells[place % real] = place
        spoiled = {c for a, n in bad for c in range(a, a + n)}
        for place in range(40):
            cell = place % real if place < real or not swallows else None
            wanted = None if cell is None else "bad" if cell in spoiled else cells.get(cell)
            (found,) = memory.read(place, 1)
            self.assertEqual(found.owner, wanted)
        told = {
            s.first + i: s.owner + i if isinstance(s.owner, int) else s.owner
            for s in memory.read(0, 40)
            for i in range(s.count)
        }
        self.assertEqual(told, {p: next(memory.read(p, 1)).owner for p in range(40)})


if __name__ == "__main__":
    unittest.main()
