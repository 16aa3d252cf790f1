"""The archive, the same tests on SQLite and on a real PostgreSQL server: again is harmless, questions in words, two writers, kill -9, migration."""

from __future__ import annotations

import os
import shutil
import signal
import sqlite3
import tempfile
import threading
import time
import unittest
from pathlib import Path
from unittest import mock

import sqlalchemy as sa

from tests.support import BENCH, REVIEW, FolderCase, simulate
from ulterion.core.errors import UsageError
from ulterion.features.archive import opening, schema
from ulterion.features.archive.adding import Added, add_review, rebuild
from ulterion.features.archive.query import ask, parse_question, unlike
from ulterion.model.store import ReviewFolder


class OnEither:
    """The tests; `place` is where the archive is."""

    folder: Path
    place: str

    def filled(self, *, reviews: int = 1) -> list[ReviewFolder]:
        """Return reviews of two setups each, simulated, of products that are called alike."""
        made = []
        for number in range(reviews):
            folder = self.folder / f"review-{number}"
            folder.mkdir()
            (folder / "review.toml").write_text(REVIEW)
            (folder / "bench.toml").write_text(
                BENCH.replace("seed = 7", f"seed = {number}").replace("testbench", f"bench{number}")
            )
            made.append(ReviewFolder.open(folder))
            for setup in ("direct", "box"):
                simulate(made[-1], setup, passes=3, seconds=0.5)
        return made

    def test_again_changed_and_gone(self: FolderCase) -> None:  # type: ignore[misc]
        """Runs go in once; one that was changed goes in anew; one that is gone is taken out; a rebuild gives the same."""
        (review,) = self.filled()
        engine = opening.opened(self.place)
        self.assertEqual(add_review(engine, review), Added(new=2))
        self.assertEqual(add_review(engine, review), Added(known=2))
        before = ask(engine, parse_question(""))
        run = next(review.runs_folder.glob("*box*.json"))
        run.write_text(run.read_text().replace('"state": {', '"warnings": ["x"],\n  "state": {', 1))
        self.assertEqual(add_review(engine, ReviewFolder.open(review.path)), Added(changed=1, known=1))
        self.assertEqual(ask(engine, parse_question("")), before)
        run.unlink()
        self.assertEqual(add_review(engine, ReviewFolder.open(review.path)), Added(known=1, gone=1))
        self.assertEqual({a.setup for a in ask(engine, parse_question(""))}, {"direct"})
        held = ask(engine, parse_question(""))
        self.assertEqual(rebuild(engine, []), [])
        self.assertEqual(ask(engine, parse_question("")), [])
        self.assertEqual(rebuild(engine, [ReviewFolder.open(review.path)]), [Added(new=1)])
        self.assertEqual(ask(engine, parse_question("")), held)
        engine.dispose()

    def test_questions(self: FolderCase) -> None:  # type: ignore[misc]
        """By kind, link, direction, rate, date and host; the best of each products; what is not alike is said."""
        engine = opening.opened(self.place)
        for review in self.filled(reviews=2):
            add_review(engine, review)
        self.assertEqual(
            {a.setup for a in ask(engine, parse_question("USB 10 Gb/s enclosures, read over 900 MB/s"))}, {"box"}
        )
        self.assertEqual(ask(engine, parse_question("enclosures over 2 GB/s")), [])
        self.assertEqual(len(ask(engine, parse_question("test box, large read"))), 2)
        self.assertEqual({a.host for a in ask(engine, parse_question("on host bench1"))}, {"bench1"})
        self.assertEqual(ask(engine, parse_question("until 2025-12")), [])
        self.assertEqual(len(ask(engine, parse_question("since 2026-01-01"))), 8)
        for words, count in (
            ("write claimed over 1400 MB/s", 2),  # what is written to the box; only that claims a rate of writing
            ("claims over 2900 MB/s", 8),  # the drive's, which is in every chain
            ("write claimed at least 2 GB/s", 0),
            ("test box, read claims over 1 GB/s, over 900 MB/s", 2),
        ):
            self.assertEqual(len(ask(engine, parse_question(words))), count, words)
        both = ask(engine, parse_question("large read, direct"))
        self.assertEqual(both, [])  # no product is called so
        found = ask(engine, parse_question("cached read"))
        self.assertTrue(any("host: bench0, bench1" in w for w in unlike(found)))
        hostile = ask(engine, parse_question("'; drop table runs; -- 100% _"))
        self.assertEqual((hostile, len(ask(engine, parse_question("")))), ([], 8))
        engine.dispose()
        for words, says in (("since 2025-13", "is not a date"), ("over 3 furlongs/s", "is not a rate")):
            with self.assertRaisesRegex(UsageError, says):
                parse_question(words)

    def test_two_writers_at_once(self: FolderCase) -> None:  # type: ignore[misc]
        """Two reviews, and one of them twice, put in at the same time: nothing fails, nothing is lost or doubled."""
        reviews, faults = self.filled(reviews=2), list[BaseException]()
        opening.opened(self.place).dispose()

        def put(review: ReviewFolder) -> None:
            try:
                engine = opening.opened(self.place)
                add_review(engine, ReviewFolder.open(review.path))
                engine.dispose()
            except BaseException as error:
                faults.append(error)

        threads = [threading.Thread(target=put, args=(r,)) for r in (*reviews, reviews[0])]
        for thread in threads:
            thread.start()
        for thread in threads:
            thread.join()
        self.assertEqual(faults, [])
        engine = opening.opened(self.place)
        with engine.connect() as connection:
            counts = [
                connection.execute(sa.select(sa.func.count()).select_from(t)).scalar()
                for t in (schema.RUNS, schema.PARTS, schema.RESULTS)
            ]
        self.assertEqual(counts, [4, 6, 8])
        engine.dispose()

    def test_killed_while_adding(self: FolderCase) -> None:  # type: ignore[misc]
        """kill -9 in the middle: what is there is whole runs, and the next time all are there."""
        (review,) = self.filled()
        documents = sorted(review.runs_folder.glob("*.json"))
        for number in range(60):
            for path in documents:
                text = path.read_text()
                known = text[text.index('"id": "') + 7 :][:6]
                other = path.with_name(path.name.replace(known, f"{number:06x}"))
                other.write_text(text.replace(known, f"{int(known, 16) ^ (number + 1):06x}", 1))
        opening.opened(self.place).dispose()
        with self.start("archive", "add", str(review.path), "--archive", self.place) as adding:
            time.sleep(0.5)
            os.kill(adding.pid, signal.SIGKILL)
            adding.wait()
        done = self.ulterion("archive", "add", str(review.path), "--archive", self.place)
        self.assertEqual(done.returncode, 0, done.stderr)
        engine = opening.opened(self.place)
        with engine.connect() as connection:
            runs, lonely = (
                connection.execute(sa.select(sa.func.count()).select_from(schema.RUNS)).scalar(),
                connection.execute(
                    sa.select(sa.func.count())
                    .select_from(schema.RESULTS)
                    .where(schema.RESULTS.c.key.not_in(sa.select(schema.RUNS.c.key)))
                ).scalar(),
            )
        self.assertEqual((runs, lonely), (len(ReviewFolder.open(review.path).summaries()), 0))
        engine.dispose()


