"""What a killed run left, turned into a document."""

from __future__ import annotations

from pathlib import Path

from ulterion.core.errors import UsageError
from ulterion.model.journal import recover
from ulterion.model.pending_notes import take_notes
from ulterion.model.reading import read_bytes
from ulterion.model.runs.document import AnyRun, parse_run


def recovered(journal: Path, document: Path) -> AnyRun | None:
    """Return the run in a journal, with the notes left for it; None where nothing is left to write.

    Raises Unreadable when the system does not give the journal.
    """
    run = _newer_than(document, recover(journal))
    return None if run is None else take_notes(journal, run, again=document.exists())


def _newer_than(document: Path, run: AnyRun | None) -> AnyRun | None:
    """Return a recovered run unless its document is there already; a soak taken up again counts by its parts."""
    if run is None or not document.exists():
        return run
    try:
        written = parse_run(read_bytes(document), document.name)
    except UsageError:
        return run
    return run if run.supersedes(written) else None
