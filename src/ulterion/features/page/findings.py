"""What a review found, product by product: what each claim came to, what heat did, what it costs against the baseline; and what must be said first.

A finding of a product is made of verdicts alone, and names only what is so.  Its rank says how soon it is told.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

from ulterion.core.units import show_duration, show_rate, show_size
from ulterion.features.claims.row import ClaimRow
from ulterion.features.compare.charts import comparison_title
from ulterion.features.compare.overview import large_and_small
from ulterion.features.page.inputs import ReportInputs
from ulterion.features.plan.charts import effects_chart, ranks_chart, sweep_chart
from ulterion.features.plan.judging import effects, ranks
from ulterion.features.plan.sweeps import is_sweep
from ulterion.features.soak.judging import Soak
from ulterion.results.comparison import ComparedRow
from ulterion.show.charts import Tone
from ulterion.show.columns import show_change
from ulterion.show.looks import Cast
from ulterion.show.sentences import listed, sentence_of

JUDGED = ("met", "missed", "partly", "undecided")
MAX_HEADLINE = 110  # characters
FAKE = 0.9  # of the capacity claimed, below which it is a fake
Kept = Literal["all", "some", "none", "misses", "open"]
"""Which of its claims a product keeps: it misses one where nothing is met and the rest is undecided; open where all is."""


@dataclass(frozen=True)
class ProductFinding:
    """What a review found of a product.

    Attributes:
        part: its name in the review; `name` and `price` as readers know them, the price '' where the review has none.
        kept: which of its claims hold; None where it has none that could be judged.
        tone, chip: the verdict in a word or two.
        told: in a sentence or two.
        alarm: what must be said first, else ''.
    """

    part: str
    name: str
    price: str
    kept: Kept | None
    tone: Tone
    chip: str
    told: str
    alarm: str = ""


def product_findings(inputs: ReportInputs) -> list[ProductFinding]:
    """Return what was found of every product of which anything is known, in the order of the review; the reviewer's own words come first."""
    found = []
    for key, part in inputs.review.parts.items():
        rows = [r for r in inputs.claims if r.part == key and r.judgement.verdict in JUDGED]
        compared, soaks = _compared(inputs, key), _soaks(inputs, key)
        rates = _as_medium(inputs, key)
        if not (rows or compared or soaks or rates or part.verdict):
            continue
        kept = _kept(rows)
        tone, chip = _chip(rows, kept, compared)
        told = [
            *_claims(rows, kept),
            *_course(soaks, inputs.unit),
            *([] if rows else _against(inputs, compared)),
            *([] if rows or compared else rates),
        ]
        found.append(
            ProductFinding(
                part=key,
                name=part.name,
                price=str(part.price) if part.price is not None else "",
                kept=kept,
                tone=tone,
                chip=chip,
                told=part.verdict or " ".join(sentence_of(t) for t in told),
                alarm=_alarm(part.name, rows),
            )
        )
    return found


def _kept(rows: Sequence[ClaimRow]) -> Kept | None:
    verdicts = {r.judgement.verdict for r in rows}
    if not verdicts:
        return None
    if verdicts in ({"met"}, {"missed"}):
        return "all" if verdicts == {"met"} else "none"
    if "partly" in verdicts or {"met", "missed"} <= verdicts:
        return "some"
    return "misses" if "missed" in verdicts else "open"


def _chip(rows: Sequence[ClaimRow], kept: Kept | None, compared: Sequence[ComparedRow]) -> tuple[Tone, str]:
    """Return the verdict on a product in a word or two, with its sign."""
    if _fake(rows) is not None:
        return "bad", "✗ fake capacity"
    link = next((r for r in rows if r.unit == "link" and r.judgement.verdict == "missed"), None)
    if link is not None:
        return "bad", f"✗ links at {link.measured_name or 'less'}"
    if kept is not None:
        words: dict[Kept, tuple[Tone, str]] = {
            "all": ("good", "✓ keeps its word"),
            "some": ("open", "◐ keeps part of it"),
            "none": ("bad", "✗ keeps none of it"),
            "misses": ("bad", "✗ misses a claim"),
            "open": ("none", "? not decided"),
        }
        return words[kept]
    verdicts = {r.comparison.verdict for r in compared if r.comparison is not None}
    if not compared:
        return "none", "measured"
    if not verdicts or "undecided" in verdicts:
        return "none", "? not decided"
    if verdicts <= {"same", "a little slower", "a little faster"}:
        return "good", "✓ costs nothing"
    return ("good", "✓ faster") if verdicts <= {"same", "faster", "a little faster"} else ("open", "◐ slower")


