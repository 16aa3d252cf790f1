"""Transfers timed by hand, on the screen."""

from __future__ import annotations

from collections.abc import Sequence

from ulterion.core.stats.estimates import estimate
from ulterion.core.transfers.timings import bound_of, rates_of
from ulterion.core.units import show_rate
from ulterion.features.clock.judging import ClockRow
from ulterion.features.clock.words import WAYS, rate_words, remarks, task_words
from ulterion.model.runs.clock import ClockRun
from ulterion.run.observers import Kept
from ulterion.show.blocks import BLANK, Shown, Table, Text, bullet_list, heading, verdict
from ulterion.show.columns import align_points, show_ratio

COLUMNS = (
    ("what", "left"),
    ("how", "left"),
    ("setup", "left"),
    ("rate", "right"),
    ("95 % interval", "right"),
    ("ratio", "right"),
    ("to one", "left"),
    ("verdict", "left"),
)
AGAINST = {
    False: "its like",
    True: "measured",
}  # what a transfer is held against: the same on the other setup, or a measurement


def clocked_table(rows: Sequence[ClockRow], unit: str) -> list[Shown]:
    """Return the table of a comparison's transfers by hand, with what they rest on; nothing without any."""
    if not rows:
        return []
    shown = [rate_words(r.estimate, r.bound, unit) for r in rows]
    rates = align_points([rate for rate, _ in shown])
    columns = [(unit if c == "rate" else c, side) for c, side in COLUMNS]
    lines: list[list[Text | str]] = []
    for at, (row, rate, (_, interval)) in enumerate(zip(rows, rates, shown, strict=True)):
        first = at == 0 or task_words(rows[at - 1]) != task_words(row)
        ratio = show_ratio(row.comparison.ratio.value) if row.comparison else ""
        word = verdict(row.verdict) if row.verdict else BLANK
        name = Text(task_words(row) if first else "", style="name")
        lines.append(
            [
                name,
                "copied" if row.copied else "by hand",
                row.setup,
                rate,
                interval,
                ratio,
                AGAINST[row.measured] if row.against else "",
                word,
            ]
        )
    head = heading("Transfers")
    return [BLANK, head, Table(columns, lines), *bullet_list("What they rest on", remarks(rows))]


def kept_lines(kept: Sequence[Kept[ClockRun]], unit: str) -> list[Shown]:
    """Return what was kept: each timing in words, and what those of one task come to together."""
    lines: list[Shown] = []
    for one_run in kept:
        run, path = one_run.run, one_run.path
        task = f"{run.clock.task}, {WAYS[run.clock.direction]}"
        lines.append(heading(f"{run.setup}: {task}, by hand"))
        for timing in run.timings:
            lines.append(Text(f"   {timing.words()}"))
        rates, bound = rates_of(run.timings), bound_of(run.timings)
        if rates:
            one = estimate(rates)
            low, high = (show_rate(v, unit) for v in (one.low or one.rate, one.high or one.rate))
            lines.append(Text(f"   rate {show_rate(one.rate, unit)}, between {low} and {high} (95 %)"))
            lines += [Text(one.why, "muted", indent=3)] if one.why else []
        elif bound is not None:
            lines.append(Text(f"   a bound, and no figure: slower than {show_rate(bound, unit)}"))
        lines += [Text(f"   doubtful: {warning}", style="warning") for warning in run.warnings]
        lines.append(Text(f"   kept in {path}", style="muted"))
    return lines
