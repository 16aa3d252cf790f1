"""Claims against rivals, on the screen."""

from __future__ import annotations

from collections.abc import Sequence

from ulterion.features.claims.speedup import RivalRow
from ulterion.model.review import Review
from ulterion.show.blocks import BLANK, Cells, Shown, Table, Text, bullet_list, heading, verdict
from ulterion.show.columns import show_ratio


def rivals_table(review: Review, rows: Sequence[RivalRow]) -> list[Shown]:
    """Return the verdicts on claims to be several times as fast as another product; empty without any."""
    if not rows:
        return []
    columns = (
        ("product", "left"),
        ("claimed", "left"),
        ("large transfers", "right"),
        ("verdict", "left"),
        ("true on", "left"),
    )
    body: list[Cells | Text] = []
    for r in rows:
        about = f", {r.workload}" if r.workload else ""
        best = show_ratio(r.best[1].value) if r.best else "–"
        on = f"{len(r.true_on)} of {r.compared} workloads" if r.compared else ""
        claim = f"{r.times:g}× {review.label(r.than)}{about}"
        body.append([Text(review.label(r.part), style="name"), claim, best, verdict(r.verdict), on])
    told = [f"{review.label(r.part)} against {review.label(r.than)}: {words}" for r in rows if (words := _words(r))]
    return [BLANK, heading("Times faster"), Table(columns, body), *bullet_list("On what", told)]


def _words(row: RivalRow) -> str:
    if row.why is not None:
        return row.why
    pair = f"'{row.setups[0]}' against '{row.setups[1]}'" if row.setups else ""
    if row.true_on:
        nearest = f"{row.best[0]} {show_ratio(row.best[1].value)}; " if row.best else ""
        return f"{pair}: {nearest}true for {', '.join(row.true_on)}"
    return f"{pair}: nearest is {row.best[0]}" if row.best else ""