def _claims(rows: Sequence[ClaimRow], kept: Kept | None) -> list[str]:
    """Return what became of a product's claims."""
    if not rows:
        return []
    missed = [r for r in rows if r.judgement.verdict in ("missed", "partly")]
    if kept == "all":
        return [{1: "its claim holds", 2: "both claims hold"}.get(len(rows), f"all {len(rows)} claims hold")]
    counted = Counter(r.judgement.verdict for r in rows)
    told = [_missed(r) for r in missed]
    held = [f"{counted['met']} of {len(rows)} claims hold"] if counted["met"] else []
    open_ = [f"{counted['undecided']} undecided"] if counted["undecided"] else []
    return ["; ".join([*held, *told, *open_])]


def _missed(row: ClaimRow) -> str:
    share = row.judgement.share
    if row.unit == "link":
        return f"linked at {row.measured_name}" if row.measured_name else "linked below its label"
    if share is None:
        return f"{row.claim} missed"
    return f"{row.claim.replace('_', ' ')} reaches {share * 100:.0f}% of what is claimed"


def _compared(inputs: ReportInputs, key: str) -> list[ComparedRow]:
    """Return the large reads and writes of the first setup through a product that was held against a baseline."""
    for group in inputs.groups:
        for setup in dict.fromkeys(r.setup for r in group.rows):
            if key in inputs.review.setups[setup].chain[1:-1] and setup != group.baseline:
                rows = large_and_small([r for r in group.rows if r.setup == setup])[:2]
                return [r for r in rows if r is not None and r.comparison is not None]
    return []


def _as_medium(inputs: ReportInputs, key: str) -> list[str]:
    """Return the most that a medium read and wrote at, over all setups that end with it."""
    rows = [r for g in inputs.groups for r in g.rows if inputs.review.setups[r.setup].medium == key]
    best: dict[str, float] = {}
    for row in rows:
        if row.workload.drive_pattern == "sequential" and row.workload.drive_direction in ("read", "write"):
            way = row.workload.drive_direction
            best[way] = max(best.get(way, 0.0), row.estimate.rate)
    told = [f"{way}s at {show_rate(rate, inputs.unit)}" for way, rate in best.items()]
    return [f"at best {listed(told)}"] if told else []


def _against(inputs: ReportInputs, compared: Sequence[ComparedRow]) -> list[str]:
    """Return how a product without claims compares with the baseline."""
    told = []
    for row in compared:
        assert row.comparison is not None
        doing = "reading" if row.workload.drive_direction == "read" else "writing"
        word = {"same": "no loss", "undecided": "undecided"}.get(row.comparison.verdict)
        told.append(f"{word or show_change(row.comparison.ratio.value)} {doing}")
    return [f"against the baseline: {listed(told)}"] if told else []


def _soaks(inputs: ReportInputs, key: str) -> list[Soak]:
    """Return the soaks of setups whose product it is: the part between port and medium, or a medium by itself."""
    found = []
    for soak in inputs.soaks:
        chain = inputs.review.setups[soak.run.setup or ""].chain
        if (chain[1] if len(chain) > 2 else chain[-1]) == key:
            found.append(soak)
    return found[:1]


