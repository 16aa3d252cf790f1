"""`ulterion compare --machines` as an answer: on each machine every drive against the inner one, and the ports."""

from __future__ import annotations

from collections.abc import Sequence

from ulterion.core.units import show_rate
from ulterion.features.compare.overview import large_and_small, rate_cell
from ulterion.features.compare.ports import ports_table
from ulterion.model.review import Review
from ulterion.results.comparison import ComparedRow, Group
from ulterion.results.machines import Machine
from ulterion.show.blocks import BLANK, Cells, Shown, Table, Text, heading
from ulterion.show.sentences import how_much, sentence_of


def machines_lines(review: Review, machines: Sequence[Machine], unit: str) -> list[Shown]:
    """Return what the fastest other drive gives of each machine's inner one, every drive by machine, and the ports."""
    rows: list[Cells | Text] = []
    for machine in machines:
        rows += _drives(review, machine, unit)
    columns = [("machine", "left"), ("drive", "left"), ("port", "left")]
    columns += [("reads", "right"), ("writes", "right"), ("small reads", "right")]
    legend = f"{unit}, small reads in IOPS; then the difference from the inner drive, ? undecided"
    ports = [row for machine in machines for row in machine.ports]
    return [
        *(Text(sentence_of(_sentence(review, m, unit))) for m in machines),
        BLANK,
        Table(columns, rows, "drives", spare=("port", "small reads")),
        Text(legend, style="muted"),
        *([BLANK, heading("Ports"), *ports_table(review, ports, unit)] if len(ports) > 1 else []),
    ]


def _sentence(review: Review, machine: Machine, unit: str) -> str:
    """Return what the fastest of the other drives gives beside the inner one."""
    group = machine.group
    if group is None:
        return f"on {machine.host} no inner drive was measured; measure it: ulterion measure FOLDER --as 'inner drive'"
    inner = review.label(review.setups[group.baseline or ""].medium)
    large = {s: large_and_small(group, s)[:2] for s in _others(group)}
    best = max(large, key=lambda s: max((r.estimate.rate for r in large[s] if r), default=0.0), default=None)
    if best is None:
        return f"on {machine.host} only the inner drive, {inner}, was measured"
    told = [
        f"{verb} at {show_rate(row.estimate.rate, unit)}, {_against(row)}"
        for verb, row in zip(("reads", "writes"), large[best], strict=True)
        if row is not None
    ]
    chain = review.setups[best].chain
    name = f"{review.joined(chain[1:])} on {review.label(chain[0])}"
    return f"on {machine.host}, beside the inner drive ({inner}), {name} {', and '.join(told)}"


def _against(row: ComparedRow) -> str:
    """Return how much faster or slower a rate is than the inner drive's."""
    if row.comparison is None:
        return "not measured on the inner drive"
    verdict = row.comparison.verdict
    return {"same": "as fast", "undecided": "undecided"}.get(verdict) or how_much(row.comparison.ratio.value)


def _others(group: Group) -> list[str]:
    return [s for s in dict.fromkeys(r.setup for r in group.rows) if s != group.baseline]


def _drives(review: Review, machine: Machine, unit: str) -> list[Cells | Text]:
    """Return a line for each drive of a machine in each port, the inner one first."""
    if machine.group is None:
        return [[machine.host, "no inner drive measured", "", "–", "–", "–"]]
    setups = [machine.group.baseline or "", *_others(machine.group)]
    lines: list[Cells | Text] = []
    for number, setup in enumerate(setups):
        chain = review.setups[setup].chain
        told = [rate_cell(r, unit) for r in large_and_small(machine.group, setup)]
        host = Text(machine.host if number == 0 else "", style="name")
        lines.append(
            [host, f"{review.joined(chain[1:])}{', inner' if number == 0 else ''}", review.label(chain[0]), *told]
        )
    return lines
