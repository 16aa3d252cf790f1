"""What several tests need: the installed program, a throw-away folder, and reviews on the simulated bench."""

from __future__ import annotations

import contextlib
import fcntl
import io
import json
import os
import shutil
import subprocess
import sys
import tempfile
import time
import unittest
from collections.abc import Sequence
from contextlib import nullcontext
from dataclasses import fields
from functools import cache
from pathlib import Path
from typing import Any
from unittest import mock

import jsonschema

from tests.__main__ import SHARED
from tests.running import LONGEST, Running
from ulterion.cli import answer_schema
from ulterion.cli.main import main
from ulterion.core.workloads.workload import Workload, parse_workload
from ulterion.features.measure.run import measure
from ulterion.model.runs.measure import MeasureRun
from ulterion.model.store import ReviewFolder
from ulterion.run.observers import Kept, Observer
from ulterion.run.place import Place
from ulterion.run.requests import MeasureRequest, TargetOptions
from ulterion.show.answers import NAME, VERSION
from ulterion.terminal.environment import Environment

PROGRAM = Path(sys.executable).with_name("ulterion")
PEAK_READ = parse_workload("sequential read 4 MiB depth 4")

BENCH = """
schema = 2
[bench]
host = "testbench"
seed = 7
epoch = 2026-01-01T00:00:00Z
[ports."b:fast"]
link = "PCIe 4.0 x4"
[ports."b:usb"]
link = "USB 10 Gb/s"
[parts.drive]
model = "Test Drive"
serial = "T-1"
capacity = "1 TB"
link = "PCIe 4.0 x4"
read = "3000 MB/s"
write = "2000 MB/s"
read_wait = "60 µs"
write_wait = "20 µs"
parallel = 32
noise = "0.5%"
small_noise = "3%"
[parts.box]
link = "USB 10 Gb/s"
driver = "uas"
transport = "USB"
read = "1000 MB/s"
write = "990 MB/s"
"""

WARM = """
[parts.drive.heat]
idle = "0.5 W"
awake = "1.5 W"
writing = "3 W"
capacity = "8 J/K"
to_case = "4 K/W"
limit = "80 °C"
"""
"""A drive that warms, for the bench above."""

REVIEW = """
schema = 2
[ports."b:fast"]
link = "PCIe 4.0 x4"
[ports."b:usb"]
link = "USB 10 Gb/s"
[parts.drive]
name = "Test Drive"
kind = "drive"
link = "PCIe 4.0 x4"
[parts.drive.claims]
read = "3000 MB/s"
[parts.box]
name = "Test Box"
kind = "enclosure"
link = "USB 10 Gb/s"
[parts.box.claims]
read = "1000 MB/s"
write = "1400 MB/s"
[setups.direct]
chain = ["b:fast", "drive"]
target = "sim:bench.toml"
baseline = true
[setups.box]
chain = ["b:usb", "box", "drive"]
target = "sim:bench.toml"
"""


_demo: list[tempfile.TemporaryDirectory[str]] = []


class NoCard:
    """In the place of the process that draws a page's card."""

    def __init__(self, page: Path) -> None:
        self.path = page

    def __enter__(self) -> NoCard:
        return self

    def __exit__(self, *exception: object) -> None:
        pass

    def draw(self, answer: object) -> None:
        pass

    def ended(self) -> str:
        return ""


@cache
def _answers(kind: str) -> jsonschema.Draft202012Validator:
    """Return what holds answers of a kind against the published schema."""
    published = json.loads((Path(__file__).parents[1] / "docs/answers.schema.json").read_text())
    return jsonschema.Draft202012Validator(published["kinds"][kind])


