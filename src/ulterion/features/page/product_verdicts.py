"""A verdict in a sentence for each product: the reviewer's own, or one made of what was found."""

from __future__ import annotations

from collections import Counter

from ulterion.core.stats.verdicts import ClaimVerdict
from ulterion.core.units import show_duration
from ulterion.features.claims.words import heading
from ulterion.features.compare.words import summary_parts
from ulterion.features.page.inputs import ReportInputs
from ulterion.show.sentences import listed

JUDGED: tuple[ClaimVerdict, ...] = ("met", "missed", "undecided")


def product_verdicts(inputs: ReportInputs) -> list[tuple[str, str]]:
    """Return each product with a verdict; products of which nothing is known are left out."""
    found = []
    for key, part in inputs.review.parts.items():
        words = part.verdict or _found(inputs, key)
        if words:
            found.append((part.name, words))
    return found


def _found(inputs: ReportInputs, key: str) -> str:
    """Return what was found of a product: its claims, what it does to the drive behind it, heat, what was noted."""
    told = [*_claims(inputs, key), *_against_baseline(inputs, key), *_heat(inputs, key)]
    return "; ".join(told)


def _claims(inputs: ReportInputs, key: str) -> list[str]:
    rows = [r for r in inputs.claims if r.part == key and r.judgement.verdict in JUDGED]
    if not rows:
        return []
    counted = Counter(r.judgement.verdict for r in rows)
    told = [
        f"{listed([f'{n} {word}' for word in JUDGED if (n := counted[word])])} of {len(rows)} {'claim' if len(rows) == 1 else 'claims'}"
    ]
    for row in rows:
        share, name = row.judgement.share, heading(row, inputs.unit).split(",")[0]
        if row.judgement.verdict == "missed":
            some = f" ({share * 100:.0f}% of it)" if share is not None and row.unit != "link" else ""
            told.append(f"{name} missed{some}")
    return [", ".join(told)]


def _against_baseline(inputs: ReportInputs, key: str) -> list[str]:
    """Return how setups through a product compare with the baseline, where it stands between port and medium."""
    told = []
    for group in inputs.groups:
        through = {n for n in dict.fromkeys(r.setup for r in group.rows) if key in inputs.review.setups[n].chain[1:-1]}
        for setup, parts in summary_parts(group, inputs.review.review.margin).items():
            if setup in through:
                told.append(f"'{setup}' against '{group.baseline}' {', '.join(parts)}")
    return told


def _heat(inputs: ReportInputs, key: str) -> list[str]:
    """Return what heat does where a setup through the product was soaked: to a medium only by itself, else the case around it counts."""
    told = []
    for soak in inputs.soaks:
        setup = inputs.review.setups.get(soak.run.setup or "")
        if setup is None or key not in setup.chain or (key == setup.medium and not setup.baseline):
            continue
        fall = soak.findings.fall("throttling")
        if fall is not None:
            told.append(f"'{soak.run.setup}' is throttled by heat after {show_duration(fall.at - soak.load_start)}")
    return told
