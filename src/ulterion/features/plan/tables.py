"""A plan on the screen: the run sheet, the grid, effects, ranks, and what works where."""

from __future__ import annotations

from collections.abc import Sequence

from ulterion.core.matrix.effects import Effect, Effects
from ulterion.core.matrix.grid import Cell
from ulterion.core.matrix.ranks import Ranks
from ulterion.core.matrix.winners import winners
from ulterion.core.stats.estimates import estimate
from ulterion.core.workloads.suites import short_title
from ulterion.features.plan import words as words
from ulterion.features.plan.compatibility import CompatibilityRow
from ulterion.features.plan.judging import Observations
from ulterion.features.plan.other_reviews import OtherReviewRow
from ulterion.model.plan import Plan, outcome_of
from ulterion.model.planned import Planned, PlannedCell
from ulterion.model.review import Review
from ulterion.model.runs.measure import MeasureRun
from ulterion.show.blocks import BLANK, Cells, Shown, Table, Text, bullet_list, heading
from ulterion.show.columns import align_points, show_change, with_margin
from ulterion.show.sentences import first_few, sentence_of

STATES = {"done": "good", "doubtful": "open", "open": "muted", "elsewhere": "muted"}
MAX_CELLS, FEW_CELLS = 60, 12  # of a run sheet


def sheet(review: Review, now: Planned, unlike: Sequence[str] = (), *, long: bool = False) -> list[Shown]:
    """Return the run sheet: how far the plan is, what comes next, and the cells still to measure; with `long` every cell."""
    factors = [f for f, _ in now.cells[0].cell] if now.cells else []
    columns = [("", "right"), *((f, "left") for f in factors), ("state", "left")]
    columns += [("setup", "left"), ("runs", "left")] if long else []
    numbered = [(n, c) for n, c in enumerate(now.cells, 1) if long or c.state != "done"]
    most = MAX_CELLS if long else FEW_CELLS
    rows: list[Cells | Text] = [_sheet_row(review, n, c, now)[: len(columns)] for n, c in numbered[:most]]
    lines: list[Shown] = [heading(sentence_of(words.progress(now)))]
    if now.next is not None:
        lines.append(Text(f"Next comes {words.step_title(review, now.next)}."))
    lines += [BLANK, Table(columns, rows)] if rows else []
    if len(numbered) > most:
        rest = "--json lists all" if long else "--long shows them all"
        lines.append(Text(f"and {len(numbered) - most} more: {rest}", style="muted"))
    return [*lines, *_open(now, unlike)]


def _open(now: Planned, unlike: Sequence[str]) -> list[Shown]:
    """Return what is doubtful or undecided, and what differed although the plan wants it alike."""
    return [
        *bullet_list("Doubtful", first_few(words.doubts(now))),
        *bullet_list("Undecided against the baseline", first_few(words.undecided(now))),
        *bullet_list("Differed between cells", first_few(list(unlike))),
    ]


def _sheet_row(review: Review, number: int, cell: PlannedCell, now: Planned) -> Cells:
    mark = ">" if now.next is not None and now.next.setup == cell.setup else str(number)
    state = Text(words.state_word(cell), style=STATES[cell.state])
    levels = [words.named(review, level) for _, level in cell.cell]
    return [mark, *levels, state, cell.setup, " ".join(cell.runs)]


def after(now: Planned, steps: int, failed: dict[str, str], stopped: str | None, unlike: Sequence[str]) -> list[Shown]:
    """Return what a plan came to: how far it is, what failed, what stays open, and what comes next."""
    taken = f"{steps} step{'' if steps == 1 else 's'} taken"
    told = f"{words.progress(now)}; {taken}" + (f"; stopped: {stopped}" if stopped else "")
    failures = bullet_list("Failed", first_few([f"{name}: {why}" for name, why in failed.items()]))
    return [heading(sentence_of(told)), *failures, *_open(now, unlike), BLANK, next_line(now)]


