"""The products and ports that a review tests, and the rates of each."""

from __future__ import annotations

import re
from collections.abc import Iterator

from ulterion.core.records import dataclass
from ulterion.core.units import show_iops, show_percent, show_rate
from ulterion.features.claims.row import ClaimRow
from ulterion.features.claims.speedup import RivalRow
from ulterion.features.clock.judging import ClockRow
from ulterion.features.compare.overview import large_and_small
from ulterion.features.notes.entries import Entry
from ulterion.features.page.article import MEASURES, Measure
from ulterion.features.page.inputs import DIRECTIONS, ReportInputs
from ulterion.features.soak.judging import Soak
from ulterion.model.review import PEER
from ulterion.results.comparison import ComparedRow
from ulterion.show.looks import product_of

FILES = "files"  # the kind of what is copied where no medium is named
PORT = "port"  # the kind of a port that is under test
JUDGED = ("met", "missed", "partly", "undecided")


@dataclass(frozen=True)
class Subject:
    """A product or port under test: its key in the review, its name, kind and price ('' without one)."""

    key: str
    name: str
    kind: str
    price: str


@dataclass(frozen=True)
class SubjectRate:
    """A rate, bytes or requests per second, beside its claim.

    `at` is the rate in words, `words` with the claim or what else belongs to it; `verdict` is the one on the claim.
    """

    measured: float
    claimed: float | None
    at: str
    words: str
    verdict: str = ""


def plain_name(text: str) -> str:
    """Return a name as it can stand in a file's name and in an address."""
    return re.sub(r"[^a-z0-9]+", "-", text.casefold()).strip("-")[:40] or "unnamed"


def subjects(inputs: ReportInputs) -> list[Subject]:
    """Return every product but other benches, then the ports that are compared or have claims."""
    review = inputs.review
    found = [
        Subject(key, known_as(inputs, key), part.kind, part.price.short if part.price is not None else "")
        for key, part in review.parts.items()
        if part.kind not in (PEER, FILES)
    ]
    compared = {product_of(review, name) for name in inputs.measured_setups}
    rivals = compared & set(review.ports)
    if rivals:  # the baseline's port is one to choose as well
        rivals |= {review.setups[n].chain[0] for n in inputs.measured_setups if len(review.setups[n].chain) == 2}
    claiming = {r.part for r in inputs.claims if r.judgement.verdict in JUDGED}
    ports = [key for key in review.ports if key in rivals | claiming]
    return [*found, *(Subject(key, review.label(key), PORT, "") for key in ports)]


def known_as(inputs: ReportInputs, key: str) -> str:
    """Return what readers know a product as: its name, or for a drive without one the label of its only setup."""
    review = inputs.review
    mine = [name for name, setup in review.setups.items() if key in setup.chain]
    alone = review.parts[key].name == key and len(mine) == 1 and len(review.setups[mine[0]].chain) <= 2
    return review.setup_title(mine[0]) if alone else review.label(key)


def tests(inputs: ReportInputs, setup: str, key: str) -> bool:
    """Return whether a setup tests a product or port: a part before the medium, a medium alone at a port, or that port."""
    chain = inputs.review.setups[setup].chain
    if key in inputs.review.ports:
        return chain[0] == key and len(chain) == 2
    before = [part for part in chain[:-1] if part in inputs.review.parts]
    return key in before or (key == chain[-1] and not before)


def judged_claims(inputs: ReportInputs, key: str) -> list[ClaimRow]:
    """Return the claims of a product that were judged."""
    return [r for r in inputs.claims if r.part == key and r.judgement.verdict in JUDGED]


def judged_rivals(inputs: ReportInputs, key: str) -> list[RivalRow]:
    """Return the claims of a product to be so many times as fast as another that were judged."""
    return [r for r in inputs.rivals if r.part == key and r.verdict in JUDGED]


