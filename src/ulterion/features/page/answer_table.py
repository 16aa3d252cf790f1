"""The answer of a review on its first screen: a headline, a table of products for each kind, and what must be said first."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

import numpy as np

from ulterion.core.soak.trace import LOAD, Floats
from ulterion.core.units import show_percent, show_rate
from ulterion.features.claims.row import ClaimRow
from ulterion.features.compare.overview import large_and_small
from ulterion.features.page.findings import ProductFinding, headline, product_findings
from ulterion.features.page.inputs import ReportInputs
from ulterion.features.soak.judging import Soak
from ulterion.show.blocks import Alarm, AnswerRow, AnswerTable, Headline
from ulterion.show.charts import measured_on
from ulterion.show.looks import Cast

COURSE = 60  # points of the small line of a long run
ORDER = {"good": 0, "open": 1, "none": 2, "bad": 3}


def first_screen(inputs: ReportInputs) -> Iterator[Headline | AnswerTable | Alarm]:
    """Yield the headline, the alarms, and a table for each kind of product."""
    found = product_findings(inputs)
    runs = inputs.every
    when = measured_on([r.bench.host for r in runs], [r.started for r in runs]) if runs else ""
    count = f"{len(runs)} run{'s' if len(runs) != 1 else ''}, checkable" if runs else ""
    yield Headline(headline(inputs, found), "; ".join(w for w in (when, count) if w))
    for one in found:
        if one.alarm:
            yield Alarm(one.alarm)
    cast = Cast.of(inputs.review)
    kinds: dict[str, list[ProductFinding]] = {}
    for one in found:
        kinds.setdefault(inputs.review.parts[one.part].kind, []).append(one)
    for kind, mine in sorted(
        kinds.items(), key=lambda k: -len(k[1])
    ):  # where several rival is where the reader chooses
        yield _table(inputs, kind, mine, cast)


def _table(inputs: ReportInputs, kind: str, found: Sequence[ProductFinding], cast: Cast) -> AnswerTable:
    """Return a table of the products of one kind, the fastest above."""
    rows = []
    for one in found:
        measured, claimed = _rate(inputs, one.part)
        rows.append(
            AnswerRow(
                name=one.name,
                price=one.price,
                measured=measured,
                claimed=claimed,
                words=_words(measured, claimed, inputs.unit),
                shade=cast.parts[one.part] % 6,
                course=_course(inputs, one.part),
                tone=one.tone,
                chip=one.chip,
                told=one.told,
            )
        )
    rows.sort(key=lambda r: (-(r.measured or 0.0), ORDER[r.tone], r.name))
    most = max((max(r.measured or 0.0, r.claimed or 0.0) for r in rows), default=0.0)
    return AnswerTable(f"{kind.capitalize()}s" if len(rows) > 1 else kind.capitalize(), tuple(rows), most)


def _rate(inputs: ReportInputs, part: str) -> tuple[float | None, float | None]:
    """Return what a product reads at, large transfers in bytes per second, and what it claims; what it writes where it was not read."""
    rows: list[ClaimRow] = [r for r in inputs.claims if r.part == part and r.unit == "B/s" and r.measured is not None]
    claimed = next((r for r in rows if r.claim == "read"), next(iter(rows), None))
    if claimed is not None:
        return claimed.measured, claimed.claimed
    best = 0.0
    for group in inputs.groups:
        for setup in dict.fromkeys(r.setup for r in group.rows):
            chain = inputs.review.setups[setup].chain
            if part in chain[1:-1] or (part == chain[-1] and len(chain) == 2):
                read, write, _ = large_and_small([r for r in group.rows if r.setup == setup])
                row = read or write
                best = max(best, row.estimate.rate if row is not None else 0.0)
    return best or None, None


def _loaded(soak: Soak) -> Floats:
    """Return the rates of a soak's load, bytes per second."""
    phase = soak.trace.phase(LOAD)
    return (soak.trace if phase is None else soak.trace.during(phase)).rate


def _words(measured: float | None, claimed: float | None, unit: str) -> str:
    if measured is None:
        return "no rate measured"
    if claimed is None:
        return show_rate(measured, unit)
    return f"{show_rate(measured, unit)} of {show_rate(claimed, unit, with_unit=False)} claimed, {show_percent(measured / claimed)}"


def _course(inputs: ReportInputs, part: str) -> tuple[float, ...]:
    """Return the course of a product's long run as shares of its highest rate, a few points of it."""
    for soak in inputs.soaks:
        chain = inputs.review.setups[soak.run.setup or ""].chain
        if (chain[1] if len(chain) > 2 else chain[-1]) == part:
            rates = _loaded(soak)
            parts = np.array_split(rates, min(COURSE, max(1, rates.size)))
            means = np.array([float(p.mean()) for p in parts if p.size])
            return tuple(float(v) for v in np.round(means / max(float(means.max()), 1e-9), 3))
    return ()
