"""The comparison's answer in a line or two for each hookup: what became of each question, before any row of figures."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from rich.console import RenderableType
from rich.text import Text

from ulterion.core.suites import BUSY, CROWDED, FLAT_OUT, PLAIN, SCATTERED
from ulterion.core.units import show_iops, show_rate
from ulterion.judge.comparisons import Group, Row
from ulterion.report.screen.console import table, verdict
from ulterion.report.words.columns import show_change

QUESTIONS = {"large": FLAT_OUT, "plain copy": PLAIN, "single small": SCATTERED, "crowd": CROWDED, "mixed": BUSY}
"""The question that workloads of the suites answer, in a word."""
OF_NAME = {w.name: question for question, workloads in QUESTIONS.items() for w in workloads}
DIRECTIONS = {"read": "reading", "write": "writing"}


def answer_table(group: Group, unit: str, outcomes: Mapping[str, Sequence[str]]) -> list[RenderableType]:
    """Return a table with a line for each hookup and direction, or nothing where no question of the suites was asked of two.

    What was noted of a hookup that is no number stands below its figures, or in their place.
    """
    asked = [q for q in QUESTIONS if any(_question(r) == q and r.comparison for r in group.rows)]
    if not asked or group.baseline is None:
        return []
    columns = [("", "left"), ("", "left"), *((q, "right") for q in asked)]
    rows: list[list[Text | str] | Text] = []
    named: set[str] = set()
    for hookup in [*dict.fromkeys(r.hookup for r in group.rows), *group.missing]:
        for direction, word in DIRECTIONS.items():
            cells = [_cell(group, hookup, q, direction, unit) for q in asked]
            if any(cells):
                rows.append([Text("" if hookup in named else hookup, style="name"), word, *cells])
                named.add(hookup)
        failed = group.failed.get(hookup)
        told = [*outcomes.get(hookup, ()), *([failed.short] if failed else [])]  # the rest stands below the table
        if told or hookup in group.missing:
            words = "; ".join(told) or "has not been measured"
            rows.append(Text.assemble((f"{hookup}  ", "name"), (words, "bad" if told else "muted")))
    legend = f"{group.baseline}: {unit}, small ones and mixed in IOPS; the others: how much more or less, by the ratio; 'same' within the margin, '?' undecided"
    return [table(columns, rows, "at a glance"), Text(legend, style="muted")]


def _question(row: Row) -> str | None:
    return OF_NAME.get(row.workload.title)


def _cell(group: Group, hookup: str, question: str, direction: str, unit: str) -> Text | str:
    """Return a figure of the baseline, or what became of a comparison; mixed work stands in the first line of a hookup."""
    wanted = "mixed" if question == "mixed" and direction == "read" else direction
    row = next(
        (r for r in group.rows if (r.hookup, _question(r), r.workload.direction) == (hookup, question, wanted)), None
    )
    if row is None:
        return ""
    if row.comparison is None:
        if row.workload.pattern == "random":
            return show_iops(row.estimate.rate / row.workload.block_bytes)
        return show_rate(row.estimate.rate, unit, with_unit=False)
    judged = row.comparison
    shown = {"same": "same", "undecided": "?"}.get(judged.verdict) or show_change(judged.ratio.value)
    return verdict(judged.verdict, shown=shown)
