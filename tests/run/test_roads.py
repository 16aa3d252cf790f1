"""One road from a measured byte to a printed word: no fact is had in two ways that could disagree."""

from __future__ import annotations

import io
import subprocess
import sys
from pathlib import Path
from unittest import mock

import ulterion
from tests.support import BENCH, WARM, FolderCase, simulate
from ulterion.cli.main import main
from ulterion.core.documents.plain import plain
from ulterion.core.errors import UsageError
from ulterion.core.facts.devices import changes
from ulterion.core.soak.falls import Fall
from ulterion.core.workloads.workload import parse_workload
from ulterion.engine.targets.plain_file import FileTarget
from ulterion.features.soak import phases
from ulterion.features.soak.judging import soak_of
from ulterion.features.soak.run import soak
from ulterion.features.survey.run import only
from ulterion.host import drive, machine
from ulterion.host.facts import device_facts
from ulterion.host.recorded import replayed
from ulterion.model import store
from ulterion.model.runs.soak import SoakPlan
from ulterion.run.observers import Observer
from ulterion.run.place import Place
from ulterion.run.requests import SoakRequest, TargetOptions
from ulterion.terminal.environment import Environment

MACHINE = Path(__file__).parents[1] / "host/machine.json"
DISK = BENCH.replace(
    'read = "3000 MB/s"', 'read = "150 MB/s"\ninner_read = "60 MB/s"\ninner_write = "60 MB/s"'
).replace('capacity = "1 TB"', 'capacity = "60 GB"')


class Listening(Observer):
    """Keeps what was told of the rate while the load was on."""

    def __init__(self) -> None:
        self.heard: list[tuple[float, list[Fall]]] = []
        self.seconds = 0.0

    def row(self, name: str, row: object, seconds: float, moved: int) -> None:
        self.seconds = seconds

    def events(self, found: object, load_start: float) -> None:
        self.heard.append((self.seconds, list(found)))  # type: ignore[call-overload]


class LiveAndFinal(FolderCase):
    def test_what_is_told_live_is_what_is_told_at_the_end(self) -> None:
        """A disk that is read inwards, and a drive that throttles: the last word of the live view is the document's."""
        hot = BENCH + WARM.replace(
            'limit = "80 °C"', 'throttles_at = "60 °C"\nresumes_at = "55 °C"\nthrottled = "300 MB/s"\nlimit = "61 °C"'
        )
        for bench, words in ((DISK, "sequential read 1 MiB depth 4"), (hot, "sequential write 1 MiB depth 4")):
            with self.subTest(words), mock.patch.object(phases, "LOOK_EVERY", -1e9):
                folder, told = self.review(bench=bench), Listening()
                plan = SoakPlan(idle=0.0, load_seconds=200.0, cool=0.0)
                place, whole = Place(folder, self.folder, None, "direct"), TargetOptions(span_bytes=60 * 10**9)
                done = soak(SoakRequest(place, parse_workload(words), plan, whole), told)
                found = soak_of(done.run)
                assert found is not None
                live = {f.cause for _, falls in told.heard for f in falls}
                self.assertTrue(found.findings.falls)
                if "read" in words:
                    self.assertNotIn("write cache", live)
                last = told.heard[-1][1]
                self.assertEqual([f.cause for f in last], [f.cause for f in found.findings.falls])
                self.assertEqual([f.evidence for f in last], [f.evidence for f in found.findings.falls])


class Once(FolderCase):
    def test_a_command_reads_a_document_once(self) -> None:
        """For a measurement every older document is looked into once, and one that ended lately a second time, for what it wrote;
        for a comparison once more, for its passes."""
        folder = self.review()
        for setup in ("direct", "box", "box"):
            simulate(folder, setup, passes=3, seconds=60.0)
        real, reads = store.read_bytes, []
        with mock.patch.object(
            store, "read_bytes", side_effect=lambda path, *most: reads.append(path) or real(path, *most)
        ):
            self.assertEqual(
                self.ulterion("measure", "--setup", "box", "--suite", "brief", "--passes", "1").returncode, 0
            )
            runs = [p for p in reads if p.suffix == ".json"]
            self.assertEqual(sorted(runs.count(p) for p in set(runs)), [1, 1, 2])
            reads.clear()
            self.assertEqual(self.ulterion("compare").returncode, 0)
            runs = [p for p in reads if p.suffix == ".json" and p.parent.name == "runs"]
            self.assertLessEqual(max(runs.count(p) for p in runs), 2)

    def test_a_survey_and_a_run_say_the_same_of_a_drive(self) -> None:
        """Every fact of every drive of the recorded machine, firmware included, is one and the same."""
        with replayed(MACHINE) as (root, _):
            for seen in machine.survey(root=root).drives:
                facts = device_facts(Path(f"/dev/{seen.name}"), seen.name, root)
                for name in (
                    "model",
                    "serial",
                    "firmware",
                    "transport",
                    "link",
                    "driver",
                    "port",
                    "steps",
                    "faults",
                    "rotational",
                    "logical_block",
                    "physical_block",
                    "temperature",
                ):
                    self.assertEqual(getattr(facts, name), getattr(seen, name), (seen.name, name))
                self.assertEqual((facts.capacity_bytes, facts.system_disk), (seen.size, seen.system))
        self.assertIs(machine.drive_of, drive.drive_of)

    def test_a_target_is_meant_from_the_folder_of_the_command(self) -> None:
        """A relative target is looked for where the command was called, whatever folder the process is in."""
        (self.folder / "there/drive").mkdir(parents=True)
        self.write("there/review.toml", "schema = 2\n")
        out = io.StringIO()
        words = [
            "measure",
            "drive",
            "--workload",
            "random read 4 KiB",
            "--passes",
            "1",
            "--seconds",
            "0.05",
            "--span",
            "16 MiB",
        ]
        self.assertEqual(main(words, Environment(out, io.StringIO(), self.folder / "there")), 0, out.getvalue())
        soaked = ["soak", "drive", "--for", "1 s", "--interval", "0.1 s", "--idle", "0", "--span", "16 MiB"]
        self.assertEqual(main(soaked, Environment(out, io.StringIO(), self.folder / "there")), 0)
        self.assertEqual(
            {r.target.path for r in self.opened(self.folder / "there").runs()}, {str(self.folder / "there/drive")}
        )


