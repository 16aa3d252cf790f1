"""A proof of capacity, as it is written down."""

from __future__ import annotations

from typing import Literal

from ulterion.core.capacity import Fault, Finding
from ulterion.core.documents.fields import Field
from ulterion.core.documents.written import Written
from ulterion.model.quantities import Count, Seconds, Spoken
from ulterion.model.runs.header import Header, State, WriteStep
from ulterion.model.runs.upgrades import Raw


class Stretch(Written):
    """Units side by side that did not come back as they were written."""

    first: Count = Field(description="byte")
    bytes: Count
    kind: Fault


class CapacityRecord(Written):
    """What was written all over, and what came back."""

    method: Literal["whole device", "free room", "quick look", "only read"]
    key: Count = Field(description="what every unit bears beside its place")
    goes_on_from: str | None = Field(
        default=None, description="id of the proof that was cut off, whose part is in this one"
    )
    claimed_bytes: Count = Field(description="what the medium answers for; of a folder the room that was written")
    written_bytes: Count = 0
    read_bytes: Count = 0
    finding: Finding
    real_bytes: Count | None = None
    summary: Spoken
    sound_bytes: Count = 0
    wrong_bytes: Count = 0
    elsewhere_bytes: Count = Field(default=0, description="of those: written for another place")
    nothing_bytes: Count = Field(default=0, description="of those: zeros")
    damaged_bytes: Count = Field(default=0, description="of those: something else")
    unreadable_bytes: Count = Field(default=0, description="of those: the medium gave an error")
    repeated_reads: Count = Field(
        default=0, description="that failed at first, and gave everything when they were repeated"
    )
    distance_bytes: Count = Field(
        default=0, description="greatest common divisor of the distances to where they were written"
    )
    stretches: list[Stretch] = []
    write_seconds: Seconds | None = None
    read_seconds: Seconds | None = None
    wrote: list[Count] = Field(default=[], description="bytes of each second of writing")
    read: list[Count] = Field(default=[], description="bytes of each second of reading")


class CapacityRun(Header):
    """A proof of capacity."""

    kind: Literal["capacity"] = "capacity"
    capacity: CapacityRecord

    @property
    def written(self) -> list[WriteStep]:
        """What was written all over."""
        return [WriteStep(self.capacity.written_bytes, self.capacity.write_seconds or 0.0)]

    @property
    def kept_words(self) -> str:
        """What a cut-off run has, in words."""
        return "what it had proven is"


class Recovery:
    """What a journal of it holds: how far it came."""

    def __init__(self, run: CapacityRun) -> None:
        self._run = run

    def take(self, line: Raw) -> None:
        """Take a line; raise KeyError or ValueError where it is not one of this kind."""
        record = CapacityRecord.from_data(line["capacity"])
        old = self._run.capacity
        series = {"wrote": [*old.wrote, *record.wrote], "read": [*old.read, *record.read]}
        self._run = self._run.changed(capacity=record.changed(**series))

    def run(self, state: State) -> CapacityRun:
        """Return the run with its state."""
        return self._run.changed(state=state)
