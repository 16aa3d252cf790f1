"""A whole review on one screen: a line for each setup, with its rates, how far they are from the baseline's, and what limits it."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from ulterion.core.units import show_iops, show_rate
from ulterion.features.compare.answer import answers
from ulterion.model.review import Review
from ulterion.results.bottleneck import DIRECTIONS
from ulterion.results.comparison import ComparedRow, Group
from ulterion.show.blocks import BLANK, Cells, Shown, Table, Text, verdict
from ulterion.show.columns import show_change
from ulterion.show.sentences import listed, sentence_of

FEW_GROUPS, FEW_SETUPS = 2, 6  # media, and setups, up to which everything is shown of each
READS, WRITES, SMALL, LIMIT = "reads", "writes", "small reads", "limit"


def is_large(groups: Sequence[Group]) -> bool:
    """Return whether a comparison is too large for one screen with all of its workloads."""
    return len(groups) > FEW_GROUPS or sum(len(dict.fromkeys(r.setup for r in g.rows)) for g in groups) > FEW_SETUPS


def overview(review: Review, groups: Sequence[Group], unit: str, outcomes: Mapping[str, Sequence[str]]) -> list[Shown]:
    """Return the first sentence of each medium, and a line for each setup."""
    sentences = [sentence_of(found[0]) for group in groups if (found := answers(review, group, unit))]
    return [
        *(Text(s) for s in sentences),
        *([BLANK] if sentences else []),
        *every_setup(review, groups, unit),
        *_exceptions(groups, outcomes),
    ]


def every_setup(review: Review, groups: Sequence[Group], unit: str) -> list[Shown]:
    """Return a line for each setup, under a heading for each medium."""
    rows: list[Cells | Text] = []
    for group in groups:
        against = f", against {group.baseline}" if group.baseline else ", no baseline measured yet"
        rows.append(Text(f"{review.label(group.medium or '')}{against}", style="name"))
        rows += [_row(group, setup, unit) for setup in dict.fromkeys(r.setup for r in group.rows)]
    columns = [("", "left"), (READS, "right"), (WRITES, "right"), (SMALL, "right"), (LIMIT, "left")]
    legend = f"{unit}, small reads in IOPS; then the difference from the baseline, ? undecided"
    return [Table(columns, rows, "every setup", spare=(SMALL,)), Text(legend, style="muted")]


def _row(group: Group, setup: str, unit: str) -> Cells:
    """Return the line of a setup: its best large rates, single small reads, and what limits it."""
    mine = [r for r in group.rows if r.setup == setup]
    large = [_largest([r for r in mine if r.workload.drive_direction == way]) for way in ("read", "write")]
    small = next(
        (
            r
            for r in mine
            if r.workload.drive_pattern == "random" and r.workload.depth == 1 and r.workload.drive_direction != "write"
        ),
        None,
    )
    return [f"  {setup}", *(rate_cell(r, unit) for r in (*large, small)), Text(_limit(group, setup), style="muted")]


def _limit(group: Group, setup: str) -> str:
    """Return what limits a setup, by the names of the review: in both directions, or in each."""
    ways: dict[str, str] = {}
    for direction in DIRECTIONS:
        found = group.bottlenecks.get((setup, direction))
        if found is not None and found.finding.suspects:
            ways[direction] = " or ".join(s.key for s in found.finding.suspects)
    if len(set(ways.values())) <= 1:
        return next(iter(ways.values()), "")
    return ", ".join(f"{direction}: {names}" for direction, names in ways.items())


def _largest(rows: Sequence[ComparedRow]) -> ComparedRow | None:
    """Return the row of the fastest sequential transfers, large ones before small ones."""
    ordered = [r for r in rows if r.workload.drive_pattern == "sequential"]
    return max(ordered, key=lambda r: (r.workload.is_large, r.estimate.rate), default=None)


def rate_cell(row: ComparedRow | None, unit: str) -> Text | str:
    """Return a rate, and beside it how far it is from the baseline's; a dash where nothing was measured."""
    if row is None:
        return "–"
    small = row.workload.drive_pattern == "random"
    rate = row.estimate.rate
    shown = show_iops(rate / row.workload.block_bytes) if small else show_rate(rate, unit, with_unit=False)
    if row.comparison is None:
        return shown
    word = {"same": "same", "undecided": "?"}.get(row.comparison.verdict) or show_change(row.comparison.ratio.value)
    return verdict(row.comparison.verdict, shown=f"{shown} {word}")


def _exceptions(groups: Sequence[Group], outcomes: Mapping[str, Sequence[str]]) -> list[Shown]:
    """Return what is undecided, failed or not measured, a line each."""
    compared = [r for g in groups for r in g.rows if r.comparison is not None]
    undecided = [r for r in compared if r.comparison is not None and r.comparison.verdict == "undecided"]
    open_ = list(dict.fromkeys(r.setup for r in undecided))
    missing = [n for g in groups for n in g.not_measured if n not in outcomes]
    failed = [f"{n}: {g.failed_runs[n].short}" for g in groups for n in g.failed_runs]
    words = []
    if undecided:
        words.append(
            f"undecided: {len(undecided)} of {len(compared)} comparisons, on {listed(open_)}; --why says what would decide"
        )
    words += [f"not measured: {listed(missing)}"] if missing else []
    words += [f"failed: {listed(failed)}"] if failed else []
    return [Text(sentence_of(w)) for w in words]
