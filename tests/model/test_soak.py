"""Soaks as they are written down: growing, the journal, recovery, notes, logs of instruments."""

from __future__ import annotations

import datetime
import json
import math
import unittest

from hypothesis import given
from hypothesis import strategies as st

from tests.support import FolderCase, simulate
from ulterion.core.errors import UsageError
from ulterion.core.facts.target import BenchFacts, TargetFacts
from ulterion.core.soak.trace import TraceRow
from ulterion.core.workloads.workload import parse_workload
from ulterion.model.instrument import parse_zone, read_log
from ulterion.model.journal import Journal, recover
from ulterion.model.pending_notes import leave_note
from ulterion.model.runs import phase_builder as soaks
from ulterion.model.runs.document import parse_run
from ulterion.model.runs.header import RunScope, State
from ulterion.model.runs.notes import Note, Reading
from ulterion.model.runs.phase_builder import PhaseBuilder, join_rows
from ulterion.model.runs.soak import LoggedSeries, SoakPlan, SoakRecord, SoakRun, lined_up
from ulterion.model.setup_notes import SetupNote
from ulterion.model.store import ReviewFolder, run_name

WRITING = parse_workload("sequential write 1 MiB depth 4")


def blank() -> SoakRun:
    return SoakRun(
        id="abcdef", started="2026-01-01T00:00:00.000Z", kind="soak", setup="box", chain=["b:usb", "box", "drive"],
        target=TargetFacts("sim:x", "simulated"), bench=BenchFacts("testbench"),
        settings=RunScope(span_bytes=2**30, seed=1), cache_bypassed=True,
        soak=SoakRecord(plan=SoakPlan(load_seconds=60), workload=WRITING, text=WRITING.text, engine="simulated"),
        state=State(name="interrupted", why="in progress"),
    )  # fmt: skip


def row(number: int) -> TraceRow:
    return TraceRow(1.0, number * 2**20, number, 1e-3, 2e-3, 3e-3, {"drive": 40.0 + number, "case": None})


class Growing(unittest.TestCase):
    @given(st.integers(1, 300), st.integers(2, 40))
    def test_nothing_is_lost_when_rows_are_joined(self, count: int, most: int) -> None:
        """However few rows are kept, bytes, seconds and requests are those that came, and the last row is there."""
        kept, soaks.MAX_ROWS = soaks.MAX_ROWS, most
        try:
            phase = PhaseBuilder("load", 10.0, 1.0, 1)
            for number in range(count):
                phase.add(row(number))
        finally:
            soaks.MAX_ROWS = kept
        written = phase.written(ended="enough")
        trace = blank().soak.changed(phases=[written]).trace(rotational=False)
        self.assertLessEqual(trace.at.size, most + 1)
        self.assertEqual(sum(written.bytes), sum(range(count)) * 2**20)
        self.assertAlmostEqual(trace.seconds.sum(), count)
        self.assertEqual(trace.at[0], 10.0)
        self.assertEqual(written.end, 10.0 + count)

    def test_a_joined_row(self) -> None:
        """The median is weighted by requests, the worst kept, a sensor's mean of what is known."""
        one = join_rows(
            [TraceRow(1, 10, 1, 1.0, 1.0, 1.0, {"a": 10.0, "b": None}), TraceRow(1, 30, 3, 2.0, 5.0, 9.0, {"a": None})]
        )
        self.assertEqual((one.bytes, one.p50, one.p99, one.worst), (40, 1.75, 5.0, 9.0))
        self.assertEqual(one.sensors, {"a": 10.0, "b": None})

    def test_a_log_is_lined_up_and_not_drawn_across_gaps(self) -> None:
        """Each row gets the nearest value; rows in a gap get none."""
        phase = PhaseBuilder("load", 0.0, 1.0, 1)
        for number in range(100):
            phase.add(row(number))
        record = blank().soak.changed(phases=[phase.written()])  # type: ignore[union-attr]
        log = LoggedSeries(name="skin", source="x.csv", at=[0, 5, 10, 15, 60, 65], values=[1, 2, 3, 4, 5, 6])
        found = lined_up(record.trace(rotational=False), log)
        self.assertEqual((found[0], found[9], found[61]), (1.0, 3.0, 5.0))
        self.assertTrue(math.isnan(found[40]))
        self.assertTrue(math.isnan(found[90]))
        self.assertEqual(lined_up(record.trace(rotational=False), log.changed(at=[], values=[])).size, 100)


