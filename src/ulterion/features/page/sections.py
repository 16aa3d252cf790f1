"""The sections of an article about what was measured. A section without results is left out."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

from ulterion.core.units import show_size
from ulterion.features.claims.charts import claims_chart
from ulterion.features.claims.sources import provenance
from ulterion.features.claims.speedup_tables import rivals_table
from ulterion.features.claims.tables import claims_table, said_lines
from ulterion.features.compare.answer import answers
from ulterion.features.compare.charts import comparison_chart
from ulterion.features.compare.tables import comparison_body
from ulterion.features.estimate.charts import works_chart
from ulterion.features.estimate.kinds import WHOLE
from ulterion.features.estimate.tables import values_table, works_table
from ulterion.features.estimate.transfer_time import moving
from ulterion.features.estimate.value import cheapest, values
from ulterion.features.page.article import Drawing, PageBlock, Section
from ulterion.features.page.inputs import DIRECTIONS, ReportInputs
from ulterion.features.page.subjects import plain_name
from ulterion.features.plan.charts import effects_chart, sweep_chart
from ulterion.features.plan.judging import effects, ranks
from ulterion.features.plan.sweeps import is_sweep
from ulterion.features.plan.tables import effects_table, ranks_table
from ulterion.features.soak.charts import soaks_chart
from ulterion.features.soak.judging import Soak, difference
from ulterion.features.soak.tables import findings_lines, soaks_table
from ulterion.show.blocks import Items, Table, Text, captioned, heading
from ulterion.show.charts import measured_on
from ulterion.show.depth import Depth
from ulterion.show.looks import Cast
from ulterion.show.sentences import listed, sentence_of

MAX_SOAKS = 4  # in one figure: more lines are not told apart
WAYS = {"read": "read", "write": "written"}


def tested(inputs: ReportInputs) -> Iterator[Section]:
    """Yield what was tested, and what was not."""
    blocks: list[PageBlock] = [*_products(inputs), *_setups(inputs)]
    untold = [
        f"{r.label}, {r.claim.replace('_', ' ')}: {r.judgement.verdict}"
        for r in inputs.claims
        if r.judgement.verdict in ("not tested", "not measured")
    ]
    untold += [
        f"{n}: {g.failed_runs[n].words if n in g.failed_runs else 'not measured'}"
        for g in inputs.groups
        for n in g.not_measured
    ]
    if untold:
        blocks += [heading("What was not"), Items(tuple(untold))]
    if blocks:
        yield Section("tested", "What was tested", tuple(blocks))


def _products(inputs: ReportInputs) -> Iterator[Table]:
    rows = []
    for part in inputs.review.parts.values():
        links = " / ".join(k.name for k in (part.link, part.inside) if k is not None)
        seen = f" ({part.price_date.isoformat()})" if part.price_date else ""
        price = f"{part.price}{seen}" if part.price is not None else ""
        rows.append(tuple(Text(text) for text in (part.name, part.kind, links, price, part.note)))
    if rows:
        heads = ("product", "kind", "link / inside", "price", "remark")
        yield _filled(heads, rows, "Products and stand-ins")


def _setups(inputs: ReportInputs) -> Iterator[Table]:
    rows = [
        tuple(
            Text(text)
            for text in (
                name,
                " > ".join(inputs.labels.get(k, k) for k in h.chain),
                "direct" if h.baseline else "",
                h.note,
            )
        )
        for name, h in inputs.review.setups.items()
    ]
    if rows:
        heads = ("setup", "from the port to the medium", "baseline", "remark")
        yield _filled(heads, rows, "How they were connected")


def _filled(heads: Sequence[str], rows: Sequence[tuple[Text, ...]], caption: str) -> Table:
    """Return a table without the columns that say nothing in any row."""
    kept = [i for i in range(len(heads)) if any(row[i].text for row in rows)]
    columns = tuple((heads[i], "left") for i in kept)
    return Table(columns, tuple(tuple(row[i] for i in kept) for row in rows), caption)


def compared(inputs: ReportInputs) -> Iterator[Section]:
    """Yield each medium with its setups beside each other."""
    cast, margin, unit = Cast.of(inputs.review), inputs.review.review.margin, inputs.unit
    for group in inputs.groups:
        label = inputs.labels.get(group.medium, group.medium)
        name = f"compare-{plain_name(group.medium)}"
        screen = comparison_body(group, inputs.labels, unit, margin, inputs.outcomes, depth=Depth.EVERYTHING)
        blocks: list[PageBlock] = [
            *(Text(sentence_of(a)) for a in answers(inputs.review, group, unit)),
            Drawing(name, comparison_chart(inputs.review, group, unit, cast)),
        ]
        yield Section(name, f"Every result with {label}", (*blocks, *captioned(screen, f"Every figure of {label}")))


def claimed(inputs: ReportInputs) -> Iterator[Section]:
    """Yield what the makers say, and what came of it."""
    beside, said = inputs.rivals, provenance(inputs.review)
    if not (inputs.claims or beside or said):
        return
    screen = claims_table(inputs.claims, inputs.review.review.tolerance, inputs.unit) if inputs.claims else []
    chart = claims_chart(inputs.review, inputs.claims, inputs.unit)
    blocks: list[PageBlock] = [Drawing("claims", chart)] if chart is not None else []
    blocks += captioned(screen, "Claims and what was measured")
    blocks += captioned(rivals_table(inputs.review, beside), "Times faster")
    yield Section("claims", "Advertised and measured", (*blocks, *said_lines(inputs.review, said)))


def soaked(inputs: ReportInputs) -> Iterator[Section]:
    """Yield the long runs."""
    soaks = inputs.soaks
    if not soaks:
        return
    names = [s.label for s in soaks]
    differences = [difference(s, soaks[0]) for s in soaks[1:]]
    blocks: list[PageBlock] = []
    for name, shown in _by_medium(inputs, soaks):
        blocks.append(Drawing(f"soaks-{name}", soaks_chart(shown, inputs.unit, [], Cast.of(inputs.review))))
    blocks += captioned(
        soaks_table(soaks, differences, inputs.unit, inputs.review.review), f"Long runs: {listed(names)}"
    )
    for soak in soaks:
        blocks.append(heading(f"{soak.label}, for long"))
        blocks += captioned(
            findings_lines(soak, inputs.unit, depth=Depth.WHY), f"What the long run of {soak.label} says"
        )
    yield Section("soaks", "The long run", tuple(blocks))


def _by_medium(inputs: ReportInputs, soaks: Sequence[Soak]) -> Iterator[tuple[str, list[Soak]]]:
    """Yield the soaks of each medium, a few at a time: within a medium every setup has a colour of its own."""
    media: dict[str, list[Soak]] = {}
    for soak in soaks:
        media.setdefault(inputs.review.setups[soak.run.setup or ""].medium, []).append(soak)
    for medium, every in media.items():
        for start in range(0, len(every), MAX_SOAKS):
            number = f"-{start // MAX_SOAKS + 1}" if start else ""
            yield f"{plain_name(medium)}{number}", every[start : start + MAX_SOAKS]


def worked(inputs: ReportInputs) -> Iterator[Section]:
    """Yield how long an evening's work takes."""
    size, blocks = show_size(inputs.review.report.work), list[PageBlock]()
    for way in DIRECTIONS:
        rows = inputs.works[way]
        if rows:
            title = f"{size} {WAYS[way]} in one go"
            blocks.append(Drawing(f"work-{way}", works_chart(inputs.review, rows, title)))
            blocks += captioned(works_table(inputs.review, rows, inputs.unit), title)
    for way in DIRECTIONS:
        rows = [r for r in moving(inputs.review, inputs.runs, None, way) if r.work is not None]
        if rows:
            blocks += captioned(works_table(inputs.review, rows, inputs.unit), sentence_of(WHOLE[way])[:-1])
    if blocks:
        yield Section("work", "Time", tuple(blocks))


