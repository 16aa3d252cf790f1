"""The headline of a review, the lead below it, and the titles of its product tables, made from verdicts alone.

Findings are ranked: claims kept and missed, speed for the price, throttling, large losses against the baseline, no loss.
"""

from __future__ import annotations

import math
from collections import Counter
from collections.abc import Iterator, Mapping, Sequence
from functools import partial

from ulterion.core.records import dataclass
from ulterion.core.units import show_block, show_rate, significant, spell_duration
from ulterion.core.workloads.workload import DriveWorkload
from ulterion.features.clock.answer import answers
from ulterion.features.compare.charts import comparison_title
from ulterion.features.page.article import Measure
from ulterion.features.page.findings import NO_LOSS, ProductFinding
from ulterion.features.page.inputs import ReportInputs
from ulterion.features.page.subjects import PORT, SubjectRate, compared_rows, rates, soak_of_subject
from ulterion.features.plan.charts import ranks_chart
from ulterion.features.plan.judging import effects, ranks
from ulterion.features.plan.sweeps import is_sweep
from ulterion.features.plan.words import levels_compared
from ulterion.features.soak.judging import difference
from ulterion.show.bus_words import bus_sentence
from ulterion.show.charts import finding
from ulterion.show.looks import Cast, in_sentence
from ulterion.show.sentences import how_much, how_much_than, listed, sentence_of, with_article

MAX_HEADLINE = 110  # characters
MAX_LEAD = 35  # words
MUCH = 1.2  # of another's rate, from which a product is worth a word for being faster
NUMBERS = ("no", "one", "two", "three", "four", "five", "six", "seven", "eight", "nine", "ten")


def number_word(count: int) -> str:
    """Return a count as a sentence has it."""
    return NUMBERS[count] if count < len(NUMBERS) else f"{count:,}"


def headline(inputs: ReportInputs, found: Sequence[ProductFinding]) -> str:
    """Return the headline: which product keeps its word and which does not, else the result of the matrix or comparison; '' without any."""
    matrix = _of_the_matrix(inputs)
    if matrix:
        return matrix
    first, worst = _keeper(inputs, found), _breaker(inputs, found)
    if first is None and worst is not None:
        return _broken(found, worst)
    ports = _slow_port(inputs, found)
    if ports and worst is None and not (first is not None and _has_rivals(found, first)):
        return ports
    told = []
    if first is not None:
        told.append(_keeps(found, first))
    if worst is not None:
        told.append(f"{_priced(worst)} keeps none of it.")
    if told and len(" ".join(told)) <= MAX_HEADLINE:
        return " ".join(told)
    if told:
        return told[0]
    return next((t for t in _otherwise(inputs, found) if len(t) <= MAX_HEADLINE), "")


def _otherwise(inputs: ReportInputs, found: Sequence[ProductFinding]) -> Iterator[str]:
    """Yield what a review without kept and broken claims comes to: its largest comparison, its long runs, what was timed, its first product."""
    cast = Cast.of(inputs.review)
    groups = sorted(inputs.groups, key=lambda g: -sum(r.comparison is not None for r in g.rows))
    for group in groups:
        if group.rows:
            yield sentence_of(comparison_title(group, cast, inputs.review.label(group.medium)))
    yield from _warmer(inputs)
    yield from _timed(inputs, cast)
    yield from (sentence_of(f"{one.name}: {one.told}") for one in found if one.told)


def _warmer(inputs: ReportInputs) -> Iterator[str]:
    """Yield by how much one long run was warmer than another, where that is known."""
    for soak in inputs.soaks[1:]:
        one = difference(soak, inputs.soaks[0])
        known = (one.rise, one.low, one.high)
        if one.moment is not None:
            known = (one.moment.warmer.value, one.moment.warmer.low, one.moment.warmer.high)
        rise, low, high = known
        if rise is None or low is None or high is None:
            continue
        if low <= 0 <= high:
            yield f"{one.first} gets as warm as {one.second}."
        else:
            yield f"{one.first} gets {abs(rise):.1f} °C {'warmer' if rise > 0 else 'cooler'} than {one.second}."


def _timed(inputs: ReportInputs, cast: Cast) -> Iterator[str]:
    """Yield how much faster one was than another, of what a hand timed or a copy took: what differs most comes first."""
    sure = [r for r in inputs.clocked if r.comparison is not None and r.comparison.verdict not in ("same", "undecided")]
    for row in sorted(sure, key=lambda r: -abs(math.log(r.comparison.ratio.value)) if r.comparison else 0.0):
        assert row.comparison is not None
        against = with_article(cast.name(row.against or "the baseline"))
        yield sentence_of(
            f"{with_article(cast.name(row.setup))} is {how_much_than(row.comparison.ratio.value)} {against}"
        )
    yield from (sentence_of(told) for told in answers(inputs.review, inputs.clocked, inputs.unit))


