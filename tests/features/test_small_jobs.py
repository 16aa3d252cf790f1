"""The smallest jobs, without a file: labels, runs by id, timings with names, one drive moved from port to port, what works where."""

from __future__ import annotations

import json
import shutil
from pathlib import Path

from hypothesis import given
from hypothesis import strategies as st

from tests.support import PEAK_READ, FolderCase
from ulterion.core.facts.devices import Drive, Volume
from ulterion.core.facts.target import TargetFacts
from ulterion.engine.targets.base import LayingLimit
from ulterion.features.measure.run import measure
from ulterion.model.review import parse_review
from ulterion.model.runs.measure import Recovery
from ulterion.run.moving_drive import _Watch, moving
from ulterion.run.naming import key_of, setup_of_facts
from ulterion.run.observers import Observer
from ulterion.run.place import Place
from ulterion.run.requests import MeasureRequest, TargetOptions

DATA = Path(__file__).parents[2] / "src/ulterion/demo/data"
JOBS = Path(__file__).parents[2] / "docs/jobs.md"
QUICK = ("--workload", "sequential read 1 MiB depth 2", "--passes", "3", "--seconds", "0.05", "--span", "16 MiB")


class Jobs(FolderCase):
    def test_a_folder_called_as_a_unit_is_a_folder(self) -> None:
        """A number and a unit are one quantity, but not where the unit is the name of what is to be measured."""
        (self.folder / "b").mkdir()
        options = (
            "--workload",
            "sequential read 1 MiB depth 2",
            "--seconds",
            "0.05",
            "--span",
            "16",
            "MiB",
            "--passes",
            "1",
        )
        self.assertEqual(self.json_of("measure", *options, "b")["run"]["settings"]["passes"], 1)
        self.refused("measure", *options, "h", says="'1 h'")

    def test_a_label_is_a_setup_and_again_a_run(self) -> None:
        """Outside a review: the tables of what is plugged in are written once, with the first run; the second run joins it."""
        (self.folder / "stick").mkdir()
        for _ in range(2):
            data = self.json_of("measure", "stick", "--as", "Front port", *QUICK)
        notebook = self.folder / "personal/ulterion/first-tries"
        review = parse_review((notebook / "review.toml").read_text(), notebook)
        self.assertEqual((list(review.setups), data["run"]["setup"]), (["front-port"], "front-port"))
        self.assertEqual(review.setups["front-port"].label, "Front port")
        self.assertEqual(review.setups["front-port"].chain, data["run"]["chain"])
        self.json_of("measure", "stick", "--as", "the hub", *QUICK)
        (group,) = self.json_of("compare")["groups"]
        self.assertEqual((group["baseline"], group["assumed"]), ("front-port", True))
        self.assertEqual({(r["setup"], len(r["runs"])) for r in group["rows"]}, {("front-port", 2), ("the-hub", 1)})
        (group,) = self.json_of("compare", "the hub", "front port")["groups"]
        self.assertEqual(group["baseline"], "the-hub")
        first = self.ulterion("compare", "--against", "the hub").stdout.split("\n")[0]
        self.assertRegex(first, "(?i)front port|the hub")

    def test_in_a_review_its_file_stays_as_it_is_but_for_the_addition(self) -> None:
        """Comments and order of review.toml stay; nothing is written for a run that is refused."""
        text = "# mine\nschema = 2\n[review]\ntitle = 'A'  # kept\n"
        path = self.write("review.toml", text)
        (self.folder / "stick").mkdir()
        self.refused("measure", "stick", "--as", "front", "--span", "900 TB", says="does not fit")
        self.assertEqual(path.read_text(), text)
        self.json_of("measure", "stick", "--as", "front", *QUICK)
        self.assertTrue(path.read_text().startswith(text.rstrip()))
        self.assertIn("front", self.opened().review.setups)
        self.refused("measure", "stick", "--as", "!!", says="a label is a word")
        self.refused("measure", "--as", "front", "--setup", "front", says="give one of them")

    def test_runs_by_id_and_assigned_later(self) -> None:
        """Two runs without a name are compared by their ids, in the order named; assigned, they are setups."""
        (self.folder / "stick").mkdir()
        ids = [self.json_of("measure", "stick", *QUICK)["run"]["id"] for _ in range(2)]
        (group,) = self.json_of("compare", *ids)["groups"]
        self.assertEqual(group["baseline"], f"run-{ids[0]}")
        self.refused("compare", ids[0], says="is one run; name two")
        for number, label in zip(ids, ("left", "right"), strict=True):
            self.assertEqual(self.json_of("assign", number, label)["setup"], label)
        (group,) = self.json_of("compare")["groups"]
        self.assertEqual({r["setup"] for r in group["rows"]}, {"left", "right"})
        self.assertEqual(len(list((self.folder / "personal/ulterion/first-tries/runs").glob("*.json"))), 2)

    @given(st.integers(2**28, 2**34), st.integers(2**24, 2**28))
    def test_a_span_that_was_laid_down_in_time(self, done: int, least: int) -> None:
        """A power of two that was laid down, or the least; no more is laid down once the time is up and the least is there."""
        limit = LayingLimit(5.0, least)
        span = limit.span(done)
        self.assertLessEqual(span, done)
        self.assertGreater(2 * span + 1, done)
        self.assertTrue(span & (span - 1) == 0 or span == least)
        self.assertEqual(limit.is_up(6.0, done), done >= least)
        self.assertFalse(limit.is_up(4.0, done))

    def test_what_was_laid_down_is_the_span(self) -> None:
        """Where the time is up before all is laid down, workloads, document and recovered journals have what is there."""
        self.write("review.toml", "schema = 2\n")
        place = Place(self.opened(), self.folder, str(self.folder))
        limit = TargetOptions(laying=LayingLimit(0.0, 20 * 2**20))
        request = MeasureRequest(place, "ad hoc", [PEAK_READ], 1, 0.05, limit)
        run = measure(request, Observer()).run
        self.assertEqual((run.settings.span_bytes, run.settings.span_fitted), (20 * 2**20, True))
        self.assertEqual({r.workload.covered(0) for r in run.workloads}, {20 * 2**20})
        recovery = Recovery(run.on_span(16 * 2**20))
        recovery.take({"span": 8 * 2**20})
        self.assertEqual(recovery.run(run.state).workloads[0].workload.covered(0), 8 * 2**20)

    @given(st.text(max_size=200), st.sets(st.text(max_size=30), max_size=5))
    def test_a_key_can_stand_in_a_file_name(self, label: str, taken: set[str]) -> None:
        """Whatever the label: letters, digits and hyphens, not too long, and not one that is taken."""
        key = key_of(label, taken)
        self.assertRegex(key, r"^[a-z0-9]+(-[a-z0-9]+)*$")
        self.assertLessEqual(len(key), 45)
        self.assertNotIn(key, taken)

    def test_the_same_label_with_another_drive_is_another_setup(self) -> None:
        """Two sticks in the front port are two setups of one label, told apart by the drives' serials."""
        self.write("review.toml", "schema = 2\n")
        folder = self.opened()
        keys = [
            setup_of_facts(folder, "front port", TargetFacts("/m", "folder", model="Stick", serial=s, port="1-2"))
            for s in ("A", "B", "A")
        ]
        self.assertEqual(keys, ["front-port", "front-port-2", "front-port"])
        self.assertEqual(folder.review.setups_called("Front Port"), ["front-port", "front-port-2"])
        chains = [folder.review.setups[k].chain for k in keys]
        self.assertEqual((chains[0][0], chains[1][0]), ("1-2", "1-2"))
        self.assertNotEqual(chains[0][1], chains[1][1])

    def test_what_works_where(self) -> None:
        """Outcomes in the reviewer's words make a table, also of what was never measured, and are exported."""
        for label, words in (("hub", "works with the charger"), ("hub", "boots"), ("reader", "not recognised until plugged in again"),
                             ("left", "does not work"), ("left", "hums")):  # fmt: skip
            self.ulterion("note", "--as", label, words)
        works = self.json_of("compare")["works"]
        self.assertEqual(
            works["hub"]["works"], {"question": "works", "works": "works with help", "condition": "with the charger"}
        )
        self.assertEqual(
            (works["left"]["works"]["works"], works["reader"]["recognised"]["works"]),
            ("does not work", "works with help"),
        )
        shown = self.ulterion("compare").stdout
        self.assertRegex(shown, r"hub +yes, with the charger +yes")
        self.assertRegex(shown, r"reader .* not until plugged in again")
        notebook = self.folder / "personal/ulterion/first-tries"
        table = self.ulterion("export", "compatibility", "--as", "csv", "--review", str(notebook)).stdout
        self.assertIn("hub,boots,works,", table)

    def test_timings_are_results_like_others(self) -> None:
        """Typed timings race straight, a claim of so many times is judged by them, they are exported, and their page has them."""
        self.write(
            "review.toml",
            "schema = 2\n[parts.clasp]\nname = 'Fenwick Clasp'\n[parts.two]\nname = 'Fenwick Clasp Two'\n"
            "[[parts.two.faster]]\nthan = 'clasp'\ntimes = 3\n",
        )
        answer = self.json_of("clock", "Fenwick Clasp: 2.6 GB in 3m05s", "Fenwick Clasp Two: 2.6 GB in 52s")
        self.assertRegex(answer["answer"][0], "Fenwick Clasp Two is 3.6 times as fast as Fenwick Clasp")
        chains = [s.chain for s in self.opened().review.setups.values()]
        self.assertEqual(chains, [["clasp", "by-hand"], ["two", "by-hand"]])
        (claim,) = self.json_of("claims")["rivals"]
        self.assertEqual((claim["part"], claim["verdict"], claim["true_on"]), ("two", "undecided", ["transfer, write"]))
        for _ in range(2):
            self.ulterion("clock", "Fenwick Clasp: 2.6 GB in 3m05s", "Fenwick Clasp Two: 2.6 GB in 52s")
        self.assertEqual(self.json_of("claims")["rivals"][0]["verdict"], "met")
        works = {r["setup"]: r["seconds"] for r in self.json_of("estimate", "write", "26 GB")["works"] if r["seconds"]}
        self.assertAlmostEqual(works["fenwick-clasp"], 1850, delta=20)
        race = self.json_of("race", "fenwick-clasp", "fenwick-clasp-two")
        self.assertEqual(
            [(r["name"], r["seconds"]) for r in race["racers"]], [("Fenwick Clasp Two", 52.0), ("Fenwick Clasp", 185.0)]
        )
        self.assertAlmostEqual(race["racers"][1]["share_then"], 52 / 185)
        table = self.ulterion("export", "transfers", "--as", "json").stdout
        (first, second) = json.loads(table)["rows"]
        self.assertEqual((first["setup"], first["by"], second["verdict"]), ("fenwick-clasp", "hand", "faster"))
        self.assertRegex(self.ulterion("compare").stdout, r"Fenwick Clasp +3m05s +14\.1")


