"""What soaks say, kept: never another soak's, never of other code, and nothing but that is read."""

from __future__ import annotations

import copy
import os
import pickle
from dataclasses import replace
from pathlib import Path
from unittest import mock

import numpy as np

from tests.core.test_documents import at, places, put
from tests.support import BENCH, WARM, FolderCase
from ulterion.core.documents.plain import plain
from ulterion.core.soak.findings import analyse
from ulterion.features.soak import kept_findings as kept
from ulterion.features.soak.kept_findings import kept_findings
from ulterion.model.runs.document import parse_run
from ulterion.model.runs.soak import SoakRun


class Kept(FolderCase):
    def setUp(self) -> None:
        super().setUp()
        self.enterContext(mock.patch.dict(os.environ, XDG_CACHE_HOME=str(self.folder / "cache")))
        self.analysed = self.enterContext(mock.patch.object(kept, "analyse", side_effect=analyse))

    def soak(self) -> SoakRun:
        self.review(bench=BENCH + WARM)
        self.ulterion("soak", "--setup", "direct", "--for", "2m", "--idle", "30 s", "--cool", "30 s")
        (run,) = self.opened().runs()
        assert isinstance(run, SoakRun)
        return run

    def files(self) -> list[Path]:
        return sorted((self.folder / "cache/ulterion/soaks").iterdir())

    def test_it_is_made_once_and_is_the_same(self) -> None:
        run = self.soak()
        made = self.analysed.call_count
        self.assertEqual(kept_findings(run, 21.0), analyse(run.trace(), 21.0))
        self.assertEqual(kept_findings(run, 21.0), analyse(run.trace(), 21.0))
        self.assertEqual(self.analysed.call_count, made + 1)

    def test_whatever_changes_is_analysed_anew(self) -> None:
        """A number of any series, a fact, the room, a sensor's name, the code: each has a file of its own."""
        run = self.soak()
        kept_findings(run, 21.0)
        made = self.analysed.call_count
        load = run.soak.phases[1]
        moved = [*load.bytes[:100], load.bytes[100] + 1, *load.bytes[101:]]
        sensors = {"case": load.sensors["drive"]}
        others = [
            *(run.changed(soak=run.soak.changed(phases=[run.soak.phases[0], load.changed(**change), *run.soak.phases[2:]]))
              for change in ({"bytes": moved}, {"start": load.start + 1e-9}, {"sensors": sensors}, {"sensors": {}})),
            run.changed(soak=run.soak.changed(sensors=[s.changed(limit=70.0) for s in run.soak.sensors])),
            run.changed(soak=run.soak.changed(workload=replace(run.soak.workload, depth=5))),
            run.changed(target=replace(run.target, rotational=True)),
        ]  # fmt: skip
        for number, other in enumerate(others, 1):
            self.assertEqual(kept_findings(other, 21.0), analyse(other.trace(), 21.0))
            self.assertEqual(self.analysed.call_count, made + number)
        kept_findings(run, 22.0)
        with mock.patch.object(kept, "_code", return_value="of tomorrow"):
            kept_findings(run, 21.0)
        self.assertEqual(self.analysed.call_count, made + len(others) + 2)

    def test_every_value_is_in_the_digest(self) -> None:
        """Whichever one value of a soak is another, or missing: it is another digest, and the same soak's is the same."""
        run = self.soak()
        data, seen = plain(run.soak), {kept._digest(run, 21.0)}
        self.assertEqual({kept._digest(parse_run(run.to_bytes(), "x"), 21.0)}, seen)  # type: ignore[arg-type]
        told = [p for p in places(data) if len(p) < 4 or p[-1] in (0, 100)]
        for place in told:
            value = at(data, place)
            other = copy.deepcopy(data)
            put(
                other,
                place,
                f"{value}+" if isinstance(value, str) else not value if isinstance(value, bool) else value + 1,
            )  # type: ignore[operator]
            with mock.patch.object(kept, "plain", return_value=other):
                seen.add(kept._digest(run, 21.0))
        self.assertEqual(len(seen), len(told) + 1)
        self.assertGreater(len(told), 40)

    def test_the_digest_of_the_code(self) -> None:
        """One letter in a file of the core, as long as before and of the same time, makes another; so does a new NumPy."""
        core = self.folder / "core"
        file = core / "stats/one.py"
        file.parent.mkdir(parents=True)
        file.write_text("a = 1")
        times = file.stat()
        with mock.patch.object(kept, "CORE", core):
            first = kept._code.__wrapped__()
            self.assertEqual(kept._code.__wrapped__(), first)
            file.write_text("a = 2")
            os.utime(file, ns=(times.st_atime_ns, times.st_mtime_ns))
            self.assertNotEqual(kept._code.__wrapped__(), first)
            file.write_text("a = 1")
            with mock.patch.object(kept, "_numpy_version", return_value="of tomorrow"):
                self.assertNotEqual(kept._code.__wrapped__(), first)

    def test_what_else_lies_there(self) -> None:
        """Cut off, empty, or a file that would do something: the soak is analysed, and nothing else happens."""
        run = self.soak()
        wanted = kept_findings(run, None)

        class Evil:
            def __reduce__(self) -> tuple[object, tuple[str]]:
                return os.system, ("touch evil",)

        (file,) = (f for f in self.files() if pickle.loads(f.read_bytes()) == wanted)
        whole = file.read_bytes()
        for data in (
            whole[:100],
            b"",
            b"\x80",
            pickle.dumps(Evil()),
            pickle.dumps(np.float64(3)),
            pickle.dumps("words"),
        ):
            file.write_bytes(data)
            self.assertEqual(kept_findings(run, None), wanted)
            self.assertEqual(file.read_bytes(), whole)
        self.assertFalse(Path("evil").exists())

    def test_a_folder_that_others_may_write_to(self) -> None:
        run = self.soak()
        kept_findings(run, 21.0)
        made = self.analysed.call_count
        (self.folder / "cache/ulterion/soaks").chmod(0o777)
        for _ in range(2):
            kept_findings(run, 21.0)
        self.assertEqual(self.analysed.call_count, made + 2)

    def test_the_oldest_go(self) -> None:
        run = self.soak()
        with mock.patch.object(kept, "MOST", 3):
            for room in range(6):
                kept_findings(run, float(room))
        self.assertLessEqual(len(self.files()), 3)
