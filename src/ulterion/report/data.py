"""Answers as plain data, for JSON: bytes, seconds, bytes per second, C, ratios as numbers."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import asdict, fields
from pathlib import Path
from typing import cast

from ulterion.conduct.observers import MeasureOutcome, Shared
from ulterion.core.chain import Step
from ulterion.core.facts import BenchFacts
from ulterion.core.links import Link
from ulterion.core.network import lost_share
from ulterion.core.stats import Estimate, estimate
from ulterion.core.surveyed import Adapter, Change, Drive, Refused, Survey, Tunnel, Volume
from ulterion.judge.bottleneck import Bottleneck
from ulterion.judge.claimrow import ClaimRow
from ulterion.judge.comparisons import ComparedRow, Group
from ulterion.judge.soaks import Soak, difference
from ulterion.model.runs.soak import SoakRun
from ulterion.report import answers, bottleneckdata, surveydata
from ulterion.report.words.bottleneck import bottleneck_text


def estimate_as_data(one: Estimate) -> answers.EstimateData:
    """Return an estimate as plain data for JSON, in the unit of its rates."""
    return {
        "passes": one.passes,
        "runs": one.runs,
        "rate": one.rate,
        "low": one.low,
        "high": one.high,
        "drift": one.drift,
        "why": one.why,
    }


def groups_as_data(groups: Sequence[Group], margin: float) -> answers.Comparison:
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
                "added_latency": [cast("bottleneckdata.AddedLatencyData", asdict(w)) for w in g.added_latency],
                "bottlenecks": [
                    {"setup": h, "direction": d, **bottleneck_as_data(b)} for (h, d), b in g.bottlenecks.items()
                ],
            }
            for g in groups
        ],
    }


def bottleneck_as_data(bottleneck: Bottleneck) -> bottleneckdata.BottleneckData:
    """Return what held a setup back: names of the review, bytes per second, ids of runs."""
    finding, following = bottleneck.finding, bottleneck.next
    return {
        "suspects": [s.key for s in finding.suspects],
        "how": finding.how,
        "rate": finding.rate,
        "run": finding.run,
        "other": finding.other,
        "other_rate": finding.other_rate,
        "cleared": [
            {"part": c.key, "why": c.why, "setup": c.setup, "run": c.run, "rate": c.rate} for c in finding.cleared
        ],
        "next": None if following is None else {"chain": list(following.chain), "setup": following.setup},
        "words": bottleneck_text(bottleneck),
    }


def _row_as_data(row: ComparedRow) -> answers.RowData:
    data: answers.RowData = {
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
        compared: answers.RowData = {
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


def claims_as_data(rows: Sequence[ClaimRow], tolerance: float) -> answers.Claims:
    """Return the claims as plain data for JSON."""
    return {
        "tolerance": tolerance,
        "claims": [
            {
                "part": r.part,
                "label": r.label,
                "claim": r.claim,
                "unit": r.unit,
                "claimed": r.claimed,
                "claimed_name": r.claimed_name,
                "measured": r.measured,
                "measured_name": r.measured_name,
                "setup": r.setup,
                "run": r.run,
                "older_runs": list(r.older),
                "workload": r.workload,
                "estimate": None if r.estimate is None else estimate_as_data(r.estimate),
                "share": r.judgement.share,
                "verdict": r.judgement.verdict,
                "why": r.judgement.why,
                "bottleneck": None if r.bottleneck is None else bottleneck_as_data(r.bottleneck),
            }
            for r in rows
        ],
    }


def soak_as_data(
    run: SoakRun, soak: Soak | None, path: Path | None = None, bottleneck: Bottleneck | None = None
) -> answers.Soak:
    """Return a soak as plain data for JSON: bytes, seconds, bytes per second, C."""
    findings = None if soak is None else asdict(soak.findings)
    data: answers.Soak = {"run": run.id, "setup": run.setup, "state": run.state.name, "findings": findings}
    if path is not None:
        data["kept_in"] = str(path)
    if bottleneck is not None:
        data["bottleneck"] = bottleneck_as_data(bottleneck)
    return data


def soaks_as_data(soaks: Sequence[Soak]) -> answers.Soaks:
    """Return several soaks and how each differs from the first."""
    return {
        "soaks": [soak_as_data(s.run, s) for s in soaks],
        "differences": [asdict(difference(s, soaks[0])) for s in soaks[1:]],
    }


def measured_as_data(measured: MeasureOutcome) -> answers.Measurement:
    """Return a finished measurement: where it is kept, its estimates, and the whole document."""
    records = [f for r in measured.run.workloads for f in r.figures]
    return {
        "kept_in": str(measured.path),
        "state": measured.run.state.name,
        "estimates": [
            {
                "workload": r.workload.title,
                "text": r.text,
                "run": measured.run.id,
                **estimate_as_data(estimate(measured.run.rates_of(r))),
            }
            for r in records
        ],
        "run": measured.run.model_dump(mode="json", by_alias=True, exclude_none=True),
    }


def sharing_as_data(shared: Shared) -> answers.Sharing:
    """Return what several targets gave alone and together; rates in bytes per second."""
    return {
        "targets": list(shared.targets),
        "workloads": {
            text: {
                "alone": list(s.alone),
                "together": list(s.together),
                "kept": list(s.kept),
                "total": s.total,
                "fairness": s.fairness,
            }
            for text, s in shared.workloads.items()
        },
        "kept_in": [str(p) for p in shared.paths],
        "failures": list(shared.failures),
    }


def plain(facts: BenchFacts | Drive | Adapter | Tunnel | Refused | Change | Step | Volume) -> dict[str, object]:
    """Return a dataclass as plain data; a link is its name."""
    return {f.name: _plain_value(getattr(facts, f.name)) for f in fields(facts)}


def _plain_value(value: object) -> object:
    if isinstance(value, Link):
        return value.name
    if isinstance(value, Step | Volume | Drive):
        return plain(value)
    return [_plain_value(v) for v in value] if isinstance(value, tuple | list) else value


def survey_as_data(survey: Survey) -> surveydata.Survey:
    """Return a survey: bytes, C, W."""
    return {
        "bench": plain(survey.bench),
        "drives": [plain(d) for d in survey.drives],
        "adapters": [plain(a) for a in survey.adapters],
        "tunnels": [plain(t) for t in survey.tunnels],
        "root_would_add": list(survey.root_would_add),
        "doubts": list(survey.doubts),
        "refused": [plain(r) for r in survey.refused],
        "empty_slots": list(survey.empty_slots),
    }
