"""What came of looking at a report, and of laying another beside it."""

from __future__ import annotations

from collections.abc import Sequence

from ulterion.core.units import show_between, show_rate
from ulterion.features.page.verify import Checked
from ulterion.results.agreement import Pair
from ulterion.show.blocks import BLANK, Cells, Shown, Table, Text, bullet_list
from ulterion.show.columns import show_ratio
from ulterion.show.sentences import first_few

STYLES = {"agree": "good", "differ": "bad", "undecided": "open"}


def verified_lines(checked: Checked) -> list[Shown]:
    """Return whether all is the same, and what is different."""
    head = (
        Text("Verified: every figure in the page recomputes from its runs.", style="good")
        if checked.same
        else Text("Not verified: the page differs from what its runs say.", style="bad")
    )
    return [head, *bullet_list("Different", first_few(checked.different)), *bullet_list("Checked", checked.looked_at)]


def agreement_table(pairs: Sequence[Pair], unit: str) -> list[Shown]:
    """Return every workload that both measured, and whether they agree."""
    if not pairs:
        return [BLANK, Text("The two have no test of the same products in common.", style="open")]
    columns = (
        ("setup", "left"),
        ("workload", "left"),
        (unit, "right"),
        ("other", "right"),
        ("ratio", "right"),
        ("95%", "right"),
        ("", "left"),
    )
    body: list[Cells | Text] = []
    for one in pairs:
        span = (
            ""
            if one.ratio.low is None or one.ratio.high is None
            else show_between(show_ratio(one.ratio.low), show_ratio(one.ratio.high))
        )
        rates = [show_rate(e.rate, unit, with_unit=False) for e in (one.mine, one.theirs)]
        body.append(
            [
                one.setup,
                one.workload,
                *rates,
                show_ratio(one.ratio.value),
                span,
                Text(one.agreement, style=STYLES[one.agreement]),
            ]
        )
    count = sum(p.agreement == "agree" for p in pairs)
    return [
        BLANK,
        Table(columns, body),
        Text(f"{count} of {len(pairs)} agree within both intervals", style="muted"),
    ]