class Versus(FolderCase):
    def test_on_the_bench_and_again_where_it_was_left(self) -> None:
        """Each place is measured and compared with the first; what is left is done first; then each gets another run."""
        for path in DATA.glob("*.toml"):
            shutil.copy(path, self.folder)
        self.ulterion("measure", "--setup", "vault", "--quick")
        (group,) = self.json_of("versus", "vault", "vault-long")["groups"]
        runs = {r["setup"]: len(r["runs"]) for r in group["rows"]}
        self.assertEqual(runs, {"vault": 1, "vault-long": 1})
        (bus,) = group["buses"]
        self.assertEqual((bus["setup"], bus["link"], bus["seen"]), ("vault-long", "USB 480 Mb/s", True))
        (group,) = self.json_of("versus", "vault", "vault-long")["groups"]
        self.assertEqual({len(r["runs"]) for r in group["rows"]}, {2})
        self.refused("versus", "pod", "vault", says="end at different drives")
        self.refused("versus", "vault", says="two places or more")

    def test_a_drive_is_known_wherever_it_comes_back(self) -> None:
        """Taken out, another drive, the same port again, another port unmounted, then mounted: each is told once."""
        told: list[str] = []
        stick = _drive("sda", "S1", "port 1", mounted="/mnt/s")
        watch = _Watch(moving(stick), "port 1", {}, lambda question: False)
        other, same = _drive("sdb", "X9", "port 2", size=5), _drive("sda", "S1", "port 1")
        back, mounted = _drive("sdc", "S1", "port 2"), _drive("sdc", "S1", "port 2", mounted="/mnt/t")
        for drives in ([stick], [], [other], [other], [same], [], [back], [back]):
            self.assertIsNone(watch.look(drives, told.append))
        arrived = watch.look([mounted], told.append)
        assert arrived is not None
        self.assertEqual(arrived.folder, Path("/mnt/t"))
        for said, wanted in zip(
            told, ("unplugged", "another drive: Stick", "the same port again", "unplugged", "not mounted"), strict=True
        ):
            self.assertIn(wanted, said)

    def test_the_same_port_may_be_meant(self) -> None:
        """With another cable the port is the same; the question is asked once."""
        asked: list[str] = []
        stick = _drive("sda", "S1", "port 1", mounted="/mnt/s")
        watch = _Watch(moving(stick), "port 1", {}, lambda question: bool(asked.append(question)) or True)
        self.assertIsNone(watch.look([], lambda words: None))
        self.assertIsNotNone(watch.look([stick], lambda words: None))
        self.assertEqual(len(asked), 1)

    def test_a_card_in_another_reader_is_known_by_its_size(self) -> None:
        """A reader shows its own serial number, and so does another stick of the same model: only the reviewer can tell, and of two none is it."""
        size = 128_043_712_512
        again, twin = (
            _drive("sdb", "READER-2", "port 2", size=size, mounted="/mnt/t"),
            _drive("sdd", "Z", "port 3", size=size),
        )
        unnumbered = _drive("sdb", None, "port 2", size=size, mounted="/mnt/t")
        for answer, drives, found in (
            (True, [again], True),
            (False, [again], False),
            (None, [again], False),
            (True, [again, twin], False),
            (False, [unnumbered], True),
            (True, [_drive("sdh", "HERE", "port 5", size=size, mounted="/mnt/h")], False),
            (True, [_drive("sdb", "READER-2", "port 2", size=7, mounted="/mnt/t")], False),
        ):
            asked: list[str] = []
            card = moving(_drive("sda", "READER-1", "port 1", size=size))
            watch = _Watch(
                card, "port 1", {"sdh": "HERE"}, lambda question, to=answer, log=asked: (log.append(question), to)[1]
            )  # type: ignore[misc]
            watch.look([], lambda words: None)
            for _ in range(2):
                self.assertEqual(watch.look(drives, lambda words: None) is not None, found)
            self.assertEqual(len(asked), drives == [again])  # once, and only where it decides


def _words(command: str) -> list[str]:
    import shlex

    program, *words = shlex.split(command)
    assert program == "ulterion", command
    return words


def _drive(name: str, serial: str | None, port: str, *, size: int = 10**9, mounted: str | None = None) -> Drive:
    volumes = (Volume(f"{name}1", size=size, mounted=mounted),)
    return Drive(name, model="Stick", serial=serial, port=port, size=size, volumes=volumes)
