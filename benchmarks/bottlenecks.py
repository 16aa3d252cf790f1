"""Whether bottlenecks are named rightly: python -m benchmarks.bottlenecks [REVIEWS] [--seed N].

Random reviews of one medium or two: chains of two to five elements, two to six setups, each element with a limit of its own or
none, links that give what they will within their practical range, passes with noise of several kinds.  Nothing of the simulated
bench is used: a rate is the lowest limit of a chain, times noise.  Counted: the true limit named alone, among several, cleared, or
another named alone; and where several were left, whether the named next measurement settles it.
"""

from __future__ import annotations

import argparse
import random
from collections import Counter
from collections.abc import Sequence
from dataclasses import dataclass, field
from pathlib import Path

from ulterion.core.documents.moments import moment_of
from ulterion.core.facts.target import BenchFacts, TargetFacts
from ulterion.core.links.standards import find_link
from ulterion.core.workloads.histogram import LatencyHistogram
from ulterion.core.workloads.passes import PassResult
from ulterion.core.workloads.suites import SUITES
from ulterion.model.review import Review, parse_review
from ulterion.model.runs.header import State
from ulterion.model.runs.measure import MeasureRun, Settings, WorkloadRecord
from ulterion.model.runs.passes import PassRecord
from ulterion.results.bottleneck import Bottleneck, bottlenecks
from ulterion.results.pooling import pooled_results

SLOTS = ("PCIe 3.0 x4", "PCIe 4.0 x4")
USB = ("USB 5 Gb/s", "USB 10 Gb/s", "USB 20 Gb/s", "USB4 40 Gb/s")
LARGE = [w for w in SUITES["full"].workloads if w.is_large]


@dataclass
class World:
    """A review and what is true of it.

    Attributes:
        limits: what each element lets through, bytes per second, without its link.
        links: what each link gives here at most, and below what another end can do.
        chains: of every setup.
    """

    rng: random.Random
    limits: dict[str, float] = field(default_factory=dict)
    links: dict[str, str] = field(default_factory=dict)
    gives: dict[str, float] = field(default_factory=dict)
    kinds: dict[str, str] = field(default_factory=dict)
    chains: dict[str, list[str]] = field(default_factory=dict)
    direct: set[str] = field(default_factory=set)

    def link_limit(self, chain: list[str]) -> tuple[float, str, str | None]:
        """Return the lowest trained link of a chain: what it gives, who is to blame, and its name as the host sees it."""
        worst, owner, seen = float("inf"), chain[0], None
        for at in range(1, len(chain)):
            up, down = self.links.get(chain[at - 1]), self.links.get(chain[at])
            if up is None or down is None or up.split()[0][:3] != down.split()[0][:3]:
                continue
            ends = sorted((chain[at - 1], chain[at]), key=lambda k: find_link(self.links[k]).payload)
            alike = self.links[ends[0]] == self.links[ends[1]]
            slow = (
                min(ends, key=self.gives.__getitem__) if alike else ends[0]
            )  # two ends at one rate: the poorer of them
            if self.gives[slow] < worst:
                worst, owner = self.gives[slow], slow
            if at == (len(chain) - 2 if len(chain) > 2 else 1):
                seen = self.links[slow]
        return worst, owner, seen

    def truth(self, chain: list[str]) -> tuple[float, str, str | None]:
        """Return a chain's rate, the element that limits it, and the link that is seen."""
        rate, owner, seen = self.link_limit(chain)
        for key in chain:
            if self.limits.get(key, float("inf")) < rate:
                rate, owner = self.limits[key], key
        return rate, owner, seen


