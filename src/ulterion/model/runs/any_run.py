"""A run document of any kind, as a type; and the JSON Schema of all, published as docs/run.schema.json."""

from __future__ import annotations

from typing import Annotated

from pydantic import Field, TypeAdapter

from ulterion.model.runs.capacity import CapacityRun
from ulterion.model.runs.clock import ClockRun
from ulterion.model.runs.copied import CopyRun
from ulterion.model.runs.measure import MeasureRun
from ulterion.model.runs.soak import SoakRun

AnyRun = MeasureRun | SoakRun | ClockRun | CopyRun | CapacityRun
"""A run document: a header, and what its kind adds."""


def published_schema() -> dict[str, object]:
    """Return the JSON Schema of run documents."""
    every: TypeAdapter[AnyRun] = TypeAdapter(Annotated[AnyRun, Field(discriminator="kind")])
    return every.json_schema(by_alias=True)