class Told(FolderCase):
    def test_a_mixed_workload_on_a_file_of_yours_is_refused_before(self) -> None:
        """It writes too, so it is refused by the check, not by the drive in mid-run."""
        path = self.folder / "film.mov"
        path.write_bytes(bytes(20 * 2**20))
        target = FileTarget(path)
        self.addCleanup(target.close)
        for words in ("random mixed 30% writes 4 KiB depth 2", "random write 4 KiB"):
            with self.assertRaisesRegex(UsageError, "is your own file and is only read"):
                target.check(parse_workload(words))
        self.refused("measure", "film.mov", "--workload", "random mixed 30% writes 4 KiB", says="your own file")

    def test_watching_one_drive_tells_of_no_other(self) -> None:
        """What was not named neither came nor went; what was named is told when it goes and comes."""
        with replayed(MACHINE) as (root, _):
            whole = machine.survey(root=root)
        before, after = only(whole, ["/dev/sda"]), only(whole, ["sda"])
        self.assertEqual(([d.name for d in before.drives], changes(before, after)), (["sda"], []))
        gone = only(whole, ["none"])
        self.assertEqual([(c.what, c.drive.name) for c in changes(before, gone)], [("went", "sda")])
        self.assertEqual([(c.what, c.drive.name) for c in changes(gone, after)], [("came", "sda")])

    def test_every_row_names_its_run_in_numbers(self) -> None:
        """Tables, JSON and data frames of comparisons and claims: the run behind each figure, and numbers where numbers belong."""
        folder = self.review()
        ids = {h: simulate(folder, h, passes=3).run.id for h in ("direct", "box")}
        for row in self.json_of("compare")["groups"][0]["rows"]:
            self.assertEqual(row["run"], ids[row["setup"]])
        for row in self.json_of("claims")["claims"]:
            self.assertEqual(row["run"], ids[row["setup"]] if row["measured"] is not None else None)
        review = ulterion.load_review(self.folder)
        self.assertEqual(set(review.compare()["run"]), set(ids.values()))
        claims = review.claims()
        self.assertEqual((claims["claimed"].dtype.kind, claims["measured"].dtype.kind), ("f", "f"))
        self.assertEqual(claims["claimed"].tolist(), [3e9, 1e9, 1.4e9])
        for command in ("compare", "claims"):
            shown = self.ulterion(command, "--long").stdout
            for setup, run in ids.items():
                self.assertIn(f"{setup} {run}", shown)

    def test_an_open_end_is_no_length(self) -> None:
        """A soak until steady, or by amount, has neither passes nor seconds in its settings."""
        folder = self.review()
        plan = SoakPlan(idle=0.0, load_bytes=10**10, cool=0.0)
        run = soak(
            SoakRequest(Place(folder, self.folder, None, "box"), parse_workload("sequential write 1 MiB"), plan),
            Observer(),
        ).run
        self.assertEqual(set(plain(run.settings)), {"span_bytes", "seed"})
        self.assertIsNone(run.soak.plan.load_seconds)

    def test_what_needs_no_hardware_loads_where_the_system_lacks_it(self) -> None:
        """compare, claims, note, new and demo import where Python has none of the modules of POSIX."""
        lacking = "import sys\nfor name in ('resource', 'fcntl', 'termios', 'pwd', 'grp'): sys.modules[name] = None\n"
        code = lacking + (
            "from ulterion.cli.commands import COMMANDS\nfor name in ('compare', 'claims', 'note', 'new', 'demo'): COMMANDS[name].load()\n"
            "import ulterion.results.comparison, ulterion.features.claims.judging, ulterion.demo.scenario, ulterion.api\n"
        )
        done = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, timeout=60)
        self.assertEqual(done.returncode, 0, done.stderr)
