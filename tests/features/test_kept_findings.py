"""What soaks say, kept: never another soak's, never of other code, and nothing but that is read."""

from __future__ import annotations

import os
import pickle
from dataclasses import replace
from pathlib import Path
from unittest import mock

import numpy as np

from tests.support import BENCH, WARM, FolderCase
from ulterion.core.soak.findings import analyse
from ulterion.core.soak.trace import Trace
from ulterion.features.soak import kept_findings as kept
from ulterion.features.soak.kept_findings import kept_findings
from ulterion.model.runs.soak import SoakRun


class Kept(FolderCase):
    def setUp(self) -> None:
        super().setUp()
        self.enterContext(mock.patch.dict(os.environ, XDG_CACHE_HOME=str(self.folder / "cache")))
        self.analysed = self.enterContext(mock.patch.object(kept, "analyse", side_effect=analyse))

    def trace(self) -> Trace:
        self.review(bench=BENCH + WARM)
        self.assertEqual(self.ulterion("soak", "--setup", "direct", "--for", "11m", "--idle", "1m").returncode, 0)
        (run,) = self.opened().runs()
        assert isinstance(run, SoakRun)
        return run.trace()

    def files(self) -> list[Path]:
        return sorted((self.folder / "cache/ulterion/soaks").iterdir())

    def test_it_is_made_once_and_is_the_same(self) -> None:
        trace = self.trace()
        made = self.analysed.call_count
        self.assertEqual(kept_findings(trace, 21.0), analyse(trace, 21.0))
        self.assertEqual(kept_findings(trace, 21.0), analyse(trace, 21.0))
        self.assertEqual(self.analysed.call_count, made + 1)

    def test_whatever_changes_is_analysed_anew(self) -> None:
        """A number of any series, a fact, the room, a sensor's name, the code: each has a file of its own."""
        trace = self.trace()
        kept_findings(trace, 21.0)
        made = self.analysed.call_count
        rate = trace.rate.copy()
        rate[200] *= 1.0000001
        others = [
            replace(trace, rate=rate),
            replace(trace, limit=70.0),
            replace(trace, depth=5),
            replace(trace, at=trace.at + 1e-9),
        ]
        others += [replace(trace, sensors={"case": trace.sensors["drive"]}), replace(trace, sensors={})]
        for number, other in enumerate(others, 1):
            self.assertEqual(kept_findings(other, 21.0), analyse(other, 21.0))
            self.assertEqual(self.analysed.call_count, made + number)
        kept_findings(trace, 22.0)
        with mock.patch.object(kept, "_code", return_value="of tomorrow"):
            kept_findings(trace, 21.0)
        self.assertEqual(self.analysed.call_count, made + len(others) + 2)

    def test_what_else_lies_there(self) -> None:
        """Cut off, empty, or a file that would do something: the soak is analysed, and nothing else happens."""
        trace = self.trace()
        wanted = kept_findings(trace, None)

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
            self.assertEqual(kept_findings(trace, None), wanted)
            self.assertEqual(file.read_bytes(), whole)
        self.assertFalse(Path("evil").exists())

    def test_a_folder_that_others_may_write_to(self) -> None:
        trace = self.trace()
        made = self.analysed.call_count
        (self.folder / "cache/ulterion/soaks").chmod(0o777)
        for _ in range(2):
            kept_findings(trace, 21.0)
        self.assertEqual(self.analysed.call_count, made + 2)

    def test_the_oldest_go(self) -> None:
        trace = self.trace()
        with mock.patch.object(kept, "MOST", 3):
            for room in range(6):
                kept_findings(trace, float(room))
        self.assertLessEqual(len(self.files()), 3)
