"""From what was measured to how long work takes: ends from runs and soaks, a transfer on every setup, a recording."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import replace

from ulterion.core.arrays import np
from ulterion.core.estimates.transfer_time import OWN, End, Piece, Work, by_turns, work
from ulterion.core.links.ceilings import Direction
from ulterion.core.records import dataclass
from ulterion.core.soak.falls import Fall
from ulterion.core.soak.trace import LOAD
from ulterion.core.workloads.workload import NetworkWorkload
from ulterion.features.claims.capacity_proofs import holds
from ulterion.features.clock.judging import clocked_rows
from ulterion.features.soak.judging import Soak, soak_of
from ulterion.model.review import Review
from ulterion.model.runs.document import AnyRun
from ulterion.model.runs.header import counted
from ulterion.model.runs.soak import SoakRun
from ulterion.results.measurement import Measurement, best_of
from ulterion.results.pooling import pooled_results
from ulterion.results.standing_soaks import standing_soak

NORMAL = 1.959964  # standard deviations that hold 95% of a normal distribution
USUAL = 0.015  # standard deviation of the log of a rate from one day to the next, at least
STAGES = {"write cache": "write cache exhausted", "throttling": "throttled"}


@dataclass(frozen=True)
class TransferTimeRow:
    """A piece of work on a setup.

    Attributes:
        target: the setup; `source` the one that a transfer between two comes from, else None.
        work: how long it takes, None where nothing was measured for it; then `why`.
        naive: seconds by the best rate alone.
        runs: ids of the runs it rests on.
    """

    target: str
    work: Work | None
    naive: float | None = None
    runs: tuple[str, ...] = ()
    why: str | None = None
    source: str | None = None

    @property
    def setup(self) -> str:
        """What the row is called: its setup, or both."""
        return self.target if self.source is None else f"{self.source} to {self.target}"

    def title(self, review: Review) -> str:
        """Return how the setup is called among all of a review, or both ends of a transfer."""
        ends = [review.setup_among_all(name) for name in (self.source, self.target) if name is not None]
        return " to ".join(ends)


def end_of(review: Review, runs: Sequence[AnyRun], setup: str, way: Direction) -> tuple[End, tuple[str, ...]] | None:
    """Return a setup as the end of a transfer, read or written, with the runs that say so; None where nothing was measured."""
    best = best_of(list(pooled_results(runs).get(setup, {}).values()), way, "sequential")
    soak = soak_on(runs, setup, way)
    if best is None and soak is None:
        return _end_by_hand(review, runs, setup, way)
    ids = tuple(dict.fromkeys([*([r.id for r in best.documents] if best else []), *([soak.run.id] if soak else [])]))
    pieces, tail = _pieces(soak) if soak is not None else ((), None)
    if soak is not None:
        return End(
            name=setup, rate=soak.findings.fast, error=USUAL, pieces=pieces, tail=tail, long=soak.findings.bytes
        ), ids
    assert best is not None
    elsewhere = _cache_elsewhere(review, runs, setup) if way == "write" else None
    if elsewhere is not None:
        other, fall = elsewhere
        why = f"write cache (soak of {other.run.setup}) exhausted"
        after = fall.after or _pieces(other)[1].rate  # where it mostly stands still, what it moves between counts
        tail = Piece(math.inf, min(best.estimate.rate, after), why if after < best.estimate.rate else OWN)
        pieces = (Piece(fall.written, best.estimate.rate, OWN),)
        return End(
            name=setup,
            rate=best.estimate.rate,
            error=_error(best),
            pieces=pieces,
            tail=tail,
            long=other.findings.bytes,
        ), (*ids, other.run.id)
    measured = _cache_measured(best) if way == "write" else None
    if measured is not None:
        return replace(measured, name=setup), ids
    plain = way == "read" and not best.run.target.rotational  # reading uses nothing up, nor does a network
    plain = plain or isinstance(best.workload, NetworkWorkload)
    return End(setup, best.estimate.rate, _error(best), long=math.inf if plain else None), ids


def _end_by_hand(
    review: Review, runs: Sequence[AnyRun], setup: str, way: Direction
) -> tuple[End, tuple[str, ...]] | None:
    """Return an end from its timings and copies, by the task with the most of them; None without any."""
    rows = [r for r in clocked_rows(review, runs, review.review.margin) if (r.setup, r.direction) == (setup, way)]
    known = [(r, e) for r in rows if (e := r.estimate) is not None and r.suspect is None and r.source is None]
    if not known:
        return None
    row, found = max(known, key=lambda pair: (pair[1].passes, pair[1].rate))
    error = math.log(found.high / found.low) / (2 * NORMAL) if found.low and found.high else USUAL
    return End(setup, found.rate, max(error, USUAL), long=row.size), row.runs


def _cache_measured(best: Measurement) -> End | None:
    """Return an end whose write cache the passes of a measurement used up: so many bytes at the fast rate, then the slow one; None where none did."""
    run = best.run
    shown = [u for r in run.workloads if (u := r.used_up) is not None]
    if not shown:
        return None
    known = min(shown, key=lambda u: u.since)
    written = {
        early: sum(
            p.bytes * r.workload.writes for r in run.workloads for p in r.counted if not early or p.number < known.since
        )
        for early in (True, False)
    }
    cache = written[True] + (run.before.prefilled_bytes if run.before is not None else 0)
    after = Piece(math.inf, known.slow, STAGES["write cache"])
    pieces = (Piece(max(cache, 1.0), best.estimate.rate, OWN),)
    return End(
        name=best.setup,
        rate=best.estimate.rate,
        error=_error(best),
        pieces=pieces,
        tail=after,
        long=max(written[False], cache),
    )


def _cache_elsewhere(review: Review, runs: Sequence[AnyRun], setup: str) -> tuple[Soak, Fall] | None:
    """Return what another setup's soak of the same medium found of its write cache: that goes with the drive wherever it is plugged in."""
    medium = review.setup(setup).medium
    for name, other in review.setups.items():
        soak = soak_on(runs, name, "write") if name != setup and other.medium == medium else None
        fall = soak.findings.fall("write cache") if soak is not None else None
        if soak is not None and fall is not None:
            return soak, fall
    return None


