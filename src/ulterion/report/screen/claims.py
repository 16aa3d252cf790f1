"""The claims as a table."""

from __future__ import annotations

from collections.abc import Sequence

from rich.console import RenderableType
from rich.text import Text

from ulterion.judge.claimrow import ClaimRow
from ulterion.report.screen.console import bullets, table, verdict
from ulterion.report.words.columns import show_share


def claims_table(rows: Sequence[ClaimRow], tolerance: float) -> list[RenderableType]:
    """Return the table of claims and a sentence for each that needs one."""
    columns = [
        ("claim", "left"), ("claimed", "right"), ("measured", "right"), ("reached", "right"), ("verdict", "left"),
        ("hookup", "left"),
    ]  # fmt: skip
    body: list[list[Text | str] | Text] = []
    for index, row in enumerate(rows):
        if index == 0 or rows[index - 1].part != row.part:
            body.append(Text(row.label, style="name"))
        body.append(_line(row))
    head = Text(f"Measured against advertised, tolerance {tolerance * 100:g} %", style="head")
    return [head, Text(""), table(columns, body), *bullets("Why", reasons(rows))]


def _line(row: ClaimRow) -> list[Text | str]:
    unit = f", {row.unit}" if row.unit else ""
    reached = show_share(row.judgement.share)
    return [
        f"  {row.claim}{unit}", row.claimed, row.measured or "–", reached, verdict(row.judgement.verdict), row.hookup or "–"
    ]  # fmt: skip


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
