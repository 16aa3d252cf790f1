"""A chapter for each product: claims against results, box against shop, the reviewer's words and photographs, what works, and readings."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

from ulterion.core.outcomes import read_outcome
from ulterion.features.claims.charts import claims_chart
from ulterion.features.claims.source_words import provenance_words
from ulterion.features.claims.sources import provenance
from ulterion.features.page.answer_table import chapter_name
from ulterion.features.page.article import Drawing, PageBlock, Photograph, Section
from ulterion.features.page.findings import ProductFinding, product_findings
from ulterion.features.page.inputs import ReportInputs
from ulterion.features.page.subjects import entries_of, plain_name, soak_of_subject
from ulterion.features.soak.tables import findings_lines
from ulterion.model.photographs import FOLDER as PHOTOS
from ulterion.model.runs.notes import Reading
from ulterion.show.blocks import Items, Text, captioned, heading
from ulterion.show.depth import Depth
from ulterion.show.sentences import sentence_of


def chapters(inputs: ReportInputs, photos: Sequence[str]) -> Iterator[Section]:
    """Yield the chapter of every product of which anything is known; `photos` are the names of the review's photographs."""
    for one in product_findings(inputs):
        key = one.subject.key
        blocks = [
            *_about(inputs, one),
            *_photographs(one, photos),
            *_claims(inputs, one),
            *_long_run(inputs, key),
            *_noted(inputs, key),
        ]
        price = f", {one.subject.price}" if one.subject.price else ""
        yield Section(chapter_name(key), f"{one.name}{price}", tuple(blocks), (one.tone, one.chip))


def _about(inputs: ReportInputs, one: ProductFinding) -> Iterator[PageBlock]:
    part = inputs.review.parts.get(one.subject.key)
    if part is not None:
        link = part.link.name if part.link is not None else ""
        inside = f", inside {part.inside.name}" if part.inside is not None else ""
        seen = f"price seen on {part.price_date.isoformat()}" if part.price_date else ""
        facts = [w for w in (f"{part.kind}, {link}{inside}" if link else part.kind, part.note, seen) if w]
        yield Text(sentence_of("; ".join(facts)), "muted")
    if one.told:
        yield Text(one.told)


def _photographs(one: ProductFinding, photos: Sequence[str]) -> Iterator[Photograph]:
    """Yield the photographs whose file begins with the product's name in the review: 'pod.jpg', 'pod-inside.jpg'."""
    key = one.subject.key.casefold()
    for name in photos:
        stem = name.removeprefix(f"{PHOTOS}/").rpartition(".")[0]
        start, _, rest = stem.casefold().partition("-")
        if start == key or stem.casefold() == key:
            what = rest.replace("-", " ")
            yield Photograph(name, f"{one.name}: {what}" if what else one.name)


def _claims(inputs: ReportInputs, one: ProductFinding) -> Iterator[PageBlock]:
    """Yield the product's claims as bars, and who says them."""
    key = one.subject.key
    chart = claims_chart(inputs.review, [r for r in inputs.claims if r.part == key], inputs.unit)
    if chart is not None:
        yield Drawing(f"claims-{plain_name(key)}", chart)
    said = [provenance_words(inputs.review, p) for p in provenance(inputs.review, [key])]
    if said and key in inputs.review.parts:
        yield heading("Who says it")
        yield Items(tuple(said))


def _long_run(inputs: ReportInputs, key: str) -> Iterator[PageBlock]:
    soak = soak_of_subject(inputs, key)
    if soak is not None:
        yield heading("The long run")
        told = findings_lines(soak, inputs.unit, depth=Depth.ANSWER)
        yield from captioned(told, f"Temperatures of {inputs.review.label(key)} in the long run")


def _noted(inputs: ReportInputs, key: str) -> Iterator[PageBlock]:
    """Yield what works, what was read by hand, and what was seen and heard of the setups that the product is in."""
    works, readings, remarks = list[str](), list[str](), list[str]()
    for one in entries_of(inputs, key):
        where = inputs.review.setup_among_all(one.setup or "")
        if isinstance(one.record, Reading):
            readings.append(f"{where}: {one.record}")
        elif one.record.kind == "outcome" and read_outcome(one.record.text) is not None:
            works.append(f"{where}: {one.record.text}")
        elif one.record.kind == "remark":
            remarks.append(f"{where}: {one.record.text}")
    for title, told in (("What works", works), ("Read by hand", readings), ("Seen and heard", remarks)):
        if told:
            yield heading(title)
            yield Items(tuple(dict.fromkeys(told)))
