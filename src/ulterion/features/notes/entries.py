"""Everything noted by hand, by number: listed, corrected, taken back.  What was written stays in its document, marked."""

from __future__ import annotations

from collections.abc import Callable, Iterator

from ulterion.core.documents.moments import moment_text
from ulterion.core.errors import UsageError
from ulterion.core.records import dataclass
from ulterion.model.quantities import now_utc
from ulterion.model.runs.document import AnyRun
from ulterion.model.runs.notes import Note, NotedLine, Reading
from ulterion.model.setup_notes import Notebook, SetupNote
from ulterion.model.store import ReviewFolder

Record = Reading | Note


@dataclass(frozen=True)
class Entry:
    """One thing noted.

    Attributes:
        number: by which it is named: its place in the list.
        record: the reading or note.
        setup: on which it, or its run, is.
        run: its run, or None for a note on the setup.
        index: its place in the notebook, or among the readings, or the notes, of the run.
        noted: when a note on a setup was written down, else "".
    """

    number: int
    record: Record
    setup: str | None
    run: AnyRun | None
    index: int
    noted: str = ""

    @property
    def place(self) -> str:
        """Where it is, in words."""
        return f"setup {self.setup}" if self.run is None else f"{self.run.kind} {self.run.id}"


def entries(folder: ReviewFolder) -> list[Entry]:
    """Return everything noted, numbered from 1: on setups, then on runs by time; what was taken back has its number too."""
    found: list[Entry] = []
    for index, one in enumerate(folder.notebook().notes):
        found.append(
            Entry(
                number=len(found) + 1,
                record=one.record,
                setup=one.setup,
                run=None,
                index=index,
                noted=moment_text(one.noted),
            )
        )
    for run in noted_runs(folder):
        placed: list[tuple[int, Record]] = [*enumerate(run.readings), *enumerate(run.notes)]
        for index, record in placed:
            found.append(Entry(len(found) + 1, record, run.setup, run, index))
    return found


def noted_runs(folder: ReviewFolder) -> list[AnyRun]:
    """Return the runs with readings or notes, soaks read whole, since their moments count from the start of the load."""
    return folder.for_judging([s for s in folder.summaries() if s.noted])


def noted(folder: ReviewFolder) -> dict[str, list[NotedLine]]:
    """Return everything noted by hand as it is listed: on setups and on runs."""
    by_place: dict[str, list[NotedLine]] = {"setups": [], "runs": []}
    for one in entries(folder):
        gone = one.record.taken_back is not None
        line: NotedLine = {"number": one.number, "setup": one.setup, "what": str(one.record), "taken_back": gone}
        if one.run is None:
            by_place["setups"].append(line | {"noted": one.noted})
            continue
        at = one.record.at_seconds
        since = None if at is None else at - one.run.load_start
        by_place["runs"].append(line | {"run": one.run.id, "kind": one.run.kind, "at_seconds": since})
    return by_place


def outcomes(folder: ReviewFolder) -> dict[str, list[str]]:
    """Return the outcomes noted for each setup, on itself or on its runs, in the order of the list."""
    by_setup: dict[str, list[str]] = {}
    for one in _outcome_entries(folder):
        assert isinstance(one.record, Note)
        where = "" if one.run is None else f" ({one.place})"
        by_setup.setdefault(one.setup or "", []).append(f"{one.record.text}{where}")
    return by_setup


def standing_outcomes(folder: ReviewFolder) -> list[tuple[str, str]]:
    """Return (setup, outcome as it was noted), those on runs before those on setups, each oldest first."""
    found = sorted(_outcome_entries(folder), key=lambda e: e.run is None)
    return [(e.setup or "", e.record.text) for e in found if isinstance(e.record, Note)]


def _outcome_entries(folder: ReviewFolder) -> Iterator[Entry]:
    for one in entries(folder):
        record = one.record
        if isinstance(record, Note) and record.kind == "outcome" and record.taken_back is None and one.setup:
            yield one


def take_back(folder: ReviewFolder, number: int) -> dict[str, object]:
    """Mark what was noted under a number as taken back; return what and where.  Raises UsageError."""
    entry = _standing(folder, number)
    _change(folder, entry, None)
    return {"what": f"taken back: {entry.record!s}", "where": entry.place}


def correct(folder: ReviewFolder, number: int, words: str) -> dict[str, object]:
    """Put other words in the place of what was noted under a number, at the same moment; return what and where.

    Raises UsageError.
    """
    from ulterion.features.notes.parsing import parse_note

    entry = _standing(folder, number)
    record = parse_note(words, entry.record.at_seconds)
    _change(folder, entry, record)
    return {"what": f"{record!s}, in the place of {entry.record!s}", "where": entry.place}


def _standing(folder: ReviewFolder, number: int) -> Entry:
    every = entries(folder)
    if not 1 <= number <= len(every):
        known = f"there are 1 to {len(every)}" if every else "nothing is noted yet"
        raise UsageError(f"no note has the number {number}: {known}; ulterion note lists them")
    entry = every[number - 1]
    if entry.record.taken_back is not None:
        raise UsageError(f"note {number}, '{entry.record!s}', was taken back already; ulterion note lists them")
    return entry


def _change(folder: ReviewFolder, entry: Entry, instead: Record | None) -> None:
    """Mark an entry, and add what takes its place, as one step."""
    if entry.run is None:
        folder.change_notebook(_in_notebook(entry, instead))
        return
    run = entry.run
    summary = next(s for s in folder.summaries() if (s.id, s.started) == (run.id, run.started))
    folder.change(summary, _in_run(entry, instead))


def _in_notebook(entry: Entry, instead: Record | None) -> Callable[[Notebook], Notebook]:
    def changed(kept: Notebook) -> Notebook:
        held = kept.notes[entry.index] if entry.index < len(kept.notes) else None
        if held is None or held.record != entry.record or entry.setup is None:
            raise UsageError(
                f"note {entry.number} was changed by another program meanwhile; look again with ulterion note"
            )
        marked = kept.with_changed(entry.index, SetupNote.of(held.setup, _marked(held.record), held.noted))
        return marked if instead is None else marked.with_note(SetupNote.of(held.setup, instead, now_utc()))

    return changed


def _in_run(entry: Entry, instead: Record | None) -> Callable[[AnyRun], AnyRun]:
    name = "readings" if isinstance(entry.record, Reading) else "notes"

    def changed(run: AnyRun) -> AnyRun:
        records = list(getattr(run, name))
        if entry.index >= len(records) or records[entry.index] != entry.record:
            raise UsageError(
                f"note {entry.number} was changed by another program meanwhile; look again with ulterion note"
            )
        records[entry.index] = _marked(records[entry.index])
        marked = run.changed(**{name: records})
        return marked if instead is None else marked.with_record(instead)

    return changed


def _marked(record: Record) -> Record:
    return record.changed(taken_back=now_utc())
