"""The run document: one JSON file for each run, published as docs/run.schema.json.

Versions of the format, newest first.  Every version loads for ever: a step in `UPGRADES` turns the raw data of one
version into the next.

    2   2026  soaks (`soak`), readings with their moment and hand, outcomes and remarks (`notes`)
    1   2026  the first
"""

from __future__ import annotations

import json
from collections.abc import Callable
from typing import Annotated, Any, Literal

from pydantic import AfterValidator, Field, PrivateAttr, ValidationError

from ulterion.core.errors import UsageError
from ulterion.core.facts import BenchFacts, TargetFacts
from ulterion.core.histogram import BUCKETS, LatencyHistogram
from ulterion.core.passes import PassResult
from ulterion.core.text import json_bytes
from ulterion.core.workload import Workload
from ulterion.model.quantities import MOST, Count, Moment, Seconds, Spoken, Written
from ulterion.model.reading import parse_json
from ulterion.model.runs.soak import SoakRecord, checked_workload

NAME = "ulterion-run"
VERSION = 2


def _to_two(data: dict[str, Any]) -> dict[str, Any]:
    """Version 2 only adds: what a run of version 1 did not have stays missing."""
    return data | {"schema": {"name": NAME, "version": 2}}


UPGRADES: dict[int, Callable[[dict[str, Any]], dict[str, Any]]] = {1: _to_two}

PERCENTILES = {"p50": 50.0, "p90": 90.0, "p99": 99.0, "p999": 99.9}


class Schema(Written):
    """Which format this is."""

    name: Literal["ulterion-run"] = "ulterion-run"
    version: Literal[2] = 2


def _counted_facts(facts: TargetFacts) -> TargetFacts:
    """Refuse sizes that no target has: what is judged divides by them."""
    for name in ("capacity_bytes", "filesystem_bytes", "free_bytes", "logical_block", "physical_block"):
        value = getattr(facts, name)
        if value is not None and not 0 <= value <= MOST:
            raise ValueError(f"{name} is {str(value)[:30]}, which no target has")
    return facts


CheckedFacts = Annotated[TargetFacts, AfterValidator(_counted_facts)]
CheckedWorkload = Annotated[Workload, AfterValidator(checked_workload)]
Bucket = Annotated[int, Field(ge=0, lt=BUCKETS)]


class Latency(Written):
    """Latencies of a pass in seconds; the histogram's buckets grow by 1 % from 100 ns."""

    least: Seconds
    mean: Seconds
    p50: Seconds
    p90: Seconds
    p99: Seconds
    p999: Seconds
    greatest: Seconds
    histogram: list[tuple[Bucket, Count]] = Field(description="pairs of bucket number and count")

    @classmethod
    def of(cls, found: LatencyHistogram) -> Latency:
        """Write a histogram down."""
        return cls(
            least=found.least_ns / 1e9,
            mean=found.mean,
            greatest=found.greatest_ns / 1e9,
            histogram=found.pairs(),
            **{name: found.percentile(q) for name, q in PERCENTILES.items()},
        )

    def read_back(self) -> LatencyHistogram:
        """Return the histogram."""
        return LatencyHistogram.from_pairs(self.histogram, self.least, self.greatest, self.mean)


class Series(Written):
    """Bytes completed in consecutive intervals since the start of the pass."""

    interval: float = Field(gt=0, description="seconds")
    bytes: list[Count]


class PassRecord(Written):
    """One repetition of a workload."""

    number: int = Field(ge=0, description="from 1; 0 is a warm-up, kept but not counted")
    bytes: int = Field(gt=0, le=MOST)
    seconds: float = Field(ge=1e-9, le=1e9, description="first submission to last completion, the flush included")
    requests: int = Field(gt=0, le=MOST)
    flush_seconds: Seconds | None = None
    cpu_seconds: Seconds | None = None
    latency: Latency
    series: Series

    @classmethod
    def of(cls, number: int, result: PassResult) -> PassRecord:
        """Write the result of a pass down."""
        return cls(
            number=number,
            bytes=result.bytes,
            seconds=result.seconds,
            requests=result.requests,
            flush_seconds=result.flush_seconds,
            cpu_seconds=result.cpu_seconds,
            latency=Latency.of(result.latency),
            series=Series(interval=result.interval, bytes=list(result.interval_bytes)),
        )

    @property
    def rate(self) -> float:
        """Bytes per second."""
        return self.bytes / self.seconds


class WorkloadRecord(Written):
    """A workload as it was run, and its finished passes."""

    workload: CheckedWorkload
    text: str = Field(description="the workload in words, by which runs are matched")
    engine: str = Field(description="how the requests were issued")
    engine_why: str = ""
    passes: list[PassRecord] = []
    ended: Spoken | None = Field(None, description="why no more passes were run, when that was left to the result")
    suspect: Spoken | None = Field(None, description="why the figure cannot be the drive's")

    @property
    def counted(self) -> list[PassRecord]:
        """The passes that count: all but a warm-up."""
        return [p for p in self.passes if p.number > 0]


