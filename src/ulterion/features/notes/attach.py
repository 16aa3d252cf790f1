"""Putting notes where they belong: into a run's document, beside the journal of a run in progress, or on a setup."""

from __future__ import annotations

import datetime
import math
import re
from collections.abc import Callable
from pathlib import Path

from ulterion.core.errors import UsageError, unknown
from ulterion.core.patterns import pattern
from ulterion.core.units import parse_duration, show_duration
from ulterion.features.notes.parsing import WARM_THINGS, parse_note
from ulterion.model.files import locked
from ulterion.model.pending_notes import leave_note
from ulterion.model.quantities import now_utc
from ulterion.model.run_summary import RunSummary
from ulterion.model.runs.document import AnyRun
from ulterion.model.runs.notes import Note, Reading
from ulterion.model.setup_notes import SetupNote
from ulterion.model.store import ReviewFolder

LONG_AGO = datetime.timedelta(hours=1)  # since a run ended: by then another may be meant
MOMENT_LENGTH = 60  # characters at the end of a note within which its moment begins, so that a long note costs no more than a short one
_AT = pattern(r"\s+at\s+((?:\d[\d.]*\s*[a-zA-Zµ]+\s*)+)\Z")
_IDLE = pattern(r",?\s+(?:(?:at\s+|when\s+)?idle|at\s+0\s*[a-zA-Z]*)\Z", re.IGNORECASE)
_END = pattern(r",?\s+(?:at\s+(?:the\s+)?)?end\Z", re.IGNORECASE)
_EXCLUDES = pattern(r"does not count(\s*[:;,.–-].*)?", re.IGNORECASE | re.DOTALL)


def split_moment(text: str) -> tuple[str, float | None]:
    """Take 'at 12m', 'at 0m', 'idle' or 'end' off the end of a note; return the rest and the seconds, None where there is no moment.

    Idle is the moment before the load: 0 seconds from its beginning.  The end is that of the load: infinity, as the note does not know it.
    """
    note = text.strip()
    for ending, seconds in ((_IDLE, 0.0), (_END, math.inf)):
        found = ending.search(note, max(0, len(note) - MOMENT_LENGTH))
        if found is not None and any(c.isdigit() for c in note[: found.start()]):
            return note[: found.start()].rstrip(), seconds
    found = _AT.search(note, max(0, len(note) - MOMENT_LENGTH))
    if found is None:
        return text, None
    try:
        return note[: found.start()].rstrip(), parse_duration(found[1])
    except UsageError:
        return text, None


def note_words(
    folder: ReviewFolder,
    text: str,
    run_id: str | None,
    setup: str | None,
    ask: Callable[[str], bool] = lambda question: True,
) -> dict[str, object]:
    """Note words; return what was noted and where.

    Without a run or setup that is named they go to the run that is going on, or to the newest; `ask` is asked first where that may
    not be the one that is meant.  A moment ('at 12m') counts from the beginning of a soak's load, as its events and figure do; kept are seconds since
    the beginning of the run.  Raises UsageError.
    """
    if _EXCLUDES.fullmatch(text.strip()):
        raise UsageError(
            f"to exclude a run, name it and say why: ulterion note --exclude {run_id or 'RUN'} 'wrong cable'"
        )
    words, moment = split_moment(text)
    if setup is not None:
        folder.review.setup(setup)
        soaked = _newest_soak(folder, setup) if isinstance(parse_note(words), Reading) and run_id is None else None
        if soaked is None:
            if run_id is not None or moment:
                raise UsageError("a note on a setup has no run and no time; leave --setup out to note it on its run")
            return _on_setup(folder, setup, parse_note(text))
        run_id = soaked.id
    left = _on_live_run(folder, words, moment, run_id)
    if left is not None:
        return left
    kept: list[Reading | Note] = []

    def noted_on(run: AnyRun) -> AnyRun:
        record = parse_note(words, _since_beginning(run, moment))
        _check_moment(run, record.at_seconds)
        kept.append(record)
        return run.with_record(record)

    of_soak = isinstance(parse_note(words), Reading) and any(s.kind == "soak" for s in folder.summaries())
    chosen = find_run(folder, run_id, soaks=run_id is None and of_soak)
    doubt = None if run_id is not None else doubtful(folder, chosen, words)
    if doubt is not None and not ask(f"{doubt}. Note it there?"):
        raise UsageError(
            f"{doubt}, so nothing was noted; say which run with --run {chosen.id} (or another), or --setup NAME"
        )
    run = folder.change(chosen, noted_on)
    return {"what": str(kept[0]), "where": f"{run.kind} {run.id}{f' of {run.setup}' if run.setup else ''}"}


def _newest_soak(folder: ReviewFolder, setup: str) -> RunSummary | None:
    """Return the newest soak of a setup, which its readings belong to, or None."""
    return next((s for s in reversed(folder.summaries()) if s.kind == "soak" and s.setup == setup), None)


