"""The first screen of a review: headline, alarms, and a table of products for each kind."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import replace

from ulterion.core.arrays import np
from ulterion.core.soak.trace import LOAD
from ulterion.core.units import RATE_UNITS, show_iops, show_rate
from ulterion.features.compare.overview import large_and_small
from ulterion.features.page.article import MEASURES, Alarm, AnswerRow, AnswerTable, AnswerView, Headline, Measure
from ulterion.features.page.findings import ProductFinding, data_alarms, product_findings
from ulterion.features.page.gathering import UNDER_WAY
from ulterion.features.page.headline import cheapest_of, headline, lead, view_title
from ulterion.features.page.inputs import ReportInputs
from ulterion.features.page.subjects import SubjectRate, plain_name, rates, soak_of_subject, tests
from ulterion.show.charts import Bar, measured_on
from ulterion.show.looks import Cast
from ulterion.show.sentences import listed

COURSE = 60  # points of the small line of a long run
ORDER = {"good": 0, "open": 1, "none": 2, "bad": 3}
NO_RATE = "no rate measured"
ALONE = "also tested"  # the kind of those that have no rival in the review
ONLY = "what was tested"  # where no product has one


def first_screen(inputs: ReportInputs) -> Iterator[Headline | AnswerTable | Alarm]:
    """Yield the headline, the alarms, and a table for each kind of product."""
    found = product_findings(inputs)
    runs = inputs.every
    when = measured_on([r.bench.host for r in runs], [r.started for r in runs]) if runs else ""
    count = f"{len(runs):,} run{'s' if len(runs) != 1 else ''}, checkable" if runs else ""
    now = [r.setup or r.kind for r in runs if r.state.why == UNDER_WAY]
    going = f"{listed(now)} {'are' if len(now) > 1 else 'is'} being measured now" if now else ""
    line = "; ".join(w for w in (when, count, going) if w)
    yield Headline(headline(inputs, found), line, lead(inputs, found))
    yield from (Alarm(words) for words in (*data_alarms(inputs), *(w for one in found for w in one.alarms)))
    kinds: dict[str, list[ProductFinding]] = {}
    for one in found:
        kinds.setdefault(one.subject.kind, []).append(one)
    rivals = sorted((k for k, mine in kinds.items() if len(mine) > 1), key=lambda k: -len(kinds[k]))
    yield from (_table(inputs, kind, kinds[kind]) for kind in rivals)  # many rivals are what a reader chooses among
    alone = [one for kind, mine in kinds.items() for one in mine if kind not in rivals]
    if alone:
        several = ALONE if rivals else ONLY
        yield _table(inputs, several if rivals or len(alone) > 1 else alone[0].subject.kind, alone)


def _table(inputs: ReportInputs, kind: str, found: Sequence[ProductFinding]) -> AnswerTable:
    """Return products by every measure that one of them has; by the first where none has any."""
    known = {one.subject.key: rates(inputs, one.subject.key) for one in found}
    measures: list[Measure] = [m for m in MEASURES if any(m in mine for mine in known.values())] or ["read"]
    made = []
    for measure in measures:
        mine = {one.subject.key: rate for one in found if (rate := known[one.subject.key].get(measure)) is not None}
        rows = _rows(inputs, measure, found, mine, rivals=kind not in (ALONE, ONLY))
        what = "; ".join(w for w in (_what(inputs, kind, measure), _baseline(inputs, measure, found)) if w)
        made.append(AnswerView(measure, _title(inputs, kind, measure, found, mine), what, rows))
    return AnswerTable(
        kind.capitalize() if kind in (ALONE, ONLY) or len(found) < 2 else f"{kind.capitalize()}s", tuple(made)
    )


def _title(
    inputs: ReportInputs, kind: str, measure: Measure, found: Sequence[ProductFinding], known: Mapping[str, SubjectRate]
) -> str:
    if kind in (ALONE, ONLY):
        return kind.capitalize()
    named = {f.name: known[f.subject.key] for f in found if f.subject.key in known}
    return view_title(kind, measure, named, inputs.review.review.margin)


def _what(inputs: ReportInputs, kind: str, measure: Measure) -> str:
    what = "small reads one at a time, IOPS" if measure == "small" else f"large {measure}s, {inputs.unit}"
    return f"{what}; a scale for each medium" if kind in (ALONE, ONLY) else what


def _baseline(inputs: ReportInputs, measure: Measure, found: Sequence[ProductFinding]) -> str:
    """Return the rate of the baseline that several rivals share, or '' where they share none or it is one of them."""
    groups = [g for g in inputs.groups if any(tests(inputs, r.setup, f.subject.key) for f in found for r in g.rows)]
    if len(found) < 2 or len(groups) != 1 or groups[0].baseline is None:
        return ""
    baseline, review = groups[0].baseline, inputs.review
    if any(tests(inputs, baseline, f.subject.key) for f in found):
        return ""
    row = large_and_small(groups[0], baseline)[list(MEASURES).index(measure)]
    if row is None:
        return ""
    rate = row.estimate.rate
    words = (
        show_iops(rate / row.workload.block_bytes)
        if measure == "small"
        else show_rate(rate, inputs.unit, with_unit=False)
    )
    return (
        f"{review.label(review.setups[baseline].medium)} in {review.label(review.setups[baseline].chain[0])}: {words}"
    )


def _rows(
    inputs: ReportInputs,
    measure: Measure,
    found: Sequence[ProductFinding],
    known: Mapping[str, SubjectRate],
    *,
    rivals: bool,
) -> tuple[AnswerRow, ...]:
    """Return a row for each product: of rivals the one to buy first, then the fastest, on one scale."""
    pick = cheapest_of(inputs, [f for f in found if f.recommendable]) if rivals and len(found) > 1 else None
    scale, cast = 1.0 if measure == "small" else RATE_UNITS[inputs.unit], Cast.of(inputs.review)
    rows = [_row(inputs, one, known.get(one.subject.key), scale, cast) for one in found]
    if not rivals:
        media = {chapter_name(f.subject.key): _medium(inputs, f.subject.key) for f in found}
        return tuple(replace(r, most=max(o.most for o in rows if media[o.chapter] == media[r.chapter])) for r in rows)
    most = max((r.most for r in rows), default=0.0)
    picked = None if pick is None else chapter_name(pick.subject.key)
    rows = [replace(r, most=most, pick=r.chapter == picked) for r in rows]
    return tuple(sorted(rows, key=lambda r: (not r.pick, -(r.bar.value if r.bar else 0.0), ORDER[r.tone], r.name)))


def _medium(inputs: ReportInputs, key: str) -> str:
    """Return the medium that a product was tested with."""
    mine = (n for n in inputs.measured_setups if tests(inputs, n, key))
    return next((inputs.review.setups[n].medium for n in mine), key)


def _row(inputs: ReportInputs, one: ProductFinding, rate: SubjectRate | None, scale: float, cast: Cast) -> AnswerRow:
    shade = cast.parts.get(one.subject.key, _port_shade(inputs, one.subject.key, cast))
    bar = None
    if rate is not None:
        mark = None if rate.claimed is None else rate.claimed / scale
        bar = Bar(label=one.name, value=rate.measured / scale, text=rate.words, shade=shade, mark=mark)
    return AnswerRow(
        name=one.name,
        price=one.subject.price,
        chapter=chapter_name(one.subject.key),
        bar=bar,
        most=max(bar.value, bar.mark or 0.0) if bar is not None else 0.0,
        rate=rate.words if rate is not None else NO_RATE,
        course=_course(inputs, one.subject.key),
        tone=one.tone,
        chip=one.chip,
        told=one.told,
    )


def _port_shade(inputs: ReportInputs, port: str, cast: Cast) -> int:
    """Return the colour of what is tested at a port."""
    return next((cast.shade(n) for n in inputs.measured_setups if tests(inputs, n, port)), 0)


def chapter_name(key: str) -> str:
    """Return the address of a product's chapter."""
    return f"product-{plain_name(key)}"


def _course(inputs: ReportInputs, part: str) -> tuple[float, ...]:
    """Return the course of a product's long run as shares of its highest rate, a few points of it."""
    soak = soak_of_subject(inputs, part)
    if soak is None:
        return ()
    phase = soak.trace.phase(LOAD)
    values = (soak.trace if phase is None else soak.trace.during(phase)).rate
    parts = np.array_split(values, min(COURSE, max(1, values.size)))
    means = np.array([float(p.mean()) for p in parts if p.size])
    return tuple(float(v) for v in np.round(means / max(float(means.max()), 1e-9), 3))
