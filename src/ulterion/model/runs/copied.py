"""Copies of real files, as they are written down."""

from __future__ import annotations

from itertools import accumulate
from typing import Annotated, Literal

from ulterion.core.documents.fields import Field, Limits
from ulterion.core.documents.written import Written
from ulterion.core.facts.target import TargetFacts
from ulterion.core.transfers.course import Course, Transfer
from ulterion.model.quantities import MAX_SECONDS, Count, Seconds, Spoken
from ulterion.model.runs.header import Header, State, WriteStep
from ulterion.model.runs.upgrades import Raw

FROM_MEMORY = 0.1  # of what was copied, from which on a pass is no result
Took = Annotated[float, Limits(gt=0, le=MAX_SECONDS)]


class ClassRecord(Written):
    """Files of one class of sizes: how many, their bytes, and the seconds their workers took."""

    name: str
    files: Count
    bytes: Count
    seconds: Seconds


class Remark(Written):
    """A file and what became of it."""

    name: Spoken
    what: Spoken


class CopyPass(Written):
    """One copy of everything, from the first byte asked for to the last on the medium."""

    number: int = Field(ge=1)
    after: Spoken = Field(default="", description="what was done since the copy before was removed")
    seconds: Took
    flush_seconds: Seconds
    files: Count
    bytes: Count
    folders: Count = 0
    links: Count = 0
    classes: list[ClassRecord] = []
    interval: float = Field(default=1.0, gt=0, le=MAX_SECONDS)
    moved: list[Count] = Field(default=[], description="bytes of each interval")
    arrived: list[Count] = Field(
        default=[], description="bytes that the target's device wrote in each interval, by its own counter"
    )
    from_memory_bytes: Count | None = Field(
        default=None,
        description="bytes that the source's device was not asked for: the system had them in memory; None: not known",
    )
    skipped: list[Remark] = Field(default=[], description="what was not copied, the first hundred")
    skipped_count: Count = 0
    proven_files: Count | None = Field(
        default=None, description="files read back past the caches and found as they were; None: not looked at"
    )
    proven_bytes: Count | None = None
    prove_seconds: Seconds | None = None
    wrong: list[Remark] = Field(default=[], description="what did not arrive as it was, the first hundred")
    wrong_count: Count = 0

    @property
    def series(self) -> tuple[float, ...]:
        """Bytes per second in each whole interval."""
        whole = int(self.seconds / self.interval)
        return tuple(b / self.interval for b in self.moved[:whole])

    @property
    def rate(self) -> float:
        """Bytes per second, flush included."""
        return self.bytes / self.seconds

    @property
    def from_memory(self) -> bool:
        """Whether so much came from memory that it tells nothing of the source."""
        return self.from_memory_bytes is not None and self.from_memory_bytes > FROM_MEMORY * self.bytes

    @property
    def progress(self) -> list[float]:
        """Bytes that had arrived by the end of each interval, as far as that is known.

        By the device's own counter. For runs without one no more is taken to have arrived than at an even pace over the whole time,
        the flush included: memory takes in the beginning at once.
        """
        if self.arrived:
            return [min(float(self.bytes), float(s)) for s in accumulate(self.arrived)]
        pace = self.bytes * self.interval / self.seconds
        sums = enumerate(accumulate(self.moved), 1)
        return [min(float(self.bytes), s, number * pace) for number, s in sums]


class EndAlone(Written):
    """One end of a copy by itself."""

    bytes: Count
    seconds: Took

    @property
    def rate(self) -> float:
        """Bytes per second."""
        return self.bytes / self.seconds


class CopyRecord(Written):
    """What was copied from where, and its passes."""

    task: Spoken = Field(description="what was copied, by which copies are matched")
    sources: list[Spoken]
    source: TargetFacts | None = Field(default=None, description="what the source lies on")
    from_setup: str | None = None
    set_name: str | None = Field(default=None, description="the set of files that was made for it")
    seed: Count | None = None
    method: Literal["read and write", "copied by the kernel"]
    workers: int = Field(ge=1)
    files: Count
    bytes: Count
    folders: Count = 0
    links: Count = 0
    passes: list[CopyPass] = []
    source_alone: EndAlone | None = None
    target_alone: EndAlone | None = None
    predicted_seconds: Seconds | None = Field(
        default=None, description="what earlier copies let expect, before the first pass"
    )
    predicted_low: Seconds | None = None
    predicted_high: Seconds | None = None


class CopyRun(Header):
    """Files copied to a setup, or from one."""

    kind: Literal["copy"] = "copy"
    copied: CopyRecord

    @property
    def rates(self) -> tuple[float, ...]:
        """Bytes per second of each pass in which every file was copied, nothing arrived wrong, and the source was really read."""
        return tuple(
            p.rate
            for p in self.copied.passes
            if p.bytes and p.files == self.copied.files and not p.wrong_count and not p.from_memory
        )

    @property
    def written(self) -> list[WriteStep]:
        """What it wrote to its medium, copy by copy, and the target alone."""
        alone = [self.copied.target_alone] if self.copied.target_alone else []
        steps = [(p.bytes, p.seconds) for p in self.copied.passes] + [(e.bytes, e.seconds) for e in alone]
        return [WriteStep(moved, seconds) for moved, seconds in steps]

    @property
    def transfer(self) -> Transfer:
        """What was copied, from which setup where it was written to another."""
        read = self.copied.from_setup == self.setup
        return Transfer(self.copied.task, not read, "" if read else self.copied.from_setup or "")

    @property
    def course(self) -> Course | None:
        """How far the last copy was when."""
        if not self.copied.passes:
            return None
        one = self.copied.passes[-1]
        return Course.of(one.progress, one.interval, one.seconds, float(one.bytes))

    @property
    def kept_words(self) -> str:
        """What a cut-off run has, in words."""
        return f"its {len(self.copied.passes)} finished copies are"

    def with_copied(self, **changes: object) -> CopyRun:
        """Return the run with changes to what was copied."""
        return self.changed(copied=self.copied.changed(**changes))


class Recovery:
    """The passes that the lines of a journal hold."""

    def __init__(self, run: CopyRun) -> None:
        self._run = run
        self._passes: list[CopyPass] = []

    def take(self, line: Raw) -> None:
        """Take a line; raise KeyError or ValueError where it is not one of this kind."""
        self._passes.append(CopyPass.from_data(line["copied"]))

    def run(self, state: State) -> CopyRun:
        """Return the run with what was taken."""
        return self._run.with_copied(passes=self._passes).changed(state=state)
