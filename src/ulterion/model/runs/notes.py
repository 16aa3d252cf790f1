"""What a reviewer noted by hand: readings, outcomes that are no number, remarks."""

from __future__ import annotations

from typing import Literal

from ulterion.core.documents.fields import Field
from ulterion.core.documents.written import Written
from ulterion.model.quantities import Moment, Spoken


class Reading(Written):
    """A value noted by hand, or from another instrument."""

    what: Spoken = Field(min_length=1, description="what was read: case, room, power, ...")
    value: float
    unit: Spoken
    at_seconds: float | None = Field(default=None, description="since the run began")
    remark: Spoken = ""
    taken_back: Moment | None = Field(
        default=None, description="when it was, or when another took its place; it counts no more"
    )

    def __str__(self) -> str:
        """Return what was read, as it is shown: 'case 38 °C'."""
        return f"{self.what} {self.value:g} {'°C' if self.unit == 'C' else self.unit}"


class Note(Written):
    """An outcome that is not a number, a remark, or why a run is excluded; on a run or a moment of it."""

    kind: Literal["outcome", "remark", "excluded"] = Field(description="excluded: the run does not count, and why")
    text: Spoken = Field(min_length=1)
    at_seconds: float | None = Field(default=None, description="since the run began")
    noted: Moment = Field(description="when it was written down, UTC")
    taken_back: Moment | None = Field(
        default=None, description="when it was, or when another took its place; it counts no more"
    )

    def __str__(self) -> str:
        """Return what was noted, as it is shown: 'remark: it hums'."""
        return f"{self.kind}: {self.text}"


NotedLine = dict[str, str | float | bool | None]
"""One thing noted, as it is listed: number, setup, what, whether it was taken back; of a run also its id, kind and `at_seconds`
since the load began."""
