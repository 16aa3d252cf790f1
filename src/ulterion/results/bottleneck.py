"""What held each setup back, and the one measurement that would tell more: one answer for tables, claims, soaks and figures."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from dataclasses import replace

from ulterion.core.bottleneck import Carried, Cleared, Finding, Suspect, find_bottleneck, is_more
from ulterion.core.links.ceilings import Direction
from ulterion.core.links.negotiated import guess_link
from ulterion.core.links.standards import Link
from ulterion.core.records import dataclass
from ulterion.core.workloads.pass_states import SLOW_STATES
from ulterion.model.review import Review
from ulterion.results.measurement import Measurement, best_of, chain_elements

DIRECTIONS: tuple[Direction, ...] = ("read", "write")
TAKEN_BY = {
    "USB": ("USB", "USB4", "Thunderbolt"),
    "USB4": ("USB4", "Thunderbolt"),
    "Thunderbolt": ("Thunderbolt", "USB4"),
}
"""Families of ports that take a plug of a family: USB4 and Thunderbolt hosts run USB devices (USB4 Specification 2.0, 2.1)."""
BETWEEN = ("hub", "cable", "adapter", "dock", "switch", "extension")  # kinds of parts that a chain does without


@dataclass(frozen=True)
class NextMeasurement:
    """The measurement that would tell suspects apart.

    Attributes:
        chain: what to connect, the port first; `setup` its name where the review has it already.
        fetch: what of it the review does not have, as 'another card', or None.
    """

    chain: tuple[str, ...]
    setup: str | None
    fetch: str | None = None


@dataclass(frozen=True)
class Bottleneck:
    """A finding, with the next measurement where several suspects are left; `network` where it is one that was held back."""

    finding: Finding
    next: NextMeasurement | None
    network: bool = False


def carried_by(
    review: Review, measured: dict[str, dict[str, Measurement]], direction: Direction, pattern: str = "sequential"
) -> dict[str, Carried]:
    """Return what each measured setup carried at its best in one direction, by large requests or by small ('random')."""
    every = {}
    for name, cells in measured.items():
        best = best_of([c for c in cells.values() if not c.suspect and c.state not in SLOW_STATES], direction, pattern)
        if best is None or name not in review.setups:
            continue
        chain = chain_elements(review, best.run, ())
        if not chain:
            continue
        if best.run.seen_link is None and best.run.target.transport not in (None, "virtual"):
            guessed = _guessed(list(cells.values()))
            device = chain[-2] if len(chain) > 2 else chain[-1]
            chain = [replace(e, seen=guessed) if e is device and guessed is not None else e for e in chain]
        baseline = review.setups[name].baseline
        every[name] = Carried(
            setup=name, run=best.run.id, chain=tuple(chain), rates=best.rates, estimate=best.estimate, baseline=baseline
        )
    return every


def _guessed(cells: list[Measurement]) -> Link | None:
    best = [best_of(cells, direction, "sequential") for direction in DIRECTIONS]
    if best[0] is None or best[1] is None:
        return None
    return guess_link(best[0].estimate.rate, best[1].estimate.rate)


def bottlenecks(
    review: Review, measured: dict[str, dict[str, Measurement]], pattern: str = "sequential"
) -> dict[tuple[str, Direction], Bottleneck]:
    """Return what held every measured setup back, in each direction, by large requests or by small ('random')."""
    every_bottleneck = {}
    every = {direction: carried_by(review, measured, direction, pattern) for direction in DIRECTIONS}
    for direction, other in zip(DIRECTIONS, reversed(DIRECTIONS), strict=True):
        carried = every[direction]
        for name, target in carried.items():
            finding = _by_level(review, target, carried.values()) or find_bottleneck(
                target, list(carried.values()), list(every[other].values())
            )
            following = propose(review, target, finding, carried) if len(finding.suspects) > 1 else None
            every_bottleneck[name, direction] = Bottleneck(
                finding, following, review.is_peer(review.setups[name].medium)
            )
    return every_bottleneck


def _by_level(review: Review, target: Carried, others: Iterable[Carried]) -> Finding | None:
    """Return the level of a plan's factor that holds a setup back: the same chain was faster with that alone changed; None without such evidence."""
    mine = review.setups[target.setup]
    best: tuple[float, str, Carried] | None = None
    for other in others:
        theirs = review.setups[other.setup]
        changed = [f for f, level in mine.levels.items() if theirs.levels.get(f, level) != level]
        if mine.chain == theirs.chain and len(changed) == 1 and is_more(other, target):
            best = max(filter(None, (best, (other.estimate.rate, changed[0], other))), key=lambda one: one[0])
    if best is None:
        return None
    rate, factor, other = best
    level = f"{factor} {mine.levels[factor]}"
    cleared = tuple(
        Cleared(key=e.key, label=e.label, why="carried more", setup=other.setup, run=other.run, rate=rate)
        for e in target.chain
    )
    return Finding(
        setup=target.setup,
        run=target.run,
        rate=target.estimate.rate,
        suspects=(Suspect(level, level, None),),
        how="swap",
        other=other.setup,
        other_rate=rate,
        cleared=cleared,
    )


