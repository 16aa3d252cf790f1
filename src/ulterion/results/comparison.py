"""Setups against their direct one: every workload, with what else differed."""

from __future__ import annotations

import datetime
from collections import Counter
from collections.abc import Sequence
from dataclasses import field, replace
from functools import cached_property
from itertools import pairwise

from ulterion.core.errors import UsageError, unknown
from ulterion.core.facts.differences import differences
from ulterion.core.links.bus import BusFinding
from ulterion.core.links.ceilings import Direction
from ulterion.core.links.negotiated import guess_link
from ulterion.core.records import dataclass
from ulterion.core.stats.estimates import Estimate
from ulterion.core.stats.verdicts import Comparison, Verdict, compare_family
from ulterion.core.units import show_rate
from ulterion.core.workloads.network import Datagrams
from ulterion.core.workloads.workload import Workload
from ulterion.model.review import Review
from ulterion.model.runs.document import AnyRun
from ulterion.model.runs.header import State
from ulterion.model.runs.measure import MeasureRun
from ulterion.results.added_latency import AddedLatency, added_latency
from ulterion.results.baselines import baseline_among
from ulterion.results.bottleneck import DIRECTIONS, Bottleneck, bottlenecks
from ulterion.results.buses import bus_findings
from ulterion.results.measurement import Measurement, best_of, run_facts
from ulterion.results.pooling import once_connected, pooled_results

NEARLY = 0.97  # of the fastest rate


@dataclass(frozen=True)
class ComparedRow:
    """One workload on one setup.

    Attributes:
        setup: name of the setup.
        run: id of the newest run it rests on, `runs` of all.
        workload: what was run.
        estimate: its rate, bytes per second.
        comparison: against the baseline; None for the baseline itself, or where the baseline has no such workload.
        latency_p50, latency_p99: median and 99th percentile of the latency of requests, seconds, or None.
        datagrams: what became of those of its newest run, where any were sent.
    """

    setup: str
    run: str
    workload: Workload
    estimate: Estimate
    comparison: Comparison | None
    latency_p50: float | None = None
    latency_p99: float | None = None
    runs: tuple[str, ...] = ()
    datagrams: Datagrams | None = None


@dataclass(frozen=True)
class Nearest:
    """A setup against the one without one of its parts.

    Attributes:
        setup, base: which; `without` the part that is in the one alone.
        comparisons: by the name of the workload, one family.
    """

    setup: str
    base: str
    without: str
    comparisons: dict[str, Comparison]


@dataclass(frozen=True)
class Group:
    """All setups of one medium.

    Attributes:
        medium: name of the medium in the review.
        baseline: name of the setup that the others are compared with, or None: there is nothing to compare with.
        rows: grouped by workload, the baseline first.
        differs: for each setup what else differed from the baseline.
        caveats: for each setup the warnings of its runs.
        not_measured: setups of the medium without any measurement.
        bottlenecks: what held each setup back at its best, in each direction.
        added_latency: what each adds to the latency of single small requests, against the baseline.
        failed_runs: for each setup without any measurement how its newest run ended, when there is one.
        nearest: each setup against the one that has all of its chain but one part.
        hosts: by setup the bench it was measured at; `moments` when the runs began.
        single_connection: setups of which something rests on one connection alone.
        excluded: for each setup the runs that count for nothing, and why.
        assumed: whether the baseline is only the first setup that was named or measured.
        buses: what the rates say of the bus behind slower setups.
        neighbours: of three setups or more, each against the next slower one, by the words of a sequential workload and both names.
    """

    medium: str
    baseline: str | None
    rows: tuple[ComparedRow, ...]
    differs: dict[str, list[str]]
    caveats: dict[str, list[str]]
    not_measured: tuple[str, ...]
    bottlenecks: dict[tuple[str, Direction], Bottleneck]
    added_latency: tuple[AddedLatency, ...] = ()
    failed_runs: dict[str, State] = field(default_factory=dict)
    nearest: tuple[Nearest, ...] = ()
    hosts: dict[str, str] = field(default_factory=dict)
    moments: tuple[datetime.datetime, ...] = ()
    single_connection: tuple[str, ...] = ()
    excluded: dict[str, list[str]] = field(default_factory=dict)
    assumed: bool = False
    buses: tuple[BusFinding, ...] = ()
    neighbours: dict[tuple[str, str, str], Verdict] = field(default_factory=dict)

    @cached_property
    def main_workloads(self) -> dict[str, str]:
        """The workload by which the setups are compared in a sentence or a line, in words: by its direction, read or write."""
        found = {way: _main_workload(self.rows, way) for way in DIRECTIONS}
        return {way: workload.text for way, workload in found.items() if workload is not None}

    def only(self, workloads: Sequence[str]) -> Group:
        """Return the group with the rows of these workloads alone, by name or by words; verdicts stay as they are."""
        rows = tuple(r for r in self.rows if r.workload.title in workloads or r.workload.text in workloads)
        added = tuple(a for a in self.added_latency if a.workload in {r.workload.title for r in rows})
        return replace(self, rows=rows, added_latency=added)


