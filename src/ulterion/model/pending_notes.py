"""Notes on a run in progress, left for the program that writes it by another: JSON lines beside the journal.

Whoever leaves, takes or removes them holds the lock of the runs folder meanwhile, so that a note that was said to be
kept is kept.
"""

from __future__ import annotations

import contextlib
import json
import os
from pathlib import Path
from typing import TypeVar

from ulterion.core.documents.plain import plain
from ulterion.core.errors import UsageError
from ulterion.core.text import json_bytes
from ulterion.model.reading import NoSuchFile, parse_json, read_bytes
from ulterion.model.runs.header import Header
from ulterion.model.runs.notes import Note, Reading

Run = TypeVar("Run", bound=Header)


def notes_beside(journal: Path) -> Path:
    """Return the file in which notes on a run in progress are left by another process."""
    return journal.with_suffix(".notes")


def leave_note(journal: Path, record: Reading | Note) -> None:
    """Leave a reading or note for the program that writes the journal, on the medium; raise UsageError."""
    line = json.dumps({"reading" if isinstance(record, Reading) else "note": plain(record)}) + "\n"
    beside = notes_beside(journal)
    try:
        flags = os.O_WRONLY | os.O_APPEND | os.O_CREAT | getattr(os, "O_NOFOLLOW", 0) | getattr(os, "O_NONBLOCK", 0)
        with os.fdopen(os.open(beside, flags, 0o666), "ab") as out:
            out.write(json_bytes(line))
            out.flush()
            os.fsync(out.fileno())
    except OSError as error:
        raise UsageError(f"{beside} cannot be written: {error.strerror}; nothing was noted") from error


def take_notes(journal: Path, run: Run, *, again: bool = False) -> Run:
    """Return the run with what was left beside its journal; with `again` what it holds already is not taken twice.

    A line that cannot be read becomes a warning.  The file stays, for the caller to remove once the run is written.
    """
    try:
        lines = read_bytes(notes_beside(journal)).split(b"\n")
    except NoSuchFile:
        return run
    except UsageError as error:
        return run.changed(warnings=[*run.warnings, f"notes left for this run are lost: {error}"])
    readings, notes, bad = list(run.readings), list(run.notes), 0
    for line in filter(None, lines):
        try:
            record = _record(line)
        except ValueError:  # those of what cannot be read are such
            bad += 1
            continue
        if again and (record in readings or record in notes):
            continue
        if isinstance(record, Reading):
            readings.append(record)
        else:
            notes.append(record)
    warnings = [*run.warnings, *([f"{bad} notes left for this run could not be read"] if bad else [])]
    return run.changed(readings=readings, notes=notes, warnings=warnings)


def _record(line: bytes) -> Reading | Note:
    data = parse_json(line, "a note")
    if not isinstance(data, dict):
        raise ValueError("no note")
    return Reading.from_data(data["reading"]) if "reading" in data else Note.from_data(data.get("note"))


def forget_notes(journal: Path) -> None:
    """Remove the file of notes left beside a journal, once they are in the run's document."""
    with contextlib.suppress(OSError):
        notes_beside(journal).unlink()
