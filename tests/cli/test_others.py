"""What belongs to somebody else: databases, files, media, folders of strangers.  Each test destroys, hangs or lets in where nothing stands in the way."""

from __future__ import annotations

import base64
import errno
import io
import json
import os
import shutil
import sqlite3
import stat
import subprocess
import sys
import tempfile
import time
import zipfile
from pathlib import Path
from unittest import mock

from tests.features.test_copy import CopyCase
from tests.support import REVIEW, FolderCase, simulate
from ulterion.core.errors import TargetFailed, UsageError
from ulterion.engine.capacity.proof import Scribe, recognise
from ulterion.engine.copies import jobs
from ulterion.engine.copies.file_pool import FilePool
from ulterion.engine.copies.onepass import copy_all
from ulterion.engine.workers.bounded import bounded
from ulterion.features.archive import opening
from ulterion.features.archive.schema import VERSION, columns_of
from ulterion.features.capacity import media
from ulterion.features.capacity import run as capacity_run
from ulterion.features.capacity.media import CapacityRequest
from ulterion.features.copy import run as copy_run
from ulterion.model import bundle, together
from ulterion.model.runs.capacity import CapacityRun
from ulterion.model.runs.clock import ClockRun
from ulterion.run.observers import Observer
from ulterion.run.overwrite_guard import Overwrite
from ulterion.run.place import Place


def ours() -> list[str]:
    """Return statements that make an archive's tables, by their names and columns alone."""
    return [f"CREATE TABLE {name}({', '.join(sorted(columns))})" for name, columns in columns_of(VERSION).items()]


def state_of(folder: Path) -> dict[str, bytes]:
    return {str(p.relative_to(folder)): p.read_bytes() for p in folder.rglob("*") if p.is_file() and not p.is_symlink()}


class Databases(FolderCase):
    def theirs(self, name: str, *statements: str) -> bytes:
        path = self.folder / name
        with sqlite3.connect(path) as made:
            for statement in statements:
                made.execute(statement)
        made.close()
        return path.read_bytes()

    def test_nobody_elses_database_is_touched(self) -> None:
        """Tables of our names, an `about` of theirs, another program's mark, no database at all: not a byte changes, for any word."""
        self.review()
        simulate(self.opened(), "direct", passes=3)
        rows = ("INSERT INTO runs VALUES ('a', 'b')", "INSERT INTO results VALUES (1)")
        before = {
            "two.sqlite": self.theirs("two.sqlite", "CREATE TABLE runs(key, mine)", "CREATE TABLE results(x)", *rows),
            "about.sqlite": self.theirs("about.sqlite", "CREATE TABLE about(version INTEGER)", "INSERT INTO about VALUES (3)"),
            "other.sqlite": self.theirs("other.sqlite", "CREATE TABLE browsed(url)"),
            "marked.sqlite": self.theirs("marked.sqlite", "CREATE TABLE about(version INTEGER)", "PRAGMA application_id = 5"),
            "more.sqlite": self.theirs("more.sqlite", *ours(), "CREATE TABLE mine(x)"),
            "wider.sqlite": self.theirs("wider.sqlite", *ours(), "ALTER TABLE results ADD COLUMN mine"),
            "text.sqlite": b"dear diary, " * 400,
        }  # fmt: skip
        self.write("text.sqlite", before["text.sqlite"].decode())
        os.mkfifo(self.folder / "fifo.sqlite")
        for name in (*before, "fifo.sqlite"):
            for words in (("add",), ("rebuild", "."), ("find", "x")):
                self.refused(
                    "archive", *words, "--archive", name, says=f"{name} is not an Ulterion archive.*nothing was changed"
                )
        self.assertEqual({n: (self.folder / n).read_bytes() for n in before}, before)
        self.assertEqual([p.name for p in self.folder.glob("*.sqlite-*")], [])
        self.refused("archive", "add", "--archive", "mysql://host/base", says="a file, or postgresql://")

    def test_finding_makes_and_changes_nothing(self) -> None:
        """Where there is no archive none is made; one on a medium that cannot be written is read."""
        self.review()
        simulate(self.opened(), "direct", passes=3)
        self.refused("archive", "find", "x", "--archive", "none.sqlite", says="there is no archive.*archive add")
        self.assertFalse((self.folder / "none.sqlite").exists())
        (self.folder / "empty.sqlite").touch()
        self.assertEqual(self.ulterion("archive", "add", "--archive", "empty.sqlite").returncode, 0)
        path = self.folder / "empty.sqlite"
        before = path.read_bytes()
        with mock.patch.object(opening.os, "access", return_value=False):  # type: ignore[attr-defined]
            self.assertTrue(self.json_of("archive", "find", "drive", "--archive", "empty.sqlite")["answers"])
        self.assertEqual(path.read_bytes(), before)
        engine = opening.opened_to_read(path)
        with self.assertRaisesRegex(Exception, "readonly"), engine.begin() as connection:
            connection.exec_driver_sql("DELETE FROM runs")
        engine.dispose()

    def test_a_rebuild_that_fails_leaves_what_was_there(self) -> None:
        """A kill, or a fault, in the middle of it: the archive is as it was, to the row."""
        self.review()
        for setup in ("direct", "box"):
            simulate(self.opened(), setup, passes=3)
        self.ulterion("archive", "add", "--archive", "a.sqlite")
        found = ("archive", "find", "drive", "--archive", "a.sqlite")
        before = self.json_of(*found)["answers"]
        self.assertTrue(before)
        with mock.patch("ulterion.features.archive.adding._add_lot", side_effect=UsageError("the disk is gone")):
            self.assertEqual(self.ulterion("archive", "rebuild", ".", "--archive", "a.sqlite").returncode, 2)
        self.assertEqual(self.json_of(*found)["answers"], before)
        with sqlite3.connect(self.folder / "a.sqlite") as damaged:
            damaged.execute("UPDATE results SET rate = 'fast'")
        damaged.close()
        self.refused(*found, says="is damaged.*rebuild")
        self.assertEqual(self.ulterion("archive", "rebuild", ".", "--archive", "a.sqlite").returncode, 0)
        self.assertEqual(self.json_of(*found)["answers"], before)