class FolderCase(unittest.TestCase):
    """A test with a folder of its own, and a personal data folder inside it."""

    cards = False
    """Whether pages have the picture that is shown where they are shared; most tests do not look at it."""

    def setUp(self) -> None:
        scratch = tempfile.TemporaryDirectory(prefix="ulterion-tests-")
        self.addCleanup(scratch.cleanup)
        self.folder = Path(scratch.name).resolve()

    def write(self, name: str, text: str) -> Path:
        path = self.folder / name
        path.parent.mkdir(parents=True, exist_ok=True)
        path.write_text(text, encoding="utf-8")
        return path

    def environment(self) -> dict[str, str]:
        return {
            **os.environ,
            "XDG_DATA_HOME": str(self.folder / "personal"),
            "XDG_STATE_HOME": str(self.folder / "state"),
            "XDG_CONFIG_HOME": str(self.folder / "config"),
            "COLUMNS": "80",
            "NO_COLOR": "1",
        }

    def start(self, *arguments: str, **settings: Any) -> Running:
        """Start a command line in a process of its own; whatever it does, it is gone when the test is over."""
        environment = {**self.environment(), **settings.pop("terminal", {})}
        process = Running(arguments, settings.pop("cwd", self.folder), environment, **settings)
        self.addCleanup(process.end)
        return process

    def begun(self, *arguments: str, passes: int = 1, **settings: Any) -> Running:
        """Start a measurement and return once its journal holds so many finished passes."""
        process = self.start(*arguments, **settings)
        until = time.monotonic() + LONGEST
        while process.poll() is None and time.monotonic() < until:
            journals = list((self.folder / "runs").glob("*.journal"))
            if journals and journals[0].read_bytes().count(b"\n") > passes:
                break
            time.sleep(0.02)
        else:
            self.fail("no run went on for so many passes")
        return process

    def installed(self, *arguments: str, **settings: Any) -> subprocess.CompletedProcess[str]:
        """Run the installed program to its end, in a process of its own."""
        return subprocess.run([str(PROGRAM), *arguments], cwd=self.folder, env=self.environment(), capture_output=True, text=True,
                              timeout=LONGEST, **settings)  # fmt: skip

    def ulterion(self, *arguments: str, cwd: Path | None = None) -> subprocess.CompletedProcess[str]:
        """Run a command line in this process: the same code, without a second for starting Python each time."""
        out, err = io.StringIO(), io.StringIO()
        with (
            nullcontext() if self.cards else mock.patch("ulterion.features.page.card.CardProcess", NoCard),
            contextlib.chdir(cwd or self.folder), mock.patch.dict(os.environ, self.environment()),
            contextlib.redirect_stdout(out), contextlib.redirect_stderr(err),
        ):  # fmt: skip
            status = main(list(arguments), Environment(out, err, cwd or self.folder))
        return subprocess.CompletedProcess(arguments, int(status), out.getvalue(), err.getvalue())

    def python(self, code: str) -> subprocess.CompletedProcess[str]:
        """Run a script in a fresh interpreter, in the test's folder."""
        return subprocess.run([sys.executable, "-W", "ignore", "-c", code], cwd=self.folder, env=self.environment(), capture_output=True,
                              text=True, timeout=LONGEST)  # fmt: skip

    def json_of(self, *arguments: str, status: int = 0, **settings: Any) -> Any:
        """Run with --json; the standard output must be one answer of a published kind and nothing else."""
        done = self.ulterion(*arguments, "--json", **settings)
        self.assertEqual(done.returncode, status, done.stderr)
        answer = json.loads(done.stdout)
        schema = answer.pop("schema")
        self.assertEqual((schema["name"], schema["version"]), (NAME, VERSION))
        shape = answer_schema.ANSWERS[schema["kind"]]
        beside = {"figures", "figure_error"} - {f.name for f in fields(shape)}
        known = {k: v for k, v in answer.items() if k not in beside}
        _answers(schema["kind"]).validate(known)
        return answer

    def refused(self, *arguments: str, says: str, **settings: Any) -> None:
        """The program must refuse with one line on standard error, nothing on standard output, and status 2."""
        done = self.ulterion(*arguments, **settings)
        self.assertEqual((done.returncode, done.stdout), (2, ""), done.stderr)
        self.assertRegex(done.stderr, says)
        self.assertEqual(done.stderr.count("\n"), 1, done.stderr)
        self.assertTrue(done.stderr.startswith("ulterion"), done.stderr)

    def opened(self, folder: Path | None = None) -> ReviewFolder:
        """Open a review folder."""
        return ReviewFolder.open(folder or self.folder)

    def demo(self, name: str = "ulterion-demo", *, plan: bool = False, only: Sequence[str] = ()) -> Path:
        """Return a folder with the demo (or that of the plan), which is played once for all tests, by whoever is the first; `only` with the runs of some setups."""
        if not _demo:
            _demo.append(tempfile.TemporaryDirectory(prefix="ulterion-tests-demo-"))
        shared, kind = Path(os.environ.get(SHARED, _demo[0].name)), "plan" if plan else "demo"
        with (shared / f"{kind}.lock").open("w") as lock:
            fcntl.flock(lock, fcntl.LOCK_EX)
            if not (shared / kind).exists():
                how = "--plan" if plan else "--no-report"
                wide = self.environment() | {"COLUMNS": "100"}
                with mock.patch.object(self, "environment", return_value=wide):
                    played = self.ulterion("demo", how, str(shared / f"{kind}-played"))
                self.assertEqual(played.returncode, 0, played.stderr)
                (shared / f"{kind}.txt").write_text(played.stdout, encoding="utf-8")
                (shared / f"{kind}-played").rename(shared / kind)
        folder = Path(shutil.copytree(shared / kind, self.folder / name))
        for run in folder.glob("runs/*.json") if only else ():
            if json.loads(run.read_bytes())["setup"] not in only:
                run.unlink()
        return folder

    def demo_said(self, *, plan: bool = False) -> list[str]:
        """Return the lines that the demo printed when it was played, at 100 columns."""
        self.demo(f"said-{plan}", plan=plan)
        shared = Path(os.environ.get(SHARED, _demo[0].name))
        return (shared / f"{'plan' if plan else 'demo'}.txt").read_text(encoding="utf-8").splitlines()

    def review(self, review: str = REVIEW, bench: str = BENCH) -> ReviewFolder:
        """Start a review on the simulated bench."""
        self.write("bench.toml", bench)
        self.write("review.toml", review)
        return ReviewFolder.open(self.folder)


def simulate(
    review: ReviewFolder, setup: str, workloads: list[Workload] | None = None, *, passes: int = 5, seconds: float = 2.0,
    seed: int | None = None,
) -> Kept[MeasureRun]:  # fmt: skip
    """Measure a setup of a simulated review, in this process."""
    wanted = workloads or [PEAK_READ, parse_workload("random write 4 KiB depth 16")]
    request = MeasureRequest(
        Place(review, review.path, None, setup), "test", wanted, passes, seconds, TargetOptions(seed=seed)
    )
    return measure(request, Observer())
