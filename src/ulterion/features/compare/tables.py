"""The comparison as tables."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from itertools import pairwise

from ulterion.core.units import show_between, show_duration, show_iops, show_rate
from ulterion.core.workloads.workload import NetworkWorkload
from ulterion.features.clock.answer import answers as transfer_answers
from ulterion.features.clock.judging import ClockRow
from ulterion.features.compare.answer import answers_of_all
from ulterion.features.compare.summary_table import answer_table
from ulterion.features.compare.words import (
    added_latency,
    datagrams,
    drifts,
    excluded,
    missing,
    nearest,
    once,
    sources,
    strangers,
    summaries,
)
from ulterion.model.review import Review
from ulterion.results.comparison import ComparedRow, Group
from ulterion.show.blocks import BLANK, Shown, Table, Text, bullet_list, heading, verdict
from ulterion.show.bottleneck_words import bottleneck_lines
from ulterion.show.columns import align_points, show_margin, show_ratio
from ulterion.show.depth import Depth
from ulterion.show.sentences import listed, sentence_of

MAX_NAME_WIDTH = 16  # characters of a workload that fit beside the figures in 80 columns
RATES = "rates and verdicts"
MAX_BESIDE = 9  # further passes that are told beside a verdict; larger numbers stand in the sentence below the table


def answer_lines(review: Review, groups: Sequence[Group], timed: Sequence[ClockRow], unit: str) -> list[Shown]:
    """Return what all of it comes to, a sentence for each finding, and a line after them; nothing where nothing was compared."""
    sentences = [*answers_of_all(review, groups, unit), *transfer_answers(review, timed, unit)]
    return [*(Text(sentence_of(s)) for s in sentences), *([BLANK] if sentences else [])]


def comparison(
    groups: Sequence[Group],
    labels: dict[str, str],
    unit: str,
    margin: float,
    outcomes: Mapping[str, Sequence[str]] | None = None,
    *,
    depth: Depth = Depth.ANSWER,
) -> list[Shown]:
    """Return the answer for each group, with as much behind it as is asked for; every result where there is no answer in short.

    `labels` gives the readers' name of each part, `outcomes` what was noted of setups.
    """
    shown: list[Shown] = []
    for group in groups:
        against = f"against '{group.baseline}'" if group.baseline else "no baseline measured yet"
        against += ", the first of them (--against changes it)" if group.assumed else ""
        head = f"{labels.get(group.medium, group.medium)}, {against}, margin {margin * 100:g}%"
        body = comparison_body(group, labels, unit, margin, outcomes or {}, depth=depth)
        shown += [*([BLANK] if shown else []), heading(head), *body]
    return shown


def comparison_body(
    group: Group,
    labels: dict[str, str],
    unit: str,
    margin: float,
    outcomes: Mapping[str, Sequence[str]],
    *,
    depth: Depth = Depth.ANSWER,
) -> list[Shown]:
    """Return the answer for one group without its heading."""
    answer, long = answer_table(group, unit, outcomes), depth is Depth.EVERYTHING
    every = [BLANK, _figures(group, unit), *_interval_note(group), *_small(group)] if long or not answer else []
    behind = [] if depth is Depth.ANSWER else _why(group, labels)
    return [
        *([BLANK, *answer] if answer else []),
        *every,
        *bullet_list("In short", [*summaries(group, margin), *nearest(group, margin, labels)]),
        *behind,
        *_exceptions(group, outcomes, why=depth is not Depth.ANSWER),
        *(bullet_list("Runs used", sources(group)) if long else []),
    ]


def _figures(group: Group, unit: str) -> Shown:
    """Return the table of every figure of a group."""
    rates = align_points([show_rate(r.estimate.rate, unit, with_unit=False) for r in group.rows])
    ratios = align_points([show_ratio(r.comparison.ratio.value) if r.comparison else "" for r in group.rows])
    columns = [
        ("workload", "left"),
        ("setup", "left"),
        (unit, "right"),
        ("±", "right"),
        ("ratio", "right"),
        ("95% interval", "right"),
        ("verdict", "left"),
    ]
    cells = [
        [row.setup, rate, show_margin(row.estimate), *_outcome(row, ratio)]
        for row, rate, ratio in zip(group.rows, rates, ratios, strict=True)
    ]
    names = [row.workload.title for row in group.rows]
    first = [True] + [a.workload.text != b.workload.text for a, b in pairwise(group.rows)]
    if max(map(len, names), default=0) <= MAX_NAME_WIDTH:
        lines = [[Text(n if f else "", style="name"), *c] for n, f, c in zip(names, first, cells, strict=True)]
        return Table(columns, lines, RATES)
    body: list[Text | list[Text | str]] = []  # long names stand in lines of their own
    for name, begins, line in zip(names, first, cells, strict=True):
        body += [Text(name, style="name")] if begins else []
        body.append(["", *line])
    return Table([("", "left"), *columns[1:]], body, RATES)


def _interval_note(group: Group) -> list[Shown]:
    """Say that the intervals shown are those that decide: as wide as all comparisons of the medium together ask."""
    count = sum(r.comparison is not None for r in group.rows)
    if count < 2:
        return []
    words = f"95% intervals, corrected for all {count} comparisons with '{group.baseline}' (Holm)"
    return [Text(words, style="muted")]


def _small(group: Group) -> list[Shown]:
    """Return the random workloads of a group in IOPS, with the latency of a request."""
    rows = [r for r in group.rows if r.workload.drive_pattern == "random" and r.latency_p50 is not None]
    if not rows:
        return []
    columns = [
        ("workload", "left"),
        ("setup", "left"),
        ("a second" if isinstance(rows[0].workload, NetworkWorkload) else "IOPS", "right"),
        ("median", "right"),
        ("p99", "right"),
    ]
    lines: list[list[Text | str]] = []
    for at, row in enumerate(rows):
        first = at == 0 or rows[at - 1].workload.text != row.workload.text
        name = Text(row.workload.title if first else "", style="name")
        latencies = [show_duration(w or 0.0) for w in (row.latency_p50, row.latency_p99)]
        lines.append([name, row.setup, show_iops(row.estimate.rate / row.workload.block_bytes), *latencies])
    return [BLANK, Table(columns, lines, "latency")]


def _outcome(row: ComparedRow, shown: str) -> list[Text | str]:
    judged = row.comparison
    if judged is None:
        return ["", "", ""]
    interval = "–"
    if judged.ratio.low is not None and judged.ratio.high is not None:
        low, high = (show_ratio(v, judged.ratio.value) for v in (judged.ratio.low, judged.ratio.high))
        interval = show_between(low, high)
    few = judged.verdict == "undecided" and judged.more and judged.more <= MAX_BESIDE
    unit = " runs" if judged.ratio.by_runs and judged.more != 1 else " run" if judged.ratio.by_runs else ""
    more = f" (+{judged.more}{unit})" if few else ""
    return [shown, interval, verdict(judged.verdict, more)]


def _why(group: Group, labels: dict[str, str]) -> list[Shown]:
    """Return the evidence: for bottlenecks, added latency, what the intervals leave out, other differences."""
    network = any(isinstance(r.workload, NetworkWorkload) for r in group.rows)
    small = "Small messages" if network else "Small requests, one at a time"
    differs = [f"{name}: {'; '.join(phrases)}" for name, phrases in group.differs.items() if phrases]
    setups = list(dict.fromkeys(r.setup for r in group.rows))
    return [
        *bullet_list("Bottleneck", bottleneck_lines(group.bottlenecks, setups)),
        *bullet_list(small, added_latency(group, labels)),
        *bullet_list("Limits of these intervals", [*once(group), *drifts(group)]),
        *bullet_list("Other differences from the baseline", differs),
    ]


def _exceptions(group: Group, outcomes: Mapping[str, Sequence[str]], *, why: bool) -> list[Shown]:
    """Return what is undecided, doubtful, failed or not comparable; with `why` what would decide."""
    caveats = [f"{name}: {sentence}" for name, sentences in group.caveats.items() for sentence in sentences]
    undecided = [(r, r.comparison) for r in group.rows if r.comparison and r.comparison.verdict == "undecided"]
    if why:
        told = [f"{r.workload.title} on {r.setup}: {c.why}" for r, c in undecided]
    else:
        by_setup: dict[str, list[str]] = {}
        for row, _ in undecided:
            by_setup.setdefault(row.setup, []).append(row.workload.title)
        told = [f"{setup}: {listed(names)}; --why says what would decide" for setup, names in by_setup.items()]
    return [
        *bullet_list("Datagrams", datagrams(group)),
        *bullet_list("Undecided", told),
        *bullet_list("Warnings", caveats),
        *bullet_list("Nothing in common with the baseline", strangers(group)),
        *bullet_list("Not measured", missing(group, outcomes)),
        *bullet_list("Excluded", excluded(group)),
    ]