def _broken(found: Sequence[ProductFinding], worst: ProductFinding) -> str:
    """Return how many of the rivals of a product that keeps none of its claims do likewise, or that it does, where it is the only one."""
    rivals = [f for f in found if f.subject.kind == worst.subject.kind and f.kept is not None]
    breaks, kind = [f for f in rivals if f.kept == "none"], worst.subject.kind
    if len(breaks) == 1:
        return f"{_priced(worst)} keeps none of its claims."
    if len(breaks) == len(rivals):
        return sentence_of(f"none of {number_word(len(rivals))} {kind}s keeps any of its claims")
    return sentence_of(f"{number_word(len(breaks))} of {number_word(len(rivals))} {kind}s keep none of their claims")


def _keeper(inputs: ReportInputs, found: Sequence[ProductFinding]) -> ProductFinding | None:
    """Return the cheapest product that keeps its word, of the kind with most rivals: they are what a reader chooses among."""
    kinds = Counter(f.subject.kind for f in found)
    keeps = [f for f in found if f.recommendable]
    most = max((kinds[f.subject.kind] for f in keeps), default=0)
    return cheapest_of(inputs, [f for f in keeps if kinds[f.subject.kind] == most])


def _has_rivals(found: Sequence[ProductFinding], one: ProductFinding) -> bool:
    return any(f.subject.kind == one.subject.kind and f is not one for f in found)


def _slow_port(inputs: ReportInputs, found: Sequence[ProductFinding]) -> str:
    """Return which port is slower than the one it is compared with; '' where none is."""
    ports = [f for f in found if f.subject.kind == PORT]
    slow = next(_slower(inputs, ports), None)
    return sentence_of(f"{slow.name} {slow.told} than {slow.baseline}") if slow is not None else ""


def _keeps(found: Sequence[ProductFinding], first: ProductFinding) -> str:
    """Return that a product keeps its word; where it has no rival, with the other products that do."""
    if _has_rivals(found, first):
        return f"{_priced(first)} keeps its word."
    every = [f.name for f in found if f.recommendable]
    names = [n for n in every if not any(n.startswith(f"{other},") for other in every)]
    return f"{listed(names)} keep their word." if 1 < len(names) <= 3 else f"{_priced(first)} keeps its word."


def _breaker(inputs: ReportInputs, found: Sequence[ProductFinding]) -> ProductFinding | None:
    """Return the cheapest product that keeps none of its claims, a rival of the keeper where there is one."""
    first, breaks = _keeper(inputs, found), [f for f in found if f.kept == "none"]
    rivals = [f for f in breaks if first is not None and f.subject.kind == first.subject.kind]
    others = [f for f in breaks if not f.alarms and f.subject.kind != PORT]  # an alarm has a place of its own
    return cheapest_of(inputs, rivals or others)


def cheapest_of(inputs: ReportInputs, found: Sequence[ProductFinding]) -> ProductFinding | None:
    """Return the cheapest of several products, the first of them where none has a price."""
    return min(found, key=lambda one: price_of(inputs, one.subject.key) or float("inf"), default=None)


def price_of(inputs: ReportInputs, key: str) -> float | None:
    """Return a product's price, None where the review has none."""
    part = inputs.review.parts.get(key)
    return float(part.price.amount) if part is not None and part.price is not None else None


def _priced(one: ProductFinding) -> str:
    return f"The {one.subject.price} {one.name}" if one.subject.price else with_article(one.name)


def _of_the_matrix(inputs: ReportInputs) -> str:
    """Return what a plan comes to: who is first, else what the strongest level does; '' without a plan that was measured."""
    review, margin = inputs.review, inputs.review.review.margin
    placed = [(g, r) for g in inputs.observations if (r := ranks(review, g, None, margin)) is not None and r.places]
    if placed and all(p.level in review.parts for p in placed[0][1].places):
        return sentence_of(ranks_chart(review, placed, inputs.unit, "").caption.title)
    return _effect(inputs)


def _effect(inputs: ReportInputs) -> str:
    """Return what the strongest level of a plan does, among those that surely do something; '' without one."""
    found = [(g, e) for g in inputs.observations if (e := effects(g)) is not None]
    sweep = is_sweep(found) if found else False
    shown = found if sweep else found[:1]
    sure = [
        (g, e) for g, one in shown for e in one.effects if e.low and e.high and e.ratio and (e.low > 1 or e.high < 1)
    ]
    if not sure:
        return ""
    where, strongest = max(sure, key=lambda pair: abs(math.log(pair[1].ratio or 1.0)))
    doing = "reading" if where.workload.direction == "read" else "writing"
    at = f" at {show_block(where.workload.block_bytes)}" if sweep and isinstance(where.workload, DriveWorkload) else ""
    return sentence_of(f"{levels_compared(inputs.review, strongest)} when {doing}{at}")


