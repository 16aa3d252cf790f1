"""Soaks on the simulated bench from end to end: phases, faults, going on, comparing, notes, claims."""

from __future__ import annotations

import datetime
import math
import time
from dataclasses import replace
from typing import Any
from unittest import mock

import ulterion
from tests.support import BENCH, REVIEW, WARM, FolderCase
from ulterion.core.errors import TargetFailed, UsageError
from ulterion.core.soak.falls import Fall
from ulterion.core.soak.trace import TraceRow
from ulterion.core.workloads.workload import parse_workload
from ulterion.features.claims.judging import judge_claims
from ulterion.features.notes.attach import note_words, split_moment
from ulterion.features.notes.entries import correct, noted, outcomes, take_back
from ulterion.features.notes.logs import attach_log
from ulterion.features.notes.parsing import parse_note
from ulterion.features.soak import phases
from ulterion.features.soak.judging import choose, difference, marks_of, soak_of
from ulterion.features.soak.run import find_cut_off, request_again, soak
from ulterion.model.runs.document import parse_run
from ulterion.model.runs.notes import Note, Reading
from ulterion.model.runs.soak import SoakPlan, SoakRun
from ulterion.model.store import ReviewFolder
from ulterion.run.observers import Kept, Observer
from ulterion.run.place import Place
from ulterion.run.requests import SoakRequest

WRITING = parse_workload("sequential write 1 MiB depth 4")
COOLED = (
    WARM
    + """\
counters = true
[parts.box.case]
capacity = "40 J/K"
to_room = "6 K/W"
probe = true
[parts.cooler]
link = "USB 10 Gb/s"
read = "1000 MB/s"
write = "990 MB/s"
[parts.cooler.case]
capacity = "40 J/K"
to_room = "3 K/W"
"""
)
COOLER = """
[parts.cooler]
name = "Cool Box"
kind = "enclosure"
link = "USB 10 Gb/s"
[setups.cooler]
chain = ["b:usb", "cooler", "drive"]
target = "sim:bench.toml"
"""


class Soaking(FolderCase):
    def start(self, extra: str = "", into: str = "", review: str = "") -> ReviewFolder:
        bench = BENCH.replace("parallel = 32", f"parallel = 32\n{into}").replace("seed = 7", 'seed = 7\nroom = "21 °C"')
        return self.review(REVIEW + COOLER + review, bench + COOLED + extra)

    def soak(
        self, folder: ReviewFolder, setup: str = "box", observer: Observer | None = None, **plan: Any
    ) -> Kept[SoakRun]:
        settings = {"idle": 30.0, "load_seconds": 300.0, "cool": 0.0} | plan
        request = SoakRequest(Place(folder, folder.path, None, setup), WRITING, SoakPlan(**settings))
        return soak(request, observer or Observer())


