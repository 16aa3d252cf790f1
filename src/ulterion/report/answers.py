"""The shape of every answer that `--json` prints, published as docs/answers.schema.json.

An answer begins with `schema`: its name, version and kind.  The version changes when a reader of an older one would be
misled: 1 (2026) the first, 2 with bottlenecks in the place of `limit`, 3 with the words of setups, latency and workloads that are used now.  Sizes are bytes, times seconds, rates bytes per second, temperatures C; what is not known is null.
"""

from __future__ import annotations

from typing import (
    Literal,
    NotRequired,  # as pydantic wants them before Python 3.12
)

from typing_extensions import TypedDict

from ulterion.judge.claimrow import Unit
from ulterion.report.articledata import ArchivedData, ExportedData, FoundData, ReportMade, VerifiedData
from ulterion.report.bottleneckdata import AddedLatencyData, BottleneckData, NearestData, SetupBottleneck
from ulterion.report.capacitydata import Proven
from ulterion.report.clockdata import Clocked, ClockedRow
from ulterion.report.copydata import Checked, Copied
from ulterion.report.effectdata import EffectsData, RanksData
from ulterion.report.notedata import Noted, Notes
from ulterion.report.plandata import CompatibilityData, GridData, PlanData, PortsData
from ulterion.report.racedata import Race
from ulterion.report.readerdata import EnergiesData, ReaderData
from ulterion.report.rivaldata import RivalData, SaidData
from ulterion.report.surveydata import Learned, Plain, Recorded, Survey
from ulterion.report.workdata import PowerData, RecordingsData, UnitsData, ValuesData, WorksData

NAME, VERSION = "ulterion-answer", 3

Kind = Literal[
    "comparison",
    "claims",
    "measurement",
    "sharing",
    "soak",
    "soaks",
    "survey",
    "learned",
    "clocked",
    "copied",
    "checked",
    "capacity",
    "race",
    "plan",
    "effects",
    "ranks",
    "grid",
    "compatibility",
    "ports",
    "works",
    "recordings",
    "units",
    "values",
    "power",
    "reader",
    "energies",
    "report",
    "verified",
    "exported",
    "archived",
    "found",
    "recorded",
    "notes",
    "noted",
    "error",
]


class Schema(TypedDict):
    """Which format, and what is answered."""

    name: Literal["ulterion-answer"]
    version: Literal[2]
    kind: Kind


class EstimateData(TypedDict):
    """A figure with its 95 % interval, from so many passes of so many runs; `why` there is no interval; `drift`: log of last over first pass."""

    passes: int
    runs: int
    rate: float
    low: float | None
    high: float | None
    drift: float
    why: str | None


class RowData(TypedDict):
    """One workload on one setup, and against the baseline where there is one."""

    setup: str
    run: str
    runs: list[str]
    workload: str
    text: str
    measured: EstimateData
    iops: float
    latency_p50: float | None
    latency_p99: float | None
    datagrams: NotRequired[dict[str, int | float | list[float] | None]]
    ratio: NotRequired[float]
    ratio_low: NotRequired[float | None]
    ratio_high: NotRequired[float | None]
    p_adjusted: NotRequired[float | None]
    verdict: NotRequired[str]
    more_passes: NotRequired[int | None]
    more_runs: NotRequired[int | None]
    why: NotRequired[str | None]


class GroupData(TypedDict):
    """All setups of one medium."""

    medium: str
    baseline: str | None
    rows: list[RowData]
    differs: dict[str, list[str]]
    caveats: dict[str, list[str]]
    not_measured: list[str]
    bottlenecks: list[SetupBottleneck]
    added_latency: list[AddedLatencyData]
    failed: dict[str, str]
    one_connection: list[str]
    excluded: dict[str, list[str]]
    nearest: list[NearestData]


class Drawing(TypedDict, total=False):
    """Figures that were asked for beside an answer."""

    figures: list[str]
    figure_error: str


class Comparison(Drawing):
    """`ulterion compare`."""

    margin: float
    groups: list[GroupData]
    clocked: NotRequired[list[ClockedRow]]
    outcomes: NotRequired[dict[str, list[str]]]


class ClaimData(TypedDict):
    """One claim: numbers in `unit`, names where a link or speed class has one."""

    part: str
    label: str
    claim: str
    unit: Unit
    claimed: float
    claimed_name: str | None
    measured: float | None
    measured_name: str | None
    setup: str | None
    run: str | None
    older_runs: list[str]
    workload: str | None
    estimate: EstimateData | None
    share: float | None
    verdict: str
    why: str | None
    bottleneck: BottleneckData | None


class Claims(TypedDict):
    """`ulterion claims`."""

    tolerance: float
    claims: list[ClaimData]
    rivals: NotRequired[list[RivalData]]
    said: NotRequired[list[SaidData]]


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


class Soak(Drawing):
    """`ulterion soak`."""

    run: str
    setup: str | None
    state: str
    findings: Plain | None
    kept_in: NotRequired[str]
    bottleneck: NotRequired[BottleneckData]


class Soaks(Drawing):
    """`ulterion compare --soaks`."""

    soaks: list[Soak]
    differences: list[Plain]


class ErrorData(TypedDict):
    """A refusal, a failure or a stop."""

    kind: str
    status: int
    message: str


class Error(TypedDict):
    """Any command that did not end well."""

    error: ErrorData


ANSWERS: dict[Kind, type] = {
    "comparison": Comparison,
    "claims": Claims,
    "measurement": Measurement,
    "sharing": Sharing,
    "soak": Soak,
    "soaks": Soaks,
    "survey": Survey,
    "learned": Learned,
    "clocked": Clocked,
    "copied": Copied,
    "checked": Checked,
    "capacity": Proven,
    "race": Race,
    "plan": PlanData,
    "effects": EffectsData,
    "ranks": RanksData,
    "grid": GridData,
    "compatibility": CompatibilityData,
    "ports": PortsData,
    "works": WorksData,
    "recordings": RecordingsData,
    "units": UnitsData,
    "values": ValuesData,
    "power": PowerData,
    "reader": ReaderData,
    "energies": EnergiesData,
    "report": ReportMade,
    "verified": VerifiedData,
    "exported": ExportedData,
    "archived": ArchivedData,
    "found": FoundData,
    "recorded": Recorded,
    "notes": Notes,
    "noted": Noted,
    "error": Error,
}


def published_schema() -> Plain:
    """Return the JSON Schema of all answers, by kind."""
    from pydantic import TypeAdapter

    return {
        "title": "Answers of Ulterion, by the kind that their `schema` names",
        "schema": {"name": NAME, "version": VERSION},
        "kinds": {kind: TypeAdapter(answer).json_schema() for kind, answer in ANSWERS.items()},
    }