def next_line(now: Planned) -> Text:
    """Return what comes next: the open cells, else a doubtful one again, else what the plan shows."""
    if now.next is not None:
        return Text("next: ulterion plan run")
    doubtful = next((c.setup for c in now.cells if c.state == "doubtful"), None)
    again = f", or a doubtful cell again: ulterion plan run --again {doubtful}" if doubtful else ""
    return Text(f"next: ulterion plan effects{again}")


def measured_line(run: MeasureRun, unit: str) -> str:
    """Return what a cell gave, in a line."""
    parts = []
    for record in run.workloads:
        for figure in record.figures:
            told = estimate(run.rates_of(figure))
            shown = words.figure_words(figure.workload, told.rate, unit)
            parts.append(f"{with_margin(shown, told)} ({told.passes})")
    state = "" if run.state.name == "complete" else f"{run.state.name}: {run.state.why}; "
    return state + ", ".join(parts)


def levels_table(review: Review, found: Sequence[Observations], unit: str) -> list[Shown]:
    """Return the levels of a plan's one factor, a column for each workload, the fastest at the first workload on top."""
    first = found[0]
    ordered = sorted(first.figures, key=lambda cell: -first.figures[cell].rate)
    ordered += [cell for g in found[1:] for cell in g.figures if cell not in ordered]
    body: list[Cells | Text] = [
        [words.cell_rest(review, cell), *(_in_cell(one, cell, unit) for one in found)]
        for cell in dict.fromkeys(ordered)
    ]
    heads = [("", "left"), *((_column(g, unit), "right") for g in found)]
    note = Text("± half the 95% interval", style="muted")
    return [Text(words.grid_sentence(review, first, unit)), BLANK, Table(heads, body), note, BLANK]


def _column(one: Observations, unit: str) -> str:
    return f"{short_title(one.workload)}, {'IOPS' if one.workload.pattern == 'random' else unit}"


def _in_cell(one: Observations, cell: Cell, unit: str) -> str:
    figure = one.figures.get(cell)
    return "–" if figure is None else with_margin(words.figure_words(one.workload, figure.rate, unit), figure)


def grid(review: Review, observations: Observations, rows: str, columns: str, unit: str) -> list[Shown]:
    """Return a workload over the cells: the fastest and the slowest, and a table, a part for each combination of the other factors."""
    plan = review.plan
    assert plan is not None
    found = winners(observations.rates, rows, review.review.margin) if len(plan.factors) == 2 else []
    won = {(level, dict(one.rest)[columns]) for one in found for level in one.first if not one.unsure}
    tables: dict[tuple[tuple[str, str], ...], dict[tuple[str, str], Text]] = {}
    for cell, figure in observations.figures.items():
        levels = dict(cell)
        rest = tuple(pair for pair in cell if pair[0] not in (rows, columns))
        shown = words.figure_words(observations.workload, figure.rate, unit)
        place = levels[rows], levels[columns]
        tables.setdefault(rest, {})[place] = Text(with_margin(shown, figure), style="good" if place in won else "")
    names = plan.factors[columns]
    body: list[Cells | Text] = []
    for rest, cells in sorted(tables.items(), key=lambda one: _order(plan, one[0])):
        body += [Text(words.cell_rest(review, rest), style="name")] if rest else []
        body += [
            [f"  {words.named(review, r)}", *(cells.get((r, c), "–") for c in names)]
            for r in plan.factors[rows]
            if any((r, c) in cells for c in names)
        ]
    heads = [("", "left"), *((words.named(review, c), "right") for c in names)]
    unit_words = "IOPS" if observations.workload.pattern == "random" else unit
    return [
        Text(
            words.winners_sentence(review, observations, found, rows, unit)
            if found
            else words.grid_sentence(review, observations, unit)
        ),
        BLANK,
        Table(heads, body, short_title(observations.workload)),
        Text(f"{unit_words}; ± half the 95% interval", style="muted"),
        BLANK,
    ]


def _order(plan: Plan, rest: Sequence[tuple[str, str]]) -> list[int]:
    return [plan.factors[factor].index(level) for factor, level in rest]