def propose(review: Review, target: Carried, finding: Finding, carried: dict[str, Carried]) -> NextMeasurement | None:
    """Return the measurement that tells the suspects apart best, or None where nothing can.

    A setup that the review has, and that was not measured yet, comes first.  Else what is exchanged should be known to carry
    more, and leave out the likeliest suspect alone (one whose link the rate meets), or all but it; what the review has is better
    than what must be fetched.
    """
    suspects = [s.key for s in finding.suspects]
    likely = min(finding.suspects, key=lambda s: s.link.practical_high if s.link else float("inf")).key
    mine = [k for k in review.setups[target.setup].chain if k in review.parts or k in review.ports]
    # what lies between and is cleared can be left out: fewer plugs, the same answer
    needed = [k for k in mine if k in suspects or k in review.ports or review.parts[k].kind not in BETWEEN]
    tried = {tuple(review.setups[n].chain) for n in carried}
    best: tuple[tuple[float, ...], NextMeasurement] | None = None
    for chain in _possible(review, needed, suspects):
        out = tuple(k for k in suspects if k not in chain)
        if tuple(chain) in tried or not out or len(out) == len(suspects):
            continue
        setup = next((n for n, h in review.setups.items() if tuple(h.chain) == tuple(chain)), None)
        new = [k for k in chain if k not in mine]
        fetch = next((k for k in new if k not in review.parts and k not in review.ports), None)
        if any(_is_known(k, carried) and not _carried_more(k, target, carried) for k in new):
            continue  # what was never faster elsewhere tells nothing here
        score = (
            float(setup is not None),
            float(all(_carried_more(k, target, carried) for k in new)),
            float(out == (likely,) or {*suspects} - {*out} == {likely}),
            float(fetch is None),
            -float(len(new)),
            -abs(len(out) - len(suspects) / 2),
        )
        if best is None or score > best[0]:
            best = (score, NextMeasurement(tuple(chain), setup, fetch))
    return best[1] if best else None


def _is_known(key: str, carried: dict[str, Carried]) -> bool:
    return any(key in c.keys for c in carried.values())


def _carried_more(key: str, target: Carried, carried: dict[str, Carried]) -> bool:
    return any(key in c.keys and c.estimate.rate > target.estimate.rate for c in carried.values())


def _possible(review: Review, mine: list[str], suspects: list[str]) -> Iterator[list[str]]:
    """Yield chains that could be connected: those of the review, one without a part, one with a part exchanged."""
    for setup in review.setups.values():
        yield [k for k in setup.chain if k in review.parts or k in review.ports]
    medium = mine[-1]
    for name, port in review.ports.items():
        if port.link is not None and port.link.family == _family(review, medium):
            yield [name, medium]
    for key in suspects:
        at = mine.index(key) if key in mine else -1
        if at < 0:
            continue
        if key in review.parts and at < len(mine) - 1 and review.parts[key].kind in BETWEEN:
            yield [k for k in mine if k != key]
        for other in [*_like(review, key), f"another {review.parts[key].kind if key in review.parts else 'port'}"]:
            if other not in mine:
                yield [other if k == key else k for k in mine]


def _like(review: Review, key: str) -> list[str]:
    """Return what could stand in the place of a port or part: of the same kind, with a link of the same family."""
    if key in review.ports:
        link = review.ports[key].link
        others = {n: p.link for n, p in review.ports.items() if n != key and p.link is not None}
        if link is None:
            return list(others)
        takes = TAKEN_BY.get(link.family, (link.family,))
        return [n for n, other in others.items() if other.payload >= link.payload and other.family in takes]
    part = review.parts[key]
    same = [n for n, p in review.parts.items() if n != key and p.kind == part.kind]
    return [n for n in same if _family(review, n) == _family(review, key)]


def _family(review: Review, key: str) -> str | None:
    link = review.parts[key].link
    return link.name.split()[0] if link else None
