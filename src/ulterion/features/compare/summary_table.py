"""The comparison's answer in a line or two for each setup: what became of each question, before any row of figures."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from ulterion.core.workloads.suites import MIXED, QUEUED, RANDOM, SEQUENTIAL, STREAM, short_title
from ulterion.features.compare.overview import rate_cell
from ulterion.results.comparison import ComparedRow, Group
from ulterion.show.blocks import Shown, Table, Text

QUESTIONS = {"sequential": SEQUENTIAL, "stream": STREAM, "random": RANDOM, "queued": QUEUED, "mixed": MIXED}
"""The question that workloads of the suites answer, in a word."""
OF_NAME = {w.name: question for question, workloads in QUESTIONS.items() for w in workloads}
SPARE = ("mixed", "stream", "queued")  # questions that are left out where the line is too narrow for all
FEWEST, MOST_BESIDE = 2, 4  # workloads, and setups, of a table with a line for each workload
DIRECTIONS = {"read": "reading", "write": "writing"}


def answer_table(group: Group, unit: str, outcomes: Mapping[str, Sequence[str]]) -> list[Shown]:
    """Return a table with a line for each setup and direction; where no question of the suites was asked of two, a line for each workload.

    What was noted of a setup that is no number stands below its figures, or in their place.
    """
    asked = [q for q in QUESTIONS if any(_question(r) == q and r.comparison for r in group.rows)]
    if group.baseline is None:
        return []
    if not asked:
        return _by_workload(group, unit)
    columns = [("", "left"), ("", "left"), *((q, "right") for q in asked)]
    rows: list[list[Text | str] | Text] = []
    named: set[str] = set()
    for setup in [*dict.fromkeys(r.setup for r in group.rows), *group.not_measured]:
        for direction, word in DIRECTIONS.items():
            cells = [_cell(group, setup, q, direction, unit) for q in asked]
            if any(cells):
                rows.append([Text("" if setup in named else setup, style="name"), word, *cells])
                named.add(setup)
        failed = group.failed_runs.get(setup)
        told = [*outcomes.get(setup, ()), *([failed.short] if failed else [])]  # the rest stands below the table
        if told or setup in group.not_measured:
            words = "; ".join(told) or "has not been measured"
            rows.append(Text(f"{setup}  ", "name", words, "bad" if told else "muted"))
    small = [q for q in asked if QUESTIONS[q][0].pattern == "random"]
    units = f"{unit}, {' to '.join(dict.fromkeys([small[0], small[-1]]))} in IOPS" if small else unit
    legend = f"{units}; then the difference from {group.baseline}, ? undecided"
    return [Table(columns, rows, "at a glance", spare=SPARE), Text(legend, style="muted")]


def _by_workload(group: Group, unit: str) -> list[Shown]:
    """Return a line for each workload with the setups beside each other; nothing where one line or more than a few setups would stand there."""
    setups = list(dict.fromkeys(r.setup for r in group.rows))
    cells = {(r.workload.text, r.setup): rate_cell(r, unit) for r in group.rows}
    titles = {r.workload.text: short_title(r.workload) for r in group.rows}
    if len(titles) < FEWEST or len(setups) > MOST_BESIDE:
        return []
    rows: list[list[Text | str] | Text] = [
        [Text(title, style="name"), *(cells.get((text, setup), "–") for setup in setups)]
        for text, title in titles.items()
    ]
    small = ", small requests in IOPS" if any(r.workload.drive_pattern == "random" for r in group.rows) else ""
    legend = f"{unit}{small}; then the difference from {group.baseline}, ? undecided"
    columns = [("", "left"), *((setup, "right") for setup in setups)]
    return [Table(columns, rows, "at a glance"), Text(legend, style="muted")]


def _question(row: ComparedRow) -> str | None:
    return OF_NAME.get(row.workload.title)


def _cell(group: Group, setup: str, question: str, direction: str, unit: str) -> Text | str:
    """Return a rate and what became of its comparison; mixed work stands in the first line of a setup."""
    wanted = "mixed" if question == "mixed" and direction == "read" else direction
    row = next(
        (r for r in group.rows if (r.setup, _question(r), r.workload.direction) == (setup, question, wanted)), None
    )
    if row is None:
        return ""
    return rate_cell(row, unit)