class Journals(FolderCase):
    def journal(self, run: SoakRun | None = None, rows: int = 6) -> Journal:
        run = run or blank()
        (self.folder / "runs").mkdir(exist_ok=True)
        journal = Journal(self.folder / "runs" / f"{run_name(run)}.journal", run)
        part = max((p.part for p in run.soak.phases), default=0) + 1 if run.soak else 1
        start = 100.0 * (part - 1)
        idle, load = PhaseBuilder("idle", start, 1.0, part), PhaseBuilder("load", start + 1.0, 1.0, part)
        journal.phase(idle)
        journal.row(TraceRow(1.0, 0, 0, sensors={"drive": 30.0}))
        journal.phase_end(start + 1.0, "the time was up", None)
        journal.phase(load)
        for number in range(rows):
            journal.row(row(number + 1))
        journal.note(Reading(what="case", value=38.0, unit="C", at_seconds=3.0))
        journal.note(Note(kind="remark", text="loud", noted="2026-01-01T00:00:05Z"))
        return journal

    def test_a_journal_cut_anywhere_keeps_every_whole_interval(self) -> None:
        """Whatever byte it ends at, rows whose line is whole are there, and the document is sound."""
        journal = self.journal()
        journal.close(remove=False)
        data = journal.path.read_bytes()
        ends = [i for i, byte in enumerate(data) if byte == 10]
        for cut in (*ends, *(e + 5 for e in ends), len(data)):
            journal.path.write_bytes(data[:cut])
            run = recover(journal.path)
            if cut < ends[0]:
                self.assertIsNone(run)
                continue
            assert run is not None and run.soak is not None
            whole = [json.loads(line) for line in data[:cut].split(b"\n")[1:] if _whole(line)]
            rows = sum(p.row_count() for p in run.soak.phases)
            self.assertEqual(rows, sum("row" in line for line in whole), cut)
            self.assertEqual(parse_run(run.to_json(), "x"), run)

    def test_a_soak_cut_off_twice_is_one_soak_in_parts(self) -> None:
        """The second part's journal holds the first; recovery replaces the document, and takes notes left beside it."""
        self.review()
        self.journal().close(remove=False)
        folder = ReviewFolder.open(self.folder)
        self.assertIn("6.0 s of load and 22.0 MB are kept", " ".join(folder.notices))
        (first,) = folder.runs()
        second = self.journal(first, rows=4)
        leave_note(second.path, Reading(what="room", value=21.5, unit="C", at_seconds=104.0))
        self.assertEqual(ReviewFolder.open(self.folder).in_progress(), [second.path])
        second.close(remove=False)
        folder = ReviewFolder.open(self.folder)
        (run,) = folder.runs()
        assert run.soak is not None
        self.assertEqual([(p.part, p.name) for p in run.soak.phases],
                         [(1, "idle"), (1, "load"), (2, "idle"), (2, "load")])  # fmt: skip
        self.assertEqual(run.soak.done("load"), (10.0, (21 + 10) * 2**20))
        self.assertEqual([r.what for r in run.readings], ["case", "case", "room"])
        self.assertEqual(list(folder.runs_folder.glob("*.notes")), [])
        self.assertEqual(run.trace().phases[1].end, 105.0)

    def test_a_journal_left_after_its_document_changes_nothing(self) -> None:
        """A program that died between writing the document and removing the journal leaves the document as it is."""
        folder = self.review()
        journal = self.journal()
        journal.close(remove=False)
        run = recover(journal.path)
        assert run is not None
        path = folder.save(run.with_phases([], State(name="complete")))
        before = path.read_bytes()
        self.assertEqual(ReviewFolder.open(self.folder).notices, [])
        self.assertEqual(path.read_bytes(), before)
        self.assertFalse(journal.path.exists())


def _whole(line: bytes) -> bool:
    try:
        json.loads(line)
    except ValueError:
        return False
    return True


class Words(FolderCase):
    def test_a_reading_is_kept_as_one_or_refused(self) -> None:
        """Degrees of no scale are asked about; a moment of nought, and idle, are kept; a reading goes to the newest soak."""
        self.review()
        simulate(self.opened(), "box", passes=1)
        self.assertEqual(self.ulterion("soak", "--setup", "box", "--for", "60 s", "--idle", "0").returncode, 0)
        simulate(self.opened(), "box", passes=1)  # the newest by the clock, and no soak
        self.refused("note", "case 38 degrees", says="Celsius or Fahrenheit")
        for words in ("case 38 degrees C at 30s", "case 29 °C at 0m", "case 28 °C idle", "skin 100 fahrenheit"):
            self.assertEqual(self.ulterion("note", words).returncode, 0, words)
        noted = self.json_of("note")["runs"]
        self.assertEqual([n["kind"] for n in noted], ["soak"] * 4)
        self.assertEqual([n["at_seconds"] for n in noted], [30.0, 0.0, 0.0, None])
        self.assertEqual([n["what"] for n in noted], ["case 38 °C", "case 29 °C", "case 28 °C", "skin 37.78 °C"])

    def test_a_run_is_excluded_by_name(self) -> None:
        """Never by how a remark begins; taken back it counts again."""
        self.review()
        run = simulate(self.opened(), "box", passes=3).run.id
        self.ulterion("note", "--run", run, "does not count the flush at the end")
        self.assertIsNone(self.opened().runs()[0].excluded)
        self.refused("note", "--run", run, "does not count: wrong cable", says="--exclude")
        self.refused("note", "--exclude", run, says="say why")
        self.assertEqual(self.json_of("note", "--exclude", run, "wrong cable")["what"], "excluded: wrong cable")
        self.assertEqual(self.opened().runs()[0].excluded, "wrong cable")
        self.refused("note", "--exclude", run, "again", says="is excluded already")
        self.ulterion("note", "--take-back", "2")
        self.assertIsNone(self.opened().runs()[0].excluded)


