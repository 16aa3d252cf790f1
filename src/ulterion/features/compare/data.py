"""A comparison as plain data for JSON: bytes per second, ratios as numbers."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import asdict
from typing import NotRequired, cast

from typing_extensions import TypedDict

from ulterion.core.workloads.network import lost_share
from ulterion.features.clock.data import ClockedRow
from ulterion.results.comparison import ComparedRow, Group
from ulterion.show.bottleneck_data import AddedLatencyData, NearestData, SetupBottleneck
from ulterion.show.data import EstimateData, bottleneck_as_data, estimate_as_data
from ulterion.terminal.answers import Drawing


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


class Comparison(Drawing):
    """`ulterion compare`."""

    margin: float
    groups: list[GroupData]
    clocked: NotRequired[list[ClockedRow]]
    outcomes: NotRequired[dict[str, list[str]]]


def groups_as_data(groups: Sequence[Group], margin: float) -> Comparison:
    """Return the comparison as plain data for JSON: rates in bytes per second, ratios as numbers."""
    return {
        "margin": margin,
        "groups": [
            {
                "medium": g.medium,
                "baseline": g.baseline,
                "rows": [_row_as_data(r) for r in g.rows],
                "differs": g.differs,
                "caveats": g.caveats,
                "not_measured": list(g.not_measured),
                "failed": {n: state.words for n, state in g.failed_runs.items()},
                "one_connection": list(g.single_connection),
                "excluded": g.excluded,
                "nearest": [
                    {
                        "setup": n.setup,
                        "base": n.base,
                        "without": n.without,
                        "ratios": {w: c.ratio.value for w, c in n.comparisons.items()},
                        "verdicts": {w: str(c.verdict) for w, c in n.comparisons.items()},
                    }
                    for n in g.nearest
                ],
                "added_latency": [cast("AddedLatencyData", asdict(w)) for w in g.added_latency],
                "bottlenecks": [
                    {"setup": h, "direction": d, **bottleneck_as_data(b)} for (h, d), b in g.bottlenecks.items()
                ],
            }
            for g in groups
        ],
    }


def _row_as_data(row: ComparedRow) -> RowData:
    data: RowData = {
        "setup": row.setup,
        "run": row.run,
        "runs": list(row.runs),
        "workload": row.workload.title,
        "text": row.workload.text,
        "measured": estimate_as_data(row.estimate),
        "iops": row.estimate.rate / row.workload.block_bytes,
        "latency_p50": row.latency_p50,
        "latency_p99": row.latency_p99,
    }
    if row.datagrams is not None:
        share, low, high = lost_share(row.datagrams)
        data["datagrams"] = {**asdict(row.datagrams), "lost": row.datagrams.lost, "lost_share": [share, low, high]}
    if row.comparison is not None:
        c = row.comparison
        compared: RowData = {
            **data,
            "ratio": c.ratio.value,
            "ratio_low": c.ratio.low,
            "ratio_high": c.ratio.high,
            "p_adjusted": c.p_adjusted,
            "verdict": c.verdict,
            "more_passes": None if c.ratio.by_runs else c.more,
            "more_runs": c.more if c.ratio.by_runs else None,
            "why": c.why,
        }
        return compared
    return data
