"""The answers of `ulterion measure`."""

from __future__ import annotations

from ulterion.core.documents.plain import Plain
from ulterion.core.records import dataclass
from ulterion.core.sharing import Sharing
from ulterion.core.stats.estimates import estimate
from ulterion.model.runs.measure import MeasureRun
from ulterion.run.observers import Kept, Shared
from ulterion.show.answers import Answer
from ulterion.show.data import EstimateData


@dataclass(frozen=True)
class WorkloadData(EstimateData):
    """One workload of a measurement."""

    workload: str
    text: str
    run: str


@dataclass(frozen=True)
class Measurement(Answer):
    """`ulterion measure`: `run` is the run document."""

    kept_in: str
    state: str
    estimates: tuple[WorkloadData, ...]
    run: Plain


@dataclass(frozen=True)
class SharingData(Answer):
    """`ulterion measure --together`, by workload: rates alone and together, the share each keeps, the total, the fairness."""

    targets: tuple[str, ...]
    workloads: dict[str, Sharing]
    kept_in: tuple[str, ...]
    failures: tuple[str, ...]


def measured_answer(measured: Kept[MeasureRun]) -> Measurement:
    """Return a finished measurement: where it is kept, its estimates, and the whole document."""
    run = measured.run
    found = [
        WorkloadData.of(estimate(run.rates_of(r)), workload=r.workload.title, text=r.text, run=run.id)
        for record in run.workloads
        for r in record.figures
    ]
    return Measurement(str(measured.path), run.state.name, tuple(found), run.as_data())


def sharing_answer(shared: Shared) -> SharingData:
    """Return what several targets gave alone and together."""
    return SharingData.of(shared, kept_in=tuple(map(str, shared.paths)))