class OwnNames(FolderCase):
    def test_tables_and_films_replace_only_their_like(self) -> None:
        """What the program wrote it replaces; a file of the reviewer's, an edited one, a link: left as they are, and nothing half-done."""
        folder = self.review().path
        for setup in ("direct", "box"):
            simulate(self.opened(), setup, passes=3)
            self.ulterion("soak", "--setup", setup, "--for", "20 s", "--idle", "0")
        for words, name, mine in (
            (("export", "--to", "out"), "out/results.csv", "my own"),
            (("race", "direct", "box", "--film", "out/f.gif", "--speed", "5000"), "out/f.gif", "GIF89a mine"),
            (("report", "page.html", "--figures", "out"), "out/captions.txt", "my own"),
        ):
            for run in folder.glob("runs/*-box-*") if words[0] == "report" else ():
                run.unlink()  # fewer figures
            path = folder / name
            path.parent.mkdir(exist_ok=True)
            path.write_text(mine)
            before = state_of(folder)
            refused = self.ulterion(*words, cwd=folder)
            self.assertEqual(refused.returncode, 2, refused.stderr)
            self.assertIn("left as it is", refused.stderr)
            self.assertEqual(state_of(folder).keys(), before.keys())
            self.assertTrue(state_of(folder) == before)
            path.unlink()
            for _ in range(1 if words[0] == "report" else 2):  # figures have a test of their own
                done = self.ulterion(*words, cwd=folder)
                self.assertEqual(done.returncode, 0, done.stderr)
            ours = path.read_bytes()
            self.assertNotEqual(ours, mine.encode())
            path.unlink()
            path.symlink_to(folder / "review.toml")
            self.assertEqual(self.ulterion(*words, cwd=folder).returncode, 2)
            self.assertTrue(path.is_symlink())
            path.unlink()
        done = self.ulterion("export", "--to", "out", cwd=folder)
        edited = folder / "out/claims.csv"
        edited.write_text(edited.read_text() + "my remark\n")
        self.assertEqual(self.ulterion("export", "--to", "out", cwd=folder).returncode, 2)
        self.assertIn("my remark", edited.read_text())


