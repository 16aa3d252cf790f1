"""Measured against advertised: every claim of every part, on the setup that gives it the fairest chance."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from dataclasses import replace
from functools import partial

from ulterion.core.facts.target import NetworkFacts
from ulterion.core.links.bus import BUSES, ruled_out
from ulterion.core.links.ceilings import Ceiling, Direction, ceilings_of
from ulterion.core.links.standards import Link, is_lower, known_link
from ulterion.core.records import dataclass
from ulterion.core.stats.estimates import estimate
from ulterion.core.stats.verdicts import ClaimJudgement, judge_claim
from ulterion.core.units import show_rate
from ulterion.features.claims.capacity_proofs import with_proofs
from ulterion.features.claims.endurance import enduring_rows
from ulterion.features.claims.row import NOT_MEASURED, NOT_TESTED, ClaimRow, Unit
from ulterion.model.review import Review
from ulterion.model.runs.document import AnyRun
from ulterion.model.runs.measure import MeasureRun
from ulterion.results.bottleneck import Bottleneck, bottlenecks
from ulterion.results.buses import bus_findings
from ulterion.results.measurement import Measurement, best_of, chain_elements, device_of, link_seen_of, trusted_baseline
from ulterion.results.pooling import pooled_results

UNTESTED = ("not testable", "not measured", "not tested")
ENOUGH = 128  # requests in flight from which a claim in IOPS was given its chance
SATURATED = 0.95  # of the most at fewer requests in flight: more of them bring nothing


@dataclass(frozen=True)
class _Case:
    """A part's claims in the light of one setup's measurements."""

    review: Review
    part: str
    setup: str
    measured: dict[str, Measurement]
    baseline: tuple[Measurement, ...]
    bottlenecks: dict[tuple[str, Direction], Bottleneck]
    small: dict[tuple[str, Direction], Bottleneck]
    everything: dict[str, dict[str, Measurement]]

    @property
    def run(self) -> MeasureRun:
        """The run that shows what was plugged in."""
        return next(iter(self.measured.values())).run

    def best(self, direction: Direction, pattern: str) -> Measurement | None:
        return best_of(list(self.measured.values()), direction, pattern)

    def ceilings(self, measured: Measurement) -> list[Ceiling]:
        chain = chain_elements(self.review, measured.run, self.baseline)
        direction: Direction = "write" if measured.workload.direction == "write" else "read"
        return sorted([*ceilings_of(chain, direction), *self._proven(direction)], key=lambda c: c.high)

    def _proven(self, direction: Direction) -> Iterator[Ceiling]:
        """Yield what elements of the chain were found, on other setups, to let through at most: each the one bottleneck there."""
        chain = self.review.setups[self.setup].chain
        for (setup, way), bottleneck in self.bottlenecks.items():
            sole_suspect = bottleneck.finding.sole_suspect
            if way != direction or setup == self.setup or sole_suspect is None or sole_suspect.key not in chain[:-1]:
                continue
            best = best_of(list(self.everything[setup].values()), direction, "sequential")
            if best is not None:
                most = best.estimate.high or best.estimate.rate
                text = f"what {sole_suspect.label} gave at most on {setup}, {show_rate(best.estimate.rate)}"
                yield Ceiling(
                    owner=sole_suspect.key,
                    kind="part",
                    text=text,
                    low=best.estimate.low or most,
                    high=most,
                    source="the bottleneck of that setup",
                )


@dataclass(frozen=True)
class _Claim:
    """One claim: the row to begin with, and how a case fills it in."""

    blank: ClaimRow
    judge: Callable[[_Case, ClaimRow], ClaimRow]

    def rows(self, cases: Sequence[_Case]) -> list[ClaimRow]:
        """Return a row for each case, the fairest comparison first, or the blank row without any case."""
        judged = [(case, self.judge(case, replace(self.blank, setup=case.setup))) for case in cases]
        return [row for _, row in sorted(judged, key=lambda pair: _fairness(*pair))] or [self.blank]


def _fairness(case: _Case, row: ClaimRow) -> tuple[bool, bool, int, bool, float]:
    """Return what setups are ordered by: where the claim can be tested, the shortest chain, the baseline; then the figure."""
    setup = case.review.setups[case.setup]
    untested = row.judgement.verdict in UNTESTED
    return row.measured is None, untested, len(setup.chain), not setup.baseline, -(row.judgement.share or 0.0)


def judge_claims(
    review: Review,
    runs: Sequence[AnyRun],
    *,
    everywhere: bool = False,
    setups: Sequence[str] = (),
) -> list[ClaimRow]:
    """Judge every claim of the review.

    One row for each claim, from the setup that gives it the fairest chance by its chain: where it can be tested, the shortest,
    the baseline before another; with `everywhere` one for each setup it was measured on.
    """
    for name in setups:
        review.setup(name)
    everything = {n: m for n, m in pooled_results(runs).items() if n in review.setups}
    measured = {n: m for n, m in everything.items() if not setups or n in setups}
    rows: list[ClaimRow] = []
    bottleneck = bottlenecks(review, everything)  # what clears a part may have been measured on any setup
    small = bottlenecks(review, everything, "random")
    baseline = {name: trusted_baseline(review, name, everything) for name in measured}
    for key in [*review.ports, *review.parts]:
        if setups and not any(key in review.setups[name].chain for name in setups):
            continue  # what the setups that were named do not hold is no answer to the question
        held = [name for name in measured if key in review.setups[name].chain]
        cases = [
            _Case(
                review=review,
                part=key,
                setup=name,
                measured=everything[name],
                baseline=baseline[name],
                bottlenecks=bottleneck,
                small=small,
                everything=everything,
            )
            for name in held
        ]
        for claim in _claims_of(review, key):
            judged = claim.rows(cases)
            rows += judged if everywhere else judged[:1]
        rows += enduring_rows(review, runs, key, everywhere=everywhere, setups=setups)
    return with_proofs(review, rows, runs)


def _claims_of(review: Review, key: str) -> list[_Claim]:
    """Return the claims of a part or port in the order they are shown."""
    claims = review.parts[key].claims if key in review.parts else review.ports[key].claims

    def blank(name: str, unit: Unit, claimed: float, called: str | None = None) -> ClaimRow:
        return ClaimRow(
            part=key,
            label=review.label(key),
            claim=name,
            unit=unit,
            claimed=claimed,
            judgement=NOT_MEASURED,
            claimed_name=called,
        )

    rows = []
    directions: tuple[Direction, ...] = ("read", "write")
    for direction in directions:
        rate: float | None = getattr(claims, direction)
        if rate is not None:
            rows.append(_Claim(blank(direction, "B/s", rate), partial(_judge_rate, direction)))
    for direction in directions:
        iops: float | None = getattr(claims, f"random_{direction}")
        if iops is not None:
            rows.append(_Claim(blank(f"random {direction}", "IOPS", iops), partial(_judge_iops, direction)))
    if claims.link is not None:
        row = blank("link", "link", claims.link.payload, claims.link.short)
        rows.append(_Claim(row, partial(_judge_link, claims.link)))
    if claims.capacity is not None:
        rows.append(_Claim(blank("capacity", "B", float(claims.capacity)), _judge_capacity))
    if claims.power is not None:
        rows.append(_Claim(replace(blank("power", "W", claims.power), judgement=NOT_TESTED), lambda case, row: row))
    return rows


def _judge_rate(direction: Direction, case: _Case, row: ClaimRow) -> ClaimRow:
    best = case.best(direction, "sequential")
    if best is None:
        return row
    elsewhere = [c for c in case.ceilings(best) if c.owner != case.part]
    bottleneck = case.bottlenecks.get((case.setup, direction))
    tolerance = case.review.review.tolerance
    judged = judge_claim(row.claimed, best.estimate, elsewhere, tolerance)
    if judged.verdict in ("missed", "undecided") and best.unflushed:
        moving = estimate(best.unflushed)
        if judge_claim(row.claimed, moving, elsewhere, tolerance).verdict == "met":
            judged = replace(judged, unflushed=moving.rate)
    return replace(
        row,
        measured=best.estimate.rate,
        run=best.run.id,
        workload=best.workload.title,
        judgement=_unless_suspect(best, _unless_others(case.part, judged, bottleneck)),
        bottleneck=bottleneck,
        estimate=best.estimate,
        older=tuple(run.id for run in best.older),
    )


def _unless_suspect(measured: Measurement, judged: ClaimJudgement) -> ClaimJudgement:
    """A figure that cannot be the drive's decides nothing."""
    return replace(judged, verdict="undecided", why=measured.suspect) if measured.suspect else judged