def compared_rows(inputs: ReportInputs, key: str) -> list[ComparedRow]:
    """Return the large reads and writes of the first setup that tests a product and was compared with a baseline."""
    for group in inputs.groups:
        for setup in dict.fromkeys(r.setup for r in group.rows):
            if setup != group.baseline and key != group.medium and tests(inputs, setup, key):
                rows = large_and_small(group, setup)[:2]
                return [r for r in rows if r is not None and r.comparison is not None]
    return []


def timed_rows(inputs: ReportInputs, key: str) -> list[ClockRow]:
    """Return what was timed by hand or copied on the setups that test a product."""
    return [r for r in inputs.clocked if tests(inputs, r.setup, key)]


def entries_of(inputs: ReportInputs, key: str) -> list[Entry]:
    """Return what was noted of a product's own setups, and of those that it stands in between port and medium."""
    setups = inputs.review.setups
    return [
        e for e in inputs.entries if e.record.taken_back is None and e.setup in setups and tests(inputs, e.setup, key)
    ]


def soak_of_subject(inputs: ReportInputs, key: str) -> Soak | None:
    """Return the long run of a product: the part between port and medium, or a medium by itself; a port has none."""
    for soak in inputs.soaks:
        chain = inputs.review.setups[soak.run.setup or ""].chain
        if (chain[1] if len(chain) > 2 else chain[-1]) == key:
            return soak
    return None


def rates(inputs: ReportInputs, key: str) -> dict[Measure, SubjectRate]:
    """Return a product's rates: those its claims were judged by, else the best that was measured or timed."""
    found: dict[Measure, SubjectRate] = {}
    for way in DIRECTIONS:
        for row in inputs.claims:
            if (row.part, row.claim, row.unit) == (key, way, "B/s") and row.measured is not None:
                at = show_rate(row.measured, inputs.unit)
                words = _beside(at, row.measured, row.claimed, inputs.unit)
                found[way] = SubjectRate(row.measured, row.claimed, at, words, row.judgement.verdict)
    for measure, rate in _measured(inputs, key):
        if measure not in found or (found[measure].claimed is None and rate > found[measure].measured):
            at = f"{show_iops(rate)} IOPS" if measure == "small" else show_rate(rate, inputs.unit)
            found[measure] = SubjectRate(rate, None, at, at)
    for timed in timed_rows(inputs, key):
        if timed.direction not in found and timed.estimate is not None and timed.suspect is None:
            at = show_rate(timed.estimate.rate, inputs.unit)
            words = at if timed.copied else f"{at}, by hand"
            found[timed.direction] = SubjectRate(timed.estimate.rate, None, at, words)
    soak = soak_of_subject(inputs, key)
    if soak is not None and not found:
        fast, last = (show_rate(v, inputs.unit) for v in (soak.findings.fast, soak.findings.last))
        moved: Measure = "read" if soak.run.soak.workload.direction == "read" else "write"
        words = fast if soak.findings.held else f"{fast} at first, then {last}"
        found[moved] = SubjectRate(soak.findings.fast, None, fast, words)
    return found


def _measured(inputs: ReportInputs, key: str) -> Iterator[tuple[Measure, float]]:
    """Yield the rates of every setup that tests a product; for a medium that is never alone at a port, those of all its setups."""
    own = [n for n in inputs.measured_setups if tests(inputs, n, key)]
    own = own or [n for n in inputs.measured_setups if inputs.review.setups[n].medium == key]
    for group in inputs.groups:
        for setup in own:
            rows = large_and_small(group, setup)
            for measure, row in zip(MEASURES, rows, strict=True):
                if row is not None:
                    estimate = row.estimate
                    yield measure, estimate.rate / row.workload.block_bytes if measure == "small" else estimate.rate


def _beside(at: str, measured: float, claimed: float, unit: str) -> str:
    """Return a rate in words beside its claim."""
    return f"{at} of {show_rate(claimed, unit, with_unit=False)} claimed, {show_percent(measured / claimed)}"