class Copies(CopyCase):
    def test_rights_are_only_rights(self) -> None:
        """A set-user-id program of the source is none in the copy, at no moment; what else a copy keeps and does not keep is as it is said."""
        self.fill(tool=1000, inner__b=70_000)
        tool, inner = self.source / "tool", self.source / "inner"
        tool.chmod(0o6755)
        inner.chmod(0o2550)
        os.link(tool, self.source / "second name")
        with_attribute = True
        try:
            os.setxattr(tool, "user.origin", b"camera")
        except OSError:
            with_attribute = False
        (self.source / "link").symlink_to("tool")
        for path in (inner, self.source):
            os.utime(path, ns=(5, 1_600_000_000_123_000_000))
        os.utime(self.source / "link", ns=(5, 1_500_000_000_000_000_000), follow_symlinks=False)
        modes: list[int] = []

        class Look(Observer):
            def stage(self, what: str, size: int) -> None:
                modes.extend(p.lstat().st_mode for p in target.rglob("tool"))

        target = self.target
        done = copy_run.copy(self.ours(keep=True), Look())
        self.assertEqual({stat.S_IMODE(m) for m in modes}, {0o755})
        copy = self.target / "source"
        self.assertEqual(stat.S_IMODE((copy / "tool").stat().st_mode), 0o755)
        self.assertEqual(stat.S_IMODE((copy / "inner").stat().st_mode), 0o750)
        for name in ("inner", "."):
            self.assertEqual((copy / name).stat().st_mtime_ns, 1_600_000_000_123_000_000, name)
        self.assertEqual((copy / "link").lstat().st_mtime_ns, 1_500_000_000_000_000_000)
        said = " ".join(done.run.warnings)
        self.assertIn("2 hard-linked names were copied as separate files", said)
        self.assertEqual("access lists (ACLs) of 2 files and folders are not copied" in said, with_attribute)

    def test_no_link_leads_out_of_the_copy(self) -> None:
        """A link stands where a folder is to be (two names that are one there): nothing is written behind it, and all is said."""
        self.fill(data__a=100, b=50)
        outside = self.folder / "outside"
        outside.mkdir()
        files = self.target / "files"
        (files / "source").mkdir(parents=True)
        (files / "source/data").symlink_to(outside)
        with FilePool(1, 5.0) as workers:
            done = copy_all(workers, [os.fsencode(self.source)], os.fsencode(files))
        self.assertEqual(list(outside.iterdir()), [])
        told = dict(done.skipped)
        self.assertEqual((done.files, sorted(told)), (1, ["source/data", "source/data/a"]))

    def test_deep_folders_are_copied_and_proven(self) -> None:
        """Deeper than descriptors are kept, with branches on the way."""
        here = self.source
        for depth in range(150):
            here = here / "d"
            here.mkdir()
            if depth % 50 == 0:
                (here / "f").write_text(str(depth))
                (here / "side").mkdir()
                (here / "side/g").write_text("x")
        (one,) = self.copied()["passes"]
        self.assertEqual((one["files"], one["proven_files"], one["skipped_count"], one["wrong_count"]), (6, 6, 0, 0))

    def test_a_proven_copy_is_kept_whatever_comes_after(self) -> None:
        """No room to time the target alone, or a target that fails in that: the copy stands, and the drive is not blamed for the room."""
        self.fill(a=300_000)
        with mock.patch.object(copy_run, "has_room", return_value=False):
            told = self.json_of("copy", "source", "target", "--passes", "1", "--keep")["run"]
        self.assertIn("writing alone was not timed", " ".join(told["warnings"]))
        self.assertEqual((told["state"]["name"], told["copied"].get("target_alone")), ("complete", None))
        shutil.rmtree(self.target / "source")

        def fails(*_: object) -> None:
            raise TargetFailed("Input/output error", code=errno.EIO)

        with mock.patch.object(jobs.Worker, "write", fails):
            failed = self.ulterion("copy", "source", "target", "--passes", "1", "--keep")
        self.assertEqual(failed.returncode, 3)
        self.assertIn("during the write to the target alone", failed.stderr)
        self.assertEqual((self.target / "source/a").read_bytes(), (self.source / "a").read_bytes())

    def test_a_name_that_is_taken_meanwhile(self) -> None:
        """Of several sources what can be kept is kept, and the one that cannot is named."""
        self.fill(a=10)
        (self.folder / "more").mkdir()
        (self.folder / "more/b").write_text("b")

        class Takes(Observer):
            def stage(self, what: str, size: int) -> None:
                if what.startswith("reading copy"):
                    (target / "source").mkdir(exist_ok=True)
                    (target / "source/mine").write_text("mine")

        target = self.target
        request = self.ours(keep=True)
        request = type(request)(
            request.review, (self.source, self.folder / "more"), target, passes=1, ends=False, keep=True
        )
        done = copy_run.copy(request, Takes())
        self.assertIn("source appeared in", str(done.failure))
        self.assertEqual((target / "source/mine").read_text(), "mine")
        self.assertEqual((target / "more/b").read_text(), "b")

    def test_a_check_sees_what_a_copy_became(self) -> None:
        """A pipe in a file's place stops nothing; added files, folders that are links now, and missing ones are told."""
        self.fill(a=100, inner__b=200, inner__c=300, gone__d=5)
        self.copied("--keep", "--manifest", "sums.txt")
        copy = self.target / "source"
        self.assertEqual(self.json_of("copy", "target", "--check", "sums.txt")["wrong_count"], 0)
        (self.target / "beside").write_text("not of this copy")
        (copy / "a").unlink()
        os.mkfifo(copy / "a")
        (copy / "inner").rename(self.folder / "moved")
        (copy / "inner").symlink_to(self.folder / "moved")
        (copy / "added").write_text("x")
        os.mkfifo(copy / "added pipe")
        shutil.rmtree(copy / "gone")
        for words in (("target", "--check", "sums.txt"), ("source", "target", "--verify-only")):
            begin = time.monotonic()
            told = {w["name"]: w["what"] for w in self.json_of("copy", *words, status=4)["wrong"]}
            self.assertLess(time.monotonic() - begin, 20)
            self.assertEqual(told["source/a"], "is no longer a file")
            self.assertEqual(told["source/inner/b"], "its parent is no longer a folder")
            self.assertRegex(told["source/added"], "was added")
            self.assertRegex(told["source/added pipe"], "was added")
            self.assertRegex(told["source/gone/d"], "cannot be read back")
            self.assertEqual(len(told), 6)
        self.refused("copy", "target", "--check", "target/source/a", says="is not a file; name the manifest")


