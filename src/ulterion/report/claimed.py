"""The claims as a table."""

from __future__ import annotations

from collections.abc import Sequence
from itertools import pairwise

from rich.console import RenderableType
from rich.text import Text

from ulterion.report.columns import show_share
from ulterion.report.screen import bullets, table, verdict
from ulterion.tasks.claiming import ClaimRow


def claims_table(rows: Sequence[ClaimRow], tolerance: float) -> list[RenderableType]:
    """Return the table of claims and a sentence for each that needs one."""
    columns = [("part", "left"), ("claim", "left"), ("claimed", "right"), ("measured", "right"), ("", "left"),
               ("reached", "right"), ("verdict", "left"), ("hookup", "left")]  # fmt: skip
    repeated = [False] + [a.part == b.part for a, b in pairwise(rows)]
    body = [
        [Text("" if again else row.label, style="name"), row.claim, row.claimed, row.measured or "–", row.unit,
         show_share(row.judgement.share), verdict(row.judgement.verdict), row.hookup or "–"]
        for row, again in zip(rows, repeated, strict=True)
    ]  # fmt: skip
    head = Text(f"Measured against advertised, tolerance {tolerance * 100:g} %", style="head")
    return [head, Text(""), table(columns, body), *bullets("Why", reasons(rows))]


def reasons(rows: Sequence[ClaimRow]) -> list[str]:
    """Return why each claim that was not met came out as it did."""
    found = []
    for row in rows:
        judged = row.judgement
        if judged.verdict in ("met", "not measured"):
            continue
        parts = [judged.why] if judged.why else []
        if judged.verdict == "missed" and row.unit:
            parts.append(f"near {row.limit}" if row.limit else "near no known ceiling: the part itself is the limit")
        if parts:
            found.append(f"{row.label}, {row.claim}: {'; '.join(parts)}")
    return found
