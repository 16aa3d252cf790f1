"""The review folder: review.toml, and runs/ with a JSON document for each run.

A document is written whole or not at all.  While a run goes on, what it has measured is in a journal beside it; a
journal whose writer is gone is turned into an `interrupted` run by the next command that looks at the folder.  A file
that cannot be read blocks no other: it is set aside, and that is told.
"""

from __future__ import annotations

import contextlib
import os
import re
from collections.abc import Callable, Sequence
from dataclasses import field
from pathlib import Path
from typing import TypeVar

from ulterion.core.errors import UsageError
from ulterion.core.patterns import pattern
from ulterion.core.records import dataclass
from ulterion.model import together
from ulterion.model.aside import RUNS, moved_aside
from ulterion.model.files import locked, sweep_scratch, write_atomically
from ulterion.model.journal import SUFFIX
from ulterion.model.lock import unused
from ulterion.model.pending_notes import forget_notes, take_notes
from ulterion.model.reading import MAX_TEXT_BYTES, NoSuchFile, Unreadable, read_bytes, read_text
from ulterion.model.recovery import recovered
from ulterion.model.review import FILE_NAME, Review, load_review, parse_review
from ulterion.model.review_editing import Tables, add_tables, with_tables
from ulterion.model.review_template import started_toml
from ulterion.model.run_summary import RunSummary, look_into, summary_of, without_series
from ulterion.model.runs.document import AnyRun, NewerRunError, kind_of, parse_run
from ulterion.model.setup_notes import FILE_NAME as NOTES
from ulterion.model.setup_notes import NewerNotesError, Notebook, SetupNote, parse_notebook

Found = TypeVar("Found")
Run = TypeVar("Run", bound=AnyRun)

_OUR_RUN_FILES = pattern(r"\d{8}T\d{6}Z-[a-z]+-.+-[0-9a-f]{6}\.(json|journal|together)")
_OUR_FILES = pattern(re.escape(NOTES))
# review.toml is the reviewer's: what is left half-written beside it is left for the reviewer to look at


def find_review(start: Path) -> Path | None:
    """Return the folder at or above `start` that holds a review.toml, or None."""
    start = start.resolve()
    return next((p for p in (start, *start.parents) if _is_file(p / FILE_NAME)), None)


def _is_file(path: Path) -> bool:
    """Return whether a file is there; one in a folder that may not be looked into is not."""
    try:
        return path.is_file()
    except OSError:
        return False


def new_review(folder: Path, title: str, *, examples: bool = True) -> Path:
    """Start a review folder; return the path of its review.toml, with examples to fill in or without.  Overwrites nothing."""
    path = folder / FILE_NAME
    try:
        (folder / RUNS).mkdir(parents=True, exist_ok=True)
        with path.open("x", encoding="utf-8") as out:
            out.write(started_toml(title, examples=examples))
    except FileExistsError as error:
        raise UsageError(f"{path} exists already and was left as it is; choose another folder, or edit it") from error
    except (OSError, ValueError) as error:
        why = getattr(error, "strerror", None) or str(error)
        raise UsageError(f"{folder} cannot hold a review: {why}; choose another folder") from error
    return path


def _in_order(summaries: Sequence[RunSummary]) -> list[RunSummary]:
    return sorted(summaries, key=lambda s: (s.started, s.id))


def run_name(run: AnyRun) -> str:
    """Return the file name of a run, without its ending: time, command, setup, id."""
    return f"{run.started:%Y%m%dT%H%M%SZ}-{run.kind}-{run.setup or 'unnamed'}-{run.id}"