class Media(FolderCase):
    """A device with the right size and serial, and another card in it: played by files, as descriptors of them are written alike."""

    SIZE = 64 * 2**20

    def medium(self, name: str, content: bytes = b"") -> Path:
        path = self.folder / name
        with path.open("wb") as out:
            out.write(content)
            out.truncate(self.SIZE)
        return path

    def prove(
        self, path: Path, stop_after: int | None = None, *, resume: bool = False
    ) -> capacity_run.Kept[CapacityRun]:
        """Run a proof of a whole device on a file, as if its serial number were named; pull the plug after so many bytes."""
        fd = os.open(path, os.O_RDWR)

        class Stop(Observer):
            def tick(self, seconds: float, moved: int) -> None:
                if stop_after is not None and moved >= stop_after:
                    raise KeyboardInterrupt

        facts = media.host.target_facts(self.folder)
        target = mock.Mock(fd=fd, size=self.SIZE, device_name="sdx", close=lambda: os.close(fd))
        request = CapacityRequest(Place(self.store, self.folder, str(path), None), Overwrite("S-1"), resume=resume)
        with (
            mock.patch.object(media, "is_device", return_value=True),
            mock.patch.object(media, "open_device", return_value=target),
            mock.patch.object(
                media.host, "device_facts", return_value=type(facts)(path="/dev/sdx", kind="device", serial="S-1")
            ),
            mock.patch.object(media, "pulse_of", return_value=None),
            mock.patch.object(capacity_run, "CHUNK", 1024),
            mock.patch.object(capacity_run, "KEPT_EVERY", 0.0),
        ):
            return capacity_run.prove(request, Stop())

    def setUp(self) -> None:
        super().setUp()
        self.store = self.review()

    def test_another_medium_is_never_overwritten(self) -> None:
        """After a stop a card of photographs, a blank one, and the same card used since, are put in: not a byte changes.  The right one goes on."""
        mine = self.medium("mine.img")
        begun = self.prove(mine, 24 * 2**20)
        self.assertEqual(begun.run.state.name, "interrupted")
        self.assertGreater(begun.run.capacity.written_bytes, 16 * 2**20)
        photographs = self.medium("photographs.img", os.urandom(40 * 2**20))
        blank = self.medium("blank.img")
        used = self.medium("used.img", mine.read_bytes())
        with used.open("r+b") as out:  # a new file system, and a photograph or two
            out.write(os.urandom(8192))
        for path, words in ((photographs, "holds other data"), (blank, "holds none of"), (used, "holds other data")):
            before = path.read_bytes()
            with self.assertRaisesRegex(UsageError, words):
                self.prove(path, resume=True)
            self.assertEqual(path.read_bytes(), before, path.name)
        self.assertEqual(len(self.opened().runs()), 1)
        done = self.prove(mine, resume=True).run.capacity
        self.assertEqual((done.finding, done.sound_bytes, done.key), ("whole", self.SIZE, begun.run.capacity.key))

    def test_a_fake_is_still_known(self) -> None:
        """A medium that wraps, swallows or spoils what is written is the same one when it comes back."""
        from tests.features.test_capacity import Memory

        for kind, bad in (
            ("wraps", frozenset[int]()),
            ("swallows", frozenset[int]()),
            ("honest", frozenset(range(0, 900, 7))),
        ):
            memory = Memory(4000, 900 if kind != "honest" else 4000, kind, bad)
            Scribe(memory, 77).write(0, 3000)
            seen = recognise(memory, 77, 3000)
            self.assertTrue(seen.ours and seen.foreign is None, (kind, seen))
            self.assertEqual(recognise(memory, 78, 3000).ours, 0)


