"""The claims as a table."""

from __future__ import annotations

from collections.abc import Sequence

from ulterion.features.claims import words as words
from ulterion.features.claims.row import ClaimRow
from ulterion.features.claims.source_words import provenance_words
from ulterion.features.claims.sources import Provenance
from ulterion.model.review import Review
from ulterion.show.blocks import BLANK, Shown, Table, Text, bullet_list, heading, verdict
from ulterion.show.columns import show_share


def claims_table(rows: Sequence[ClaimRow], tolerance: float, unit: str = "MB/s") -> list[Shown]:
    """Return the table of claims, a sentence for each that needs one, and the runs behind it."""
    columns = [
        ("claim", "left"),
        ("claimed", "right"),
        ("measured", "right"),
        ("reached", "right"),
        ("verdict", "left"),
        ("setup", "left"),
    ]
    body: list[list[Text | str] | Text] = []
    for index, row in enumerate(rows):
        if index == 0 or rows[index - 1].part != row.part:
            body.append(Text(row.label, style="name"))
        body.append(_line(row, unit))
    head = heading(f"Measured against advertised, tolerance {tolerance * 100:g}%")
    return [
        head,
        BLANK,
        Table(columns, body),
        *bullet_list("Why", words.reasons(rows)),
        *bullet_list("Runs used", words.sources(rows)),
    ]


def _line(row: ClaimRow, unit: str) -> list[Text | str]:
    rates = row.unit in ("B/s", "IOPS", "B", "class")  # a link is one or another, and a temperature has no share
    reached, judged = (show_share(row.judgement.share) if rates else ""), verdict(row.judgement.verdict)
    claim = f"  {words.heading(row, unit)}"
    return [claim, words.claimed(row, unit), words.measured(row, unit), reached, judged, row.setup or "–"]


def said_lines(review: Review, found: Sequence[Provenance]) -> list[Shown]:
    """Return who says what is claimed, what disagrees first."""
    ordered = sorted(found, key=lambda one: not one.disagree)
    return bullet_list("Who says it", [provenance_words(review, one) for one in ordered])
