"""What every run document begins with, whatever its kind: when, where, on what, and how it ended."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Annotated, ClassVar, Literal, NamedTuple, Self, TypeVar

from ulterion.core.documents.fields import After, Field
from ulterion.core.documents.plain import plain
from ulterion.core.documents.written import Written
from ulterion.core.facts.target import BenchFacts, TargetFacts
from ulterion.core.links.standards import Link, known_link
from ulterion.core.patterns import pattern
from ulterion.core.text import json_bytes
from ulterion.core.transfers.course import Course, Transfer
from ulterion.model.quantities import MAX_COUNT, Count, Moment, Spoken
from ulterion.model.runs.layout import compact_json
from ulterion.model.runs.notes import Note, Reading

NAME = "ulterion-run"
VERSION = 7

_NUMBERS = pattern(r"[0-9]+(e[0-9]+)?")


class Schema(Written):
    """Which format this is."""

    name: Literal["ulterion-run"] = "ulterion-run"
    version: Literal[7] = 7


def _counted_facts(facts: TargetFacts) -> TargetFacts:
    """Refuse sizes that no target has: what is judged divides by them."""
    for name in ("capacity_bytes", "filesystem_bytes", "free_bytes", "logical_block", "physical_block"):
        value = getattr(facts, name)
        if value is not None and not 0 <= value <= MAX_COUNT:
            raise ValueError(f"{name} is {str(value)[:30]}, which no target has")
    return facts


class State(Written):
    """How the run ended."""

    name: Literal["complete", "interrupted", "failed"]
    why: Spoken = ""
    cause: Spoken | None = Field(default=None, description="why, without what the run was doing")
    offset: Count | None = Field(default=None, description="byte offset of the request that failed")
    unfinished_bytes: Count | None = Field(default=None, description="bytes moved in the pass that was not finished")

    @property
    def words(self) -> str:
        """How it ended, and why."""
        return f"{self.name}: {self.why}"

    @property
    def short(self) -> str:
        """How it ended, and why, without what the run was doing."""
        return f"{self.name}: {self.cause or self.why}"

    def sentence(self, what: str) -> list[str]:
        """Return in words how a run or soak ended early; nothing when it is complete."""
        if self.name == "complete":
            return []
        return [f"the {what} {'failed' if self.name == 'failed' else 'was interrupted'}: {self.why}"]


class RunScope(Written):
    """What was asked for in a run of any kind."""

    span_bytes: Count
    seed: Count


def run_id(drawn: bytes) -> str:
    """Return the id of a run from three drawn bytes: hexadecimal, and nothing that a spreadsheet takes for a number, such as 12e345."""
    text = drawn.hex()
    return "abcdef"[int(text[0], 16) % 6] + text[1:] if _NUMBERS.fullmatch(text) else text


class WriteStep(NamedTuple):
    """Bytes that were written, and the seconds that took; of a rest no bytes."""

    bytes: float
    seconds: float


class CellRecord(Written):
    """The cell of a plan that a run was made for, and what was shown to hold in it."""

    levels: dict[str, str] = Field(default={}, description="by factor; empty for a check by the baseline")
    shown: list[Spoken] = Field(default=[], description="what proved the settings, in words")
    check: Count | None = Field(default=None, description="which check by the baseline it is, from 1")


class Header(Written):
    """What runs of every kind have.  A fact that was not known is None."""

    schema_: Schema = Field(default=Schema(), key="schema")
    id: str = Field(pattern=r"^[0-9a-f]{6}$")
    started: Moment = Field(description="UTC, RFC 3339")
    ended: Moment | None = None
    kind: str
    setup: str | None = None
    chain: list[str] = []
    target: Annotated[TargetFacts, After(_counted_facts)]
    bench: BenchFacts
    cache_bypassed: bool
    readings: list[Reading] = []
    notes: list[Note] = []
    warnings: list[Spoken] = []
    unexpected: list[Spoken] = Field(default=[], description="warnings about a target that is not as its setup expects")
    unequal: list[Spoken] = Field(
        default=[], description="conditions that differ from those of other cells of the plan"
    )
    cell: CellRecord | None = None
    state: State
    _light: ClassVar[bool] = False

    @property
    def light(self) -> bool:
        """Whether it was read without its series, so that it can be judged and not be written."""
        return self._light

    def marked_light(self) -> Self:
        """Return the run, marked as read without its series."""
        run = self.changed()
        run.__dict__["_light"] = True
        return run

    @property
    def seen_link(self) -> Link | None:
        """The link that the host showed for the device it talked to, or None."""
        return known_link(self.target.link)

    @property
    def standing_readings(self) -> list[Reading]:
        """The readings that were not taken back."""
        return [r for r in self.readings if r.taken_back is None]

    @property
    def standing_notes(self) -> list[Note]:
        """The notes that were not taken back."""
        return [n for n in self.notes if n.taken_back is None]

    @property
    def excluded(self) -> str | None:
        """Why the reviewer excluded the run, in the words noted; None where it counts."""
        told = [n.text for n in self.standing_notes if n.kind == "excluded"]
        return told[-1] if told else None

    @property
    def load_start(self) -> float:
        """When a soak's load began, seconds since the run began; 0 for other runs."""
        return 0.0

    @property
    def load_end(self) -> float | None:
        """When a soak's load ended, seconds since the run began; None for other runs."""
        return None

    @property
    def last_moment(self) -> float | None:
        """When a soak's last phase ended, seconds since the run began; None for other runs."""
        return None

    @property
    def written(self) -> list[WriteStep]:
        """What it wrote to its medium, step by step, the rests between them included."""
        return []

    @property
    def transfer(self) -> Transfer | None:
        """What was transferred, where it was a transfer of something."""
        return None

    @property
    def course(self) -> Course | None:
        """How far its transfer was when, where that was kept."""
        return None

    def supersedes(self, written: Header) -> bool:
        """Return whether this run, recovered from a journal, holds more than its document that is there already."""
        return False

    def with_record(self, record: Reading | Note) -> Self:
        """Return the run with one more reading or note."""
        if isinstance(record, Reading):
            return self.changed(readings=[*self.readings, record])
        return self.changed(notes=[*self.notes, record])

    def with_warnings(self, *warnings: str) -> Self:
        """Return the run with further warnings, none of them twice."""
        return self.changed(warnings=list(dict.fromkeys([*self.warnings, *warnings])))

    def as_data(self) -> dict[str, object]:
        """Return the document as plain data for JSON."""
        data: dict[str, object] = plain(self)
        return data

    def to_json(self) -> str:
        """Return the document as JSON text, one line for each list of numbers."""
        if self._light:
            raise RuntimeError(f"run {self.id} was read without its series and must not be written")
        return compact_json(self.as_data())

    def to_bytes(self) -> bytes:
        """Return the document as it stands in its file."""
        return json_bytes(self.to_json())


Run = TypeVar("Run", bound=Header)


def counted(runs: Iterable[Header], kind: type[Run]) -> list[Run]:
    """Return the runs of one kind that count, in their order."""
    return [r for r in runs if isinstance(r, kind) and not r.excluded]
