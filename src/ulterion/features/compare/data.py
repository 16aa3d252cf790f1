"""The answer of `ulterion compare`."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import asdict

from ulterion.core.documents.fields import optional
from ulterion.core.documents.plain import Plain
from ulterion.core.links.bus import BusFinding
from ulterion.core.outcomes import Outcome
from ulterion.core.records import dataclass
from ulterion.core.workloads.network import lost_share
from ulterion.features.clock.data import ClockedRow
from ulterion.results.added_latency import AddedLatency
from ulterion.results.comparison import ComparedRow, Group, Nearest
from ulterion.results.machines import Machine
from ulterion.results.ports import PortRow
from ulterion.show.answers import Answer
from ulterion.show.data import BottleneckData, EstimateData


@dataclass(frozen=True, kw_only=True)
class RowData(Answer):
    """One workload on one setup."""

    setup: str
    run: str
    runs: tuple[str, ...]
    workload: str
    text: str
    measured: EstimateData
    iops: float
    latency_p50: float | None
    latency_p99: float | None
    datagrams: Plain | None = optional()

    @staticmethod
    def by(row: ComparedRow) -> RowData:
        """Return a row, with its comparison where there is one."""
        given = {
            "workload": row.workload.title,
            "text": row.workload.text,
            "measured": EstimateData.of(row.estimate),
            "iops": row.estimate.rate / row.workload.block_bytes,
            "datagrams": None
            if row.datagrams is None
            else {**asdict(row.datagrams), "lost": row.datagrams.lost, "lost_share": list(lost_share(row.datagrams))},
        }
        compared = row.comparison
        if compared is None:
            return RowData.of(row, **given)
        ratio = compared.ratio
        return ComparedRowData.of(
            row,
            **given,
            ratio=ratio.value,
            ratio_low=ratio.low,
            ratio_high=ratio.high,
            p_adjusted=compared.p_adjusted,
            verdict=compared.verdict,
            more_passes=None if ratio.by_runs else compared.more,
            more_runs=compared.more if ratio.by_runs else None,
            why=compared.why,
        )


@dataclass(frozen=True, kw_only=True)
class ComparedRowData(RowData):
    """One workload on one setup, compared with the baseline: the ratio of their rates with its 95% interval, and the verdict."""

    ratio: float
    ratio_low: float | None
    ratio_high: float | None
    p_adjusted: float | None
    verdict: str
    more_passes: int | None
    more_runs: int | None
    why: str | None


@dataclass(frozen=True)
class SetupBottleneck(BottleneckData):
    """What held a setup back in a direction."""

    setup: str
    direction: str


@dataclass(frozen=True)
class NearestData(Answer):
    """A setup against the one without one of its parts, by workload."""

    setup: str
    base: str
    without: str
    ratios: dict[str, float]
    verdicts: dict[str, str]

    @classmethod
    def by(cls, near: Nearest) -> NearestData:
        """Return one such comparison."""
        compared = near.comparisons.items()
        return cls.of(
            near, ratios={w: c.ratio.value for w, c in compared}, verdicts={w: str(c.verdict) for w, c in compared}
        )


@dataclass(frozen=True)
class GroupData(Answer):
    """All setups of one medium."""

    medium: str
    baseline: str | None
    assumed: bool
    rows: tuple[ComparedRowData | RowData, ...]
    differs: dict[str, list[str]]
    caveats: dict[str, list[str]]
    not_measured: tuple[str, ...]
    bottlenecks: tuple[SetupBottleneck, ...]
    added_latency: tuple[AddedLatency, ...]
    failed: dict[str, str]
    one_connection: tuple[str, ...]
    excluded: dict[str, list[str]]
    nearest: tuple[NearestData, ...]
    buses: tuple[BusFinding, ...]

    @classmethod
    def by(cls, group: Group) -> GroupData:
        """Return one group."""
        return cls.of(
            group,
            rows=tuple(map(RowData.by, group.rows)),
            bottlenecks=tuple(SetupBottleneck.by(b, setup=s, direction=d) for (s, d), b in group.bottlenecks.items()),
            failed={n: state.words for n, state in group.failed_runs.items()},
            one_connection=group.single_connection,
            nearest=tuple(map(NearestData.by, group.nearest)),
        )


@dataclass(frozen=True)
class Comparison(Answer):
    """`ulterion compare`."""

    margin: float
    groups: tuple[GroupData, ...]
    clocked: tuple[ClockedRow, ...]
    outcomes: dict[str, list[str]]
    works: dict[str, dict[str, Outcome]]


def comparison_answer(
    groups: Sequence[Group],
    margin: float,
    clocked: tuple[ClockedRow, ...] = (),
    outcomes: Mapping[str, list[str]] | None = None,
    works: Mapping[str, dict[str, Outcome]] | None = None,
) -> Comparison:
    """Return the answer: groups, with the timings and notes; `works` are outcomes by setup and question."""
    return Comparison(margin, tuple(map(GroupData.by, groups)), clocked, dict(outcomes or {}), dict(works or {}))


@dataclass(frozen=True)
class PortBest(Answer):
    """The most that a port carried in one direction, and by which setup."""

    rate: float
    low: float | None
    high: float | None
    setup: str


@dataclass(frozen=True)
class PortData(Answer):
    """A port of a host: what is behind it, what it carried, what a drive there kept beside another port's, and what starts from it."""

    host: str
    port: str
    link: str | None
    controller: str | None
    shares_with: tuple[str, ...]
    setups: int
    rules_out: str | None
    best: dict[str, PortBest]
    kept: dict[str, float]
    boots: dict[str, Outcome]

    @classmethod
    def by(cls, row: PortRow) -> PortData:
        """Return one port."""
        best = {way: PortBest.of(e, setup=setup) for way, (e, setup) in row.best.items()}
        return cls.of(row, shares_with=row.shares, best=best)


@dataclass(frozen=True)
class PortsData(Answer):
    """`ulterion plan ports`."""

    ports: tuple[PortData, ...]


def ports_answer(rows: Sequence[PortRow]) -> PortsData:
    """Return ports beside each other."""
    return PortsData(tuple(map(PortData.by, rows)))


@dataclass(frozen=True)
class MachineData(Answer):
    """One machine: its inner drive's setup, every drive against it, and its ports."""

    host: str
    inner: str | None
    group: GroupData | None
    ports: tuple[PortData, ...]


@dataclass(frozen=True)
class MachinesData(Answer):
    """`ulterion compare --machines`."""

    margin: float
    machines: tuple[MachineData, ...]


def machines_answer(machines: Sequence[Machine], margin: float) -> MachinesData:
    """Return machines with their drives and ports."""
    return MachinesData(
        margin,
        tuple(
            MachineData(m.host, m.inner, GroupData.by(m.group) if m.group else None, tuple(map(PortData.by, m.ports)))
            for m in machines
        ),
    )
