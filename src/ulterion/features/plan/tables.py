"""A plan on the screen: the run sheet, the grid, effects, ranks, and what works where."""

from __future__ import annotations

from collections.abc import Sequence

from ulterion.core.matrix.effects import Effect, Effects
from ulterion.core.matrix.ranks import Ranks
from ulterion.core.stats.estimates import estimate
from ulterion.core.units import show_rate
from ulterion.core.workloads.workload import Workload
from ulterion.features.copy.words import listed
from ulterion.features.plan import words as words
from ulterion.features.plan.compatibility import CompatibilityRow
from ulterion.features.plan.judging import Observations
from ulterion.features.plan.other_reviews import OtherReviewRow
from ulterion.features.plan.ports import PortRow
from ulterion.model.plan import Plan
from ulterion.model.planned import Planned, PlannedCell
from ulterion.model.review import Review
from ulterion.model.runs.measure import MeasureRun
from ulterion.show.blocks import BLANK, Cells, Shown, Table, Text, bullet_list, heading
from ulterion.show.columns import align_points, show_change, show_margin

STATES = {"done": "good", "doubtful": "open", "open": "muted", "elsewhere": "muted"}
MAX_CELLS = 60


def sheet(review: Review, now: Planned, unlike: Sequence[str] = ()) -> list[Shown]:
    """Return the run sheet: every cell in its order with its state, what is open, and what comes next."""
    factors = [f for f, _ in now.cells[0].cell] if now.cells else []
    columns = [("", "right"), *((f, "left") for f in factors), ("state", "left"), ("setup", "left"), ("runs", "left")]
    rows: list[Cells | Text] = [_sheet_row(review, n, c, now) for n, c in enumerate(now.cells[:MAX_CELLS], 1)]
    lines: list[Shown] = [heading(words.progress(now)), BLANK, Table(columns, rows)]
    if len(now.cells) > MAX_CELLS:
        lines.append(Text(f"and {len(now.cells) - MAX_CELLS} more; --json lists all", style="muted"))
    lines += bullet_list("Doubtful", listed(words.doubts(now)))
    lines += bullet_list("Still open against the baseline", listed(words.undecided(now)))
    lines += bullet_list("Could not be kept alike", listed(list(unlike)))
    if now.next is not None:
        lines += [BLANK, Text(f"comes next: {words.step_name(now.next)}")]
    return [*lines, BLANK]


def _sheet_row(review: Review, number: int, cell: PlannedCell, now: Planned) -> Cells:
    mark = ">" if now.next is not None and now.next.setup == cell.setup else str(number)
    state = Text(words.state_word(cell), style=STATES[cell.state])
    levels = [words.named(review, level) for _, level in cell.cell]
    return [mark, *levels, state, cell.setup, " ".join(cell.runs)]


def after(now: Planned, steps: int, failed: dict[str, str], stopped: str | None, unlike: Sequence[str]) -> list[Shown]:
    """Return what a plan came to: how far it is, what failed, what stays open, and what comes next."""
    told = f"{steps} steps were taken; {words.progress(now)}" + (f"; stopped: {stopped}" if stopped else "")
    lines: list[Shown] = [BLANK, heading(told)]
    lines += bullet_list("Failed", listed([f"{name}: {why}" for name, why in failed.items()]))
    lines += bullet_list("Doubtful", listed(words.doubts(now)))
    lines += bullet_list("Still open against the baseline", listed(words.undecided(now)))
    lines += bullet_list("Could not be kept alike", listed(list(unlike)))
    return [
        *lines,
        BLANK,
        Text("next: ulterion plan run" if now.next else "next: ulterion plan effects, then ulterion plan ranks"),
    ]


def measured_line(run: MeasureRun, unit: str) -> str:
    """Return what a cell gave, in a line."""
    parts = []
    for record in run.workloads:
        for figure in record.figures:
            told = estimate(run.rates_of(figure))
            shown = figure_words(figure.workload, told.rate, unit)
            parts.append(f"{shown} ± {show_margin(told)} ({told.passes})")
    state = "" if run.state.name == "complete" else f"{run.state.name}: {run.state.why}; "
    return state + ", ".join(parts)


