"""Sweeps over sizes and depths, and over places of the medium, as tables."""

from __future__ import annotations

from collections.abc import Sequence

from ulterion.core.records import dataclass
from ulterion.core.stats.estimates import Estimate, estimate
from ulterion.core.units import show_block, show_iops, show_rate, show_size
from ulterion.core.workloads.workload import DriveWorkload, on_drive
from ulterion.model.runs.measure import MeasureRun
from ulterion.show.blocks import BLANK, Cells, Shown, Table, Text
from ulterion.show.columns import align_points, show_margin


@dataclass(frozen=True)
class Point:
    """One workload of a sweep with its estimate (bytes per second)."""

    workload: DriveWorkload
    found: Estimate


def points_of(run: MeasureRun) -> list[Point]:
    """Return the measured workloads of a run."""
    return [Point(on_drive(r.workload), estimate(run.rates_of(r))) for w in run.workloads for r in w.figures]


def sweep_table(points: Sequence[Point], unit: str) -> list[Shown]:
    """Return rate and IOPS by size (rows) and depth (columns)."""
    depths = sorted({p.workload.depth for p in points})
    sizes = sorted({p.workload.block_bytes for p in points})
    by_cell = {(p.workload.block_bytes, p.workload.depth): p.found for p in points}
    shown: list[Shown] = []
    for heading, of in ((unit, "rate"), ("IOPS", "iops")):
        rows: list[Cells] = []
        for size in sizes:
            cells = [by_cell.get((size, depth)) for depth in depths]
            rows.append([Text(show_block(size), style="name"), *(_cell(c, size, of, unit) for c in cells)])
        columns = [(f"{heading}, size", "left"), *((f"depth {d}", "right") for d in depths)]
        shown += [*([BLANK] if shown else []), Table(columns, rows)]
    return shown


def _cell(one: Estimate | None, size: int, of: str, unit: str) -> str:
    if one is None:
        return "–"
    return show_rate(one.rate, unit, with_unit=False) if of == "rate" else show_iops(one.rate / size)


def place_table(points: Sequence[Point], unit: str) -> list[Shown]:
    """Return rate by place of the medium."""
    rates = align_points([show_rate(p.found.rate, unit, with_unit=False) for p in points])
    rows: list[Cells] = [
        [
            Text(p.workload.title, style="name"),
            show_size(p.workload.origin_bytes),
            show_size(p.workload.origin_bytes + (p.workload.span_bytes or 0)),
            rate,
            show_margin(p.found),
        ]
        for p, rate in zip(points, rates, strict=True)
    ]
    columns = [("workload @ place", "left"), ("from", "right"), ("to", "right"), (unit, "right"), ("±", "right")]
    return [Table(columns, rows)]
