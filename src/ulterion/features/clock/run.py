"""Keeps transfers timed by hand: typed in, from a table, or as they happen."""

from __future__ import annotations

import csv
import datetime
import io
import os
from collections.abc import Callable, Sequence
from pathlib import Path

from ulterion.core.errors import UsageError, unknown
from ulterion.core.facts.target import BY_HAND, BenchFacts, TargetFacts
from ulterion.core.links.ceilings import Direction
from ulterion.core.records import dataclass
from ulterion.core.stats.estimates import estimate
from ulterion.core.transfers.timings import HAND, Timing, rates_of, read_reaction, read_timing
from ulterion.core.version import __version__
from ulterion.core.workloads.sanity_limits import BUFFERED, above_link
from ulterion.model.reading import as_text, read_bytes
from ulterion.model.runs.clock import ClockRecord, ClockRun, TimingRecord
from ulterion.model.runs.header import State, run_id
from ulterion.model.store import ReviewFolder
from ulterion.run.observers import Kept

TRANSFER = "transfer"  # the task where none is named
COLUMNS = ("setup", "task", "direction", "timing", "reaction")
MAX_BYTES = 4 * 2**20  # bytes of a table


@dataclass(frozen=True)
class Typed:
    """A timing as it was typed, with its setup and task."""

    setup: str
    task: str
    direction: Direction
    text: str
    timing: Timing


def keep(review: ReviewFolder, typed: Sequence[Typed], state: State | None = None) -> list[Kept[ClockRun]]:
    """Write timings down, a run for each setup, task and direction; return the runs and where they are.

    Raises UsageError for a setup that the review does not know, or where they cannot be written; then nothing is.
    """
    groups: dict[tuple[str, str, Direction], list[Typed]] = {}
    for one in typed:
        review.review.setup(one.setup)
        groups.setdefault((one.setup, one.task, one.direction), []).append(one)
    runs = [_run(review, key, timings, state or State(name="complete")) for key, timings in groups.items()]
    return [Kept(run, path) for run, path in zip(runs, review.save_all(runs), strict=True)]


def _run(review: ReviewFolder, key: tuple[str, str, Direction], typed: Sequence[Typed], state: State) -> ClockRun:
    setup, task, direction = key
    rates = rates_of([t.timing for t in typed])
    above = above_link(estimate(rates).rate, review.review.narrowest_link(setup)) if rates else None
    entry, now = review.review.setup(setup), datetime.datetime.now(datetime.UTC)
    return ClockRun(
        id=run_id(os.urandom(3)),
        started=now,
        ended=now,
        setup=setup,
        chain=list(entry.chain),
        target=TargetFacts(path=entry.target or BY_HAND, kind=BY_HAND),
        bench=BenchFacts(BY_HAND, versions={"ulterion": __version__}),
        cache_bypassed=False,
        warnings=[f"{above}: {BUFFERED}"] if above is not None else [],
        state=state,
        clock=ClockRecord(task=task, direction=direction, timings=[TimingRecord.of(t.text, t.timing) for t in typed]),
    )


def split_label(text: str) -> tuple[str | None, str]:
    """Return the label, or None, and the timing: 'old reader: 4.2 GB in 1m12s'."""
    label, colon, timing = text.partition(": ")
    return (label.strip(), timing.strip()) if colon and label.strip() else (None, text)


def read_typed(
    texts: Sequence[str],
    setup_of: Callable[[str | None], str],
    task: str,
    direction: Direction,
    reaction_seconds: float = HAND,
) -> list[Typed]:
    """Read timings that were typed on the command line; `setup_of` gives the setup of a label, or of none.

    Raises UsageError for the first that is none, before any setup is asked for.
    """
    split = [split_label(text) for text in texts]
    timings = [read_timing(timing, reaction_seconds) for _, timing in split]
    return [
        Typed(setup_of(label), task, direction, text, timing)
        for (label, _), text, timing in zip(split, texts, timings, strict=True)
    ]


def read_table(
    path: Path, setup: str | None, task: str, direction: Direction, reaction_seconds: float = HAND
) -> list[Typed]:
    """Read a table of timings (CSV): `timing`, and where it differs from what is given `setup`, `task`, `direction`, `reaction`.

    Raises UsageError that names the line.
    """
    text = as_text(read_bytes(path, MAX_BYTES), path)
    rows = csv.DictReader(io.StringIO(text, newline=""))
    names = [n.strip().casefold() for n in rows.fieldnames or []]
    odd = [n for n in names if n not in COLUMNS]
    if "timing" not in names or odd:
        told = unknown("column", odd[0], COLUMNS) if odd else f"no column 'timing'; known: {', '.join(COLUMNS)}"
        raise UsageError(f"{path}: {told}")
    rows.fieldnames = names
    typed = []
    try:
        for row in rows:
            typed.append(
                _row(
                    row,
                    setup,
                    task,
                    direction=direction,
                    reaction_seconds=reaction_seconds,
                    where=f"{path}, line {rows.line_num}",
                )
            )
    except csv.Error as error:
        raise UsageError(f"{path}, line {rows.line_num}: {error}") from error
    if not typed:
        raise UsageError(f"{path} has no timing in it")
    return typed


def _row(
    row: dict[str, str], setup: str | None, task: str, direction: Direction, reaction_seconds: float, *, where: str
) -> Typed:
    told = {k: v.strip() for k, v in row.items() if isinstance(k, str) and isinstance(v, str) and v.strip()}
    name, way = told.get("setup", setup), told.get("direction", direction)
    if name is None:
        raise UsageError(f"{where}: no setup; fill in the column, or give --setup NAME for all")
    if way not in ("read", "write"):
        raise UsageError(f"{where}: direction '{way}' is neither 'read' nor 'write'")
    try:
        error = read_reaction(told["reaction"]) if "reaction" in told else reaction_seconds
        timing = read_timing(told.get("timing", ""), error)
    except UsageError as fault:
        raise UsageError(f"{where}: {fault}") from fault
    return Typed(name, told.get("task", task), "read" if way == "read" else "write", told.get("timing", ""), timing)