def _main_workload(rows: Sequence[ComparedRow], way: str) -> Workload | None:
    """Return the fastest sequential workload of a direction: of those that were compared, and of large ones, if there are any.

    Where several are as good as equally fast, the one with the largest requests stands for them, else the first: which of them
    happened to be the fastest is no news.
    """
    rows = [r for r in rows if r.workload.drive_direction == way and r.workload.drive_pattern == "sequential"]
    rows = [r for r in rows if r.workload.concurrent_targets == 1]
    compared = {r.workload.text for r in rows if r.comparison is not None}
    rows = [r for r in rows if r.workload.text in compared] or rows
    rows = [r for r in rows if r.workload.is_large] or rows
    fastest = max((r.estimate.rate for r in rows), default=0.0)
    near = [r.workload for r in rows if r.estimate.rate >= NEARLY * fastest]
    return max(near, key=lambda w: w.block_bytes, default=None)


def only_workloads(groups: Sequence[Group], workloads: Sequence[str]) -> list[Group]:
    """Return the groups that have any of these workloads, with their rows alone; raise UsageError for one that none has."""
    known = list(dict.fromkeys(r.workload.title for g in groups for r in g.rows))
    texts = {r.workload.text for g in groups for r in g.rows}
    for wanted in workloads:
        if wanted not in known and wanted not in texts:
            raise UsageError(unknown("workload", wanted, known))
    return [g for group in groups if (g := group.only(workloads)).rows]


def compare_review(
    review: Review,
    runs: Sequence[AnyRun],
    *,
    against: str | None = None,
    setups: Sequence[str] = (),
    margin: float | None = None,
    own: Review | None = None,
) -> list[Group]:
    """Compare the measured setups of each medium with its baseline.

    `against` names another baseline than the baseline, `setups` restricts what is shown.  A family, over which Holm's correction
    runs, is one medium against one baseline: what else is in the review, or shown, changes no verdict.  Raises UsageError when
    there is nothing to show.  `own` is the review without setups of others, by which nothing is cleared or accused.
    """
    for name in [*setups, *([against] if against else [])]:
        review.setup(name)
    measured = pooled_results(runs)
    if not any(name in measured for name in review.setups):
        raise UsageError("no measured setup yet; run 'ulterion measure --setup NAME' for the baseline and another")
    if against is not None and against not in measured:
        raise UsageError(f"setup '{against}' has no measurement yet; run 'ulterion measure --setup {against}'")
    drafts = [
        GroupBuilder(review=review, measured=measured, medium=medium, against=against, wanted=setups, own=own or review)
        for medium in _media(review, against)
    ]
    bottleneck = bottlenecks(own or review, measured)
    limit = review.review.margin if margin is None else margin
    groups = [d.build(limit, bottleneck) for d in drafts if set(d.names) & d.shown]
    ended = {r.setup: r.state for r in sorted(runs, key=lambda r: r.started) if isinstance(r, MeasureRun) and r.setup}
    return [
        replace(
            g,
            failed_runs={n: ended[n] for n in g.not_measured if n in ended and ended[n].why},
            excluded={
                n: told
                for n in dict.fromkeys([*(r.setup for r in g.rows), *g.not_measured])
                if (told := _excluded_runs(runs, n))
            },
        )
        for g in groups
    ]


