"""All claims on one screen: how many came out which way, then a line for each, what was missed first, with the reason in a few words."""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Sequence

from ulterion.core.units import show_rate, significant
from ulterion.features.claims import words
from ulterion.features.claims.row import ClaimRow
from ulterion.features.claims.speedup import RivalRow
from ulterion.model.review import Review
from ulterion.show.bars import marked_bar
from ulterion.show.blocks import BARS, BLANK, Cells, Shown, Table, Text, verdict
from ulterion.show.columns import show_share
from ulterion.show.sentences import sentence_of

ORDER = ("missed", "partly", "undecided", "not testable", "met", "reported", "not measured", "not tested")
COUNTED = ("missed", "partly", "undecided", "met", "not testable", "reported", "not measured", "not tested")
"""The order of a sentence: what was met comes before what needs a reason."""
SHOWN = {"partly": "partly met"}  # where a verdict alone would be no English
QUIET = ("met", "reported")  # verdicts that need no reason
WHY = "why"


def claims_overview(review: Review, rows: Sequence[ClaimRow], rivals: Sequence[RivalRow], unit: str) -> list[Shown]:
    """Return the count, and a line for each claim."""
    lines: dict[str, list[Cells]] = {}
    for row in rows:
        lines.setdefault(row.judgement.verdict, []).append(_line(row, unit))
    for rival in rivals:
        lines.setdefault(rival.verdict, []).append(_rival_line(review, rival))
    body: list[Cells | Text] = []
    for name in ORDER:
        if name in lines:
            body += [verdict(name, shown=SHOWN.get(name)), *lines[name]]
    columns = [
        ("", "left"),
        ("claim", "left"),
        ("claimed", "right"),
        ("measured", "right"),
        ("", "right"),
        (BARS, "left"),
        (WHY, "left"),
    ]
    return [
        Text(sentence_of(f"{counted(rows, rivals)}; tolerance {review.review.tolerance * 100:g}%")),
        BLANK,
        Table(columns, body, "every claim", spare=(WHY,), folds=True),
    ]


def counted(rows: Sequence[ClaimRow], rivals: Sequence[RivalRow]) -> str:
    """Return how many of the claims came out which way, the worst first."""
    counts = Counter[str]([*(row.judgement.verdict for row in rows), *(rival.verdict for rival in rivals)])
    known = [name for name in COUNTED if counts[name]]
    of_all = f" of {counts.total()} claims"
    return ", ".join(f"{counts[name]}{of_all if name == known[0] else ''} {SHOWN.get(name, name)}" for name in known)


def _line(row: ClaimRow, unit: str) -> Cells:
    shares = row.unit in ("B/s", "IOPS", "B", "class")  # a link is one or another, and a temperature has no share
    reached = show_share(row.judgement.share) if shares else ""
    reason = "" if row.judgement.verdict in QUIET else short_reason(row)
    claim, claimed, measured = words.heading(row, unit), words.claimed(row, unit), words.measured(row, unit)
    share = row.judgement.share if shares else None
    bar = "" if share is None else Text(marked_bar(share), style="name")
    return [f"  {row.label}", claim, claimed, measured, reached, bar, Text(reason, style="muted")]


def short_reason(row: ClaimRow) -> str:
    """Return in a few words why a claim came out as it did."""
    judged = row.judgement
    finding = row.bottleneck.finding if row.bottleneck is not None else None
    if judged.unflushed is not None:
        return f"{show_rate(judged.unflushed)} without the flush"
    if judged.others and finding is not None:
        rivals = [s.label for s in finding.suspects if s.key != row.part]
        return f"{' or '.join(rivals)} may be the limit" if rivals else "another part may be the limit"
    if judged.verdict == "missed" and row.unit in ("B/s", "IOPS") and finding is not None:
        sole = finding.sole_suspect
        if sole is not None and sole.key == row.part:
            return f"limit: {sole.link.name}" if sole.link is not None else "this is the bottleneck"
    if judged.obstacle is not None:
        return f"{judged.obstacle.owner} stops at {show_rate(judged.obstacle.high)}"
    if row.unit == "link" and judged.verdict == "missed":
        return "try another cable first"
    return re.sub(r" \([^)]*\)", "", (judged.why or "").partition(";")[0])


def _rival_line(review: Review, row: RivalRow) -> Cells:
    best = "–" if row.best is None else f"{significant(row.best[1].value, 2)}×"
    of = f", {len(row.true_on)} of {row.compared} tests" if row.compared else ""
    reason = f"than {review.label(row.than)}{of}" + (f": {row.why}" if row.why else "")
    return [f"  {review.label(row.part)}", "times faster", f"{row.times:g}×", best, "", "", Text(reason, style="muted")]