def _course(soaks: Sequence[Soak], unit: str) -> list[str]:
    """Return what a long run did."""
    told = []
    for soak in soaks:
        found = soak.findings
        heat, first = found.fall("throttling"), next(iter(found.falls), None)
        last, length = show_rate(found.last, unit), show_duration(found.seconds)
        if heat is not None:
            told.append(
                f"heat slowed it after {show_duration(heat.at - soak.load_start)}, to {show_rate(heat.after, unit)}"
            )
        elif first is not None and first.until is None:
            way = "reads" if soak.run.soak.workload.direction == "read" else "writes"
            told.append(f"{way} at {last} after the first {show_size(first.written)}")
        elif found.held:
            told.append(f"held {last} for {length}")
    return told


def _fake(rows: Sequence[ClaimRow]) -> ClaimRow | None:
    """Return the claim for a capacity that is far from there; one that is missed by a little is missed, and no fake."""
    missed = (r for r in rows if r.claim == "capacity" and r.judgement.verdict == "missed")
    return next((r for r in missed if (r.measured or 0.0) < FAKE * r.claimed), None)


def _alarm(name: str, rows: Sequence[ClaimRow]) -> str:
    """Return what must be said first of a product: a capacity that is not there."""
    fake = _fake(rows)
    if fake is None or not fake.measured:
        return ""
    share = fake.measured / fake.claimed * 100
    return (
        f"Do not buy {name}: only {show_size(fake.measured)} of its {show_size(fake.claimed)} are there ({share:.3g}%)."
    )


def headline(inputs: ReportInputs, found: Sequence[ProductFinding]) -> str:
    """Return the headline: who keeps its word and who does not, else what the comparison or the matrix comes to; '' where nothing was found."""
    matrix = _of_the_matrix(inputs)
    if matrix:
        return matrix
    kinds = Counter(inputs.review.parts[f.part].kind for f in found)
    keeps = [f for f in found if f.kept == "all"]
    most = max(
        (kinds[inputs.review.parts[f.part].kind] for f in keeps), default=0
    )  # rivals are what a reader chooses among
    keeps = [f for f in keeps if kinds[inputs.review.parts[f.part].kind] == most]
    breaks = [f for f in found if f.kept == "none"]
    first = _cheapest(inputs, keeps)
    kind = inputs.review.parts[first.part].kind if first is not None else None
    rivals = [f for f in breaks if inputs.review.parts[f.part].kind == kind]
    worst = _cheapest(inputs, rivals or [f for f in breaks if not f.alarm])  # an alarm has a place of its own
    told = []
    if first is not None:
        told.append(f"{_priced(first)} keeps its word.")
    if worst is not None:
        told.append(f"{_priced(worst)} keeps none of it.")
    if told and len(" ".join(told)) <= MAX_HEADLINE:
        return " ".join(told)
    if told:
        return told[0]
    cast = Cast.of(inputs.review)
    groups = sorted(inputs.groups, key=lambda g: -sum(r.comparison is not None for r in g.rows))
    titles = [comparison_title(g, cast, inputs.review.label(g.medium)) for g in groups if g.rows]
    return sentence_of(titles[0]) if titles else ""


def _of_the_matrix(inputs: ReportInputs) -> str:
    """Return what a plan comes to: who is first, else what the strongest level does; '' without a plan that was measured."""
    review, margin = inputs.review, inputs.review.review.margin
    placed = [(g, r) for g in inputs.observations if (r := ranks(review, g, None, margin)) is not None and r.places]
    if placed and all(p.level in review.parts for p in placed[0][1].places):
        return sentence_of(ranks_chart(review, placed, inputs.unit, "").caption.title)
    found = [(g, e) for g in inputs.observations if (e := effects(g)) is not None]
    if not found:
        return ""
    make = sweep_chart if is_sweep(found) else effects_chart
    return sentence_of(make(review, found, "").caption.title)


def _priced(one: ProductFinding) -> str:
    return f"The {one.price} {one.name}" if one.price else one.name


def _cheapest(inputs: ReportInputs, found: Sequence[ProductFinding]) -> ProductFinding | None:
    """Return the cheapest of several products, the first of them where none has a price."""

    def price(one: ProductFinding) -> float:
        known = inputs.review.parts[one.part].price
        return float(known.amount) if known is not None else float("inf")

    return min(found, key=price, default=None)
