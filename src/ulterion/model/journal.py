"""The journal of a run in progress: JSON lines, each on the medium before the run goes on.

The first line is the document without passes (of a soak taken up again: with its earlier parts); each further line is
a finished pass, or the beginning, an interval or the end of a phase of a soak, or a reading or note.  A last line that
was cut off is dropped.  The writer holds a lock on the file as long as it lives.
"""

from __future__ import annotations

import contextlib
import json
import os
import time
import weakref
from pathlib import Path
from typing import TYPE_CHECKING

from ulterion.core.documents.plain import plain
from ulterion.core.errors import UsageError
from ulterion.core.text import json_bytes
from ulterion.model.files import scratch_of
from ulterion.model.lock import try_lock
from ulterion.model.reading import Unreadable, parse_json, read_bytes
from ulterion.model.runs.document import KINDS, AnyRun, NewerRunError, run_of
from ulterion.model.runs.header import State
from ulterion.model.runs.notes import Note, Reading
from ulterion.model.runs.upgrades import upgraded_line

if TYPE_CHECKING:
    from ulterion.core.soak.trace import TraceRow
    from ulterion.model.runs.capacity import CapacityRecord
    from ulterion.model.runs.copied import CopyPass
    from ulterion.model.runs.passes import PassRecord
    from ulterion.model.runs.phase_builder import PhaseBuilder

SUFFIX = ".journal"
SYNC_EVERY = 10.0  # seconds between two times that the intervals of a soak are forced onto the medium


OPEN: weakref.WeakSet[Journal] = weakref.WeakSet()


def _let_go() -> None:
    """In a child process: close the journals of the parent, whose lock would else outlive it by a moment."""
    for journal in OPEN:
        journal.let_go()


if hasattr(os, "register_at_fork"):
    os.register_at_fork(after_in_child=_let_go)


class Journal:
    """An open journal.  Use `begin`, `add` for each finished pass, and `close` once the document is written."""

    def __init__(self, path: Path, run: AnyRun) -> None:
        self.path = path
        self._synced = time.monotonic()
        self.kept = False  # whether anything stands in it beside the beginning
        self._seconds = 0, 0  # of a proof of capacity, writing and reading, that were kept
        scratch = scratch_of(path)  # becomes a journal once it is locked and holds a run
        try:
            with contextlib.suppress(FileNotFoundError):
                scratch.unlink()  # of a process with our number that was killed
            self._out = scratch.open("xb")
            try_lock(self._out.fileno())
            self._write(run.as_data())
            scratch.replace(path)
            OPEN.add(self)
        except OSError as error:
            with contextlib.suppress(OSError):
                scratch.unlink()
            raise UsageError(f"{path} cannot be written: {error.strerror}; nothing was measured") from error

    def let_go(self) -> None:
        """Close the file without a word to it; for child processes."""
        with contextlib.suppress(OSError, ValueError):
            os.close(self._out.fileno())

    def _write(self, data: dict[str, object], *, now: bool = True) -> None:
        self._out.write(json_bytes(json.dumps(data, separators=(",", ":"), ensure_ascii=False) + "\n"))
        self._out.flush()
        if now or time.monotonic() - self._synced >= SYNC_EVERY:
            os.fsync(self._out.fileno())
            self._synced = time.monotonic()

    def add(self, index: int, record: PassRecord) -> None:
        """Keep a finished pass of the workload at `index`; raise UsageError when it cannot be kept."""
        self._keep({"workload": index, "pass": plain(record)})

    def span(self, span_bytes: int) -> None:
        """Keep how much of the medium is covered, where that is less than was begun with."""
        self._keep({"span": span_bytes})

    def copied(self, record: CopyPass) -> None:
        """Keep a finished copy."""
        self._keep({"copied": plain(record)})

    def proof(self, record: CapacityRecord) -> None:
        """Keep how far a proof of capacity came; of its seconds those since the last time."""
        wrote, read = len(record.wrote), len(record.read)
        new = {"wrote": record.wrote[self._seconds[0] :], "read": record.read[self._seconds[1] :]}
        self._seconds = wrote, read
        self._keep({"capacity": plain(record.changed(**new))})

    def phase(self, phase: PhaseBuilder) -> None:
        """Keep the beginning of a phase of a soak."""
        start = {"name": phase.name, "start": phase.start, "interval": phase.interval, "part": phase.part}
        self._keep({"phase": start})

    def row(self, row: TraceRow) -> None:
        """Keep an interval of the phase that is on; it is on the medium within `SYNC_EVERY` seconds."""
        values = [row.seconds, row.bytes, row.requests, row.p50, row.p99, row.worst, row.sensors]
        self._keep({"row": values}, now=False)

    def phase_end(self, end: float, ended: str, flush: float | None) -> None:
        """Keep the end of the phase that is on."""
        self._keep({"end": [end, ended, flush]})

    def note(self, record: Reading | Note) -> None:
        """Keep a reading or a note."""
        self._keep({"reading" if isinstance(record, Reading) else "note": plain(record)})

    def _keep(self, data: dict[str, object], *, now: bool = True) -> None:
        try:
            self._write(data, now=now)
            self.kept = True
        except OSError as error:
            raise UsageError(
                f"{self.path} cannot be written: {error.strerror}; what was kept before is recovered by the next command"
            ) from error

    def close(self, *, remove: bool) -> None:
        """Close the journal, and remove it when the document is safely written."""
        if remove:
            with contextlib.suppress(OSError):
                self.path.unlink()
        self._out.close()


def recover(path: Path) -> AnyRun | None:
    """Return the interrupted run that a journal of any version holds, or None when not even its first line is whole.

    Raises Unreadable when the system does not give the file, and NewerRunError: it may be sound.
    """
    try:
        first, *lines = read_bytes(path).split(b"\n")
        header = parse_json(first, path.name)
        run = run_of(header, path.name)
    except (NewerRunError, Unreadable):
        raise
    except UsageError:
        return None
    recovery, unread = KINDS[run.kind].recovery(run), 0
    noted: list[Reading | Note] = []
    for number, line in enumerate(lines):
        if not line and number == len(lines) - 1:
            break
        try:
            data = upgraded_line(parse_json(line, path.name), header["schema"]["version"])
            if "reading" in data or "note" in data:
                noted.append(Reading.from_data(data["reading"]) if "reading" in data else Note.from_data(data["note"]))
            else:
                recovery.take(data)
        except (UsageError, ValueError, LookupError, TypeError, AttributeError, ArithmeticError):
            unread = len(lines) - 1 - number  # the last was cut off, which loses nothing that was whole
            break
    why = "the program ended before the run was finished"
    if unread:
        why += f"; {unread} lines of its journal could not be read and were left out"
    recovered: AnyRun = recovery.run(State(name="interrupted", why=why))
    for record in noted:
        recovered = recovered.with_record(record)
    return recovered