class Notebooks(FolderCase):
    def test_notes_on_setups(self) -> None:
        """They add up in one file; a damaged one is set aside and told, and the new note is kept; a newer one is left."""
        note = Note(kind="outcome", text="not recognised", noted="2026-01-01T00:00:00Z")
        folder = self.review()
        for setup in ("a", "b"):
            folder.note_on_setup(SetupNote(setup=setup, noted=note.noted, note=note))
        self.assertEqual([n.setup for n in folder.notebook().notes], ["a", "b"])
        damaged = ("{half", "[]", "[" * 100_000, '{"schema": {"version": 1}, "notes": ' + "9" * 5000 + "}", "\xff")
        for number, text in enumerate(damaged, 1):
            self.write("notes.json", text)
            folder.note_on_setup(SetupNote(setup="c", noted=note.noted, note=note))
            self.assertEqual([n.setup for n in folder.notebook().notes], ["c"])
            self.assertEqual(len(list((folder.runs_folder / "set-aside").iterdir())), number)
            self.assertIn("moved to runs/set-aside", folder.notices[-1])
        self.write("notes.json", '{"schema": {"name": "ulterion-notes", "version": 9}}')
        with self.assertRaisesRegex(UsageError, "newer Ulterion"):
            folder.note_on_setup(SetupNote(setup="d", noted=note.noted, note=note))


class InstrumentLogs(FolderCase):
    def test_times_with_and_without_a_zone(self) -> None:
        """The same moments written three ways; plain seconds; a decimal comma; gaps and bad rows counted."""
        at = datetime.datetime(2026, 7, 1, 10, 0, tzinfo=datetime.UTC).timestamp()
        for text, zone in (("2026-07-01T12:00:00+02:00", None), ("2026-07-01 12:00:00", "Europe/Berlin"),
                           ("01.07.2026 12:00:00", "+02:00"), ("2026-07-01T10:00:00Z", None)):  # fmt: skip
            path = self.write("a.csv", f"time;degrees\n{text};38,5\n")
            log = read_log(path, zone=zone)
            self.assertEqual((log.times, log.values, log.absolute), ([at], [38.5], True))
        rows = "".join(f"{i},{20 + i}\n" for i in [*range(30), *range(60, 90)])
        log = read_log(self.write("b.csv", f"s,C\n{rows}90,broken\n"))
        self.assertEqual((len(log.times), log.absolute, log.bad), (60, False, 1))
        self.assertEqual(log.gaps, [(29.0, 31.0)])

    def test_what_cannot_be_a_log(self) -> None:
        """Each with the file, and what to do about it."""
        good = "time,C\n2026-07-01T10:00:00,1\n"
        cases = [
            ("", {}, "lacks two columns"), ("one\n1\n", {}, "lacks two columns"), ("a,b\n", {}, "no row below"),
            (good, {}, "no time zone.*--zone"), (good, {"zone": "Mars/Base"}, "is not a time zone"),
            (good, {"columns": ("tme", None)}, "did you mean 'time'"), ("t,c\nnow,1\n", {}, "neither a time"),
            ("t,c\n1,warm\n2,warm\n", {}, "line 2"), ("t,c\n1\n2\n", {}, "too few"),
        ]  # fmt: skip
        for text, options, words in cases:
            with self.subTest(words), self.assertRaisesRegex(UsageError, words):
                read_log(self.write("x.csv", text), **options)  # type: ignore[arg-type]
        (self.folder / "x.csv").write_bytes(b"\xff\xfe\x00")
        with self.assertRaisesRegex(UsageError, "UTF-8"):
            read_log(self.folder / "x.csv")
        with self.assertRaisesRegex(UsageError, "cannot be read"):
            read_log(self.folder / "none.csv")
        self.assertEqual(parse_zone("-03:30").utcoffset(None), datetime.timedelta(hours=-3, minutes=-30))