def world(rng: random.Random) -> World:
    """Return a random review: a bench with slots and sockets, a drive or two, enclosures, hubs and cables."""
    w = World(rng)

    def add(key: str, kind: str, link: str | None, low: float, high: float, *, bare: bool = False) -> None:
        w.kinds[key] = kind
        if link is not None:
            known = find_link(link)
            w.links[key] = link
            w.gives[key] = rng.uniform(max(known.practical_low, 0.75 * known.practical_high), known.practical_high)
        if not bare:
            w.limits[key] = rng.uniform(low, high) * 1e6

    for n in range(rng.randint(1, 2)):
        add(f"m2-{n}", "port", rng.choice(SLOTS), 0, 0, bare=True)
    sockets = rng.sample(USB, rng.randint(1, 3))
    for n, link in enumerate(sockets):
        add(f"usb-{n}", "port", link, 0, 0, bare=True)
    drives = [f"drive{n}" for n in range(rng.randint(1, 2))]
    for key in drives:
        add(key, "drive", "PCIe 4.0 x4", 250, 7000)
    boxes = [f"box{n}" for n in range(rng.randint(1, 3))]
    for key in boxes:
        add(key, "enclosure", rng.choice(USB), 150, 4000)
    between = [f"hub{n}" for n in range(rng.randint(0, 2))]
    for key in between:
        add(key, rng.choice(("hub", "cable")), rng.choice(USB), 150, 4000)
    connect(w, rng, drives, boxes, between)
    return w


def connect(w: World, rng: random.Random, drives: list[str], boxes: list[str], between: list[str]) -> None:
    """Make the setups: each drive directly, mostly; and up to five others."""
    ports = [k for k in w.kinds if k.startswith("usb")]
    for drive in drives:
        if rng.random() < 0.85:
            w.chains[f"{drive}-direct"] = [rng.choice([k for k in w.kinds if k.startswith("m2")]), drive]
            w.direct.add(f"{drive}-direct")
    for n in range(rng.randint(1, 5)):
        middle = rng.sample(between, rng.randint(0, len(between))) if between and rng.random() < 0.5 else []
        chain = [rng.choice(ports), *middle, rng.choice(boxes), rng.choice(drives)]
        if chain not in w.chains.values() and len(w.chains) < 6:
            w.chains[f"h{n}"] = chain


def text_of(w: World) -> str:
    """Return the review.toml."""
    lines = ["schema = 2"]
    for key, kind in w.kinds.items():
        if kind == "port":
            lines += [f"[ports.{key}]", f'link = "{w.links[key]}"']
        else:
            lines += [f"[parts.{key}]", f'name = "{key.title()}"', f'kind = "{kind}"', f'link = "{w.links[key]}"']
    for name, chain in w.chains.items():
        lines += [f"[setups.{name}]", f"chain = {chain!r}".replace("'", '"')]
        lines += ["baseline = true"] if name in w.direct else []
    return "\n".join(lines) + "\n"


def noise(rng: random.Random, kind: str, size: float) -> float:
    """Return a factor: even, heavy-tailed, or now and then slower because something else ran."""
    if kind == "even":
        return rng.gauss(1.0, size)
    if kind == "heavy":
        return float(1.0 + size * rng.gauss(0, 1) / max(0.3, abs(rng.gauss(0, 1))) ** 0.5)
    return rng.gauss(1.0, size) * (0.97 if rng.random() < 0.1 else 1.0)


def run_of(w: World, name: str, chain: list[str], at: int) -> MeasureRun:
    """Return the document of a measurement of a setup: five passes of each large workload."""
    rate, _, seen = w.truth(chain)
    kind, size = w.rng.choice(("even", "heavy", "busy")), w.rng.uniform(0.003, 0.012)
    records = []
    for workload in LARGE:
        passes = []
        for number in range(1, 6):
            moved = max(1e6, rate * max(0.2, noise(w.rng, kind, size)))
            latency = LatencyHistogram.lognormal(1e-3, 0.1, 1000)
            passes.append(
                PassRecord.of(number, PassResult(round(moved), 1.0, 1000, latency, None, None, 0.1, (1,) * 10))
            )
        records.append(WorkloadRecord(workload=workload, text=workload.text, engine="ring", passes=passes))
    facts = TargetFacts(
        path="/x", kind="folder", device="sda", serial=chain[-1], link=seen, transport="USB" if seen else None
    )
    return MeasureRun(
        id=f"{at:06x}", started=moment_of(f"2026-03-02T09:{at % 60:02d}:00Z"), kind="measure", setup=name, chain=chain, target=facts,
        bench=BenchFacts("bench"), cache_bypassed=True, state=State(name="complete"), suite="full",
        settings=Settings(span_bytes=2**30, seed=1, passes=5, seconds=1.0), workloads=records,
    )  # fmt: skip