def _unless_others(part: str, judged: ClaimJudgement, bottleneck: Bottleneck | None) -> ClaimJudgement:
    """A part misses its claim where it is the only suspect that is left; where others are left that is undecided."""
    if judged.verdict != "missed" or bottleneck is None or {s.key for s in bottleneck.finding.suspects} == {part}:
        return judged
    return replace(judged, verdict="undecided", others=True)


def _judge_iops(direction: Direction, case: _Case, row: ClaimRow) -> ClaimRow:
    best = case.best(direction, "random")
    if best is None:
        return row
    block = best.workload.block_bytes
    elsewhere = [
        replace(c, low=c.low / block, high=c.high / block) for c in case.ceilings(best) if c.owner != case.part
    ]
    judged = _unless_suspect(best, judge_claim(row.claimed, best.iops, elsewhere, case.review.review.tolerance))
    bottleneck = case.small.get((case.setup, direction))
    if judged.verdict == "missed" and not _was_pressed(case, best):
        deeper = f"ulterion measure --setup {case.setup} --workload '{replace(best.workload, depth=ENOUGH).text}'"
        judged = replace(
            judged,
            verdict="undecided",
            why=f"measured with {best.workload.depth} in flight; more may be faster: {deeper}",
        )
    return replace(
        row,
        measured=best.iops.rate,
        run=best.run.id,
        workload=best.workload.title,
        judgement=_unless_others(case.part, judged, bottleneck),
        bottleneck=bottleneck,
        estimate=best.iops,
        older=tuple(run.id for run in best.older),
    )


