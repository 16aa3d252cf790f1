"""The review folder: review.toml, and runs/ with a JSON document for each run.

A document is written whole or not at all.  While a run goes on, what it has measured is in a journal beside it; a
journal whose writer is gone is turned into an `interrupted` run by the next command that looks at the folder.
"""

from __future__ import annotations

import contextlib
import json
import os
import re
from collections.abc import Iterator
from dataclasses import dataclass, field
from pathlib import Path

from ulterion.core.errors import UsageError
from ulterion.core.units import show_duration, show_size
from ulterion.model.journal import SUFFIX, recover
from ulterion.model.lock import try_lock
from ulterion.model.review import FILE_NAME, TEMPLATE, Review, load_review
from ulterion.model.run import NewerRunError, Note, Reading, RunDocument, parse_run

RUNS, ASIDE = "runs", "set-aside"


def write_atomically(path: Path, text: str) -> None:
    """Write a file so that after a crash the old or the new one is there, whole."""
    scratch = path.with_name(f".{path.name}.{os.getpid()}.new")
    try:
        with scratch.open("w", encoding="utf-8") as out:
            out.write(text)
            out.flush()
            os.fsync(out.fileno())
        scratch.replace(path)
    except OSError as error:
        with contextlib.suppress(OSError):
            scratch.unlink()
        raise UsageError(f"{path} cannot be written: {error.strerror}; nothing was changed") from error
    if os.name == "posix":  # elsewhere a folder cannot be opened, and the rename is durable by itself
        folder = os.open(path.parent, os.O_RDONLY)
        try:
            os.fsync(folder)
        finally:
            os.close(folder)


def find_review(start: Path) -> Path | None:
    """Return the folder at or above `start` that holds a review.toml, or None."""
    start = start.resolve()
    return next((p for p in (start, *start.parents) if (p / FILE_NAME).is_file()), None)


def new_review(folder: Path, title: str) -> Path:
    """Start a review folder; return the path of its review.toml.  Overwrites nothing."""
    path = folder / FILE_NAME
    try:
        (folder / RUNS).mkdir(parents=True, exist_ok=True)
        with path.open("x", encoding="utf-8") as out:
            out.write(TEMPLATE.format(title=re.sub(r'["\\\x00-\x1f]', " ", title)))
    except FileExistsError as error:
        raise UsageError(f"{path} exists already and was left as it is; choose another folder, or edit it") from error
    except OSError as error:
        raise UsageError(f"{folder} cannot hold a review: {error.strerror}; choose another folder") from error
    return path


def run_name(run: RunDocument) -> str:
    """Return the file name of a run, without its ending: time, command, hookup, id."""
    time = re.sub(r"[-:]", "", run.started.partition(".")[0].removesuffix("Z")) + "Z"
    return f"{time}-{run.kind}-{run.hookup or 'unnamed'}-{run.id}"


