"""Measurements as plain data for JSON: bytes per second."""

from __future__ import annotations

from typing_extensions import TypedDict

from ulterion.core.stats.estimates import estimate
from ulterion.features.survey.data import Plain
from ulterion.model.runs.measure import MeasureRun
from ulterion.run.observers import Kept, Shared
from ulterion.show.data import EstimateData, estimate_as_data
from ulterion.terminal.answers import Drawing


class WorkloadData(EstimateData):
    """One workload of a measurement."""

    workload: str
    text: str
    run: str


class Measurement(Drawing):
    """`ulterion measure`: `run` is the run document."""

    kept_in: str
    state: str
    estimates: list[WorkloadData]
    run: Plain


class SharingData(TypedDict):
    """One workload on several targets: rates alone and together, the share each keeps, the total, the fairness."""

    alone: list[float]
    together: list[float]
    kept: list[float]
    total: float
    fairness: float


class Sharing(TypedDict):
    """`ulterion measure --together`."""

    targets: list[str]
    workloads: dict[str, SharingData]
    kept_in: list[str]
    failures: list[str]


def measured_as_data(measured: Kept[MeasureRun]) -> Measurement:
    """Return a finished measurement: where it is kept, its estimates, and the whole document."""
    records = [f for r in measured.run.workloads for f in r.figures]
    return {
        "kept_in": str(measured.path),
        "state": measured.run.state.name,
        "estimates": [
            {
                "workload": r.workload.title,
                "text": r.text,
                "run": measured.run.id,
                **estimate_as_data(estimate(measured.run.rates_of(r))),
            }
            for r in records
        ],
        "run": measured.run.model_dump(mode="json", by_alias=True, exclude_none=True),
    }


def sharing_as_data(shared: Shared) -> Sharing:
    """Return what several targets gave alone and together; rates in bytes per second."""
    return {
        "targets": list(shared.targets),
        "workloads": {
            text: {
                "alone": list(s.alone),
                "together": list(s.together),
                "kept": list(s.kept),
                "total": s.total,
                "fairness": s.fairness,
            }
            for text, s in shared.workloads.items()
        },
        "kept_in": [str(p) for p in shared.paths],
        "failures": list(shared.failures),
    }