class OnSqlite(OnEither, FolderCase):
    def setUp(self) -> None:
        super().setUp()
        self.place = str(self.folder / "archive.sqlite")

    def test_an_older_archive_is_brought_up(self) -> None:
        """One of version 1, without file systems, is brought up and keeps what it has; one of a newer version is left alone."""
        (review,) = self.filled()
        engine = opening.opened(self.place)
        add_review(engine, review)
        with engine.begin() as connection:
            connection.execute(sa.text("ALTER TABLE runs DROP COLUMN filesystem"))
            for way in schema.CLAIMS:
                connection.execute(sa.text(f"ALTER TABLE parts DROP COLUMN claims_{way}"))
            for table, columns in {
                "runs": {"hookup": "setup", "direct": "baseline"},
                "results": {"way": "direction", "manner": "pattern"},
            }.items():
                for old, new in columns.items():
                    connection.execute(sa.text(f"ALTER TABLE {table} RENAME COLUMN {new} TO {old}"))
            connection.execute(schema.ABOUT.update().values(version=1))
            connection.exec_driver_sql("PRAGMA application_id = 0")  # there was no mark then
        engine.dispose()
        with self.assertRaisesRegex(UsageError, "older Ulterion"):
            opening.opened_to_read(self.place)
        engine = opening.opened(self.place)
        self.assertEqual(len(ask(engine, parse_question(""))), 4)
        claimed = parse_question("claims over 2900 MB/s")
        self.assertEqual(ask(engine, claimed), [])  # what it never knew comes when the review is added again
        self.assertEqual(add_review(engine, ReviewFolder.open(review.path)), Added(changed=2))
        self.assertEqual(len(ask(engine, claimed)), 4)
        with engine.begin() as connection:
            connection.execute(schema.ABOUT.update().values(version=99))
        engine.dispose()
        with self.assertRaisesRegex(UsageError, "newer Ulterion"):
            opening.opened(self.place)

    def test_as_it_is_typed(self) -> None:
        """add, find, chart by the command; what cannot be is refused in a sentence."""
        folder = self.demo()
        told = self.json_of("archive", "add", str(folder), "--archive", self.place)
        self.assertEqual((told["new"] > 15, told["gone"]), (True, 0))
        found = self.json_of(
            "archive", "find", "USB 10 Gb/s enclosures, write over 900 MB/s, since 2025", "--archive", self.place
        )
        self.assertTrue(found["answers"] and all(a["rate"] > 9e8 for a in found["answers"]))
        done = self.ulterion(
            "archive", "chart", "large", "read", "over 200 MB/s", "--figure", "c.png", "--archive", self.place
        )
        self.assertEqual(done.returncode, 0, done.stderr)
        self.assertGreater((self.folder / "c.png").stat().st_size, 10_000)
        self.assertIn(
            "Nothing in the archive matches",
            self.ulterion("archive", "find", "steam engines", "--archive", self.place).stdout,
        )
        again = self.json_of("archive", "rebuild", str(folder), "--archive", self.place)
        self.assertEqual(again["new"], told["new"])
        self.refused("archive", "rebuild", "nowhere", "--archive", self.place, says="nowhere")
        engine = opening.opened(self.place)
        self.assertTrue(ask(engine, parse_question("")))  # nothing was emptied for a folder that is not there
        engine.dispose()
        with sqlite3.connect(self.place) as broken:
            broken.execute("DROP TABLE results")
        self.refused(
            "archive", "find", "x", "--archive", self.place, says="cannot be read: .*no such table.*archive rebuild"
        )
        self.write("no.sqlite", "this is no archive, and long enough to be looked at " * 4)
        locked = sqlite3.connect(self.place, isolation_level=None)
        locked.execute("BEGIN IMMEDIATE")
        with mock.patch.object(opening, "WAIT", 0.1):
            self.refused(
                "archive", "add", str(folder), "--archive", self.place, says="cannot be (written|opened): .*locked"
            )
        locked.close()
        for words, says in (
            (("find", "--archive", "no.sqlite"), "is not an Ulterion archive"),
            (("chart", "x", "--archive", self.place), "needs a file"),
            (("find", "x", "--figure", "y.png", "--archive", self.place), "--figure goes with chart"),
            (("add", str(self.folder), "--archive", self.place), "review.toml"),
        ):
            self.refused("archive", *words, says=says)


