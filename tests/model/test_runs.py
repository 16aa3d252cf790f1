"""Run documents, the journal and the store."""

from __future__ import annotations

import fcntl
import json
import os
import re
import unittest
from pathlib import Path
from unittest import mock

import jsonschema

from tests.support import FolderCase, simulate
from ulterion.cli.answer_schema import published_schema as published_answers
from ulterion.core.errors import UsageError
from ulterion.model import files
from ulterion.model.journal import Journal, recover
from ulterion.model.reading import read_bytes
from ulterion.model.runs.any_run import published_schema
from ulterion.model.runs.document import parse_run
from ulterion.model.runs.header import State
from ulterion.model.store import ReviewFolder, run_name

REPOSITORY = Path(__file__).parents[2]
HERE = Path(__file__).parent
SAMPLE = HERE / "run-v1.json"
RENAMED = {"hookup": "setup", "lanes": "workers", "company": "concurrent_targets"}  # what fields of old versions became


class Document(unittest.TestCase):
    def test_the_first_version_still_loads(self) -> None:
        """A document kept from version 1 loads with all its figures, and nothing of it is lost in writing it back."""
        text = SAMPLE.read_text()
        run = parse_run(text, SAMPLE.name)
        self.assertEqual((run.setup, run.state.name, len(run.workloads)), ("box", "complete", 2))
        one = run.workloads[0].passes[0]
        self.assertEqual(one.bytes, sum(one.series.bytes))
        self.assertEqual(one.requests, one.latency.read_back().total)
        self.assert_holds(json.loads(run.to_json()), json.loads(text) | {"schema": {"name": "ulterion-run"}})
        self.assertEqual(parse_run(run.to_json(), "again"), run)

    def test_the_second_version_still_loads(self) -> None:
        """A measurement and a soak of version 2: figures, phases and what was noted are as they were."""
        for kind, excluded in (("measure", ()), ("soak", ("suite", "workloads", "settings"))):
            text = (HERE / f"run-v2-{kind}.json").read_text()
            run = parse_run(text, kind)
            old = {k: v for k, v in json.loads(text).items() if k not in excluded}
            self.assertEqual(run.kind, kind)
            self.assert_holds(json.loads(run.to_json()), old | {"schema": {"name": "ulterion-run"}})
            self.assertEqual(parse_run(run.to_json(), "again"), run)
        self.assertEqual(
            (run.settings.seed, run.settings.span_bytes),
            tuple(json.loads(text)["settings"][k] for k in ("seed", "span_bytes")),
        )

    def assert_holds(self, new: object, old: object, place: str = "") -> None:
        """Everything of the old document is in the new one, unchanged; fields added since are allowed."""
        if isinstance(old, dict) and isinstance(new, dict):
            for key, value in old.items():
                now = RENAMED.get(key, key)
                self.assertIn(now, new, place)
                self.assert_holds(new[now], value, f"{place}.{key}")
        elif isinstance(old, list) and isinstance(new, list) and any(isinstance(v, dict) for v in old):
            self.assertEqual(len(new), len(old), place)
            for one, other in zip(new, old, strict=True):
                self.assert_holds(one, other, place)
        else:
            self.assertEqual(new, old, place)

    def test_version_3_excluded_by_a_remark(self) -> None:
        """The remark that was documented excludes its run; one that only begins so does not, and is kept as it was."""
        text = (HERE / "run-v3-capacity.json").read_text()
        run = parse_run(text, "old")
        self.assertEqual(run.excluded, "wrong cable")
        self.assertEqual([n.kind for n in run.notes], ["remark", "excluded"])
        free = parse_run(text.replace("Does not count: wrong", "Does not count wrong"), "old")
        self.assertIsNone(free.excluded)
        self.assertEqual(parse_run(run.to_bytes(), "new"), run)

    def test_version_5_workloads_of_a_network(self) -> None:
        """They had the fields of a drive's too, which say nothing and are gone; everything else is kept."""
        text = (HERE / "run-v5-network.json").read_text()
        run = parse_run(text, "old")
        self.assertEqual(
            [w.workload.text for w in run.workloads],
            ["receive 256 KiB streams 1", "send datagrams 1200 B at 95 Mb/s"],
        )
        old = json.loads(text) | {"schema": {"name": "ulterion-run"}}
        for record in old["workloads"]:
            del record["workload"]["span_bytes"], record["workload"]["origin_bytes"]
        self.assert_holds(json.loads(run.to_json()), old)
        self.assertEqual(parse_run(run.to_bytes(), "new"), run)

    def test_version_6_words_of_a_mixed_workload(self) -> None:
        """They are those of now, by which the run is matched with new ones, as is the name that was made of them."""
        text = (HERE / "run-v6-mixed.json").read_text()
        run = parse_run(text, "old")
        self.assertEqual([w.text for w in run.workloads], [w.workload.text for w in run.workloads])
        self.assertEqual(run.workloads[0].text, "random mixed 30% writes 16 KiB depth 6")
        named = parse_run(text.replace('"name":"mixed"', '"name":"random mixed 30 % writes 16 KiB depth 6"'), "old")
        self.assertEqual(named.workloads[0].workload.name, run.workloads[0].text)
        self.assertEqual(parse_run(run.to_bytes(), "new"), run)

    def test_the_published_schema_is_the_models(self) -> None:
        """docs/run.schema.json is generated from the model; a stale one fails here."""
        published = json.loads((REPOSITORY / "docs/run.schema.json").read_text())
        self.assertEqual(published, published_schema())
        answers = json.loads((REPOSITORY / "docs/answers.schema.json").read_text())
        self.assertEqual(answers, published_answers())

    def test_documents_fit_the_published_schema(self) -> None:
        """Those of every version, as they are written now; one with a value of another type, or a key too many, does not."""
        check = jsonschema.Draft202012Validator(json.loads((REPOSITORY / "docs/run.schema.json").read_text()))
        for path in sorted(HERE.glob("run-v*.json")):
            data = parse_run(path.read_bytes(), path.name).as_data()
            self.assertEqual([e.message for e in check.iter_errors(data)], [], path)
            for change in ({"chain": "port"}, {"more": 1}, {"id": "12"}, {"state": {"name": "over"}}):
                self.assertFalse(check.is_valid(data | change), change)

    def test_what_is_not_a_sound_document_is_said(self) -> None:
        """Half a file, another format, a later version, an unknown key, an impossible number: each its own words."""
        text = SAMPLE.read_text()
        whole = json.loads(text)
        cases = {
            text[: len(text) // 2]: "incomplete or damaged",
            "[]": "not a run document",
            json.dumps(whole | {"schema": {"name": "other", "version": 1}}): "not a run document",
            json.dumps(whole | {"schema": {"name": "ulterion-run", "version": 8}}): "newer Ulterion",
            json.dumps(whole | {"extra": 1}): "extra",
            json.dumps(whole | {"id": "zz"}): "is not valid: id",
        }
        for damaged, says in cases.items():
            with self.subTest(says), self.assertRaisesRegex(UsageError, says):
                parse_run(damaged, "x.json")


class Reading(FolderCase):
    def test_a_file_is_read_whole(self) -> None:
        """Though the system gives a few bytes at a time; never more than is allowed, and a file that is larger is refused unread."""
        path = self.folder / "file"
        path.write_bytes(bytes(range(256)) * 20)

        read = os.read
        with mock.patch("os.read", side_effect=lambda fd, size: read(fd, min(size, 700))) as sparing:
            self.assertEqual(read_bytes(path), path.read_bytes())
            sparing.reset_mock()
            with self.assertRaisesRegex(UsageError, "larger than"):
                read_bytes(path, 1000)
            sparing.assert_not_called()
        with mock.patch("os.fstat", return_value=mock.Mock(st_mode=0o100644, st_size=1)):  # it grew since
            self.assertEqual(read_bytes(path), path.read_bytes())
            with self.assertRaisesRegex(UsageError, "larger than"):
                read_bytes(path, 1000)
        self.assertEqual(read_bytes(path, 256 * 20), path.read_bytes())


class Recovery(FolderCase):
    def setUp(self) -> None:
        super().setUp()
        self.review_folder = self.review()
        self.finished = simulate(self.review_folder, "box", passes=3)
        self.runs = self.review_folder.runs_folder

    def journal(self) -> tuple[Journal, list]:
        """Return a journal as it stands when the last pass has just been written."""
        run = self.finished.run
        passes = [(i, p) for i, w in enumerate(run.workloads) for p in w.passes]
        blank = run.changed(id="abcdef").with_passes([], State(name="interrupted", why="in progress"))
        journal = Journal(self.runs / f"{run_name(blank)}.journal", blank)
        for index, record in passes:
            journal.add(index, record)
        return journal, passes

    def test_a_journal_cut_anywhere_keeps_every_whole_pass(self) -> None:
        """Whatever byte the journal ends at, the passes whose line is whole are there and the document is valid."""
        journal, _ = self.journal()
        journal.close(remove=False)
        data = journal.path.read_bytes()
        ends = [i for i, byte in enumerate(data) if byte == 10]
        for cut in [0, 1, ends[0] - 1, *(e + d for e in ends for d in (0, 1, 700)), len(data)]:
            journal.path.write_bytes(data[:cut])
            run = recover(journal.path)
            whole = sum(e <= cut for e in ends)
            if whole == 0:
                self.assertIsNone(run, cut)
                continue
            assert run is not None
            kept = [p for w in run.workloads for p in w.passes]
            self.assertEqual(len(kept), whole - 1, cut)
            self.assertEqual(run.state.name, "interrupted")
            self.assertEqual(parse_run(run.to_json(), "x"), run)

    def test_the_next_start_recovers_and_touches_nothing_else(self) -> None:
        """A dead writer's journal becomes an interrupted run; other files stay as they are, byte by byte."""
        before = self.finished.path.read_bytes()
        journal, passes = self.journal()
        journal.close(remove=False)
        opened = ReviewFolder.open(self.folder)
        runs = {r.id: r for r in opened.runs()}
        self.assertEqual(runs["abcdef"].state.name, "interrupted")
        self.assertEqual(sum(len(w.passes) for w in runs["abcdef"].workloads), len(passes))
        self.assertFalse(journal.path.exists())
        self.assertEqual(self.finished.path.read_bytes(), before)
        self.assertIn("6 finished passes are kept", " ".join(opened.notices))
        self.assertEqual(ReviewFolder.open(self.folder).notices, [])

    def test_journals_of_every_version_are_recovered(self) -> None:
        """What an older version left when it was killed is a run after the update, with all that it held."""
        for name, lines in (("run-v1-measure", 4), ("run-v2-measure", 4), ("run-v2-soak", 25)):
            with self.subTest(name):
                source = (HERE / f"{name}.journal").read_bytes()
                run = recover(HERE / f"{name}.journal")
                assert run is not None
                self.assertEqual((run.kind, run.state.name), (name.rpartition("-")[2], "interrupted"))
                held = run.soak.phases if run.kind == "soak" else [p for w in run.workloads for p in w.passes]
                count = (
                    sum(max(len(p.bytes), len(next(iter(p.sensors.values()), []))) for p in held)
                    if run.kind == "soak"
                    else len(held)
                )
                self.assertEqual(count, lines)
                left = self.runs / f"20260101T000000Z-{name}-{run.id}.journal"
                left.write_bytes(source)
                opened = ReviewFolder.open(self.folder)
                self.assertIn("was cut off", " ".join(opened.notices))
                self.assertIn(run.id, [r.id for r in opened.runs()])

    def test_a_living_writers_journal_is_left_alone(self) -> None:
        """While the writer holds its lock the journal is not touched."""
        journal, _ = self.journal()
        self.assertEqual(ReviewFolder.open(self.folder).notices, [])
        self.assertTrue(journal.path.exists())
        journal.close(remove=True)
        self.assertFalse(journal.path.exists())

    def test_a_worker_process_does_not_hold_the_writers_lock(self) -> None:
        """When the writer is gone its journal is free at once, though a child that it forked lives on."""
        journal, _ = self.journal()
        reader, writer = os.pipe()
        ready, say = os.pipe()
        child = os.fork()
        if not child:
            os.close(writer)
            os.write(say, b"x")  # the fork hooks, which let the journal go, have run by now
            os.read(reader, 1)
            os._exit(0)
        try:
            os.read(ready, 1)
            journal.close(remove=False)
            self.assertIn("finished passes are kept", " ".join(ReviewFolder.open(self.folder).notices))
        finally:
            os.close(writer)
            os.waitpid(child, 0)
            for fd in (reader, ready, say):
                os.close(fd)

    def test_a_journal_of_nothing_is_set_aside(self) -> None:
        """Where not even the first line is whole, the file is moved aside and said."""
        (self.runs / "20260101T000000Z-measure-x-aaaaaa.journal").write_text("{half")
        opened = ReviewFolder.open(self.folder)
        self.assertIn("nothing could be recovered", opened.notices[0])
        self.assertEqual(len(list((self.runs / "set-aside").iterdir())), 1)


class Storing(FolderCase):
    def test_damaged_runs_are_set_aside_and_the_rest_is_read(self) -> None:
        """Half a document is reported and moved aside; a newer one is reported and left."""
        folder = self.review()
        kept = simulate(folder, "box", passes=3)
        text = kept.path.read_text()
        (folder.runs_folder / "a.json").write_text(text[: len(text) // 3])
        (folder.runs_folder / "b.json").write_text(text.replace('"version": 7', '"version": 8', 1))
        folder = self.opened()
        self.assertEqual([r.id for r in folder.runs()], [kept.run.id])
        self.assertRegex(folder.notices[0], r"a\.json is incomplete or damaged.*moved to runs/set-aside")
        self.assertRegex(folder.notices[1], "newer Ulterion")
        self.assertTrue((folder.runs_folder / "set-aside/a.json").exists())
        self.assertTrue((folder.runs_folder / "b.json").exists())

    def test_of_many_documents_a_second_process_reads_half(self) -> None:
        """It finds the same and tells the same, in the same order, as one process alone; also where there can be no second one, or it dies."""
        folder = self.review()
        first = simulate(folder, "box", passes=3)
        for number in range(9):
            text = first.path.read_text().replace(first.run.id, f"{number:06x}", 1)
            cut = len(text) // 3 if number in (2, 7) else len(text)
            (folder.runs_folder / f"{number}.json").write_text(text[:cut])
        damaged = [folder.runs_folder / name for name in ("2.json", "7.json")]
        halves = [path.read_text() for path in damaged]

        def read() -> tuple[list[str], list[str], int]:
            for path, text in zip(damaged, halves, strict=True):
                path.write_text(text)
            opened = self.opened()
            with mock.patch("ulterion.model.store.read_bytes", wraps=read_bytes) as here:
                ids = [summary.id for summary in opened.summaries()]
            return ids, [re.sub(r"moved to \S+", "moved", notice) for notice in opened.notices], here.call_count

        by_one = read()
        self.assertEqual((len(by_one[0]), len(by_one[1]), by_one[2]), (8, 2, 10))
        can = mock.patch("ulterion.model.work_beside.can_do_two", return_value=True)
        with mock.patch("ulterion.model.run_summary.MANY", 2), can:
            by_two = read()
            with mock.patch("os.fork", side_effect=OSError(11, "Resource temporarily unavailable")):
                alone = read()
            with mock.patch("ulterion.model.run_summary._if_sound", side_effect=RuntimeError):
                dies = read()
        self.assertEqual(by_two, (*by_one[:2], 5 + 1))  # a damaged one of the other half is read again, to say why
        self.assertEqual([alone, dies], [by_one, by_one])

    def test_a_write_that_fails_leaves_the_old_file_and_no_scratch(self) -> None:
        """When the rename, the sync or the write fails, what was there is there, whole."""
        path = self.write("x.json", "old")
        for call in ("ulterion.model.files.os.fsync", "pathlib.Path.replace"):
            with mock.patch(call, side_effect=OSError(28, "No space left on device")), self.assertRaises(UsageError):
                files.write_atomically(path, "new")
            self.assertEqual(path.read_text(), "old")
            self.assertEqual([p.name for p in self.folder.iterdir()], ["x.json"])
        files.write_atomically(path, "new")
        self.assertEqual(path.read_text(), "new")

    def test_locks_are_the_kernels(self) -> None:
        """What `try_lock` takes, another descriptor cannot have."""
        from ulterion.model.lock import try_lock

        path = self.write("l", "")
        first, second = (os.open(path, os.O_RDWR) for _ in range(2))
        self.addCleanup(os.close, second)
        self.assertTrue(try_lock(first))
        self.assertFalse(try_lock(second))
        with self.assertRaises(OSError):
            fcntl.flock(second, fcntl.LOCK_EX | fcntl.LOCK_NB)
        os.close(first)
        self.assertTrue(try_lock(second))