class Reading(Written):
    """A value noted by hand, or from another instrument."""

    what: Spoken = Field(min_length=1, description="what was read: case, room, power, ...")
    value: float
    unit: Spoken
    at_seconds: float | None = Field(None, description="since the run began")
    remark: Spoken = ""


class Note(Written):
    """An outcome that is not a number, or a remark, on a run or a moment of it."""

    kind: Literal["outcome", "remark"]
    text: Spoken = Field(min_length=1)
    at_seconds: float | None = Field(None, description="since the run began")
    noted: str = Field(description="when it was written down, UTC")


class State(Written):
    """How the run ended."""

    name: Literal["complete", "interrupted", "failed"]
    why: Spoken = ""
    offset: Count | None = Field(None, description="byte offset of the request that failed")
    unfinished_bytes: Count | None = Field(None, description="bytes moved in the pass that was not finished")

    def sentence(self, what: str) -> list[str]:
        """Return in words how a run or soak ended early; nothing when it is complete."""
        if self.name == "complete":
            return []
        return [f"the {what} {'failed' if self.name == 'failed' else 'was interrupted'}: {self.why}"]


class Settings(Written):
    """What was asked for."""

    passes: Count
    seconds: Seconds
    span_bytes: Count
    seed: Count
    lanes: int | None = Field(None, description="worker processes that shared each pass, when more than one")
    warm_up: bool | None = None
    rest_seconds: float | None = None
    cool_to: float | None = Field(None, description="degrees Celsius waited for between passes")
    sure_within: float | None = Field(None, description="half the relative interval asked for, as a ratio")


class RunDocument(Written):
    """One run: a suite, or a soak, done on a hookup, with everything that was the same then."""

    schema_: Schema = Field(Schema(), alias="schema")
    id: str = Field(pattern=r"^[0-9a-f]{6}$")
    started: Moment = Field(description="UTC, RFC 3339")
    ended: Moment | None = None
    kind: Literal["measure", "soak", "copy", "clock", "capacity"]
    hookup: str | None = None
    chain: list[str] = []
    target: CheckedFacts
    bench: BenchFacts
    suite: str
    settings: Settings
    cache_bypassed: bool
    workloads: list[WorkloadRecord]
    soak: SoakRecord | None = None
    readings: list[Reading] = []
    notes: list[Note] = []
    warnings: list[Spoken] = []
    state: State
    _light: bool = PrivateAttr(False)

    @property
    def light(self) -> bool:
        """Whether it was read without its series, so that it can be judged and not be written."""
        return self._light

    def to_json(self) -> str:
        """Return the document as JSON text, one line for each list of numbers."""
        if self._light:
            raise RuntimeError(f"run {self.id} was read without its series and must not be written")
        return compact_json(self.model_dump(mode="json", by_alias=True, exclude_none=True))

    def to_bytes(self) -> bytes:
        """Return the document as it stands in its file."""
        return json_bytes(self.to_json())


def compact_json(data: Any) -> str:
    """Return indented JSON in which a list of plain values, or of pairs, stands on one line."""
    return _lines(data, "") + "\n"


def _lines(data: Any, indent: str) -> str:
    inner = indent + "  "
    if isinstance(data, dict) and data:
        body = ",\n".join(f"{inner}{json.dumps(k)}: {_lines(v, inner)}" for k, v in data.items())
        return f"{{\n{body}\n{indent}}}"
    if isinstance(data, list) and any(isinstance(v, dict) for v in data):
        body = ",\n".join(f"{inner}{_lines(v, inner)}" for v in data)
        return f"[\n{body}\n{indent}]"
    return json.dumps(data, ensure_ascii=False, allow_nan=False)


def check_schema(data: Any, name: str) -> dict[str, Any]:
    """Return plain data that say they are a run document of a version that can be read; raise UsageError."""
    schema = data.get("schema") if isinstance(data, dict) else None
    version = schema.get("version") if isinstance(schema, dict) and schema.get("name") == NAME else None
    if not isinstance(version, int) or isinstance(version, bool) or version < 1:
        raise UsageError(f"{name} is not a run document of Ulterion")
    if version > VERSION:
        raise NewerRunError(
            f"{name} was written by a newer Ulterion (run format {str(version)[:20]}); update to read it"
        )
    found: dict[str, Any] = data
    return found


def run_of(data: Any, name: str) -> RunDocument:
    """Return the run that plain data of any version hold; `name` is for messages.  Raises UsageError."""
    data = check_schema(data, name)
    for version in range(data["schema"]["version"], VERSION):
        data = UPGRADES[version](data)
    try:
        return RunDocument.model_validate(data)
    except ValidationError as error:
        fault = error.errors()[0]
        place = ".".join(str(p) for p in fault["loc"])
        raise UsageError(f"{name} does not hold together: {place}: {fault['msg']}") from error
    except RecursionError as error:
        raise UsageError(f"{name} is nested too deep to be one of ours") from error


def parse_run(text: bytes | str, name: str, *, light: bool = False) -> RunDocument:
    """Read a run document; `name` is for messages, `light` for one whose series were left out.

    Raises UsageError that says what is wrong with it.
    """
    run = run_of(parse_json(text, name), name)
    run._light = light
    return run


class NewerRunError(UsageError):
    """A run document of a later format: sound, but not for this version."""
