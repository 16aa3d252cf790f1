"""What a review found about each product: its claims, heat, the cost against the baseline, and warnings.

Findings are made from verdicts alone.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Collection, Mapping, Sequence
from typing import Literal

from ulterion.core.records import dataclass
from ulterion.core.units import show_rate, show_size, significant, spell_duration
from ulterion.features.claims.row import ClaimRow
from ulterion.features.claims.speedup import RivalRow
from ulterion.features.clock.judging import ClockRow
from ulterion.features.compare.words import cost_words
from ulterion.features.page.inputs import ReportInputs
from ulterion.features.page.subjects import (
    PORT,
    Subject,
    compared_rows,
    entries_of,
    judged_claims,
    judged_rivals,
    soak_of_subject,
    subjects,
    tests,
    timed_rows,
)
from ulterion.features.soak.judging import Soak
from ulterion.model.runs.copied import CopyRun
from ulterion.model.runs.header import counted
from ulterion.model.runs.notes import Note
from ulterion.results.comparison import ComparedRow
from ulterion.show.charts import Tone
from ulterion.show.sentences import how_much, listed, sentence_of

FAKE = 0.9  # of the capacity claimed, below which it is a fake
NO_LOSS = {"same", "a little slower", "a little faster"}
Kept = Literal["all", "some", "none", "misses", "open"]
"""Which claims hold. "misses": some missed, the rest undecided; "open": all undecided."""


@dataclass(frozen=True)
class ProductFinding:
    """What a review found about a product.

    Attributes:
        subject: the product.
        kept: which of its claims hold; None where it has none that could be judged.
        tone, chip: the verdict in a word or two; `said` in a few phrases, `own` in the reviewer's words, which replace them.
        compared: whether the last phrase only compares it with the baseline.
        alarms: warnings.
        damaged: whether files arrived damaged on one of its setups. Which part did it is unknown.
    """

    subject: Subject
    kept: Kept | None
    tone: Tone
    chip: str
    said: tuple[str, ...]
    alarms: tuple[str, ...] = ()
    damaged: bool = False
    own: str = ""
    compared: bool = False

    @property
    def name(self) -> str:
        """What readers know it as."""
        return self.subject.name

    @property
    def told(self) -> str:
        """What was found, as one text."""
        return self.own or " ".join(map(sentence_of, self.said))

    @property
    def recommendable(self) -> bool:
        """Whether it can be bought, every claim holds, and nothing speaks against it."""
        return self.subject.kind != PORT and self.kept == "all" and not self.alarms and not self.damaged


def product_findings(inputs: ReportInputs) -> list[ProductFinding]:
    """Return the findings about every product with any result or note, in the order of the review. The reviewer's own verdict replaces ours."""
    found, baselines = [], {g.baseline for g in inputs.groups if len({r.setup for r in g.rows}) > 1}
    for subject in subjects(inputs):
        rows, compared = judged_claims(inputs, subject.key), compared_rows(inputs, subject.key)
        verdicts = _verdicts(inputs, subject.key)
        soak, timed = soak_of_subject(inputs, subject.key), timed_rows(inputs, subject.key)
        rates, noted = _as_medium(inputs, subject.key), _noted(inputs, subject.key)
        own = inputs.review.parts[subject.key].verdict if subject.key in inputs.review.parts else ""
        setups = [n for n in inputs.measured_setups if tests(inputs, n, subject.key)]
        port = subject.kind == PORT and any(n in baselines for n in setups)  # the baseline's has no other finding
        if not (verdicts or compared or soak or timed or rates or noted or own or port):
            continue
        judged = verdicts or compared or rates or soak
        tone, chip = _chip(rows, verdicts, compared) if judged else _timed_chip(timed)
        base = not compared and any(n in baselines for n in setups)
        cost = _cost(inputs, subject.key)
        against = [] if verdicts or cost else _against(compared)
        told = [
            *_claims(verdicts, _not_kept(inputs, subject.key)),
            *([] if soak is None else _course(soak, inputs.unit)),
            *cost,
            *against,
            *([] if verdicts or compared else rates or _by_hand(timed, inputs.unit)),
        ]
        found.append(
            ProductFinding(
                subject=subject,
                kept=_kept(verdicts),
                tone=tone,
                chip="baseline" if base and not verdicts else chip if verdicts or setups or soak or rates else "tried",
                said=tuple(told or ([] if base else noted[:1])),
                own=own,
                compared=bool(against),
                alarms=tuple(_alarms(subject, rows)),
                damaged=any(tests(inputs, setup, subject.key) for setup in damaged_copies(inputs)),
            )
        )
    return found


def _kept(verdicts: Collection[str]) -> Kept | None:
    if not verdicts:
        return None
    different = set(verdicts)
    if different in ({"met"}, {"missed"}):
        return "all" if different == {"met"} else "none"
    if "partly" in different or {"met", "missed"} <= different:
        return "some"
    return "misses" if "missed" in different else "open"


