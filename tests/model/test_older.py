"""What earlier versions wrote is read for ever; what they called otherwise is refused by its present name."""

from __future__ import annotations

import shutil
from pathlib import Path

from tests.features.test_survey import MACHINE
from tests.support import FolderCase
from ulterion.core.errors import UsageError
from ulterion.core.renamed import new_name
from ulterion.core.version import __version__
from ulterion.model.review import load_review
from ulterion.model.store import ReviewFolder
from ulterion.sim.bench import load_bench

OLD = (
    Path(__file__).parent / "old-review"
)  # review.toml and bench.toml of schema 1, notes of version 1, runs of version 4


class OldReview(FolderCase):
    def setUp(self) -> None:
        super().setUp()
        shutil.copytree(OLD, self.folder, dirs_exist_ok=True)

    def test_everything_in_it_is_read(self) -> None:
        """Baselines, the bench's events, runs of three kinds with the names of now, and what was noted on a setup."""
        review = load_review(self.folder / "review.toml")
        self.assertEqual(review.baseline_for("reed"), "direct")
        self.assertEqual([e.setup for e in load_bench(self.folder / "bench.toml").events], ["vault"])
        runs = {r.kind: r for r in ReviewFolder.open(self.folder).runs()}
        self.assertEqual({r.setup for r in runs.values()}, {"pod", None})
        self.assertEqual([w.workload.name for w in runs["measure"].workloads], ["sequential-read", "sequential-write"])
        self.assertEqual((runs["measure"].suite, runs["clock"].timings[0].reaction_seconds), ("brief", 0.2))
        self.assertEqual(
            (runs["copy"].copied.method, runs["copy"].copied.passes[0].skipped), ("copied by the kernel", [])
        )
        self.assertIn("not recognised", self.ulterion("note").stdout)

    def test_it_is_gone_on_with(self) -> None:
        """A new run of a setup joins the old one in the comparison, where the same program made both, and what a setup expects is written into its own table."""
        for run in self.folder.glob("runs/*.json"):
            run.write_text(run.read_text().replace('"ulterion": "0.1.0"', f'"ulterion": "{__version__}"'))
        for setup in ("direct", "pod"):
            self.ulterion("measure", "--setup", setup, "--suite", "brief", "--passes", "3", "--seconds", "0.3")
        (row, *_) = [r for r in self.json_of("compare", "pod")["groups"][0]["rows"] if r["setup"] == "pod"]
        self.assertEqual((row["workload"], len(row["runs"])), ("sequential-read", 2))
        self.ulterion("survey", "sda", "--replay", str(MACHINE), "--learn", "vault")
        self.assertIn("[hookups.vault.expect]", (self.folder / "review.toml").read_text())
        self.assertIsNotNone(load_review(self.folder / "review.toml").setup("vault").expect)

    def test_what_is_added_is_called_as_the_file_calls_it(self) -> None:
        """A setup made from a label goes among the old ones, and takes none of them away."""
        before = set(load_review(self.folder / "review.toml").setups)
        (self.folder / "stick").mkdir()
        words = (
            "--workload",
            "sequential read 1 MiB depth 2",
            "--passes",
            "1",
            "--seconds",
            "0.05",
            "--span",
            "16 MiB",
        )
        self.json_of("measure", "stick", "--as", "front port", *words)
        self.ulterion("add", "setup", "another", "--chain", "desk:usb10 > pod > reed")
        self.assertIn("[hookups.front-port]", (self.folder / "review.toml").read_text())
        self.assertEqual(set(load_review(self.folder / "review.toml").setups), before | {"front-port", "another"})

    def test_a_fault_names_its_line(self) -> None:
        """A mistake in an old file is found by the name that stands there."""
        path = self.folder / "review.toml"
        text = path.read_text().replace(
            'chain = ["desk:usb4", "draught", "reed"]', 'chain = ["desk:usb4", "drauht", "reed"]'
        )
        line = text[: text.index("drauht")].count("\n") + 1
        path.write_text(text)
        with self.assertRaisesRegex(UsageError, f"line {line}, .*did you mean 'draught'"):
            load_review(path)


class Refused(FolderCase):
    def test_keys_of_before_in_a_file_of_now(self) -> None:
        """The new word is named, with the line."""
        for key, now in (("[hookups.x]\nchain = ['a']", "setups"), ("[plan]\nfunctions = ['x']", "compatibility")):
            path = self.write("review.toml", f"schema = 2\n{key}\n")
            with self.assertRaisesRegex(UsageError, f"line [23], .*is called '{now}' now"):
                load_review(path)

    def test_options_and_names_of_before(self) -> None:
        """Options, suites, workloads and verdicts."""
        self.review()
        self.ulterion("measure", "--setup", "box", "--passes", "2")
        for words, says in (
            (("measure", "--hookup", "box"), "--hookup is called --setup now"),
            (("measure", "--hookup=box", "--lanes", "2"), "--hookup is called --setup now; --lanes is called --workers now"),
            (("measure", ".", "--suite", "all-round"), "unknown suite 'all-round'; it is called 'full' now"),
            (("compare", "--workload", "flat-out-read"), "it is called 'sequential-read' now"),
            (("claims", "--fail-on", "not testable here"), "not testable"),
        ):  # fmt: skip
            self.refused(*words, says=says)
        self.assertIsNone(new_name("box"))
