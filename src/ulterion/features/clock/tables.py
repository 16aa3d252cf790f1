"""Transfers timed by hand, on the screen."""

from __future__ import annotations

from collections.abc import Sequence
from typing import TYPE_CHECKING

from ulterion.core.units import show_duration, show_size
from ulterion.features.clock.answer import timed_alone, typed
from ulterion.features.clock.judging import ClockRow
from ulterion.features.clock.words import rate_words, remarks, task_words
from ulterion.model.review import Review
from ulterion.model.runs.clock import ClockRun
from ulterion.show.blocks import BLANK, Shown, Table, Text, bullet_list, heading, kept_line, verdict
from ulterion.show.columns import align_points, show_change
from ulterion.show.sentences import sentence_of

if TYPE_CHECKING:
    from ulterion.run.observers import Kept

COLUMNS = (
    ("what", "left"),
    ("how", "left"),
    ("setup", "left"),
    ("time", "right"),
    ("rate", "right"),
    ("95% interval", "right"),
    ("change", "right"),
    ("verdict", "left"),
)


def clocked_table(review: Review, rows: Sequence[ClockRow], unit: str) -> list[Shown]:
    """Return the table of a comparison's transfers by hand, with what they rest on; nothing without any."""
    if not rows:
        return []
    shown = [rate_words(r.estimate, r.bound, unit) for r in rows]
    rates = align_points([rate for rate, _ in shown])
    columns = [(unit if c == "rate" else c, side) for c, side in COLUMNS]
    lines: list[list[Text | str]] = []
    for at, (row, rate, (_, interval)) in enumerate(zip(rows, rates, shown, strict=True)):
        first = at == 0 or task_words(rows[at - 1]) != task_words(row)
        change = show_change(row.comparison.ratio.value) if row.comparison else ""
        word = verdict(row.verdict) if row.verdict else BLANK
        name = Text(task_words(row) if first else "", style="name")
        lines.append(
            [
                name,
                "copied" if row.copied else "by hand",
                review.setup_label(row.setup) if row.setup in review.setups else row.setup,
                _time_cells(row)[1],
                rate,
                interval,
                change,
                word,
            ]
        )
    head = heading("Transfers")
    return [
        BLANK,
        head,
        Table(columns, lines, spare=("how", "95% interval")),
        *bullet_list("What they rest on", remarks(rows)),
    ]


def clocked_lines(
    review: Review, answers: Sequence[str], rows: Sequence[ClockRow], kept: Sequence[Kept[ClockRun]], unit: str
) -> list[Shown]:
    """Return the answer, a line for each setup with its time and rate, the doubts, and where the timings are kept."""
    told = [(r, rate_words(r.estimate, r.bound, unit)) for r in rows]
    lines: list[list[Text | str]] = [
        [
            Text(review.setup_label(row.setup), style="name"),
            *_time_cells(row),
            rate,
            interval,
            verdict(row.verdict) if row.verdict else BLANK,
        ]
        for row, (rate, interval) in told
    ]
    columns = [
        ("", "left"),
        ("size", "right"),
        ("time", "right"),
        (unit, "right"),
        ("95% interval", "right"),
        ("", "left"),
    ]
    warnings = list(dict.fromkeys(w for k in kept for w in k.run.warnings))
    few = any(r.estimate is not None and r.estimate.why and not r.copied for r in rows)
    spread = f"one or two timings each, assumed to vary by {review.review.timing_spread * 100:g}%"
    return [
        *(Text(sentence_of(a)) for a in answers or [timed_alone(review, r, unit) for r in rows]),
        BLANK,
        Table(columns, lines),
        *([Text(spread, "muted")] if few else []),
        *(Text(f"doubtful: {w}", style="warning") for w in warnings),
        *([kept_line(kept[0].path if len(kept) == 1 else kept[0].path.parent)] if kept else []),
    ]


def _time_cells(row: ClockRow) -> list[str]:
    """Return size and time of a row: of one that did not end how long it was watched."""
    if row.size is not None and row.seconds is not None:
        return [typed(show_size(row.size)), typed(show_duration(row.seconds))]
    return ["", "" if row.watched is None else f"> {typed(show_duration(row.watched))}"]