def _was_pressed(case: _Case, best: Measurement) -> bool:
    """Return whether a drive was given as many requests as it can use: very many, or fewer brought nearly as much."""
    work = best.workload
    fewer = [
        m
        for m in case.measured.values()
        if (m.workload.direction, m.workload.pattern, m.workload.block_bytes)
        == (work.direction, work.pattern, work.block_bytes)
        and m.workload.depth < work.depth
    ]
    return work.depth >= ENOUGH or any(m.iops.rate >= SATURATED * best.iops.rate for m in fewer)


def _judge_link(claimed: Link, case: _Case, row: ClaimRow) -> ClaimRow:
    """Judge the link a product is sold as by the link that was seen of it."""
    network = case.run.target.network
    over_network = claimed.family == "Ethernet"
    if over_network:
        seen = known_link(network.here.link) if network is not None and device_of(case.run) == case.part else None
    else:
        seen = link_seen_of(case.review, case.run, case.part)
    if seen is None and case.part in case.review.ports and claimed in BUSES:
        return _judge_port(claimed, case, row)
    if seen is None:
        return replace(row, setup=None)
    row = replace(row, measured=seen.payload, measured_name=seen.short, run=case.run.id)
    share = seen.payload / claimed.payload
    if seen.payload >= claimed.payload:
        return replace(row, judgement=ClaimJudgement("met", share))
    if over_network:
        return replace(row, judgement=_judge_negotiated(claimed, share, network))
    port = case.review.ports.get(case.run.chain[0])
    if port is not None and port.link is not None and port.link.payload < claimed.payload:
        why = f"{case.run.chain[0]} is {port.link.name} itself"
        return replace(row, judgement=ClaimJudgement("not testable", share, why))
    able = _able_step(case.run, claimed) if device_of(case.run) == case.part else None
    if able is not None:
        why = f"the device reports {able}, so suspect the cable or the port: try a cable made for {claimed.name}, then another port"
        return replace(row, judgement=ClaimJudgement("undecided", share, why))
    other = _linked_faster(case, claimed)
    why = (
        f"the same port ran {other} at {claimed.name} or faster, so try another cable before blaming this product"
        if other
        else "try another cable and port before blaming the product"
    )
    return replace(row, judgement=ClaimJudgement("missed", share, why))