def priced(inputs: ReportInputs) -> Iterator[Section]:
    """Yield what money buys."""
    size = float(inputs.review.report.work)
    found = values(inputs.review, inputs.runs, size, {"read": 1.0})
    if found:
        shown = values_table(inputs.review, found, cheapest(found), inputs.unit)
        caption = f"Prices, and rates of reading {show_size(size)} in one go"
        yield Section("money", "Money", tuple(captioned(shown, caption)))


def planned(inputs: ReportInputs) -> Iterator[Section]:
    """Yield what a matrix shows."""
    review, margin = inputs.review, inputs.review.review.margin
    found = [(g, e) for g in inputs.observations if (e := effects(g)) is not None]
    if not found:
        return
    runs = [o for o in inputs.runs if o.cell is not None]
    foot = measured_on([r.bench.host for r in runs], [r.started for r in runs])
    make = sweep_chart if is_sweep(found) else effects_chart
    blocks: list[PageBlock] = [Drawing("effects", make(review, found, foot))]
    for observations, effect in found:
        blocks += captioned(effects_table(review, observations, effect), f"Effects on {observations.workload.title}")
    for observations in inputs.observations:
        placed = ranks(review, observations, None, margin)
        if placed is not None:
            blocks.append(heading(observations.text))
            blocks += captioned(ranks_table(review, placed), f"Ranks by {observations.workload.title}")
    yield Section("plan", "The matrix", tuple(blocks))
