"""What is about to be tested, and what came of it."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path

from ulterion.core.stats.estimates import Estimate, estimate
from ulterion.core.units import show_duration, show_iops, show_percent, show_rate, show_size
from ulterion.core.workloads.suites import QUICK
from ulterion.core.workloads.workload import DriveWorkload, NetworkWorkload
from ulterion.features.measure import preview as words
from ulterion.features.measure.network_tables import network_results
from ulterion.features.measure.sweep_tables import place_table, points_of, sweep_table
from ulterion.model.runs.measure import MeasureRun, WorkloadRecord
from ulterion.model.runs.soak import SoakRun
from ulterion.show.blocks import BLANK, Shown, Table, Text, bullet_list, kept_line
from ulterion.show.columns import align_points, show_margin
from ulterion.show.depth import Depth
from ulterion.show.sentences import listed


def preview(run: MeasureRun | SoakRun) -> list[Shown]:
    """Return what will be tested: shown before a byte is written."""
    heads = [Text(f"{what:<13}{value}") for what, value in words.preview(run)]
    return [*heads, *(Text(f"warning: {w}", style="warning") for w in run.warnings), BLANK]


def _covered(run: MeasureRun) -> list[Shown]:
    """Return how little of the medium places cover, where that is little: they say nothing of the rest."""
    whole = run.target.capacity_bytes
    spans = [w for w in (r.workload for r in run.workloads) if isinstance(w, DriveWorkload)]
    ends = [w.origin_bytes + (w.span_bytes or 0) for w in spans]
    if not (run.at_places and whole and ends) or max(ends) >= COVERED * whole:
        return []
    share = show_percent(max(ends) / whole)
    words = f"only {share} of the medium was covered ({show_size(max(ends))} of {show_size(whole)}); disks are slower towards the centre"
    return [Text(words, style="warning")]


def results(run: MeasureRun, path: Path, unit: str, *, depth: Depth = Depth.ANSWER) -> list[Shown]:
    """Return the table of a run and where it is kept; with `depth` also what was run."""
    if run.target.network is not None or any(isinstance(r.workload, NetworkWorkload) for r in run.workloads):
        return network_results(run, path, unit)
    if run.is_sweep or run.at_places:
        points = points_of(run)
        tables = place_table(points, unit) if run.at_places else sweep_table(points, unit)
        return [*tables, *_covered(run), *_warnings(run), *_kept(path)]
    records = [f for r in run.workloads for f in r.figures]
    estimates = [estimate(run.rates_of(r)) for r in records]
    rates = align_points([show_rate(e.rate, unit, with_unit=False) for e in estimates])
    rows = [_row(*each) for each in zip(records, estimates, rates, strict=True)]
    rows += [[Text(r.workload.title, style="name"), *["–"] * 5] for r in _without_figure(run)]
    columns = [
        ("workload", "left"),
        (unit, "right"),
        ("±", "right"),
        ("IOPS", "right"),
        ("median", "right"),
        ("p99", "right"),
    ]
    shown: list[Shown] = [Table(columns, rows)] if rows else [Text("No pass was finished.")]
    legend = [Text(LEGEND, style="muted")] if records else []
    did = bullet_list("What was run", _what_was_run(run, records)) if depth >= Depth.WHY else []
    return [*shown, *legend, *_first_look(run), *did, *_warnings(run, _doubts(run, records)), *_kept(path)]


def _kept(path: Path) -> list[Shown]:
    return [BLANK, kept_line(path)]


def _row(record: WorkloadRecord, one: Estimate, rate: str) -> list[Text | str]:
    """Return the row of a workload, its rate as it is shown."""
    latency = record.latency
    return [
        Text(record.workload.title, style="name"),
        rate,
        show_margin(one),
        show_iops(one.rate / record.workload.block_bytes),
        show_duration(latency.percentile(50)),
        show_duration(latency.percentile(99)),
    ]


def _without_figure(run: MeasureRun) -> list[WorkloadRecord]:
    """Return the workloads none of whose passes was of one state."""
    return [r for r in run.workloads if r.counted and not r.figures]


COVERED = 0.5  # of the medium, below which places are said to cover little of it
RESTLESS = 0.10  # half an interval, relative to the rate, from which a reviewer should look for the cause
LEGEND = "±: half the 95% interval; median and p99: latency of a request"


def _what_was_run(run: MeasureRun, records: list[WorkloadRecord]) -> list[str]:
    """Return what each name stands for, how often it ran, and the flush where it took a share worth knowing."""
    lines = []
    for record in records:
        flush = sum(p.flush_seconds or 0.0 for p in record.counted) / sum(p.seconds for p in record.counted)
        tail = f"; flush {flush * 100:.0f}% of the time" if flush >= 0.01 else ""
        name = "" if record.workload.title == record.text else f"{record.workload.title}: "
        passes = f"{len(record.counted)} pass{'es' if len(record.counted) > 1 else ''}"
        sure = f"; {record.ended}" if record.ended else ""
        lines.append(f"{name}{record.text}, {passes} of {show_duration(record.workload.seconds or 0)}{tail}{sure}")
    return lines


def _doubts(run: MeasureRun, records: list[WorkloadRecord]) -> list[str]:
    """Return what makes results less sure than they could be."""
    notes = [
        f"{r.workload.title}: no pass of {len(r.counted)} stayed in one state of the drive"
        for r in _without_figure(run)
    ]
    wide = [r.workload.title for r in records if (r.ended or "").startswith("not sure")]
    wanted = run.settings.relative_half_width
    if wide and wanted is not None:
        notes.append(f"interval still wider than ±{wanted * 100:g}%: {listed(wide)}")
    restless = [r.workload.title for r in records if (estimate(run.rates_of(r)).margin or 0) > RESTLESS]
    if restless:
        which = "every workload" if len(restless) == len(records) > 1 else ", ".join(restless)
        notes.append(f"{which}: results vary a lot between passes. Is something else using the machine or the drive?")
    if records and len(records[0].counted) < 3:
        notes.append("too few passes for an interval: use --passes 3 or more")
    return notes


def _first_look(run: MeasureRun) -> list[Shown]:
    """Say of a quick run that it is one."""
    if run.suite != QUICK.name:
        return []
    return [
        Text("a first look with three short passes; measure without --quick for a result to publish", style="muted")
    ]


def _warnings(run: MeasureRun, doubts: Sequence[str] = ()) -> list[Shown]:
    return bullet_list("Warnings", [*run.state.sentence("run"), *doubts, *run.warnings])
