"""The journal of a run in progress: JSON lines, each on the medium before the run goes on.

The first line is the document without passes; each further line is a finished pass.  A last line that was cut off is
dropped.  The writer holds a lock on the file as long as it lives.
"""

from __future__ import annotations

import contextlib
import json
import os
import weakref
from pathlib import Path
from typing import Any

from pydantic import ValidationError

from ulterion.core.errors import UsageError
from ulterion.model.lock import try_lock
from ulterion.model.run import PassRecord, RunDocument, State

SUFFIX = ".journal"


OPEN: weakref.WeakSet[Journal] = weakref.WeakSet()


def _let_go() -> None:
    """In a child process: close the journals of the parent, whose lock would else outlive it by a moment."""
    for journal in OPEN:
        journal.let_go()


if hasattr(os, "register_at_fork"):
    os.register_at_fork(after_in_child=_let_go)


class Journal:
    """An open journal.  Use `begin`, `add` for each finished pass, and `close` once the document is written."""

    def __init__(self, path: Path, run: RunDocument) -> None:
        self.path = path
        scratch = path.with_name(
            f".{path.name}.{os.getpid()}.new"
        )  # becomes a journal once it is locked and holds a run
        try:
            self._out = scratch.open("x", encoding="utf-8")
            try_lock(self._out.fileno())
            self._write(run.model_dump(mode="json", by_alias=True))
            scratch.replace(path)
            OPEN.add(self)
        except OSError as error:
            raise UsageError(f"{path} cannot be written: {error.strerror}; nothing was measured") from error

    def let_go(self) -> None:
        """Close the file without a word to it; for child processes."""
        with contextlib.suppress(OSError, ValueError):
            os.close(self._out.fileno())

    def _write(self, data: dict[str, Any]) -> None:
        self._out.write(json.dumps(data, separators=(",", ":")) + "\n")
        self._out.flush()
        os.fsync(self._out.fileno())

    def add(self, index: int, record: PassRecord) -> None:
        """Keep a finished pass of the workload at `index`; raise UsageError when it cannot be kept."""
        try:
            self._write({"workload": index, "pass": record.model_dump(mode="json")})
        except OSError as error:
            raise UsageError(
                f"{self.path} cannot be written: {error.strerror}; the passes before are kept, and recovered by the next command"
            ) from error

    def close(self, *, remove: bool) -> None:
        """Close the journal, and remove it when the document is safely written."""
        if remove:
            with contextlib.suppress(OSError):
                self.path.unlink()
        self._out.close()


def recover(path: Path) -> RunDocument | None:
    """Return the interrupted run that a journal holds, or None when not even its first line is whole."""
    lines = path.read_text(encoding="utf-8", errors="replace").splitlines()
    try:
        run = RunDocument.model_validate(json.loads(lines[0]))
    except (IndexError, json.JSONDecodeError, ValidationError):
        return None
    state = State(name="interrupted", why="the program ended before the run was finished")
    return with_passes(run, _passes(lines[1:]), state)


def _passes(lines: list[str]) -> list[tuple[int, PassRecord]]:
    found = []
    for line in lines:
        try:
            data = json.loads(line)
            found.append((int(data["workload"]), PassRecord.model_validate(data["pass"])))
        except (json.JSONDecodeError, KeyError, TypeError, ValueError):
            break
    return found


def with_passes(run: RunDocument, passes: list[tuple[int, PassRecord]], state: State) -> RunDocument:
    """Return the run with finished passes, given as (workload index, pass), and its final state."""
    workloads = [
        record.model_copy(update={"passes": [p for at, p in passes if at == index]})
        for index, record in enumerate(run.workloads)
    ]
    return run.model_copy(update={"workloads": workloads, "state": state})