def _since_beginning(run: AnyRun, moment: float | None) -> float | None:
    """Return a moment since the load began as seconds since the run began; raise UsageError for the end of what has none."""
    if moment is None or math.isfinite(moment):
        return None if moment is None else round(run.load_start + moment, 1)
    if run.load_end is None:
        raise UsageError(f"the {run.kind} {run.id} has no load that ends; write 'at 12m' instead of 'end'")
    return round(run.load_end, 1)


def exclude(folder: ReviewFolder, run_id: str, why: str) -> dict[str, object]:
    """Let a run count no more, saying why; what it measured stays in its document.  Raises UsageError."""
    why = " ".join(why.split())
    if not why:
        raise UsageError(f"say why the run is excluded: ulterion note --exclude {run_id} 'wrong cable'")

    def excluded(run: AnyRun) -> AnyRun:
        if run.excluded is not None:
            raise UsageError(f"the run {run.id} is excluded already: {run.excluded}")
        return run.with_record(Note(kind="excluded", text=why, noted=now_utc()))

    run = folder.change(find_run(folder, run_id), excluded)
    return {"what": f"excluded: {why}", "where": f"{run.kind} {run.id}{f' of {run.setup}' if run.setup else ''}"}


def doubtful(folder: ReviewFolder, chosen: RunSummary, words: str) -> str | None:
    """Return why the newest run may not be the one that a note is meant for, or None.

    It is of another setup than the words name; or it ended long ago, and other setups have runs as well.
    """
    run = f"the newest run is the {chosen.kind} {chosen.id} of {chosen.setup or 'no setup'}"
    told = words.casefold()
    setups = folder.review.setups
    mine = {chosen.setup, *(setups[chosen.setup].chain if chosen.setup in setups else ())}
    named = {n: f"the setup '{n}'" for n in setups} | {k: p.name for k, p in folder.review.parts.items()}
    for key, name in named.items():
        spoken = re.search(rf"(?<![\w-]){re.escape(key.casefold())}(?![\w-])", told) or name.casefold() in told
        if spoken and key not in mine and key.casefold() not in WARM_THINGS:
            return f"the note names {name}, and {run}"
    others = {s.setup for s in folder.summaries() if s.setup is not None} - {chosen.setup}
    age = None if chosen.simulated or chosen.ended is None else now_utc() - chosen.ended
    if others and age is not None and age > LONG_AGO:
        return f"{run}, which ended {show_duration(age.total_seconds())} ago"
    return None


def _on_live_run(
    folder: ReviewFolder, words: str, moment: float | None, run_id: str | None
) -> dict[str, object] | None:
    """Leave a note for the run in progress; return None where no run is."""
    if not folder.in_progress():
        return None
    with locked(folder.make_runs_folder()):  # it may end meanwhile: then the note goes to its document
        live = [j for j in folder.in_progress() if run_id is None or j.stem.endswith(f"-{run_id}")]
        if not live:
            return None
        if moment is not None:
            raise UsageError(
                "a run is in progress: leave out 'at', since the note is about now; or name another run with --run ID"
            )
        record = parse_note(words, _seconds_since(live[-1]))
        leave_note(live[-1], record)
        return {"what": str(record), "where": f"the run in progress, {live[-1].stem}"}


def _seconds_since(journal: Path) -> float | None:
    """Return how long ago the run began; when a soak's load began is known only to the program that runs it."""
    try:
        began = datetime.datetime.strptime(journal.name.partition("-")[0], "%Y%m%dT%H%M%SZ")
    except ValueError:
        return None
    return round((datetime.datetime.now(datetime.UTC) - began.replace(tzinfo=datetime.UTC)).total_seconds(), 1)


def _on_setup(folder: ReviewFolder, setup: str, record: Reading | Note) -> dict[str, object]:
    folder.note_on_setup(SetupNote.of(setup, record, now_utc()))
    return {"what": str(record), "where": f"setup {setup}"}


def _check_moment(run: AnyRun, at_seconds: float | None) -> None:
    end = run.last_moment
    if at_seconds is not None and end is not None and at_seconds > end + 1.0:
        start = run.load_start
        raise UsageError(
            f"the soak {run.id} ended {show_duration(end - start)} after its load began; "
            f"{show_duration(at_seconds - start)} lies beyond it"
        )


def find_run(folder: ReviewFolder, run_id: str | None, *, soaks: bool = False) -> RunSummary:
    """Return a run by its id, or the newest; raise UsageError."""
    runs = [s for s in folder.summaries() if s.kind == "soak" or not soaks]
    if not runs:
        what = "soak" if soaks else "run"
        raise UsageError(f"no {what} yet to note anything on; a setup without one takes --setup NAME")
    if run_id is None:
        return runs[-1]
    matching = [r for r in runs if r.id == run_id]
    if not matching:
        raise UsageError(unknown("soak" if soaks else "run", run_id, [r.id for r in runs]))
    return matching[-1]