def lead(inputs: ReportInputs, found: Sequence[ProductFinding]) -> str:
    """Return the lead: ranked findings, each once, within the limit of words."""
    said, first = list[str](), headline(inputs, found)
    for sentence in _ranked(inputs, found):
        if sentence not in (first, *said) and len(" ".join([*said, sentence]).split()) <= MAX_LEAD:
            said.append(sentence)
    return " ".join(said)


def _ranked(inputs: ReportInputs, found: Sequence[ProductFinding]) -> Iterator[str]:
    """Yield findings, the most important first."""
    if inputs.observations:
        effect = _effect(inputs)
        yield from [effect] if effect else []
    keeper = _keeper(inputs, found)
    if keeper is not None:
        yield from _only(inputs, found, keeper)
        yield from _faster(inputs, found, keeper)
    else:
        yield from _fastest(inputs, found)
    yield from _throttled(inputs, found)
    named = headline(inputs, found).casefold()
    others = [f for f in found if f.name.casefold() not in named]
    yield from _far_and_near(inputs, others)
    for group in inputs.groups:
        yield from (sentence_of(bus_sentence(b, partial(in_sentence, inputs.review), inputs.unit)) for b in group.buses)
    news = [f for f in found if _tells_more(f) and (f in others or len(f.said) > 1)]
    yield from (_in_short(one) for one in news or [f for f in others if f.told and not f.alarms])
    if len(found) == 1:
        yield from _alone(inputs, found[0])


def _fastest(inputs: ReportInputs, found: Sequence[ProductFinding]) -> Iterator[str]:
    """Yield which of the rivals with claims reads fastest, and its price."""
    kinds = Counter(f.subject.kind for f in found if f.kept is not None)
    rivals = [f for f in found if f.kept is not None and kinds[f.subject.kind] > 1 and not f.alarms]
    known = [(r.measured, r.at, f) for f in rivals if (r := rates(inputs, f.subject.key).get("read")) is not None]
    ordered = sorted(known, key=lambda k: -k[0])
    if len(ordered) > 1 and ordered[0][0] > (1 + inputs.review.review.margin) * ordered[1][0]:
        _, at, one = ordered[0]
        cost = f", for {one.subject.price}" if one.subject.price else ""
        yield sentence_of(f"{one.name} reads fastest, at {at}{cost}")


def _only(inputs: ReportInputs, found: Sequence[ProductFinding], keeper: ProductFinding) -> Iterator[str]:
    """Yield that of several products with claims one met them all, and what it held."""
    rivals = [f for f in found if f.subject.kind == keeper.subject.kind and f.kept is not None]
    kept = [f for f in rivals if f.kept == "all"]
    soak = soak_of_subject(inputs, keeper.subject.key)
    held = ""
    if soak is not None and soak.findings.held:
        held = f", and held {show_rate(soak.findings.last, inputs.unit)} for {spell_duration(soak.findings.seconds)}"
    if len(rivals) > 1:
        kind = keeper.subject.kind
        who = f"only {keeper.name}" if len(kept) == 1 else keeper.name
        yield sentence_of(f"of {number_word(len(rivals))} {kind}s, {who} met every claim{held}")


def _faster(inputs: ReportInputs, found: Sequence[ProductFinding], keeper: ProductFinding) -> Iterator[str]:
    """Yield how much faster the fastest rival is, and what it costs."""
    rivals = [f for f in found if f.subject.kind == keeper.subject.kind and not f.alarms]
    known = [(r.measured, f) for f in rivals if (r := rates(inputs, f.subject.key).get("read")) is not None]
    mine = next((rate for rate, f in known if f is keeper), None)
    if not known or not mine:
        return
    best, fastest = max(known, key=lambda pair: pair[0])
    if fastest is keeper or best / mine < MUCH:
        return
    prices = [price_of(inputs, f.subject.key) for f in (fastest, keeper)]
    cost = (
        f", for {significant(prices[0] / prices[1], 2)} times the price"
        if prices[0] and prices[1] and prices[0] > prices[1]
        else ""
    )
    yield sentence_of(f"{fastest.name} reads {how_much(best / mine)}{cost}")


def _throttled(inputs: ReportInputs, found: Sequence[ProductFinding]) -> Iterator[str]:
    for one in found:
        soak = soak_of_subject(inputs, one.subject.key)
        fall = soak.findings.fall("throttling") if soak is not None else None
        if soak is not None and fall is not None:
            after = show_rate(fall.after, inputs.unit)
            yield sentence_of(f"heat slows {one.name} to {after} after {spell_duration(fall.at - soak.load_start)}")


