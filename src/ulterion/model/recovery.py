"""What a killed run left, turned into a document."""

from __future__ import annotations

from pathlib import Path

from ulterion.core.errors import UsageError
from ulterion.core.units import show_duration, show_size
from ulterion.model.journal import recover
from ulterion.model.leftnotes import take_notes
from ulterion.model.reading import read_bytes
from ulterion.model.runs.document import RunDocument, parse_run


def recovered(journal: Path, document: Path) -> RunDocument | None:
    """Return the run that a journal holds, with the notes left for it, or None when there is none to be written.

    Raises Unreadable when the system does not give the journal.
    """
    run = _newer_than(document, recover(journal))
    return None if run is None else take_notes(journal, run, again=document.exists())


def _newer_than(document: Path, run: RunDocument | None) -> RunDocument | None:
    """Return a recovered run unless its document is there already; a soak taken up again counts by its parts."""
    if run is None or not document.exists():
        return run
    try:
        written = parse_run(read_bytes(document), document.name)
    except UsageError:
        return run
    if run.soak is None:
        return None
    more = written.soak is None or len(run.soak.phases) > len(written.soak.phases)
    return run if more else None


def what_is_kept(run: RunDocument) -> str:
    """Return in words how much of a cut-off run was kept."""
    if run.soak is None:
        return f"its {sum(len(w.passes) for w in run.workloads)} finished passes are"
    seconds, moved = run.soak.done("load")
    return f"{show_duration(seconds) if seconds else '0 s'} of load and {show_size(moved)} are"
