"""A run document of any kind, as a type; and the JSON Schema of all, published as docs/run.schema.json."""

from __future__ import annotations

from ulterion.core.documents.json_schema import DIALECT, json_schema
from ulterion.model.runs.capacity import CapacityRun
from ulterion.model.runs.clock import ClockRun
from ulterion.model.runs.copied import CopyRun
from ulterion.model.runs.measure import MeasureRun
from ulterion.model.runs.soak import SoakRun

AnyRun = MeasureRun | SoakRun | ClockRun | CopyRun | CapacityRun
"""A run document: a header, and what its kind adds."""


def published_schema() -> dict[str, object]:
    """Return the JSON Schema of run documents."""
    return {"$schema": DIALECT, "title": "Run documents of Ulterion", **json_schema(AnyRun)}