def _in_short(one: ProductFinding) -> str:
    """Return the last sentence on a product, with its name."""
    return sentence_of(f"{with_article(one.name)}: {one.own or one.said[-1]}")


def _tells_more(one: ProductFinding) -> bool:
    """Return whether a product's last sentence is news: something missed or timed, and no alarm, which has a place of its own."""
    if not one.told or one.alarms or one.subject.kind == PORT or one.compared:
        return False
    return one.kept in (None, "some", "none", "misses") or len(one.said) > 1


def _alone(inputs: ReportInputs, one: ProductFinding) -> Iterator[str]:
    """Yield the rates of the only product of a review: writing, and small requests."""
    known = rates(inputs, one.subject.key)
    if "read" in known and "write" in known:
        yield sentence_of(f"it writes at {known['write'].at}")
    if "small" in known:
        yield sentence_of(f"small reads, one at a time: {known['small'].at}")


def _far_and_near(inputs: ReportInputs, found: Sequence[ProductFinding]) -> Iterator[str]:
    """Yield what is far from the baseline, then what costs nothing."""
    without_claims = [f for f in found if f.kept is None]  # of a product with claims these say what it gives
    yield from (sentence_of(f"{slow.name} {slow.told}") for slow in _slower(inputs, without_claims))
    for one in without_claims:
        verdicts = {r.comparison.verdict for r in compared_rows(inputs, one.subject.key) if r.comparison is not None}
        if verdicts and verdicts <= NO_LOSS:
            yield sentence_of(f"{with_article(one.name)} costs no speed")


@dataclass(frozen=True)
class _Slower:
    """A product that is surely slower than its baseline: both names, and by how much: 'reads 70% slower'."""

    name: str
    baseline: str
    told: str


def _slower(inputs: ReportInputs, found: Sequence[ProductFinding]) -> Iterator[_Slower]:
    """Yield the products that are surely slower than their baselines."""
    cast = Cast.of(inputs.review)
    for one in found:
        rows = compared_rows(inputs, one.subject.key)
        slow = next((r for r in rows if r.comparison is not None and r.comparison.verdict == "slower"), None)
        if slow is None or slow.comparison is None:
            continue
        loss = f"{(1 - slow.comparison.ratio.value) * 100:.0f}%"
        does = "reads" if slow.workload.drive_direction == "read" else "writes"
        baseline = next(g.baseline for g in inputs.groups if slow in g.rows) or ""
        yield _Slower(with_article(one.name), with_article(cast.name(baseline)), f"{does} {loss} slower")


def view_title(kind: str, measure: Measure, known: Mapping[str, SubjectRate], margin: float) -> str:
    """Return what a table of products says by one measure; `known` are their rates by name; within the margin none is called the fastest."""
    doing = {"read": "read", "write": "write", "small": "small reads"}[measure]
    judged = {name: rate for name, rate in known.items() if rate.verdict in ("met", "missed", "partly")}
    if not known:
        return ""
    best = max(known, key=lambda name: known[name].measured)
    if measure != "small" and len(judged) == len(known) and len(known) > 1:
        met = [name for name, rate in judged.items() if rate.verdict == "met"]
        share = {name: rate.measured / (rate.claimed or rate.measured) for name, rate in judged.items()}
        worst = min(share, key=lambda name: share[name])
        total = number_word(len(known))
        if len(met) == len(known):
            return finding(f"{'both' if len(known) == 2 else f'all {total}'} {doing} as fast as claimed")
        falls = f"{worst} reaches {share[worst] * 100:.0f}%"
        who = number_word(len(met)) if met else "none"
        verb = doing if len(met) > 1 else f"{doing}s"
        return finding(
            f"{who} of {total} {verb} as fast as claimed; {falls}", f"{who} of {total} {verb} as fast as claimed"
        )
    rate, second = known[best], sorted(r.measured for r in known.values())[-2:][0]
    if len(known) > 1 and rate.measured < (1 + margin) * second:
        what = {"read": "when reading", "write": "when writing", "small": "at small reads"}[measure]
        return finding(f"no clear winner {what}: {rate.at} at best", f"no clear winner {what}")
    if measure == "small":
        return finding(f"{best} is fastest at small reads, at {rate.words}", f"small reads: {rate.words} at best")
    at = rate.at
    if len(known) == 1:
        return finding(f"{best} {doing}s at {rate.words}", f"{doing}s at {rate.words}")
    ahead = f", {how_much_than(rate.measured / second)} the next" if second and rate.measured >= 1.05 * second else ""
    return finding(
        f"{best} {doing}s fastest, at {at}{ahead}", f"{best} {doing}s fastest, at {at}", f"{kind}s: {at} at best"
    )