def grid(review: Review, observations: Observations, rows: str, columns: str, unit: str) -> list[Shown]:
    """Return a workload over the cells: a table for each combination of the factors that are neither its rows nor its columns."""
    lines: list[Shown] = [BLANK, heading(observations.text)]
    tables: dict[tuple[tuple[str, str], ...], dict[tuple[str, str], str]] = {}
    for cell, figure in observations.figures.items():
        levels = dict(cell)
        rest = tuple(pair for pair in cell if pair[0] not in (rows, columns))
        shown = figure_words(observations.workload, figure.rate, unit)
        tables.setdefault(rest, {})[levels[rows], levels[columns]] = f"{shown} ± {show_margin(figure)}"
    plan = review.plan
    assert plan is not None
    for rest, cells in sorted(tables.items(), key=lambda one: _order(plan, one[0])):
        names = plan.factors[columns]
        heads = [
            (", ".join(f"{f} {words.named(review, v)}" for f, v in rest) or rows, "left"),
            *((words.named(review, c), "right") for c in names),
        ]
        body: list[Cells | Text] = [
            [words.named(review, r), *(cells.get((r, c), "–") for c in names)] for r in plan.factors[rows]
        ]
        lines += [Table(heads, body), BLANK]
    return lines


def _order(plan: Plan, rest: Sequence[tuple[str, str]]) -> list[int]:
    return [plan.factors[factor].index(level) for factor, level in rest]


def figure_words(workload: Workload, rate: float, unit: str) -> str:
    """Return a rate, of small random requests as requests a second."""
    if workload.pattern == "random":
        return f"{rate / workload.block_bytes:.0f}/s"
    return show_rate(rate, unit, with_unit=False)


def effects_table(review: Review, observations: Observations, found: Effects) -> list[Shown]:
    """Return what each factor does to a workload."""
    columns = (
        ("factor", "left"),
        ("level", "left"),
        ("against", "left"),
        ("effect", "right"),
        ("95 % interval", "left"),
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
        ("to the mean", "right"),
        ("95 % interval", "left"),
        ("cells", "right"),
        ("no further than the margin from", "left"),
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
    columns = [*((f, "left") for f, _ in rows[0].cell), *((q, "left") for q in questions)]
    body: list[Cells | Text] = [
        [*(words.named(review, level) for _, level in row.cell), *(_works(row.works[q]) for q in questions)]
        for row in rows
    ]
    return [Table(columns, body)]


def ports_table(review: Review, rows: Sequence[PortRow], unit: str) -> list[Shown]:
    """Return the ports of hosts beside each other."""
    columns = [(name, "left") for name in ("host", "port", "link")]
    sides = [(f"{way}, {unit}", "left") for way in ("read", "write")]
    body: list[Cells | Text] = [
        [
            row.host,
            row.port,
            row.link or (f"faster than {row.rules_out}" if row.rules_out else "–"),
            *(_most(row, way, unit) for way in ("read", "write")),
            row.controller or "–",
            ", ".join(row.shares),
        ]
        for row in rows
    ]
    return [
        Table([*columns, *sides, ("behind it", "left"), ("shared with", "left")], body),
        Text("the most that any setup carried there, by its newest runs", style="muted"),
    ]


def _most(row: PortRow, way: str, unit: str) -> str:
    told = next(((e, h) for name, (e, h) in row.best.items() if name == way), None)
    return "–" if told is None else f"{show_rate(told[0].rate, unit, with_unit=False)} by {told[1]}"


def others_table(others: Sequence[OtherReviewRow], unit: str) -> list[Shown]:
    """Return what other reviews measured, marked as theirs."""
    if not others:
        return []
    columns = (("workload", "left"), (unit, "right"), ("setup", "left"), ("host", "left"), ("review", "left"))
    body: list[Cells | Text] = [
        [
            o.text,
            f"{figure_words(o.workload, o.figure.rate, unit)} ± {show_margin(o.figure)}",
            " > ".join(o.chain),
            o.host,
            o.title,
        ]
        for o in others
    ]
    head = Text(
        "Of other reviews: another bench, another day; to be weighed and not to be compared by per cent", style="head"
    )
    return [head, Table(columns, body), BLANK]


def _works(answer: bool | None) -> Text:
    if answer is None:
        return Text("–", style="muted")
    return Text("yes", style="good") if answer else Text("no", style="bad")