def _judge_port(claimed: Link, case: _Case, row: ClaimRow) -> ClaimRow:
    """Judge the bus that a port is sold as: by the link of the drive in it, or by rates that rule out every slower bus.

    A low rate proves nothing against a port: the drive, or a part between them, may be the limit.
    """
    linked = case.run.seen_link
    if linked in BUSES and not is_lower(linked, claimed):
        share = linked.payload / claimed.payload
        return replace(
            row,
            measured=linked.payload,
            measured_name=linked.short,
            run=case.run.id,
            judgement=ClaimJudgement("met", share),
        )
    ways: tuple[Direction, ...] = ("read", "write")
    sound = [best for way in ways if (best := case.best(way, "sequential")) is not None and not best.suspect]
    if not sound:
        return replace(row, setup=None)
    best = max(sound, key=lambda m: m.estimate.rate)
    beyond, rate = ruled_out(best.estimate.low or best.estimate.rate), show_rate(best.estimate.rate)
    slower = BUSES[max(BUSES.index(claimed) - 1, 0)]
    row = replace(row, measured=best.estimate.rate, measured_name=rate, run=best.run.id, workload=best.workload.title)
    share = best.estimate.rate / claimed.payload
    if beyond is not None and beyond.payload >= slower.payload:
        return replace(row, judgement=ClaimJudgement("met", share, f"{rate} is more than {slower.name} can carry"))
    found = next(
        (f for f in bus_findings(case.review, case.everything, list(case.everything)) if f.setup == case.setup), None
    )
    fits = f"{rate} fits {found.link.name}" if found is not None else f"{slower.name} could carry {rate} too"
    return replace(row, judgement=ClaimJudgement("undecided", share, f"{fits}; a faster drive in this port would show"))


def _able_step(run: MeasureRun, claimed: Link) -> Link | None:
    """Return the link that the device reports, if it is at least the claimed one; then the cable or the port may be the limit."""
    for step in run.target.steps:
        can = step.alone is not None and not is_lower(step.alone, claimed)
        if step.role in ("bridge", "tunnel") and is_lower(step.link, claimed) and can:
            return step.alone
    return None


def _judge_negotiated(claimed: Link, share: float, network: NetworkFacts | None) -> ClaimJudgement:
    """Judge an adapter that negotiated less than it is sold as: the other end, or the cable, may be why."""
    far = known_link(network.there.link) if network is not None else None
    if far is None:
        return ClaimJudgement(
            "not testable", share, "the other end is unknown; connect it to one that supports this rate"
        )
    if far.payload < claimed.payload:
        return ClaimJudgement("not testable", share, f"the other end is {far.name}")
    return ClaimJudgement(
        "missed",
        share,
        "both ends negotiate the rate: check the cable and everything between before blaming the product",
    )


def _linked_faster(case: _Case, claimed: Link) -> str | None:
    """Return what else the port of a case linked at the claimed link or better, in any run of the review, or None."""
    for name, measured in case.everything.items():
        run = next(iter(measured.values())).run
        device = device_of(run)
        if name == case.setup or not run.chain or run.chain[0] != case.run.chain[0] or device in (None, case.part):
            continue
        if run.seen_link is not None and run.seen_link.payload >= claimed.payload:
            return case.review.label(device or "")
    return None


def _judge_capacity(case: _Case, row: ClaimRow) -> ClaimRow:
    """Hold the capacity that the medium states against the claim; whether it is really there is another question."""
    stated = case.run.target.capacity_bytes
    if stated is None or not case.run.chain or case.run.chain[-1] != case.part:
        return row
    told = stated >= row.claimed * (1 - case.review.review.tolerance)
    why = "reported by the drive, not verified; run ulterion capacity"
    judged = ClaimJudgement("reported" if told else "missed", stated / row.claimed, why)
    return replace(row, measured=float(stated), run=case.run.id, judgement=judged)