def _chip(rows: Sequence[ClaimRow], verdicts: Sequence[str], compared: Sequence[ComparedRow]) -> tuple[Tone, str]:
    """Return the verdict on a product in a word or two, with its sign; `verdicts` are those on all its claims."""
    kept = _kept(verdicts)
    if fake_capacity(rows) is not None:
        return "bad", "✗ fake capacity"
    link = missed_link(rows)
    if link is not None:
        return "bad", f"✗ links at {link.measured_name or 'less'}"
    if kept == "none" and len(verdicts) == 1:
        return "bad", "✗ misses its claim"
    if kept is not None:
        words: dict[Kept, tuple[Tone, str]] = {
            "all": ("good", "✓ keeps its word"),
            "some": ("open", "◐ keeps part of it"),
            "none": ("bad", "✗ keeps none of it"),
            "misses": ("bad", "✗ misses a claim"),
            "open": ("none", "? not decided"),
        }
        return words[kept]
    beside = {r.comparison.verdict for r in compared if r.comparison is not None}
    if not compared:
        return "none", "measured"
    if not beside or "undecided" in beside:
        return "none", "? not decided"
    if beside <= NO_LOSS:
        return "good", "✓ costs nothing"
    return ("good", "✓ faster") if beside <= {*NO_LOSS, "faster"} - {"a little slower"} else ("open", "◐ slower")


def _timed_chip(timed: Sequence[ClockRow]) -> tuple[Tone, str]:
    """Return the verdict on a product that was only copied to or from, or timed by hand."""
    if timed and all(r.watched and r.estimate is None for r in timed):
        return "open", "◐ not finished"
    return "none", "measured" if any(r.copied for r in timed) else "timed"


def _verdicts(inputs: ReportInputs, key: str) -> list[str]:
    """Return the verdict on each claim of a product that was judged."""
    rows, beside = judged_claims(inputs, key), judged_rivals(inputs, key)
    return [*(r.judgement.verdict for r in rows), *(r.verdict for r in beside)]


def _claims(verdicts: Sequence[str], missed: Sequence[str]) -> list[str]:
    """Return what became of a product's claims; `missed` says it of those that it missed or kept in part."""
    if not verdicts:
        return []
    every = len(verdicts)
    if {*verdicts} == {"met"}:
        return [{1: "its claim holds", 2: "both claims hold"}.get(every, f"all {every} claims hold")]
    counted = Counter(verdicts)
    met = counted["met"]
    held = [f"{met} of {every} claims {'holds' if met == 1 else 'hold'}"] if met else []
    open_ = [f"{counted['undecided']} undecided"] if counted["undecided"] else []
    if not (held or missed):
        few = {1: "its claim is undecided", 2: "both claims are undecided"}
        return [few.get(every, f"all {every} claims are undecided")]
    return ["; ".join([*held, *missed, *open_])]


def _not_kept(inputs: ReportInputs, key: str) -> list[str]:
    """Return what a product missed, or kept in part."""
    return [*_missed(judged_claims(inputs, key)), *_slower_than_claimed(judged_rivals(inputs, key), inputs.labels)]


def _slower_than_claimed(rivals: Sequence[RivalRow], labels: Mapping[str, str]) -> list[str]:
    """Return of claims to be so many times as fast as another product what is not true of them."""
    told = []
    for row in rivals:
        claimed = f"{row.times:g} times as fast as {labels[row.than]}"
        if row.verdict == "partly":
            told.append(f"{claimed} in {len(row.true_on)} of {row.compared} tests only")
        elif row.verdict == "missed" and row.best is not None:
            told.append(f"{row.best[1].value:.1f} times as fast as {labels[row.than]}, not {row.times:g}")
    return told


def _missed(rows: Sequence[ClaimRow]) -> list[str]:
    """Return what was missed; shares that are alike are told together."""
    told, shares = list[str](), dict[str, list[str]]()
    for row in rows:
        if row.judgement.verdict not in ("missed", "partly"):
            continue
        name = row.claim.replace("_", " ")
        if row.unit == "link":
            told.append(f"linked at {row.measured_name}" if row.measured_name else "linked below its label")
        elif row.judgement.share is None:
            told.append(f"{name} missed")
        else:
            shares.setdefault(f"{row.judgement.share * 100:.0f}%", []).append(name)
    return [
        *(
            f"{listed(names)} {'reach' if len(names) > 1 else 'reaches'} {share} of the claim"
            for share, names in shares.items()
        ),
        *told,
    ]


def _as_medium(inputs: ReportInputs, key: str) -> list[str]:
    """Return the most that a medium read and wrote at, over all setups that end with it."""
    rows = [r for g in inputs.groups for r in g.rows if inputs.review.setups[r.setup].medium == key]
    best: dict[str, float] = {}
    for row in rows:
        if row.workload.drive_pattern == "sequential" and row.workload.drive_direction in ("read", "write"):
            way = row.workload.drive_direction
            best[way] = max(best.get(way, 0.0), row.estimate.rate)
    told = [f"{way}s at {show_rate(rate, inputs.unit)}" for way, rate in best.items()]
    return [f"{listed(told)} at best"] if told else []