@dataclass
class ReviewFolder:
    """An opened review folder.

    Attributes:
        path: the folder.
        review: what review.toml says.
        notices: sentences about what was recovered or set aside, for the reviewer.
    """

    path: Path
    review: Review
    notices: list[str] = field(default_factory=list)

    @classmethod
    def open(cls, folder: Path) -> ReviewFolder:
        """Open a folder that holds a review.toml and recover what a killed run left."""
        if not (folder / FILE_NAME).is_file():
            raise UsageError(f"{folder} holds no {FILE_NAME}; start one with 'ulterion new {folder}'")
        opened = cls(folder, load_review(folder / FILE_NAME))
        opened._recover()
        return opened

    @property
    def runs_folder(self) -> Path:
        """Where the documents are."""
        return self.path / RUNS

    def make_runs_folder(self) -> Path:
        """Return the runs folder, made if need be."""
        try:
            self.runs_folder.mkdir(exist_ok=True)
        except OSError as error:
            raise UsageError(f"{self.runs_folder} cannot be made: {error.strerror}; runs would be lost") from error
        return self.runs_folder

    def save(self, run: RunDocument) -> Path:
        """Write a run document; return its path."""
        self.make_runs_folder()
        path = self.path_of(run)
        write_atomically(path, run.to_json())
        return path

    def path_of(self, run: RunDocument) -> Path:
        """Return where a run's document is, or will be."""
        return self.runs_folder / f"{run_name(run)}.json"

    def in_progress(self) -> list[Path]:
        """Return the journals of runs that are going on now, oldest first."""
        found = []
        for journal in sorted(self.runs_folder.glob(f"*{SUFFIX}")):
            with unused(journal) as free:
                if not free:
                    found.append(journal)
        return found

    def _recover(self) -> None:
        for journal in sorted(self.runs_folder.glob(f"*{SUFFIX}")):
            with unused(journal) as free:
                if not free:
                    continue
                document = journal.with_suffix(".json")
                run = _newer_than(document, recover(journal))
                try:
                    if run is not None:
                        run = take_notes(journal, run)
                        write_atomically(document, run.to_json())
                        self.notices.append(f"{document.name}: the run was cut off; {_what_is_kept(run)} kept")
                    elif not document.exists():
                        journal.replace(self._aside() / journal.name)
                        self.notices.append(f"{journal.name}: nothing could be recovered; moved to {RUNS}/{ASIDE}")
                        continue
                    journal.unlink()
                    notes_beside(journal).unlink(missing_ok=True)
                except (OSError, UsageError) as error:
                    self.notices.append(f"{journal.name} could not be recovered: {error}")

    def _aside(self) -> Path:
        aside = self.runs_folder / ASIDE
        aside.mkdir(exist_ok=True)
        return aside

    def runs(self) -> list[RunDocument]:
        """Return every run, oldest first.  One that cannot be read is set aside with a notice; it is never fatal."""
        found = []
        for path in sorted(self.runs_folder.glob("*.json")):
            try:
                found.append(parse_run(path.read_text(encoding="utf-8"), path.name))
            except NewerRunError as error:
                self.notices.append(str(error))
            except (OSError, UnicodeDecodeError, UsageError) as error:
                self._set_aside(path, error)
        return sorted(found, key=lambda r: (r.started, r.id))

    def _set_aside(self, path: Path, error: Exception) -> None:
        where = f"moved to {RUNS}/{ASIDE}"
        try:
            path.replace(self._aside() / path.name)
        except OSError:
            where = "left out"
        self.notices.append(f"{error if isinstance(error, UsageError) else f'{path.name} cannot be read'}; {where}")


def _newer_than(document: Path, run: RunDocument | None) -> RunDocument | None:
    """Return a recovered run unless its document is there already; a soak taken up again counts by its parts."""
    if run is None or not document.exists():
        return run
    if run.soak is None:
        return None
    try:
        written = parse_run(document.read_text(encoding="utf-8"), document.name)
    except (OSError, UnicodeDecodeError, UsageError):
        return run
    more = written.soak is None or len(run.soak.phases) > len(written.soak.phases)
    return run if more else None


def _what_is_kept(run: RunDocument) -> str:
    if run.soak is None:
        return f"its {sum(len(w.passes) for w in run.workloads)} finished passes are"
    seconds, moved = run.soak.done("load")
    return f"{show_duration(seconds) if seconds else '0 s'} of load and {show_size(moved)} are"


def notes_beside(journal: Path) -> Path:
    """Return the file in which notes on a run in progress are left by another process."""
    return journal.with_suffix(".notes")


def leave_note(journal: Path, record: Reading | Note) -> None:
    """Leave a reading or note for the program that writes the journal; raise UsageError."""
    line = json.dumps({"reading" if isinstance(record, Reading) else "note": record.model_dump(mode="json")}) + "\n"
    try:
        with notes_beside(journal).open("a", encoding="utf-8") as out:
            out.write(line)
            out.flush()
            os.fsync(out.fileno())
    except OSError as error:
        raise UsageError(f"{notes_beside(journal)} cannot be written: {error.strerror}; nothing was noted") from error


def take_notes(journal: Path, run: RunDocument) -> RunDocument:
    """Return the run with what was left beside its journal, and remove that file once it is taken."""
    beside = notes_beside(journal)
    readings, notes = list(run.readings), list(run.notes)
    try:
        lines = beside.read_text(encoding="utf-8").splitlines()
    except (OSError, UnicodeDecodeError):
        return run
    for line in lines:
        with contextlib.suppress(ValueError, KeyError, TypeError):
            data = json.loads(line)
            if "reading" in data:
                readings.append(Reading.model_validate(data["reading"]))
            else:
                notes.append(Note.model_validate(data["note"]))
    return run.model_copy(update={"readings": readings, "notes": notes})


@contextlib.contextmanager
def unused(journal: Path) -> Iterator[bool]:
    """Yield whether no living process holds the journal's lock; the lock is held meanwhile."""
    try:
        out = journal.open("rb")
    except OSError:
        yield False
        return
    with out:
        yield try_lock(out.fileno())
