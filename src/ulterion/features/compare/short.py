"""A comparison on one screen: the answer, and a line for each setup with its rates side by side."""

from __future__ import annotations

from collections.abc import Sequence

from ulterion.features.clock.answer import answers as transfer_answers
from ulterion.features.clock.judging import ClockRow
from ulterion.features.clock.tables import clocked_lines
from ulterion.features.compare.answer import answers_of_all
from ulterion.features.compare.overview import rate_cell
from ulterion.model.review import Review
from ulterion.results.comparison import Group
from ulterion.show.blocks import BLANK, Shown, Table, Text
from ulterion.show.sentences import sentence_of

MOST = 6  # workloads that stand side by side


def short_comparison(review: Review, groups: Sequence[Group], unit: str) -> list[Shown]:
    """Return sentences and tables, a table for each medium."""
    shown: list[Shown] = []
    sentences = [sentence_of(a) for a in answers_of_all(review, groups, unit)]
    shown += [*(Text(s) for s in sentences), *([BLANK] if sentences else [])]
    for group in groups:
        shown += [_table(review, group, unit), Text(_legend(review, group, unit), "muted"), *_left_out(group)]
        shown += _warned(review, group)
    return shown


def transfer_lines(review: Review, timed: Sequence[ClockRow], unit: str) -> list[Shown]:
    """Return what transfers that were timed by hand or copied say, with a line for each; nothing without any."""
    return clocked_lines(review, transfer_answers(review, timed, unit), timed, [], unit) if timed else []


def _table(review: Review, group: Group, unit: str) -> Shown:
    """Return a line for each setup; a rate, and beside it by how much it differs from the baseline's."""
    kept = _workloads(group)
    names = {r.workload.text: r.workload for r in group.rows}
    columns = [("", "left"), *((names[text].title, "right") for text in kept)]
    lines = []
    for setup in dict.fromkeys(r.setup for r in group.rows):
        cells = [next((r for r in group.rows if r.setup == setup and r.workload.text == text), None) for text in kept]
        lines.append([Text(review.setup_label(setup), style="name"), *(rate_cell(c, unit) for c in cells)])
    return Table(columns, lines)


def _legend(review: Review, group: Group, unit: str) -> str:
    """Return what the rates are in, and what they are compared with."""
    small = " (random in IOPS)" if any(r.workload.pattern == "random" for r in group.rows) else ""
    if group.baseline is None or not any(r.comparison for r in group.rows):
        return f"{unit}{small}"
    return f"{unit}{small}; then the difference from {review.setup_label(group.baseline)}, ? undecided"


def _workloads(group: Group) -> list[str]:
    """Return the workloads that stand side by side: those compared first."""
    compared = [r.workload.text for r in group.rows if r.comparison is not None]
    return list(dict.fromkeys([*compared, *(r.workload.text for r in group.rows)]))[:MOST]


def _left_out(group: Group) -> list[Shown]:
    every = len(dict.fromkeys(r.workload.text for r in group.rows))
    return [Text(f"{every - MOST} more workloads: --long", "muted")] if every > MOST else []


def _warned(review: Review, group: Group) -> list[Shown]:
    """Return what must be known of the rates, each sentence once with the setups it is of."""
    by_words: dict[str, list[str]] = {}
    for setup, sentences in group.caveats.items():
        for words in sentences:
            by_words.setdefault(words, []).append(review.setup_label(setup))
    everywhere = set(group.caveats)
    told = [w if len(names) == len(everywhere) else f"{', '.join(names)}: {w}" for w, names in by_words.items()]
    linked = {b.setup for b in group.buses if b.seen}  # whose link is said already
    differs = []
    for name, phrases in group.differs.items():
        left = [p for p in phrases if not (name in linked and p.startswith("link: "))]
        differs += [f"{review.setup_label(name)} also differed: {', '.join(left)}"] if left else []
    return [Text(sentence_of(w), style="warning") for w in [*told, *differs]]