class Phases(Soaking):
    def test_a_whole_soak(self) -> None:
        """Rest until settled, load, cool, load again: the document has each with why it ended, and what it says is true."""
        folder = self.start(into='cache = "60 GB"\nafter_cache = "300 MB/s"\nfold = "1 GB/s"')
        done = self.soak(folder, "direct", idle=None, cool=None, again=True)
        run = done.run
        assert run.soak is not None
        self.assertEqual((run.state.name, run.kind), ("complete", "soak"))
        self.assertEqual([p.name for p in run.soak.phases], ["idle", "load", "cool", "again"])
        self.assertIn("settled", run.soak.phases[0].ended)
        self.assertEqual(run.soak.phases[1].seconds, 300.0)
        found = soak_of(run)
        assert found is not None
        cache = found.findings.fall("write cache")
        assert cache is not None
        self.assertAlmostEqual(cache.written / 60e9, 1, delta=0.02)
        self.assertAlmostEqual(found.findings.recovered or 0, 1, delta=0.05)
        self.assertEqual(sorted(found.trace.sensors), ["drive"])
        self.assertEqual(parse_run(done.path.read_text(), "x"), run)
        self.assertEqual(folder.runs(), [run])

    def test_the_ends_of_a_load(self) -> None:
        """By time, by bytes, once steady; whichever comes first, within one interval."""
        folder = self.start()
        by_bytes = self.soak(folder, load_seconds=None, load_bytes=20 * 10**9).run.soak
        assert by_bytes is not None
        self.assertTrue(20e9 <= by_bytes.done("load")[1] < 21.1e9)
        steady = self.soak(folder, load_seconds=3600.0, until_steady=True).run.soak
        assert steady is not None
        self.assertEqual((steady.done("load")[0], steady.phases[1].ended), (300.0, "the rate was steady"))

    def test_the_same_seed_gives_the_same_document(self) -> None:
        """Byte for byte, in another folder, at another time."""
        texts = []
        for name in "ab":
            self.folder = self.folder / name
            self.folder.mkdir()
            texts.append(self.soak(self.start()).path.read_text())
        self.assertEqual(texts[0], texts[1])

    def test_a_night_stays_small(self) -> None:
        """Six hours: below 4 MB, read back with every second, and its findings are there."""
        done = self.soak(self.start(), load_seconds=6 * 3600.0)
        self.assertLess(done.path.stat().st_size, 4e6)
        begin = time.process_time()
        run = parse_run(done.path.read_text(), "x")
        self.assertLess(time.process_time() - begin, 10)  # a second on a quiet machine; this one guards the order
        assert run.soak is not None
        self.assertEqual(len(run.soak.phases[1].bytes), 21600)

    def test_a_phase_is_ended_by_hand(self) -> None:
        """'next' ends the load in order, and the drive is still watched while it cools."""

        class Impatient(Observer):
            rows, said = 0, False

            def row(self, name: str, row: TraceRow, seconds: float, moved: int) -> None:
                self.rows += name == "load"

            def typed(self) -> list[str]:
                now, self.said = self.rows == 20 and not self.said, self.rows == 20
                return ["next"] if now else []

        run = self.soak(self.start(), observer=Impatient(), cool=30.0).run
        assert run.soak is not None
        self.assertEqual(
            [(p.name, p.seconds) for p in run.soak.phases], [("idle", 30.0), ("load", 20.0), ("cool", 30.0)]
        )
        self.assertEqual((run.soak.phases[1].ended, run.state.name), ("ended by hand", "complete"))

    def test_what_is_typed_is_kept_with_its_moment(self) -> None:
        """A reading, an outcome, a remark, and one that is no temperature, which is kept in words."""

        class Typing(Observer):
            seen: list[object] = []
            left = ["case 38 °C", "not recognised after a knock", "loud", "case 9000 °C"]

            def typed(self) -> list[str]:
                return [self.left.pop(0)] if self.left else []

            def noted(self, record: Reading | Note) -> None:
                self.seen.append(record)

        run = self.soak(self.start(), observer=Typing()).run
        self.assertEqual([(r.what, r.value, r.at_seconds) for r in run.readings], [("case", 38.0, 1.0)])
        self.assertEqual([n.kind for n in run.notes], ["outcome", "remark", "remark"])
        self.assertIn("case 9000 °C", run.notes[2].text)
        self.assertEqual(len(Typing.seen), 4)