def _error(best: Measurement) -> float:
    low, high = best.estimate.low, best.estimate.high
    known = 0.0 if low is None or high is None else math.log(high / low) / 4
    return max(USUAL, known)


def soak_on(runs: Sequence[AnyRun], setup: str, way: Direction) -> Soak | None:
    """Return the soak in order that stands for a setup in one direction, None where there is none."""
    loads = [(run, run.soak.workload) for run in counted(runs, SoakRun) if run.setup == setup]
    run = standing_soak([run for run, load in loads if (load.direction, load.pattern) == (way, "sequential")])
    return None if run is None else soak_of(run)


def _pieces(soak: Soak) -> tuple[tuple[Piece, ...], Piece]:
    """Return a soak's load as pieces of equal time, each with what held it down then, and what comes behind it: the mean of its later half."""
    load = next(p for p in soak.run.soak.phases if p.name == LOAD)
    size, seconds = np.array(load.bytes, dtype=float), load.interval
    per = max(1, len(size) // PIECES)
    groups = [size[i : i + per] for i in range(0, len(size), per)]
    pieces = []
    for number, group in enumerate(groups):
        moved, middle = float(group.sum()), load.start + (number + 0.5) * per * seconds
        if moved > 0:
            pieces.append(Piece(moved, moved / (len(group) * seconds), _why(soak.findings.falls, middle)))
    cache = next((f.at for f in soak.findings.falls if f.cause != "throttling"), load.start)
    begun = max(len(size) // 2, min(len(size) - 1, int((cache - load.start) / seconds) + 1))
    later = size[begun:]
    return tuple(pieces), Piece(
        math.inf, max(float(later.mean()) / seconds, 1.0), _why(soak.findings.falls, load.start + len(size) * seconds)
    )


PIECES = 120  # that a load is taken in


def _why(falls: Sequence[Fall], at: float) -> str:
    """Return what held a load down at a moment: the last of the falls that were on."""
    on = [f for f in falls if f.at <= at and (f.until is None or at < f.until)]
    return STAGES.get(on[-1].cause, "slows down, cause unknown") if on else OWN


def moving(
    review: Review, runs: Sequence[AnyRun], size: float | None, way: Direction, setups: Sequence[str] = ()
) -> list[TransferTimeRow]:
    """Return how long so many bytes take to be read from, or written to, each setup, the quickest first; without a size, all that its medium holds."""
    names = setups or [n for n, s in review.setups.items() if size is not None or not review.is_peer(s.medium)]
    rows = [_moved(review, runs, size, way, name) for name in names]
    return sorted(rows, key=lambda r: math.inf if r.work is None else r.work.seconds)


def _moved(review: Review, runs: Sequence[AnyRun], size: float | None, way: Direction, name: str) -> TransferTimeRow:
    """Return how long a size, or all that the medium holds, takes on one setup."""
    found = end_of(review, runs, name, way)
    if found is None:
        return TransferTimeRow(name, None, why=f"not measured; ulterion measure --setup {name}")
    end, ids = found
    medium = review.setup(name).medium
    room = holds(review, runs, medium)
    if size is None and room is None:
        return TransferTimeRow(name, None, why=f"capacity unknown; give a size: ulterion estimate {way} '200 GB'")
    bytes_moved = size if size is not None or room is None else room.bytes
    assert bytes_moved is not None
    if room is not None and room.bytes < bytes_moved:
        return TransferTimeRow(name, None, why=f"does not fit: {review.label(medium)} {room.words}")
    return TransferTimeRow(name, work(bytes_moved, [end]), bytes_moved / end.best, ids)


def between(
    review: Review,
    runs: Sequence[AnyRun],
    size: float,
    source: str,
    target: str,
    *,
    files: int = 0,
    per_file: float = 0.0,
    check: bool = False,
) -> TransferTimeRow:
    """Return how long a copy from one setup to another takes, each file at its own cost, and all read back where it is checked."""
    ends = [(source, end_of(review, runs, source, "read")), (target, end_of(review, runs, target, "write"))]
    missing = next((n for n, end in ends if end is None), None)
    if missing is not None:
        return TransferTimeRow(
            target, None, source=source, why=f"'{missing}' was not measured; ulterion measure --setup {missing}"
        )
    impossible = _impossible(review, runs, size, source, target)
    if impossible is not None:
        return TransferTimeRow(target, None, source=source, why=impossible)
    known = [end for _, end in ends if end is not None]
    back = end_of(review, runs, target, "read") if check else None
    if check and back is None:
        return TransferTimeRow(
            target,
            None,
            source=source,
            why=f"reading from '{target}' was not measured; ulterion measure --setup {target}",
        )
    ids = tuple(dict.fromkeys(i for _, some in known for i in some))
    both = [end for end, _ in known]
    if source == target:
        both = [by_turns(*both)]
    told = work(size, both, files=files, per_file=per_file, check=back[0] if back else None)
    return TransferTimeRow(target, told, size / min(e.best for e in both), ids, source=source)


def _impossible(review: Review, runs: Sequence[AnyRun], size: float, source: str, target: str) -> str | None:
    """Return why a copy between two setups cannot be, or None: no room, one medium in two places, two plugs in one port."""
    one, other = review.setup(source), review.setup(target)
    copies = 2 if source == target else 1
    for name, times in ((source, copies), (target, copies)):
        medium = review.setup(name).medium
        room = holds(review, runs, medium)
        if room is not None and room.bytes < size * times:
            twice = " and the copy needs as much again" if times > 1 else ""
            return f"does not fit: {review.label(medium)} {room.words}{twice}"
    if source == target:
        return None
    if one.medium == other.medium:
        return f"{review.label(one.medium)} cannot be in both at once; copy to another medium, or within one of them"
    if one.chain[:1] == other.chain[:1] and one.chain[1:2] != other.chain[1:2]:
        return f"both are plugged into {one.chain[0]}, which takes one plug; move one to another port, or put both on a hub"
    return None
