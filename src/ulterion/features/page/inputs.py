"""What an article is made from: a review, its runs, and what was noted; looked at once."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import field
from functools import cached_property

from ulterion.core.links.ceilings import Direction
from ulterion.core.records import dataclass
from ulterion.features.claims.judging import judge_claims
from ulterion.features.claims.row import ClaimRow
from ulterion.features.claims.speedup import RivalRow, rivals
from ulterion.features.clock.judging import ClockRow, clocked_rows
from ulterion.features.estimate.transfer_time import TransferTimeRow, moving
from ulterion.features.notes.entries import Entry, entries
from ulterion.features.plan.judging import Observations, all_observations
from ulterion.features.soak.judging import Soak, label_of, soak_of
from ulterion.model.review import Review
from ulterion.model.runs.document import AnyRun
from ulterion.model.runs.soak import SoakRun
from ulterion.model.store import ReviewFolder
from ulterion.results.comparison import Group, compare_review
from ulterion.results.pooling import pooled_results, runs_for_results
from ulterion.results.standing_soaks import standing_soak

DIRECTIONS: tuple[Direction, ...] = ("read", "write")


@dataclass(frozen=True)
class ReportInputs:
    """A review folder, what was noted of its setups, and the unit of rates."""

    folder: ReviewFolder
    outcomes: Mapping[str, Sequence[str]] = field(default_factory=dict)
    unit: str = "MB/s"

    @property
    def review(self) -> Review:
        """What is under test."""
        return self.folder.review

    @cached_property
    def labels(self) -> dict[str, str]:
        """How parts and ports are called."""
        return {key: self.review.label(key) for key in [*self.review.ports, *self.review.parts]}

    @cached_property
    def runs(self) -> list[AnyRun]:
        """The runs that verdicts rest on."""
        return runs_for_results(self.folder)

    @cached_property
    def every(self) -> list[AnyRun]:
        """Every run without its series, oldest first."""
        return self.folder.without_series(self.folder.summaries())

    @cached_property
    def transfers(self) -> list[AnyRun]:
        """What was copied or timed by hand, with its course, oldest first."""
        return self.folder.with_series([s for s in self.folder.summaries() if s.kind in ("copy", "clock")])

    @cached_property
    def groups(self) -> list[Group]:
        """The setups of each medium beside each other; none where nothing was measured."""
        measured = pooled_results(self.runs)
        return compare_review(self.review, self.runs) if any(n in measured for n in self.review.setups) else []

    @cached_property
    def claims(self) -> list[ClaimRow]:
        """The claims, each on the setup that gives it the fairest chance."""
        return judge_claims(self.review, self.runs)

    @cached_property
    def rivals(self) -> list[RivalRow]:
        """The claims to be so many times as fast as another product."""
        return rivals(self.review, self.runs)

    @cached_property
    def entries(self) -> list[Entry]:
        """What was noted by hand, on setups and on runs."""
        return entries(self.folder)

    @cached_property
    def measured_setups(self) -> list[str]:
        """The setups that have a rate, in the order of the review: measured, copied to or from, or timed by hand."""
        found = {r.setup for g in self.groups for r in g.rows} | {r.setup for r in self.clocked}
        return [n for n in self.review.setups if n in found]

    @cached_property
    def clocked(self) -> list[ClockRow]:
        """What was timed by hand or copied."""
        return clocked_rows(self.review, self.runs, self.review.review.margin, [])

    @cached_property
    def soaks(self) -> list[Soak]:
        """The soak that stands for each setup, in the order of the review."""
        every = [r for r in self.runs if isinstance(r, SoakRun)]
        standing = [standing_soak([r for r in every if r.setup == name]) for name in self.review.setups]
        found = [soak_of(run, label_of(self.review, run)) for run in standing if run is not None]
        return [soak for soak in found if soak is not None]

    @cached_property
    def works(self) -> dict[Direction, list[TransferTimeRow]]:
        """How long the size of the review takes, read and written, on every setup that was measured."""
        size = float(self.review.report.work)
        return {way: [r for r in moving(self.review, self.runs, size, way) if r.work] for way in DIRECTIONS}

    @cached_property
    def observations(self) -> list[Observations]:
        """What a plan's cells were measured with, by workload; none without a plan."""
        return all_observations(self.review, self.runs, []) if self.review.plan is not None else []
