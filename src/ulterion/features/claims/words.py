"""Claims in words: figures with their units, and why a claim came out as it did."""

from __future__ import annotations

from collections.abc import Sequence

from ulterion.core.units import show_iops, show_rate, show_size, show_temperature
from ulterion.features.claims.row import ClaimRow
from ulterion.show.bottleneck_words import bottleneck_text, evidence
from ulterion.show.sentences import listed


def shown(row: ClaimRow, value: float | None, name: str | None, unit: str) -> str:
    """Return a claimed or measured value in words; rates in `unit`, without it where the row states it."""
    if value is None:
        return "–"
    if row.unit == "B/s":
        return show_rate(value, unit, with_unit=False)
    if row.unit == "IOPS":
        return show_iops(value)
    if row.unit == "B":
        return show_size(value)
    if row.unit == "C":
        return show_temperature(value)
    if row.unit == "W":
        return f"{value:g} W"
    return name or show_rate(value)


def claimed(row: ClaimRow, unit: str) -> str:
    """Return what was claimed, in words."""
    return shown(row, row.claimed, row.claimed_name, unit)


def measured(row: ClaimRow, unit: str) -> str:
    """Return what was measured, in words."""
    return shown(row, row.measured, row.measured_name, unit)


def heading(row: ClaimRow, unit: str) -> str:
    """Return the name of a claim with the unit of its figures."""
    return f"{row.claim}, {unit if row.unit == 'B/s' else row.unit}" if row.unit in ("B/s", "IOPS") else row.claim


def reasons(rows: Sequence[ClaimRow]) -> list[str]:
    """Return why each claim that was not met came out as it did."""
    sentences = []
    for row in rows:
        judged = row.judgement
        if judged.verdict in ("met", "not measured", "reported"):
            continue
        parts = [judged.why] if judged.why else []
        if judged.unflushed is not None:
            parts.append(
                f"misses the claim only because of the final flush ({show_rate(judged.unflushed)} without it); longer "
                "passes (--seconds) reduce its share"
            )
        elif judged.others and row.bottleneck is not None:
            parts.append(f"below the claim, perhaps {bottleneck_of(row)}")
        elif judged.verdict == "missed" and row.unit in ("B/s", "IOPS"):
            parts += [bottleneck_of(row)] if row.bottleneck is not None else []
        if parts:
            sentences.append(f"{row.label}, {row.claim}: {'; '.join(parts)}")
    return sentences


def bottleneck_of(row: ClaimRow) -> str:
    """Return what kept a part from what it claims: itself, something else, or one of several."""
    assert row.bottleneck is not None
    sole_suspect = row.bottleneck.finding.sole_suspect
    if sole_suspect is not None and sole_suspect.key == row.part:
        return f"this part is the bottleneck: {evidence(row.bottleneck.finding, sole_suspect)}"
    return f"limited by {bottleneck_text(row.bottleneck)}"


def sources(rows: Sequence[ClaimRow]) -> list[str]:
    """Return which run stands behind which setup's figures."""
    runs: dict[str, list[str]] = {}
    for row in rows:
        if row.run is not None and row.setup is not None:
            known = runs.setdefault(row.setup, [])
            known += [run for run in [*row.older, row.run] if run not in known]
    parts = [f"{setup} {listed(ids)}" for setup, ids in runs.items()]
    return [", ".join(parts)] if parts else []