class Faults(Soaking):
    def test_pulled_out_in_mid_soak(self) -> None:
        """Everything up to then is kept, the run says when, and it can be gone on with as a second part."""
        folder = self.start('[[faults]]\npart = "box"\nwhat = "pulled out"\nafter = "100.5 s"\n')
        done = self.soak(folder)
        assert done.run.soak is not None
        self.assertIsInstance(done.failure, TargetFailed)
        self.assertEqual((done.run.state.name, done.run.soak.done("load")[0]), ("failed", 70.0))
        self.assertIn("pulled out", done.run.state.why)
        self.write("bench.toml", (self.folder / "bench.toml").read_text().partition("[[faults]]")[0])
        previous = find_cut_off(Place(folder, folder.path, None, "box"))
        asked = SoakRequest(Place(folder, folder.path, None, "box"), WRITING, SoakPlan(load_seconds=5.0))
        whole = soak(request_again(asked, previous), Observer()).run
        assert whole.soak is not None
        self.assertEqual((whole.id, whole.state.name, len(folder.runs())), (previous.id, "complete", 1))
        self.assertEqual([(p.part, p.name, p.seconds) for p in whole.soak.phases],
                         [(1, "idle", 30.0), (1, "load", 70.0), (2, "load", 230.0)])  # fmt: skip
        with self.assertRaisesRegex(UsageError, "was cut off"):
            find_cut_off(Place(folder, folder.path, None, "box"))

    def test_another_drive_does_not_go_on(self) -> None:
        """A soak is taken up only on the drive it began with."""
        folder = self.start('[[faults]]\npart = "box"\nwhat = "pulled out"\nafter = "100 s"\n')
        previous = self.soak(folder).run
        self.write("bench.toml", (self.folder / "bench.toml").read_text().replace('"T-1"', '"T-2"'))
        asked = SoakRequest(Place(folder, folder.path, None, "box"), WRITING, SoakPlan(load_seconds=5.0))
        with self.assertRaisesRegex(UsageError, "was on T-1, and here is T-2"):
            soak(request_again(asked, previous), Observer())

    def test_events_are_told_while_the_load_is_on(self) -> None:
        """On a bench played at a pace, the used-up cache is told before the load ends."""

        class Listening(Observer):
            heard: list[tuple[float, list[str]]] = []
            at = 0.0

            def row(self, name: str, row: TraceRow, seconds: float, moved: int) -> None:
                self.at = seconds

            def events(self, found: list[Fall], load_start: float) -> None:  # type: ignore[override]
                self.heard.append((self.at, [f.cause for f in found]))

        folder = self.start(into='cache = "20 GB"\nafter_cache = "300 MB/s"')
        request = SoakRequest(
            Place(folder, folder.path, None, "direct"),
            WRITING,
            SoakPlan(idle=0.0, load_seconds=120.0, cool=0.0),
            pace=40.0,
        )
        with mock.patch.object(phases, "LOOK_EVERY", 0.2):
            soak(request, Listening())
        self.assertTrue(any(causes == ["write cache"] and at < 119 for at, causes in Listening.heard), Listening.heard)


class Judging(Soaking):
    def test_two_coolers(self) -> None:
        """The difference of the rises is what the bench's resistances say, within its interval."""
        folder = self.start()
        for setup in ("box", "cooler"):
            self.soak(folder, setup, idle=None, load_seconds=1800.0)
        box, cooler = choose(folder, ["box", "cooler"])
        found = difference(cooler, box)
        power = 0.5 + 1.5 + 3 * 990 / 2000
        assert found.rise is not None and found.low is not None and found.high is not None
        self.assertTrue(found.low <= -power * 3 <= found.high, found)
        self.assertLess(found.high - found.low, 4)
        self.assertEqual(found.unlike, ())
        table = ulterion.load_review(self.folder).soaks()
        self.assertEqual(list(table["setup"]), ["box", "cooler"])
        self.assertAlmostEqual(table["rise_K"][1] - table["rise_K"][0], found.rise, places=6)
        series = ulterion.load_review(self.folder).series(box.run.id)
        self.assertAlmostEqual(series["MB_per_s"][series["seconds"] >= 0].mean(), 990, delta=5)
        self.assertIn("Test Box claims 1,400 MB/s", [m.words for m in marks_of(folder.review, box.run)])
        with self.assertRaisesRegex(UsageError, "did you mean 'cooler'"):
            choose(folder, ["coler"])
        with self.assertRaisesRegex(UsageError, "has no soak yet"):
            choose(folder, ["direct"])

    def test_soaks_that_are_unlike_say_so(self) -> None:
        """Another load, a warmer room, a start without rest: each is said; a soak that did not settle is not compared."""
        folder = self.start()
        one = self.soak(folder, idle=None, load_seconds=1800.0)
        warm = (self.folder / "bench.toml").read_text().replace('room = "21 °C"', 'room = "27 °C"')
        self.write("bench.toml", warm)
        reading = replace(SoakRequest(Place(folder, folder.path, None, "box"), WRITING, SoakPlan(idle=5.0, load_seconds=200.0, cool=0.0)),
                          workload=parse_workload("sequential read 1 MiB depth 4"))  # fmt: skip
        other = soak(reading, Observer())
        first, second = (soak_of(r.run) for r in (one, other))
        assert first is not None and second is not None
        found = difference(second, first)
        told = "; ".join(found.unlike)
        for words in ("load: sequential read", "drive temperature at the start", "room: 27.0 °C against 21.0 °C"):
            self.assertIn(words, told)

    def test_a_speed_class_and_a_highest_temperature(self) -> None:
        """Met by ten minutes of seconds; missed by a card that tidies too slowly; five minutes may lie in a cache, two still warm up."""
        claims = 'speed_class = "V60"\ntemperature = "70 °C"\n'
        text = REVIEW.replace("[parts.drive.claims]\n", f"[parts.drive.claims]\n{claims}")
        for floor, verdict in (("80 MB/s", "met"), ("50 MB/s", "missed")):
            bench = BENCH.replace(
                "parallel = 32", f'parallel = 32\nfloor = "{floor}"\ntidy_every = "20 GB"\ntidy = "1 GB"'
            )
            folder = self.review(text, bench + COOLED)
            rows = {r.claim: r for r in judge_claims(folder.review, folder.runs())}
            self.assertEqual(rows["speed class"].judgement.verdict, "not measured" if verdict == "met" else "met")
            self.soak(folder, load_seconds=150.0)
            rows = {r.claim: r for r in judge_claims(folder.review, folder.runs())}
            if verdict == "met":
                self.assertIn("may have stayed in a write cache", rows["speed class"].judgement.why or "")
                self.assertRegex(
                    rows["temperature"].judgement.why or "", r"still warming up at the end.*; soak it longer"
                )
            else:  # a short soak does not take the place of a long one
                self.assertEqual({rows[c].judgement.verdict for c in ("speed class", "temperature")}, {"met"})
            self.soak(folder, load_seconds=1800.0)
            rows = {r.claim: r for r in judge_claims(folder.review, folder.runs())}
            self.assertEqual(rows["speed class"].judgement.verdict, verdict)
            self.assertEqual(rows["temperature"].judgement.verdict, "met")