class Strangers(FolderCase):
    """Review folders and pages from somebody else."""

    def folder_of(self) -> Path:
        self.review(REVIEW + '[report]\nlogo = "logo.png"\n')
        simulate(self.opened(), "direct", passes=3)
        (self.folder / "remarks").mkdir()
        secret = Path(tempfile.mkdtemp(dir=self.folder.parent)) / "secret.md"
        self.addCleanup(shutil.rmtree, secret.parent)
        secret.write_text("my secret")
        return secret

    def test_what_lies_outside_is_not_published(self) -> None:
        """A remark, or the logo, that is a link out of the folder, a pipe, endless: refused at once by name, and no page is made."""
        secret = self.folder_of()
        logo, intro = self.folder / "logo.png", self.folder / "remarks/intro.md"
        logo.write_bytes(b"\x89PNG")

        def fifo(path: Path) -> None:
            os.mkfifo(path)

        for victim in (intro, logo):
            whole = victim.read_bytes() if victim.exists() else None
            for make in (lambda p: p.symlink_to(secret), fifo, lambda p: p.symlink_to("/dev/zero")):
                victim.unlink(missing_ok=True)
                make(victim)
                begin = time.monotonic()
                self.refused("report", "page.html", says=victim.name)
                self.assertLess(time.monotonic() - begin, 20)
                self.assertFalse((self.folder / "page.html").exists())
            victim.unlink()
            if whole is not None:
                victim.write_bytes(whole)
        (self.folder / "remarks").rmdir()
        (self.folder / "remarks").symlink_to(secret.parent)
        self.refused("report", "page.html", says="points outside")

    def test_a_runs_folder_that_is_a_link_moves_nobodys_files(self) -> None:
        """What is in it and cannot be read stays where it is, for it may be anybody's."""
        self.folder_of()
        documents = Path(tempfile.mkdtemp(dir=self.folder.parent))
        self.addCleanup(shutil.rmtree, documents)
        for name in ("taxes.json", "diary.journal"):
            (documents / name).write_text("mine")
        shutil.rmtree(self.folder / "runs")
        (self.folder / "runs").symlink_to(documents)
        self.ulterion("compare")
        self.assertEqual(
            sorted(p.name for p in documents.iterdir() if p.name != ".lock"), ["diary.journal", "taxes.json"]
        )

    def test_a_page_that_swells(self) -> None:
        """A small page whose archive holds 400 MiB, or documents that fill the memory: refused in little memory and time."""
        data = io.BytesIO()
        with zipfile.ZipFile(data, "w", zipfile.ZIP_DEFLATED, compresslevel=1) as bomb:
            bomb.writestr("review.toml", "schema = 2\n")
            with bomb.open("runs/20260101T000000Z-measure-box-aaaaaa.json", "w", force_zip64=True) as out:
                for _ in range(400):
                    out.write(bytes(2**20))
        self.assertLess(len(data.getvalue()), 4 * 2**20)
        page = '<script type="text/plain" id="runs">' + base64.b64encode(data.getvalue()).decode() + "</script>"
        self.write("page.html", page)
        self.refused("verify", "page.html", says="more than any review has")
        with self.assertRaisesRegex(UsageError, "looking takes more than 64 MiB of memory"):
            bounded(lambda: len(bytearray(300 * 2**20)), 64 * 2**20, "looking")
        self.assertEqual(bounded(lambda: len(bytearray(2**20)), 64 * 2**20, "looking"), 2**20)
        with self.assertRaisesRegex(UsageError, "no such page"):
            bounded(self._refuses, 64 * 2**20, "looking")
        self.assertLess(bundle.MAX_BYTES, 2**29)

    @staticmethod
    def _refuses() -> None:
        raise UsageError("no such page")