@dataclass
class ReviewFolder:
    """An opened review folder.

    Attributes:
        path: the folder.
        review: what review.toml says.
        tell: told, once each, sentences about what was recovered or set aside, for the reviewer.
        notices: the same sentences.
    """

    path: Path
    review: Review
    tell: Callable[[str], None] = lambda sentence: None
    notices: list[str] = field(default_factory=list)
    _unwritten: Tables = field(default_factory=dict)
    _summaries: list[RunSummary] | None = None
    _parsed: dict[Path, tuple[tuple[int, int, int], AnyRun]] = field(default_factory=dict)

    @classmethod
    def open(cls, folder: Path, tell: Callable[[str], None] = lambda sentence: None) -> ReviewFolder:
        """Open a folder that holds a review.toml and recover what a killed run left."""
        if not _is_file(folder / FILE_NAME):
            raise UsageError(f"{folder} holds no {FILE_NAME}; start one with 'ulterion new {folder}'")
        opened = cls(folder, load_review(folder / FILE_NAME), tell)
        opened._recover()
        return opened

    def _say(self, sentence: str) -> None:
        if sentence not in self.notices:
            self.notices.append(sentence)
            self.tell(sentence)

    @property
    def runs_folder(self) -> Path:
        """Where the documents are."""
        return self.path / RUNS

    def take_up(self, tables: Tables) -> None:
        """Take up new tables of review.toml: known from now on, and written there with the first thing that is kept.  Raises UsageError."""
        self._unwritten |= tables
        path = self.path / FILE_NAME
        self.review = parse_review(with_tables(read_text(path), self._unwritten), path)

    def make_runs_folder(self) -> Path:
        """Return the runs folder, made if need be; what review.toml took up meanwhile is written there first."""
        if self._unwritten:
            add_tables(self.path / FILE_NAME, self._unwritten)
            self._unwritten = {}
        try:
            self.runs_folder.mkdir(exist_ok=True)
        except OSError as error:
            raise UsageError(f"{self.runs_folder} cannot be made: {error.strerror}; runs would be lost") from error
        return self.runs_folder

    def save(self, run: AnyRun) -> Path:
        """Write a run document; return its path."""
        self.make_runs_folder()
        path, data = self.path_of(run), run.to_bytes()
        write_atomically(path, data)
        if self._summaries is not None:  # what was looked into is not looked into again
            self._summaries = _in_order([*(s for s in self._summaries if s.path != path), summary_of(data, path)])
        return path

    def save_all(self, runs: Sequence[AnyRun]) -> list[Path]:
        """Write several run documents, all of them or none; return their paths.  Raises UsageError."""
        with locked(self.make_runs_folder()):
            try:
                return together.write(self.runs_folder / run_name(runs[0]), [(self.path_of(r), r) for r in runs])
            finally:
                self.refresh()

    def finish(self, run: Run, journal: Path) -> tuple[Run, Path]:
        """Write the document of a run whose journal is still there, with the notes left for it; return both."""
        with locked(self.make_runs_folder(), must=False):
            run = take_notes(journal, run)
            path = self.save(run)
            forget_notes(journal)
            with contextlib.suppress(OSError):
                journal.unlink()
        return run, path

    def change(self, summary: RunSummary, how: Callable[[AnyRun], AnyRun]) -> AnyRun:
        """Read a document anew, change it and write it, as one step for other programs; raise UsageError."""
        with locked(self.make_runs_folder()):
            run = how(parse_run(read_bytes(summary.path), summary.path.name))
            self.save(run)
        return run

    def reassign(self, summary: RunSummary, setup: str, chain: list[str]) -> AnyRun:
        """Give a run another setup: its document is changed, then named after it; raise UsageError."""
        with locked(self.make_runs_folder()):
            run = parse_run(read_bytes(summary.path), summary.path.name)
            changed: AnyRun = run.changed(setup=setup, chain=chain)
            write_atomically(summary.path, changed.to_bytes())
            try:
                summary.path.rename(self.path_of(changed))  # in this order, so that it is never there twice
            except OSError as error:
                raise UsageError(
                    f"{summary.path} cannot be renamed: {error.strerror}; its setup was changed"
                ) from error
            self.refresh()
        return changed

    def path_of(self, run: AnyRun) -> Path:
        """Return where a run's document is, or will be."""
        return self.runs_folder / f"{run_name(run)}.json"

    def in_progress(self) -> list[Path]:
        """Return the journals of runs that are going on now, oldest first."""
        growing = []
        for journal in self._files(SUFFIX):
            with unused(journal) as free:
                if not free:
                    growing.append(journal)
        return growing

    def _files(self, ending: str) -> list[Path]:
        """Return the files of the runs folder with an ending, by name, which is by time; hidden ones are not ours to read."""
        folder = self.runs_folder
        try:
            names = os.listdir(folder)  # noqa: PTH208 - a path for each of 10,000 takes as long as reading them
        except OSError as error:
            if not isinstance(error, FileNotFoundError):
                self._say(f"{folder} cannot be read: {error.strerror}; its runs are left out")
            return []
        return [folder / name for name in sorted(names) if name.endswith(ending) and name[0] != "."]

    def _recover(self) -> None:
        sweep_scratch(self.runs_folder, _OUR_RUN_FILES)
        sweep_scratch(self.path, _OUR_FILES)
        for path in self._files(together.SUFFIX):
            try:
                with locked(self.runs_folder):
                    together.complete(path, self.path_of)
            except (OSError, UsageError) as error:
                self._say(f"{error}; {moved_aside(path, self.path)}")
        for journal in self._files(SUFFIX):
            with unused(journal) as free:
                if free:
                    try:
                        self._recover_one(journal)
                    except (OSError, UsageError) as error:
                        self._say(f"{journal.name} could not be recovered: {error}")

    def _recover_one(self, journal: Path) -> None:
        with locked(self.runs_folder):
            document = journal.with_suffix(".json")
            try:
                run = recovered(journal, document)
            except NoSuchFile:
                return  # another command was faster
            if run is not None:
                write_atomically(document, run.to_bytes())
                self._say(f"{document.name}: the run was cut off; {run.kept_words} kept")
            elif not document.exists():
                where = moved_aside(journal, self.path)
                self._say(f"{journal.name}: nothing could be recovered; {where}")
                return
            forget_notes(journal)
            journal.unlink()

    def summaries(self) -> list[RunSummary]:
        """Return what every run is about, oldest first, read once.  What cannot be read is set aside and told."""
        if self._summaries is None:
            found = look_into(self._files(".json"), lambda path: self._read(path, summary_of))
            self._summaries = _in_order([summary for summary in found if summary is not None])
        return self._summaries

    def refresh(self) -> None:
        """Forget what was looked into: another program may have written meanwhile."""
        self._summaries = None

    def without_series(self, summaries: Sequence[RunSummary]) -> list[AnyRun]:
        """Return the documents behind summaries without their series, which is enough to judge passes."""
        runs = [self._light_of(s.path) for s in summaries]
        return [run for run in runs if run is not None]

    def _light_of(self, path: Path) -> AnyRun | None:
        """Return a document without its series; one that has not changed since is not parsed again."""
        try:
            facts = path.stat()
        except OSError:
            return None
        state = (facts.st_mtime_ns, facts.st_size, facts.st_ino)
        known = self._parsed.get(path)
        if known is None or known[0] != state:
            run = self._read(path, lambda d, p: parse_run(without_series(d), p.name, light=True))
            if run is None:
                return None
            known = self._parsed[path] = (state, run)
        return known[1]

    def with_series(self, summaries: Sequence[RunSummary]) -> list[AnyRun]:
        """Return the documents behind summaries with their series."""
        runs = [self._read(s.path, lambda d, p: parse_run(d, p.name)) for s in summaries]
        return [run for run in runs if run is not None]

    def for_judging(self, summaries: Sequence[RunSummary]) -> list[AnyRun]:
        """Return the documents behind summaries, oldest first: whole where what is judged is in their series."""
        whole = self.with_series([s for s in summaries if kind_of(s.kind).in_series])
        light = self.without_series([s for s in summaries if not kind_of(s.kind).in_series])
        return sorted([*whole, *light], key=lambda r: (r.started, r.id))

    def runs(self) -> list[AnyRun]:
        """Return every run whole, oldest first."""
        return self.with_series(self.summaries())

    def runs_of(self, *kinds: str) -> list[AnyRun]:
        """Return every run of some kinds whole, oldest first."""
        return self.with_series([s for s in self.summaries() if s.kind in kinds])

    def _read(self, path: Path, parse: Callable[[bytes, Path], Found]) -> Found | None:
        """Read a document; one that is not valid is moved aside with a notice, and the rest is read."""
        try:
            return parse(read_bytes(path), path)
        except NoSuchFile:
            return None
        except (NewerRunError, Unreadable) as error:
            self._say(f"{error}; left out")
        except UsageError as error:
            self._set_aside(path, error)
        return None

    def _set_aside(self, path: Path, error: UsageError) -> None:
        where = moved_aside(path, self.path)
        self._summaries = None if self._summaries is None else [s for s in self._summaries if s.path != path]
        self._say(f"{error}; {where}")

    def notebook(self) -> Notebook:
        """Return what was noted on setups; a file that cannot be read is set aside with a notice."""
        path = self.path / NOTES
        try:
            return parse_notebook(read_bytes(path, MAX_TEXT_BYTES), path.name)
        except NoSuchFile:
            return Notebook()
        except (NewerNotesError, Unreadable) as error:
            self._say(f"{error}; left out")
        except UsageError as error:
            self._set_aside(path, error)
        return Notebook()

    def note_on_setup(self, note: SetupNote) -> None:
        """Add a note on a setup; raise UsageError when it cannot be kept."""
        self.change_notebook(lambda kept: kept.with_note(note))

    def change_notebook(self, how: Callable[[Notebook], Notebook]) -> None:
        """Change what was noted on setups, as one step for other programs; raise UsageError when it cannot be kept."""
        with locked(self.make_runs_folder()):
            path = self.path / NOTES
            try:
                kept = parse_notebook(read_bytes(path, MAX_TEXT_BYTES), path.name)
            except NoSuchFile:
                kept = Notebook()
            except (NewerNotesError, Unreadable):
                raise
            except UsageError:
                kept = self.notebook()  # sets the damaged file aside
            write_atomically(path, how(kept).to_bytes())