def _by_hand(rows: Sequence[ClockRow], unit: str) -> list[str]:
    """Return what was timed of a product: its quickest transfer, and one that did not end."""
    done = [(r, e) for r in rows if (e := r.estimate) is not None and r.suspect is None]
    told = []
    if done:
        row, estimate = max(done, key=lambda pair: pair[1].rate)
        size = f"{show_size(row.size)} in {spell_duration(row.seconds)}" if row.size and row.seconds else row.task
        told.append(f"{size}, {show_rate(estimate.rate, unit)}")
    told += [
        f"{r.task} not finished after {spell_duration(r.watched)}" for r in rows if r.watched and r.estimate is None
    ]
    return told[:2]


def _noted(inputs: ReportInputs, key: str) -> list[str]:
    """Return the outcomes and remarks noted of a product."""
    notes = [e.record for e in entries_of(inputs, key) if isinstance(e.record, Note) and e.record.kind != "excluded"]
    return [n.text for n in sorted(notes, key=lambda n: n.kind != "outcome")]


def _against(compared: Sequence[ComparedRow]) -> list[str]:
    """Return how a product without claims compares with the baseline."""
    told: dict[str, list[str]] = {}
    for row in compared:
        assert row.comparison is not None
        doing = "reading" if row.workload.drive_direction == "read" else "writing"
        words = {"same": "at the same speed", "undecided": "undecided"}.get(row.comparison.verdict)
        told.setdefault(words or how_much(row.comparison.ratio.value), []).append(doing)
    said = [f"{listed(doing)} {words}" for words, doing in told.items()]
    return [f"against the baseline: {', '.join(said)}"] if said else []


def _cost(inputs: ReportInputs, key: str) -> list[str]:
    """Return what a part costs, where a setup was measured with it and without it."""
    pairs = (n for g in inputs.groups for n in g.nearest if n.without == key)
    return [f"its cost: {cost_words(n, inputs.review.review.margin)}" for n in pairs][:1]


def _course(soak: Soak, unit: str) -> list[str]:
    """Return what a long run did."""
    found = soak.findings
    heat, first = found.fall("throttling"), next(iter(found.falls), None)
    last, length = show_rate(found.last, unit), spell_duration(found.seconds)
    if heat is not None:
        return [f"heat slowed it after {spell_duration(heat.at - soak.load_start)}, to {show_rate(heat.after, unit)}"]
    if first is not None and first.until is None:
        way = "reads" if soak.run.soak.workload.direction == "read" else "writes"
        return [f"{way} at {last} after the first {show_size(first.written)}"]
    return [f"held {last} for {length}"] if found.held else []


def fake_capacity(rows: Sequence[ClaimRow]) -> ClaimRow | None:
    """Return the claim for a capacity that is far from there; one that is missed by a little is missed, and no fake."""
    missed = (r for r in rows if r.claim == "capacity" and r.judgement.verdict == "missed")
    return next((r for r in missed if (r.measured or 0.0) < FAKE * r.claimed), None)


def missed_link(rows: Sequence[ClaimRow]) -> ClaimRow | None:
    """Return the claim for a link that a product does not come to."""
    return next((r for r in rows if r.unit == "link" and r.judgement.verdict == "missed"), None)


def damaged_copies(inputs: ReportInputs) -> dict[str, int]:
    """Return by setup how many files did not arrive as they were sent."""
    found: dict[str, int] = {}
    for run in counted(inputs.runs, CopyRun):
        wrong = sum(p.wrong_count for p in run.copied.passes)
        if wrong and run.setup in inputs.review.setups:
            found[run.setup] = found.get(run.setup, 0) + wrong
    return found


def _alarms(subject: Subject, rows: Sequence[ClaimRow]) -> list[str]:
    """Return what must be said first of a product: a capacity that is not there, a link below the box."""
    told, fake, link = list[str](), fake_capacity(rows), missed_link(rows)
    if fake is not None and fake.measured:
        share = fake.measured / fake.claimed * 100
        real, sold = show_size(fake.measured), show_size(fake.claimed)
        told.append(f"Do not buy {subject.name}: only {real} of its {sold} is real ({significant(share)}%).")
    if link is not None and link.claimed_name:
        got = f"links at {link.measured_name}" if link.measured_name else "links slower"
        told.append(f"{subject.name} is sold as {link.claimed_name} and {got}.")
    return told


def data_alarms(inputs: ReportInputs) -> list[str]:
    """Return what must be said first of setups on which files arrived damaged."""
    return [
        f"{'1 file' if wrong == 1 else f'{wrong:,} files'} copied over {inputs.review.setup_among_all(setup)} arrived damaged."
        for setup, wrong in damaged_copies(inputs).items()
    ]