def judged(w: World, runs: list[MeasureRun]) -> dict[tuple[str, str], Bottleneck]:
    """Return what the program finds."""
    review: Review = parse_review(text_of(w), Path("review.toml"))
    return {(h, d): b for (h, d), b in bottlenecks(review, pooled_results(runs)).items()}


def fetched(w: World, what: str, step: int, rate: float, chain: Sequence[str]) -> str:
    """Return a part or port that was not there before and does more than a rate (bytes per second), as was asked for."""
    key, kind = f"fetched{step}", what.removeprefix("another ")
    w.kinds[key] = kind
    inside = kind == "drive" or (kind == "port" and w.links[chain[1]].startswith("PCIe"))
    w.links[key] = "PCIe 5.0 x4" if inside else "USB4 40 Gb/s"
    w.gives[key] = find_link(w.links[key]).practical_high * w.rng.uniform(0.8, 1)
    if kind != "port":
        w.limits[key] = rate * w.rng.uniform(1.05, 3)
    return key


def play(w: World, runs: list[MeasureRun], setup: str, direction: str, bottleneck: Bottleneck) -> str:
    """Play the named next measurements, one after another, three at most; return how it ended."""
    runs, trial = (
        list(runs),
        World(w.rng, dict(w.limits), dict(w.links), dict(w.gives), dict(w.kinds), dict(w.chains), set(w.direct)),
    )
    _, owner, _ = w.truth(w.chains[setup])
    for step in range(1, 4):
        if bottleneck.next is None:
            return "nothing to propose" if step == 1 else "no further proposal"
        name = bottleneck.next.setup or f"next{step}"
        trial.chains[name] = [
            fetched(trial, k, step, bottleneck.finding.rate, bottleneck.next.chain) if k == bottleneck.next.fetch else k
            for k in bottleneck.next.chain
        ]
        runs.append(run_of(trial, name, trial.chains[name], len(runs) + 1))
        bottleneck = judged(trial, runs)[setup, direction]
        sole_suspect = bottleneck.finding.sole_suspect
        if sole_suspect is not None:
            return f"settled by {step}" if sole_suspect.key == owner else "settled wrongly"
    return "not settled"


def main() -> None:
    """Make reviews, judge, count."""
    parser = argparse.ArgumentParser()
    parser.add_argument("reviews", nargs="?", type=int, default=300)
    parser.add_argument("--seed", type=int, default=1)
    parser.add_argument("--show", action="store_true", help="print what went wrong")
    options = parser.parse_args()
    tally, played = Counter[str](), Counter[str]()
    for number in range(options.reviews):
        w = world(random.Random(options.seed * 100_003 + number))
        if len(w.chains) < 2:
            continue
        runs = [run_of(w, name, chain, at + 1) for at, (name, chain) in enumerate(w.chains.items())]
        for (setup, direction), bottleneck in judged(w, runs).items():
            if direction != "read":
                continue
            _, owner, _ = w.truth(w.chains[setup])
            keys = [s.key for s in bottleneck.finding.suspects]
            how = bottleneck.finding.how or "several"
            if keys == [owner]:
                word = f"right alone, {how}"
            elif owner in keys:
                word = "among several"
                ended = play(w, runs, setup, direction, bottleneck)
                played[ended] += 1
                if options.show and not ended.startswith("settled by"):
                    print(number, ended, setup, keys, owner, w.chains, list(w.kinds), w.links, bottleneck.next, "\n")
            elif not keys:
                word = "none left"
            elif len(keys) == 1:
                word = f"WRONG alone, {how}"
            else:
                word = "WRONG several"
            tally[word] += 1
            if options.show and "WRONG" in word:
                print(number, setup, w.chains, {k: round(v / 1e6) for k, v in w.limits.items()},
                      {k: round(v / 1e6) for k, v in w.gives.items()}, owner, bottleneck.finding, "\n")  # fmt: skip
    for counts in (tally, played):
        total = sum(counts.values())
        print(
            "\n".join(f"{what:<28} {count:>5}  {count / total * 100:5.1f}%" for what, count in counts.most_common()),
            "\n",
        )


if __name__ == "__main__":
    main()
