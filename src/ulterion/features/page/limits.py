"""What limits each setup: its chain as a strip of parts, the bottleneck marked."""

from __future__ import annotations

from collections.abc import Iterator

from ulterion.core.bottleneck import Finding
from ulterion.core.units import show_rate
from ulterion.features.page.article import ChainStrip, Limits, Link, Role, Section
from ulterion.features.page.inputs import ReportInputs
from ulterion.results.bottleneck import Bottleneck
from ulterion.show.looks import product_of
from ulterion.show.sentences import listed, sentence_of

MOST = 12  # strips


def what_limits(inputs: ReportInputs) -> Iterator[Section]:
    """Yield a strip for every product whose bottleneck, or suspects, are known, on its fastest setup: reading, or writing where that was not measured."""
    strips: dict[str, tuple[float, ChainStrip]] = {}
    for group in inputs.groups:
        for setup in dict.fromkeys(r.setup for r in group.rows):
            found = group.bottlenecks.get((setup, "read")) or group.bottlenecks.get((setup, "write"))
            chain, product = inputs.review.setups[setup].chain, product_of(inputs.review, setup)
            if found is None or not found.finding.suspects or len(chain) < 2:
                continue
            news = [s.key for s in found.finding.suspects] != [chain[-1]] or len(chain) > 2  # a drive by itself is none
            unknown = len(found.finding.suspects) == len(chain) == 2  # a port and a drive, and each may be the limit
            fastest = found.finding.rate > strips.get(product, (0.0, None))[0]
            if news and not unknown and fastest:
                strips[product] = found.finding.rate, _strip(inputs, setup, found)
    if strips:
        yield Section("limits", "What limits each product", (Limits(tuple(s for _, s in strips.values())[:MOST]),))


def _strip(inputs: ReportInputs, setup: str, bottleneck: Bottleneck) -> ChainStrip:
    review, found = inputs.review, bottleneck.finding
    suspects = {s.key for s in found.suspects}
    elsewhere = {c.key: c.rate for c in found.cleared if c.rate is not None}
    links = []
    for key in review.setups[setup].chain:
        link = review.ports[key].link if key in review.ports else review.parts[key].link
        rate = elsewhere.get(key)
        words = (
            f"{show_rate(rate, inputs.unit)} elsewhere" if rate is not None else link.name if link is not None else ""
        )
        role: Role = ("limit" if len(suspects) == 1 else "suspect") if key in suspects else ""
        links.append(Link(review.label(key), words, role))
    return ChainStrip(
        name=review.label(product_of(review, setup)) if len(links) > 2 else review.setup_among_all(setup),
        rate=show_rate(found.rate, inputs.unit),
        links=tuple(links),
        told=_told(found),
    )


def _told(found: Finding) -> str:
    """Return the finding in a sentence."""
    sole = found.sole_suspect
    if sole is None:
        names = listed([s.label for s in found.suspects], "or")
        return sentence_of(f"the limit is {names}; the measurements so far cannot separate them")
    if found.how == "own rate":
        return sentence_of(f"{sole.label} itself is the limit")
    if sole.link is not None:
        return sentence_of(f"the limit is {sole.label}, at a rate typical for {sole.link.name}")
    if found.other_rate is not None:
        return sentence_of(f"the limit is {sole.label}: without it, {show_rate(found.other_rate)}")
    return sentence_of(f"the limit is {sole.label}: every other part was faster elsewhere")
