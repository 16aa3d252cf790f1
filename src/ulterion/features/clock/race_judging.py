"""Which transfers of a review can race, and as what: copies and soaks by their series, timings by hand by their laps."""

from __future__ import annotations

from collections.abc import Sequence
from itertools import accumulate

from ulterion.core.errors import UsageError, unknown
from ulterion.core.transfers.race import Runner, to_amount
from ulterion.core.units import show_size
from ulterion.model.review import Review
from ulterion.model.runs.clock import ClockRun
from ulterion.model.runs.copied import CopyRun
from ulterion.model.runs.document import AnyRun
from ulterion.model.runs.soak import SoakRun

FEWEST, MOST = 2, 6
Points = tuple[tuple[float, ...], tuple[float, ...], float, bool]


def runners_of(review: Review, runs: Sequence[AnyRun], wanted: Sequence[str]) -> list[Runner]:
    """Return the transfers named by a run's id or a setup (its newest that can race), as far as the smallest of them; raise UsageError."""
    if not FEWEST <= len(wanted) <= MOST:
        raise UsageError(f"a race takes two to six transfers, named by run or setup; {len(wanted)} were named")
    able = [(run, points) for run in runs if (points := _points(run)) is not None and not run.excluded]
    chosen = [_chosen(review, able, name) for name in wanted]
    return _runners(review, chosen)


def _runners(review: Review, chosen: Sequence[tuple[AnyRun, Points]]) -> list[Runner]:
    names = [review.setup_label(run.setup) if run.setup in review.setups else run.id for run, _ in chosen]
    named = [n if names.count(n) == 1 else f"{n}, {run.id}" for n, (run, _) in zip(names, chosen, strict=True)]
    runners = [Runner(name, *points) for name, (_, points) in zip(named, chosen, strict=True)]
    amount = min(r.total for r in runners)
    return [to_amount(r, amount) for r in runners]


def races_of(review: Review, runs: Sequence[AnyRun]) -> list[tuple[str, list[Runner]]]:
    """Return, by what was transferred, the races that a review's copies and timings by hand allow, each setup's newest transfer in it.

    Transfers race that had the same task, in the same direction and by the same means; of more than six the first in the order of the review.
    """
    newest: dict[tuple[str, str, str], dict[str, tuple[AnyRun, Points]]] = {}
    for run in sorted(runs, key=lambda r: r.started):
        task = _task(run) if run.setup in review.setups and not run.excluded else None
        points = _points(run) if task is not None else None
        if task is not None and points is not None:
            newest.setdefault(task, {})[run.setup or ""] = (run, points)
    races = []
    for (name, way, _), found in newest.items():
        chosen = [found[h] for h in review.setups if h in found][:MOST]
        if len(chosen) >= FEWEST:
            races.append((f"{name}, {way}", _runners(review, chosen)))
    return races


def _task(run: AnyRun) -> tuple[str, str, str] | None:
    """Return what a run transferred, in which direction, and by what means; None for what is no transfer of something."""
    if isinstance(run, CopyRun):
        way = "read" if run.copied.from_setup == run.setup else "written"
        return run.copied.task, way, run.copied.from_setup or "" if way == "written" else ""
    if isinstance(run, ClockRun):
        return run.clock.task, "read" if run.clock.direction == "read" else "written", "by hand"
    return None


def _chosen(review: Review, able: Sequence[tuple[AnyRun, Points]], name: str) -> tuple[AnyRun, Points]:
    fitting = [(run, points) for run, points in able if name in (run.id, run.setup)]
    if fitting:
        return max(fitting, key=lambda pair: pair[0].started)
    if name in review.setups:
        raise UsageError(
            f"setup '{name}' has no copy, no soak and no timing with laps that could race; run 'ulterion copy' or 'ulterion soak' on it"
        )
    raise UsageError(unknown("run or setup", name, [*review.setups, *(run.id for run, _ in able)]))


def _points(run: AnyRun) -> Points | None:
    """Return when how many bytes of a run were over, the whole, and whether it ended; None where that was not kept."""
    if isinstance(run, CopyRun) and run.copied.passes:
        one = run.copied.passes[-1]
        return _course(one.progress, one.interval, one.seconds, float(one.bytes))
    if isinstance(run, SoakRun):
        loads = [p for p in run.soak.phases if p.name == "load" and p.bytes]
        return (
            _series(loads[0].bytes, loads[0].interval, loads[0].seconds, float(sum(loads[0].bytes))) if loads else None
        )
    if isinstance(run, ClockRun):
        timed = next((t for t in reversed(run.timings) if t.laps and t.seconds), None)
        if timed is None or timed.seconds is None:
            return None
        ended = timed.end == "done"
        last = [(timed.seconds, timed.size)] if ended else []
        points = [(0.0, 0.0), *timed.laps, *last]
        return tuple(s for s, _ in points), tuple(b for _, b in points), timed.size, ended
    return None


def _series(moved: Sequence[int], interval: float, seconds: float, total: float) -> Points | None:
    if not total or not moved:
        return None
    return _course([min(total, float(s)) for s in accumulate(moved)], interval, seconds, total)


def _course(sums: Sequence[float], interval: float, seconds: float, total: float) -> Points | None:
    """Return the course of a transfer by what was over at the end of each interval."""
    if not total or not sums:
        return None
    moments = [min(seconds, (i + 1) * interval) for i in range(len(sums))]
    inside = [(m, s) for m, s in zip(moments, sums, strict=True) if m < seconds]
    points = [(0.0, 0.0), *inside, (seconds, total)]
    return tuple(m for m, _ in points), tuple(s for _, s in points), total, True


def amount_words(runners: Sequence[Runner]) -> str:
    """Return over how much they raced."""
    return show_size(runners[0].total)