def effects_table(review: Review, observations: Observations, found: Effects) -> list[Shown]:
    """Return what each factor does to a workload."""
    columns = (
        ("factor", "left"),
        ("level", "left"),
        ("against", "left"),
        ("effect", "right"),
        ("95% interval", "left"),
        ("cells", "right"),
    )
    rows: list[Cells | Text] = [_effect_row(review, e) for e in found.effects]
    lines: list[Shown] = [BLANK, heading(observations.text), Table(columns, rows)]
    lines += bullet_list("Interactions", words.together_words(review, found))
    refused = [words.effect_words(review, e) for e in found.effects if e.ratio is None]
    return [*lines, *bullet_list("Cannot be determined", refused), *bullet_list("Warnings", words.cautions(found))]


def _effect_row(review: Review, effect: Effect) -> Cells:
    style = "" if not words.matters(effect) else "good" if (effect.ratio or 1) > 1 else "bad"
    change = Text("–" if effect.ratio is None else show_change(effect.ratio), style=style)
    names = [words.named(review, effect.level), words.named(review, effect.against)]
    return [effect.factor, *names, change, words.interval(effect.low, effect.high), str(effect.cells)]


def ranks_table(review: Review, ranks: Ranks) -> list[Shown]:
    """Return the places of products for a workload."""
    columns = (
        ("place", "left"),
        (ranks.factor, "left"),
        ("vs average", "right"),
        ("95% interval", "left"),
        ("cells", "right"),
        ("tied with", "left"),
    )
    changes = align_points([show_change(p.ratio) for p in ranks.places])
    rows: list[Cells | Text] = [
        [
            words.rank_word(p),
            words.named(review, p.level),
            change,
            words.interval(p.low, p.high),
            str(p.cells),
            ", ".join(words.named(review, t) for t in p.tied),
        ]
        for p, change in zip(ranks.places, changes, strict=True)
    ]
    lines: list[Shown] = []
    if rows:
        lines += [Table(columns, rows), Text(words.best_words(review, ranks))]
    lines += bullet_list("The order turns", words.turn_words(review, ranks))
    refused = [f"{words.named(review, level)}: {why}" for level, why in ranks.refused]
    return [*lines, *bullet_list("Without a place", refused)]


def compatibility_table(review: Review, rows: Sequence[CompatibilityRow]) -> list[Shown]:
    """Return what works in which cell."""
    if not rows:
        return []
    questions = list(rows[0].works)
    known = [row for row in rows if any(answer is not None for answer in row.works.values())]
    columns = [*((f, "left") for f, _ in rows[0].cell), *((q, "left") for q in questions)]
    body: list[Cells | Text] = [
        [*(words.named(review, level) for _, level in row.cell), *(_works(row.works[q]) for q in questions)]
        for row in known
    ]
    missing = [row.setup for row in rows if row not in known]
    table: list[Shown] = [BLANK, Table(columns, body)] if body else []
    return [
        Text(words.compatibility_sentence(rows, questions)),
        *table,
        *(
            [BLANK, Text(f"next: ulterion note --setup {missing[0]} {outcome_of(questions[0], works=True)!r}")]
            if missing
            else []
        ),
    ]


def others_table(others: Sequence[OtherReviewRow], unit: str) -> list[Shown]:
    """Return what other reviews measured, marked as theirs."""
    if not others:
        return []
    columns = (("workload", "left"), (unit, "right"), ("setup", "left"), ("host", "left"), ("review", "left"))
    body: list[Cells | Text] = [
        [
            o.text,
            with_margin(words.figure_words(o.workload, o.figure.rate, unit), o.figure),
            " > ".join(o.chain),
            o.host,
            o.title,
        ]
        for o in others
    ]
    head = Text("Other reviews: another bench on another day, so not a fair comparison", style="head")
    return [head, Table(columns, body), BLANK]


def _works(answer: bool | None) -> Text:
    if answer is None:
        return Text("–", style="muted")
    return Text("yes", style="good") if answer else Text("no", style="bad")
