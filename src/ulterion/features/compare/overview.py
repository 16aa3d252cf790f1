"""A whole review on one screen: a line for each setup, with its rates, how far they are from the baseline's, and what limits it."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from ulterion.core.links.ceilings import Direction
from ulterion.core.units import show_iops, show_rate
from ulterion.features.compare.answer import answers, called_alike
from ulterion.model.review import Review
from ulterion.results.bottleneck import DIRECTIONS
from ulterion.results.comparison import ComparedRow, Group
from ulterion.show.bars import share_bar
from ulterion.show.blocks import BARS, BLANK, Cells, Shown, Table, Text, verdict
from ulterion.show.columns import show_change
from ulterion.show.sentences import listed, sentence_of

FEW_GROUPS, FEW_SETUPS = 2, 6  # media, and setups, up to which everything is shown of each
PAIR = 2
MOST_ROWS = 30  # setups up to which each has a line
SETUP, READS, WRITES, SMALL, LIMIT = "setup", "reads", "writes", "small reads", "limit"


def is_large(groups: Sequence[Group]) -> bool:
    """Return whether a comparison is too large for one screen with all of its workloads."""
    return len(groups) > FEW_GROUPS or sum(len(dict.fromkeys(r.setup for r in g.rows)) for g in groups) > FEW_SETUPS


def overview(review: Review, groups: Sequence[Group], unit: str, outcomes: Mapping[str, Sequence[str]]) -> list[Shown]:
    """Return the first sentence of each medium, and a line for each setup."""
    told = [(group, found[0]) for group in groups if (found := answers(review, group, unit))]
    sentences = [
        sentence_of(
            f"with {review.label(g.medium)}, {words}"
            if len(groups) > 1 and (_is_ranked(g) or called_alike(review, g, groups))
            else words
        )
        for g, words in told
    ]
    return [
        *(Text(s) for s in sentences),
        *([BLANK] if sentences else []),
        *every_setup(review, groups, unit),
        *_exceptions(groups, outcomes),
    ]


def _is_ranked(group: Group) -> bool:
    """Return whether a group has more than a baseline and one other."""
    return len({row.setup for row in group.rows}) > PAIR


def every_setup(review: Review, groups: Sequence[Group], unit: str) -> list[Shown]:
    """Return a line for each setup under a heading for each medium; of very many setups the fastest of each product."""
    rows: list[Cells | Text] = []
    named = {group.medium: list(dict.fromkeys(r.setup for r in group.rows)) for group in groups}
    many = sum(map(len, named.values())) > MOST_ROWS
    for group in groups:
        against = f", against {review.setup_title(group.baseline)}" if group.baseline else ", no baseline measured yet"
        rows.append(Text(f"{review.label(group.medium or '')}{against}", style="name"))
        shown = _fastest_of_each(review, group) if many else named[group.medium]
        rows += [_row(review, group, setup, unit) for setup in shown]
    columns = [("", "left"), (SETUP, "left"), (READS, "right"), (BARS, "left")]
    columns += [(WRITES, "right"), (SMALL, "right"), (LIMIT, "left")]
    legend = [f"{unit}, small reads in IOPS; then the difference from the baseline, ? undecided"]
    if many:
        legend.append(f"the fastest of each product, of {sum(map(len, named.values()))} setups; --long shows all")
    table = Table(columns, rows, "every setup", spare=(SMALL, LIMIT))
    return [table, *(Text(line, style="muted") for line in legend)]


def _fastest_of_each(review: Review, group: Group) -> list[str]:
    """Return the fastest setup of those that are called alike, the baseline among them."""
    best: dict[str, tuple[float, str]] = {}
    for setup in dict.fromkeys(r.setup for r in group.rows):
        read, write, _ = large_and_small(group, setup)
        row = read or write
        title = setup if setup == group.baseline else review.setup_title(setup)
        best[title] = max(best.get(title, (0.0, setup)), (row.estimate.rate if row else 0.0, setup))
    return [setup for _, setup in best.values()]


def _row(review: Review, group: Group, setup: str, unit: str) -> Cells:
    """Return the line of a setup: its best large rates, single small reads, and what limits it."""
    shown = large_and_small(group, setup)
    large = shown[0]
    reads, *rest = [rate_cell(r, unit) for r in shown]
    fastest = max((r.estimate.rate for r in group.rows if large and r.workload == large.workload), default=0.0)
    bar = Text(share_bar(large.estimate.rate / fastest), "name") if large and fastest else ""
    name: list[Text | str] = [f"  {review.setup_title(setup)}", Text(setup, "muted")]
    return [*name, reads, bar, *rest, Text(_limit(group, setup), style="muted")]


def large_and_small(group: Group, setup: str) -> list[ComparedRow | None]:
    """Return of a setup its large reads, its large writes, and its small reads one at a time.

    All setups of a medium are shown by the same large workload; one that was not measured by it, by its own fastest.
    """
    rows = [r for r in group.rows if r.setup == setup]
    small = (
        r
        for r in rows
        if r.workload.drive_pattern == "random" and r.workload.depth == 1 and r.workload.drive_direction != "write"
    )
    return [*(_large(group, rows, way) for way in DIRECTIONS), next(small, None)]


def _limit(group: Group, setup: str) -> str:
    """Return what limits a setup, by the names of the review: in both directions, or in each; a suspect of one direction alone comes last."""
    ways: dict[str, list[str]] = {}
    for direction in DIRECTIONS:
        found = group.bottlenecks.get((setup, direction))
        if found is not None and found.finding.suspects:
            ways[direction] = [s.key for s in found.finding.suspects]
    names = {direction: " or ".join(keys) for direction, keys in ways.items()}
    if len(set(names.values())) <= 1:
        return next(iter(names.values()), "")
    common = [key for key in next(iter(ways.values())) if all(key in keys for keys in ways.values())]
    extra = [(d, k) for d, keys in ways.items() for k in keys if k not in common]
    if common and len(extra) == 1:
        return f"{' or '.join(common)}, or {extra[0][1]} ({extra[0][0]})"
    return ", ".join(f"{direction}: {told}" for direction, told in names.items())


def _large(group: Group, rows: Sequence[ComparedRow], way: Direction) -> ComparedRow | None:
    """Return the row of a setup that stands for a direction: sequential transfers done alone, large ones before small ones."""
    mine = [r for r in rows if r.workload.drive_direction == way and r.workload.drive_pattern == "sequential"]
    mine = [r for r in mine if r.workload.concurrent_targets == 1]
    main = [r for r in mine if r.workload.text == group.main_workloads.get(way)]
    return max(main or mine, key=lambda r: (r.workload.is_large, r.estimate.rate), default=None)


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