def _ids(measured: Measurement) -> tuple[str, ...]:
    return tuple(run.id for run in measured.documents)


def _excluded_runs(runs: Sequence[AnyRun], setup: str) -> list[str]:
    return [f"{r.id}: {r.excluded}" for r in runs if r.setup == setup and isinstance(r, MeasureRun) and r.excluded]


def _media(review: Review, against: str | None) -> list[str | None]:
    """Return the media to group by, or one group for all under a named baseline."""
    return [None] if against else list(dict.fromkeys(h.medium for h in review.setups.values()))


class GroupBuilder:
    """A group before its verdicts are known."""

    def __init__(
        self,
        review: Review,
        measured: dict[str, dict[str, Measurement]],
        medium: str | None,
        against: str | None,
        wanted: Sequence[str],
        *,
        own: Review,
    ) -> None:
        self.own = own
        self.review = review
        self.measured = measured
        known = [n for n in measured if n in review.setups]
        chosen = baseline_among(review, medium, known, wanted, against)
        self.baseline, self.assumed = chosen.setup, chosen.assumed
        self.medium = medium or review.setup(against or "").medium
        mine = [n for n, h in review.setups.items() if medium is None or h.medium == medium]
        self.shown = {n for n in mine if not wanted or n in wanted}
        if self.shown and self.baseline in mine:
            self.shown.add(self.baseline)
        mine.sort(key=lambda n: n != self.baseline)
        self.names = [n for n in mine if n in measured]
        self.not_measured = tuple(n for n in mine if n not in measured and n in self.shown)
        if self.baseline not in self.names:
            self.baseline = None

    def _cells(self) -> list[Measurement]:
        """Return what was measured, by workload (in the baseline's order), then by setup."""
        counts = Counter(t for n in self.names for t in self.measured[n])
        # what only one of several setups has done compares with nothing, and is shown only where there is nothing else
        texts = [t for t, count in counts.items() if count > 1 or len(self.names) == 1] or list(counts)
        return [self.measured[n][t] for t in texts for n in self.names if t in self.measured[n]]

    def _base(self, cell: Measurement) -> Measurement | None:
        if self.baseline is None or cell.setup == self.baseline:
            return None
        return self.measured[self.baseline].get(cell.text)

    def pairs(self) -> list[tuple[Measurement, Measurement]]:
        """Return every (measurement, its baseline)."""
        return [(c, b) for c in self._cells() if (b := self._base(c)) is not None]

    def build(self, margin: float, bottleneck: dict[tuple[str, Direction], Bottleneck]) -> Group:
        """Return the group, judged at a margin as one family, with the setups that are to be shown."""
        verdicts = iter(compare_family([(a.rates, b.rates) for a, b in self.pairs()], margin))
        rows = []
        for cell in self._cells():
            base = self._base(cell)
            comparison = next(verdicts) if base else None
            suspect = cell.suspect or (base.suspect if base else None)
            if comparison is not None and suspect:
                comparison = replace(comparison, verdict="undecided", more=None, why=suspect)
            rows.append(
                ComparedRow(
                    setup=cell.setup,
                    run=cell.run.id,
                    workload=cell.workload,
                    estimate=cell.estimate,
                    comparison=comparison,
                    latency_p50=cell.latency_p50,
                    latency_p99=cell.latency_p99,
                    runs=_ids(cell),
                    datagrams=cell.datagrams,
                )
            )
        once = once_connected(self.own, self.measured)
        return Group(
            medium=self.medium,
            baseline=self.baseline,
            assumed=self.assumed and len(self.names) > 1,
            rows=tuple(r for r in rows if r.setup in self.shown),
            differs={n: d for n, d in self._differs().items() if n in self.shown},
            caveats={n: self._caveats(n) for n in self.names if n in self.shown},
            not_measured=self.not_measured,
            bottlenecks={(h, d): b for (h, d), b in bottleneck.items() if h in self.names and h in self.shown},
            added_latency=self._added_latency(),
            nearest=self._nearest(margin),
            neighbours=self._neighbours(margin),
            buses=tuple(bus_findings(self.review, self.measured, [n for n in self.names if n in self.shown])),
            hosts=self._hosts(),
            moments=tuple(r.started for r in self._runs()),
            single_connection=tuple(n for n in self.names if n in self.shown and n in once),
        )

    def _neighbours(self, margin: float) -> dict[tuple[str, str, str], Verdict]:
        """Return how each setup that is shown compares with the next slower one, where there are three or more: one family."""
        by_text: dict[str, list[Measurement]] = {}
        for cell in self._cells():
            if cell.setup in self.shown and cell.workload.drive_pattern == "sequential":
                by_text.setdefault(cell.text, []).append(cell)
        pairs = [
            pair
            for cells in by_text.values()
            if len(cells) > 2
            for pair in pairwise(sorted(cells, key=lambda c: -c.estimate.rate))
        ]
        judged = compare_family([(a.rates, b.rates) for a, b in pairs], margin)
        return {(a.text, a.setup, b.setup): c.verdict for (a, b), c in zip(pairs, judged, strict=True)}

    def _added_latency(self) -> tuple[AddedLatency, ...]:
        """Return what each setup that is shown adds to the latency of single small requests."""
        added = (added_latency(a, b) for a, b in self.pairs() if a.setup in self.shown)
        return tuple(one for one in added if one is not None)

    def _hosts(self) -> dict[str, str]:
        """Return by setup that is shown the bench it was measured at."""
        return {n: list(self.measured[n].values())[-1].run.bench.host for n in self.names if n in self.shown}

    def _runs(self) -> list[MeasureRun]:
        """Return the runs behind what is shown."""
        shown = (m for n in self.names if n in self.shown for m in self.measured[n].values())
        return list({run.id: run for m in shown for run in m.documents}.values())

    def _nearest(self, margin: float) -> tuple[Nearest, ...]:
        """Return each setup against the one without one of its parts, the baseline left out: the table has that."""
        found = []
        for name in self.names:
            chain = self.review.setups[name].chain
            for base in self.names:
                gone = [k for k in chain if k not in self.review.setups[base].chain]
                if (
                    base == self.baseline
                    or len(gone) != 1
                    or [k for k in chain if k != gone[0]] != self.review.setups[base].chain
                ):
                    continue
                mine, theirs = self.measured[name], self.measured[base]
                cells = [(mine[t], theirs[t]) for t in mine if t in theirs]
                judged = compare_family([(a.rates, b.rates) for a, b in cells], margin)
                by_name = {a.workload.title: c for (a, _), c in zip(cells, judged, strict=True)}
                if by_name and name in self.shown:
                    found.append(Nearest(name, base, gone[0], by_name))
        return tuple(found)

    def _differs(self) -> dict[str, list[str]]:
        by_what: dict[str, list[str]] = {}
        for cell, base in self.pairs():
            phrases = differences(run_facts(cell), run_facts(base))
            here = by_what.setdefault(cell.setup, [])
            here += [p for p in phrases if p not in here]
        return by_what

    def _caveats(self, name: str) -> list[str]:
        sentences: list[str] = []
        for run in {run.id: run for m in self.measured[name].values() for run in m.documents}.values():
            sentences += [w for w in [*run.state.sentence("run"), *run.warnings] if w not in sentences]
        return sentences + self._guess(name)

    def _guess(self, name: str) -> list[str]:
        """Return what the link looks like where the system could not read it, marked as a guess."""
        cells = list(self.measured[name].values())
        if not cells or cells[0].run.target.link is not None or cells[0].run.target.transport in (None, "virtual"):
            return []
        best = [best_of(cells, direction, "sequential") for direction in ("read", "write")]
        if best[0] is None or best[1] is None:
            return []
        read, write = (b.estimate.rate for b in best if b is not None)
        link = guess_link(read, write)
        if link is None:
            return []
        return [
            f"both directions stop at {show_rate(max(read, write))}: this looks like {link.name} (a guess; the link could "
            "not be read)"
        ]