class OnPostgres(OnEither, FolderCase):
    """On a server that a development package brings along, in a folder of its own, reached by a socket."""

    home: str

    @classmethod
    def setUpClass(cls) -> None:
        try:
            import pgserver
        except ImportError as error:
            raise unittest.SkipTest(
                "the package pgserver, which brings a server along, is not to be had here"
            ) from error
        path = f"{os.environ.get('PATH', '')}:/usr/sbin:/sbin"  # not in everybody's
        if os.geteuid() == 0 and shutil.which("useradd", path=path) is None:
            raise unittest.SkipTest("as root the server runs as a user of its own, and there is no useradd to make one")
        cls.enterClassContext(mock.patch.dict(os.environ, PATH=path))
        cls.home = tempfile.mkdtemp(prefix="ulterion-pg-")
        cls.addClassCleanup(shutil.rmtree, cls.home, ignore_errors=True)
        cls.server = pgserver.get_server(cls.home)
        cls.addClassCleanup(cls.server.cleanup)

    def setUp(self) -> None:
        super().setUp()
        name = f"t{time.monotonic_ns()}"
        self.server.psql(f"CREATE DATABASE {name};")
        self.place = self.server.get_uri(name)

    def test_nobody_elses_database_is_touched(self) -> None:
        """One that holds tables of somebody's is refused, for reading and writing, also where they are called as ours are."""
        for statement in (
            "CREATE TABLE about(version INTEGER)",
            "CREATE TABLE runs(key TEXT, mine TEXT)",
            "CREATE TABLE films(name TEXT)",
        ):
            name = f"u{time.monotonic_ns()}"
            self.server.psql(f"CREATE DATABASE {name};")
            place = self.server.get_uri(name)
            engine = sa.create_engine(place.replace("postgresql://", "postgresql+psycopg://"))
            with engine.begin() as connection:
                connection.execute(sa.text(statement))
            for use in (opening.opened, opening.opened_to_read):
                with self.assertRaisesRegex(UsageError, "is not an Ulterion archive"):
                    use(place)
            self.assertEqual(len(sa.inspect(engine).get_table_names()), 1)
            engine.dispose()
        with self.assertRaises(opening.NoArchiveError):
            opening.opened_to_read(self.place)
        opening.opened(self.place).dispose()
        engine = opening.opened_to_read(self.place)
        with self.assertRaisesRegex(sa.exc.SQLAlchemyError, "read-only"), engine.begin() as connection:
            connection.execute(schema.RUNS.delete())
        engine.dispose()


if __name__ == "__main__":
    unittest.main()