class Whole(FolderCase):
    """A table of timings: all or none, whatever happens in between."""

    def kept(self) -> int:
        return sum(isinstance(r, ClockRun) for r in self.opened().runs())

    def test_a_table_is_kept_whole_or_not_at_all(self) -> None:
        """Each write of it fails once, and each is killed once: three runs afterwards, or none; and it can be given again."""
        self.review()
        self.write("t.csv", "timing,setup,task\n1 GB in 20s,box,a\n1 GB in 21s,direct,b\n2 GB in 50s,box,c\n")
        real = together.write_atomically
        for fatal in (1, 2, 3, 4):
            count = 0

            def failing(path: Path, data: bytes | str, fatal: int = fatal) -> None:
                nonlocal count
                count += 1
                if count == fatal:
                    raise UsageError(f"{path} cannot be written: No space left on device; nothing was changed")
                real(path, data)

            with mock.patch.object(together, "write_atomically", failing):
                self.refused("clock", "--table", "t.csv", says="No space left")
            self.assertEqual((self.kept(), count >= fatal), (0, True))
            self.assertEqual([p.name for p in (self.folder / "runs").iterdir() if p.name != ".lock"], [])
        for fatal in (1, 2, 3, 4):
            script = (
                "import os\nfrom ulterion.model import together as store\nfrom ulterion.cli.main import main\n"
                f"real, count = store.write_atomically, 0\n"
                "def dying(path, data):\n    global count\n    count += 1\n    real(path, data)\n"
                f"    if count == {fatal}: os._exit(9)\n"
                "store.write_atomically = dying\nmain(['clock', '--table', 't.csv'])\n"
            )
            subprocess.run([sys.executable, "-c", script], cwd=self.folder, env=self.environment(), check=False)
            self.assertEqual(self.kept(), 3, fatal)
            for path in (self.folder / "runs").glob("*-clock-*"):
                path.unlink()


class Words(FolderCase):
    def test_words_that_are_too_long_or_no_words(self) -> None:
        """Tens of thousands of characters, thousands of digits, halves of characters, an impossible date: a line each, at once."""
        self.review()
        self.write("m.json", json.dumps({"schema": {"name": "x"}, "files": {"a": "\udcff"}}))
        digits = "9" * 5000
        for words, says in (
            (("clock", "--setup", "box", "4" + " " * 60_000 + "GB"), "has 60003 characters and is not a timing"),
            (("clock", "--setup", "box", f"{digits} GB in 5s"), "is not a timing"),
            (("clock", "--setup", "box", "1 GB in 99999999999999999:00:00"), "."),
            (("clock", "--setup", "box", "64 GB still at 1.2.3% after 2m"), "."),
            (("archive", "find", "over " * 12_000), "is not a question"),
            (("estimate", "--for", "USB " * 15_000), "is not a port"),
            (("survey", "--replay", "m.json"), "m.json"),
        ):
            begin = time.monotonic()
            self.refused(*words, says=says)
            self.assertLess(time.monotonic() - begin, 15, words[0])
        (self.folder / "config/ulterion").mkdir(parents=True)
        self.write("config/ulterion/config.toml", f"units = {digits}\n")
        self.refused("compare", says="config.toml is not TOML")
        (self.folder / "config/ulterion/config.toml").unlink()
        simulate(self.opened(), "direct", passes=3)
        simulate(self.opened(), "box", passes=3)
        for epoch, words in (("x", ("compare",)), ("9" * 400, ("compare", "--figure", "c.png"))):
            with mock.patch.dict(os.environ, {"SOURCE_DATE_EPOCH": epoch}):
                done = self.installed(*words)
            self.assertEqual(done.returncode, 0, done.stderr)
            self.assertNotRegex(done.stderr, "fault|Traceback")
