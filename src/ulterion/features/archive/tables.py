"""The answers of the archive, on the screen."""

from __future__ import annotations

from collections.abc import Sequence

from ulterion.core.units import show_rate
from ulterion.features.archive.adding import Added
from ulterion.features.archive.query import Answer
from ulterion.show.blocks import Cells, Shown, Table, Text, bullet_list
from ulterion.show.columns import align_points


def answers_table(answers: Sequence[Answer], doubts: Sequence[str], unit: str) -> list[Shown]:
    """Return the results found, the highest rate first, and what makes comparing them doubtful."""
    if not answers:
        return [Text("Nothing in the archive matches.")]
    rates = align_points([show_rate(a.rate, unit, with_unit=False) for a in answers])
    columns = (
        (unit, "right"),
        ("workload", "left"),
        ("measured", "left"),
        ("host", "left"),
        ("run", "left"),
        ("products", "left"),
    )
    body: list[Cells | Text] = [
        [rate, a.workload, a.started[:10], a.host, a.run, Text(a.label, style="name")]
        for a, rate in zip(answers, rates, strict=True)
    ]
    return [Table(columns, body), *bullet_list("Not measured alike", doubts)]


def added_words(added: Added, where: str) -> str:
    """Return in words what was added."""
    told = [f"{added.new} new"] + [
        f"{n} {w}" for n, w in ((added.changed, "changed"), (added.known, "known"), (added.gone, "taken out")) if n
    ]
    return f"{where}: {', '.join(told)}"