class Noting(Soaking):
    def test_notes_go_where_they_belong(self) -> None:
        """To a moment of a soak (counted from its load), to a setup, to the newest run; what cannot be is refused."""
        folder = self.start()
        run = self.soak(folder).run
        note_words(folder, "case 38 °C at 2m", None, None)
        note_words(folder, "loud", run.id, None)
        note_words(folder, "not recognised", None, "cooler")
        (kept,) = folder.runs()
        self.assertEqual([(r.what, r.value, r.at_seconds) for r in kept.readings], [("case", 38.0, 150.0)])
        self.assertEqual(outcomes(folder), {"cooler": ["not recognised"]})
        self.assertEqual([n["what"] for n in noted(folder)["runs"]], ["case 38 °C", "remark: loud"])
        for text, run_id, setup, words in (
            ("case 38 °C at 9h", None, None, "lies beyond it"), ("x", "ffffff", None, "unknown run"),
            ("x", None, "cooller", "did you mean 'cooler'"), (" ", None, None, "nothing to note"),
            ("case 400 °C", None, None, "not a temperature"), ("x at 2m", None, "cooler", "no time"),
        ):  # fmt: skip
            with self.subTest(text), self.assertRaisesRegex(UsageError, words):
                note_words(folder, text, run_id, setup)
        self.assertEqual(split_moment("stood at the window"), ("stood at the window", None))

    def test_the_moment_of_a_note(self) -> None:
        """It is taken off the end, however long the note is: these have so many digits and spaces that to look for it everywhere would take days."""
        for long in ("", "1 " * 20_000, "at 1, " * 8000, "1" * 20_000 + " " * 20_000 + "9 "):
            for words, seconds in (
                ("at 1h 30m", 5400.0),
                ("idle", 0.0),
                (", when idle", 0.0),
                ("at the end", math.inf),
            ):
                with self.subTest(words, long=long[:6]):
                    self.assertEqual(split_moment(f"{long}case 38 C {words}"), (f"{long}case 38 C", seconds))
            self.assertEqual(split_moment(f"{long}it hums"), (f"{long}it hums", None))

    def test_notes_are_corrected_and_taken_back_by_number(self) -> None:
        """What stood before stays in its document, marked, and counts no more; what cannot be is refused."""
        folder = self.start()
        run = self.soak(folder).run
        for text, setup in (("case 83 °C at 2m", None), ("room 20 °C", None), ("not recognised", "cooler")):
            note_words(folder, text, None, setup)
        listed = {n["what"]: int(n["number"] or 0) for place in noted(folder).values() for n in place}
        told = correct(folder, listed["case 83 °C"], "case 38 °C")
        self.assertEqual(told, {"what": "case 38 °C, in the place of case 83 °C", "where": f"soak {run.id}"})
        take_back(folder, listed["outcome: not recognised"])
        (kept,) = folder.runs()
        self.assertEqual([(r.value, r.at_seconds, r.taken_back is None) for r in kept.readings],
                         [(83.0, 150.0, False), (20.0, None, True), (38.0, 150.0, True)])  # fmt: skip
        self.assertEqual([r.value for r in kept.standing_readings], [20.0, 38.0])
        self.assertEqual(outcomes(folder), {})
        self.assertEqual(len(folder.notebook().notes), 1)
        self.assertEqual(
            [n["taken_back"] for place in noted(folder).values() for n in place], [True, True, False, False]
        )
        for number, words in (
            (listed["case 83 °C"], "taken back already"),
            (9, "there are 1 to 4"),
            (0, "no note has"),
        ):
            with self.assertRaisesRegex(UsageError, words):
                take_back(folder, number)
        correct(folder, listed["room 20 °C"], "drafty at the window")  # a reading becomes a remark
        (kept,) = folder.runs()
        self.assertEqual(
            ([r.value for r in kept.standing_readings], [n.text for n in kept.standing_notes]),
            ([38.0], ["drafty at the window"]),
        )

    def test_it_is_asked_when_another_run_may_be_meant(self) -> None:
        """The note names a part or setup that the newest run has not: asked first; a run that is named is meant."""
        folder, asked = self.start(), []

        def no(question: str) -> bool:
            asked.append(question)
            return False

        run = self.soak(folder, setup="cooler").run
        with self.assertRaisesRegex(
            UsageError, f"'direct'.*of cooler, so nothing was noted; say which run with --run {run.id}"
        ):
            note_words(folder, "direct is louder", None, None, no)
        note_words(folder, "cooler is louder", None, None, no)
        note_words(folder, "direct is louder", run.id, None, no)
        self.assertEqual(len(asked), 1)
        note_words(folder, "direct is louder", None, None, lambda question: True)
        self.assertEqual(len(folder.runs()[0].notes), 3)

    def test_what_reviewers_write_is_understood(self) -> None:
        """A value without its unit, before its name, with a remark; rates from elsewhere; outcomes in other words."""
        read = {
            "case 38": ("case", 38.0, "C", ""), "38 °C case": ("case", 38.0, "C", ""), "Room: 21": ("Room", 21.0, "C", ""),
            "rate 117 MB/s +- 2 (from a copy window)": ("rate", 117.0, "MB/s", "+- 2 (from a copy window)"),
            "power 4.2 W at the plug": ("power", 4.2, "W", "at the plug"), "100.4 F skin": ("skin", 38.0, "C", ""),
        }  # fmt: skip
        for text, wanted in read.items():
            one = parse_note(text)
            assert isinstance(one, Reading), text
            self.assertEqual((one.what, one.value, one.unit, one.remark), wanted)
        for text, kind in (("not recognized", "outcome"), ("Not detected on the left port", "outcome"), ("take 38", "remark"),
                           ("the case is 38 mm wide", "remark"), ("needs external power", "outcome"), ("works with the charger", "outcome"),
                           ("boots", "outcome"), ("does not work", "outcome"), ("works well, but hums", "remark"), ("with the lid on: works", "outcome")):  # fmt: skip
            one = parse_note(text)
            assert isinstance(one, Note), text
            self.assertEqual((one.kind, one.text), (kind, text))

    def test_an_instruments_log_becomes_a_sensor(self) -> None:
        """Lined up by time it settles like any sensor; one that lies elsewhere in time says where."""
        folder = self.start()
        run = self.soak(folder, load_seconds=1200.0).run
        began = run.started
        rows = [
            f"{(began + datetime.timedelta(seconds=s)).isoformat()},{30 + min(s, 600) / 60}" for s in range(0, 1230, 5)
        ]
        path = self.write("probe.csv", "when,C\n" + "\n".join(rows) + "\n")
        where = attach_log(folder, run.id, path, "skin", (None, None), zone=None, shift=0.0)
        self.assertEqual(where["what"], "246 values of skin from probe.csv")
        found = soak_of(folder.runs()[0])
        assert found is not None
        skin = next(w for w in found.findings.temperatures if w.sensor == "skin")
        self.assertEqual(skin.peak, 40.0)
        with self.assertRaisesRegex(UsageError, "after the soak's end"):
            attach_log(folder, run.id, path, "other", (None, None), zone=None, shift=36000.0)
        with self.assertRaisesRegex(UsageError, "has a sensor 'drive' already"):
            attach_log(folder, run.id, path, "drive", (None, None), zone=None, shift=0.0)
