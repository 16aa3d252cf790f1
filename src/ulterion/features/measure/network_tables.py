"""What came of a measurement over a network."""

from __future__ import annotations

from pathlib import Path

from ulterion.core.stats.estimates import estimate
from ulterion.core.units import show_duration, show_rate
from ulterion.model.runs.measure import MeasureRun, WorkloadRecord
from ulterion.show import network_words as words
from ulterion.show.blocks import BLANK, Shown, Table, Text, bullet_list, kept_line
from ulterion.show.columns import align_points, show_margin

LEGEND = "±: half the 95% interval; rates without headers; trip: round trip, median and p99"


def network_results(run: MeasureRun, path: Path, unit: str) -> list[Shown]:
    """Return the table of a run over a network and where it is kept."""
    records = [f for r in run.workloads for f in r.figures]
    estimates = [estimate(run.rates_of(r)) for r in records]
    rates = align_points([show_rate(e.rate, unit, with_unit=False) for e in estimates])
    bits = align_points([f"{e.rate * 8 / 1e6:.1f}" for e in estimates])
    rows: list[list[Text | str]] = []
    for record, one, rate, bit in zip(records, estimates, rates, bits, strict=True):
        is_trip = record.workload.pattern == "messages"
        shown = ("", "") if is_trip else (rate, bit)
        rows.append(
            [
                Text(record.workload.title, style="name"),
                *shown,
                show_margin(one),
                *_trips(record),
                _lost(record),
                _cpu(record),
            ]
        )
    heads = ("workload", unit, "Mb/s", "±", "trip", "p99", "lost", "CPU")
    columns = [(h, "right" if i else "left") for i, h in enumerate(heads)]
    lines = [
        f"{r.workload.title}: {r.text}, {len(r.counted)} passes of {show_duration(r.workload.seconds or 0)}"
        + (f"; {r.ended}" if r.ended else "")
        for r in records
    ]
    notes = [LEGEND, "CPU: of one core, used by this program"] if records else []
    keep = [*run.state.sentence("run"), *run.warnings, *(w for r in records for w in _notes(run, r))]
    return [
        *([Table(columns, rows)] if rows else [Text("No pass was finished.")]),
        *bullet_list("What was run", lines),
        *bullet_list("Note", notes),
        *bullet_list("Warnings", keep),
        BLANK,
        kept_line(path),
    ]


def _notes(run: MeasureRun, record: WorkloadRecord) -> list[str]:
    counts = record.datagrams
    told = [words.datagram_words(record.workload.title, counts)] if counts is not None else []
    return [*told, *words.stream_notes(run, record)]


def _trips(record: WorkloadRecord) -> tuple[str, str]:
    if record.workload.pattern != "messages":
        return "", ""
    merged = record.latency
    return show_duration(merged.percentile(50)), show_duration(merged.percentile(99))


def _lost(record: WorkloadRecord) -> str:
    counts = record.datagrams
    return "" if counts is None or not counts.sent else f"{counts.lost / counts.sent * 100:.2f}%"


def _cpu(record: WorkloadRecord) -> str:
    known = [(p.cpu_seconds, p.seconds) for p in record.counted if p.cpu_seconds is not None]
    return f"{sum(c for c, _ in known) / sum(s for _, s in known) * 100:.0f}%" if known else ""
