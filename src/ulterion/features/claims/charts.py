"""Claimed against measured as a chart: a bar for what was measured, an upright mark where the maker says it would be."""

from __future__ import annotations

from collections import Counter
from collections.abc import Sequence

from ulterion.core.units import RATE_UNITS, show_iops, show_rate, show_size
from ulterion.features.claims.row import ClaimRow
from ulterion.model.review import Review
from ulterion.show.charts import Bar, BarChart, Caption, Panel, finding
from ulterion.show.looks import Cast

SIGNS = {"met": "✓", "partly": "◐", "missed": "✗", "undecided": "?", "not testable": "not testable"}
"""What stands beside a bar, by the verdict."""
KINDS = {"B/s": "", "IOPS": "small requests, IOPS", "B": "capacity, GB"}
"""The claims that a bar can show, by their unit, and how their panel is called besides the kind of product."""


def claims_chart(review: Review, rows: Sequence[ClaimRow], unit: str) -> BarChart | None:
    """Return each claim with its measured value, a panel for each kind of product with its own scale; None where nothing was measured."""
    cast = Cast.of(review)
    shown = [r for r in rows if r.unit in KINDS and r.measured is not None and r.judgement.verdict in SIGNS]
    if not shown:
        return None
    panels: dict[tuple[str, str], list[ClaimRow]] = {}
    for row in shown:
        panels.setdefault((_kind(review, row), row.unit), []).append(row)
    made, several = [], len({r.part for r in shown}) > 1
    for (kind, what), mine in sorted(panels.items(), key=lambda p: list(KINDS).index(p[0][1])):
        title = ", ".join(w for w in (kind.capitalize() if several else "", KINDS[what]) if w)
        made.append(Panel(title, tuple(_bar(r, unit, cast, named=several) for r in _ordered(mine)), f"{kind} {what}"))
    small = "; small requests in IOPS" if any(r.unit == "IOPS" for r in shown) else ""
    caption = Caption(
        title=_title(shown),
        subtitle=f"Measured, {unit}{small}; the upright mark is what the maker claims{'; each kind has its own scale' if len(made) > 1 else ''}",
        foot=f"✓ holds, ◐ partly, ✗ missed by more than {review.review.tolerance * 100:g}%, ? undecided",
        runs=tuple(dict.fromkeys(r.run for r in shown if r.run)),
    )
    return BarChart(caption, tuple(made), "claimed")


def _title(rows: Sequence[ClaimRow]) -> str:
    """Return how many claims hold, and the one furthest from its mark; of a single product with its name."""
    met = sum(r.judgement.verdict == "met" for r in rows)
    several = len({r.part for r in rows}) > 1
    name = "" if several else f"{rows[0].label}: "
    told = f"{met} of {len(rows)} claims {'holds' if met == 1 else 'hold'}"
    missed = [r for r in rows if r.judgement.verdict in ("missed", "partly")]
    if missed:
        worst = min(missed, key=lambda r: r.judgement.share or 0.0)
        share, what = f"{(worst.judgement.share or 0) * 100:.0f}%", worst.claim.replace("_", " ")
        if several:
            one = f"{told}; {worst.label} reaches {share} of its {what} claim"
            return finding(one, f"{told}; {worst.label}: {share} of its {what}", told)
        one = f"{told}; {what} reaches {share} of the claim"
        return finding(f"{name}{one}", one, f"{name}{told}", told)
    if met == len(rows):
        told = {1: "the claim holds", 2: "both claims hold"}.get(met, f"all {met} claims hold")
        return finding(f"{name}{told}", told)
    others = Counter(r.judgement.verdict for r in rows if r.judgement.verdict != "met")
    told = "; ".join([*([told] if met else []), *(f"{count} {verdict}" for verdict, count in others.items())])
    return finding(f"{name}{told}", told)


def _kind(review: Review, row: ClaimRow) -> str:
    return f"{review.parts[row.part].kind}s" if row.part in review.parts else "ports"


def _ordered(rows: Sequence[ClaimRow]) -> list[ClaimRow]:
    """Return the rows in order of their product's best rate, so that the claims of a product stay together."""
    most: dict[str, float] = {}
    for row in rows:
        most[row.part] = max(most.get(row.part, 0.0), row.measured or 0.0)
    return sorted(rows, key=lambda r: (-most[r.part], r.label, r.claim))


def _bar(row: ClaimRow, unit: str, cast: Cast, *, named: bool) -> Bar:
    scale = {"B/s": RATE_UNITS[unit], "B": 1e9}.get(row.unit, 1.0)
    claim = row.claim.replace("_", " ")
    measured, estimate = row.measured or 0.0, row.estimate if row.unit == "B/s" else None
    return Bar(
        label=f"{row.label}, {claim}" if named else claim,
        value=measured / scale,
        text=f"{_shown(row, measured, unit)} of {_shown(row, row.claimed, unit)} {SIGNS[row.judgement.verdict]}",
        shade=cast.parts.get(row.part, cast.shade(row.setup)),
        low=None if estimate is None or estimate.low is None else estimate.low / scale,
        high=None if estimate is None or estimate.high is None else estimate.high / scale,
        mark=row.claimed / scale,
    )


def _shown(row: ClaimRow, value: float, unit: str) -> str:
    """Return a value of a claim in words."""
    if row.unit == "B/s":
        return show_rate(value, unit, with_unit=False)
    return show_size(value) if row.unit == "B" else show_iops(value)
