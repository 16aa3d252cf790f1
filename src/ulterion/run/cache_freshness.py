"""What was written to a drive shortly before, and what soaks of it say of its write cache: whether that can be fresh."""

from __future__ import annotations

import datetime
from collections.abc import Iterator

from ulterion.core.facts.target import TargetFacts
from ulterion.core.soak.cache_fill import Fill
from ulterion.core.soak.falls import Fall
from ulterion.core.soak.findings import events
from ulterion.model.runs.document import AnyRun
from ulterion.model.runs.measure import Before
from ulterion.model.runs.soak import SoakRun
from ulterion.run.place import Place

RECENT = datetime.timedelta(minutes=10)  # a cache that was used up longer ago may be empty again
MAX_SOAKS = 5  # that are looked into for a write cache


def recent_writes(place: Place, facts: TargetFacts, started: datetime.datetime) -> Before:
    """Return what is known, from the runs of the review, before a run that begins at `started`."""
    summaries = place.review.summaries()
    recent = [s for s in summaries if s.ended is not None and started - RECENT <= s.ended <= started]
    runs = [run for run in place.review.for_judging(recent) if _same_drive(run, place, facts)]
    known = Before(recent_bytes=int(sum(step.bytes for run in runs for step in run.written)))
    soaked = next(_used_up(place, facts), None)
    if soaked is None:
        return known
    run, fall = soaked
    fill = Fill(fall.written, fall.after)
    for one, begin in zip(runs, [*(r.started for r in runs), started][1:], strict=True):
        fill = _left_by(one, fill, max(0.0, (begin - one.started).total_seconds()))
    return known.changed(
        cache_bytes=int(fall.written),
        cache_used=int(fill.used),
        cache_fast=fall.before,
        cache_slow=fall.after,
        cache_run=run.id,
        cache_here=run.setup == place.setup,
    )


def _same_drive(run: AnyRun, place: Place, facts: TargetFacts) -> bool:
    if facts.serial is not None and run.target.serial is not None:
        return facts.serial == run.target.serial
    return bool(run.chain) and run.chain[-1:] == place.chain[-1:]


def _left_by(run: AnyRun, fill: Fill, until_next: float) -> Fill:
    """Return what a run left in use of a write cache, `until_next` seconds from its beginning to that of the next.

    What of that time its passes or phases do not account for is taken as rest at the end, which leaves the least.
    """
    for step in run.written:
        fill = fill.after(step.bytes, step.seconds)
    return fill.after(0.0, max(0.0, until_next - sum(step.seconds for step in run.written)))


def _used_up(place: Place, facts: TargetFacts) -> Iterator[tuple[SoakRun, Fall]]:
    """Yield the newest soaks of the drive that used up a write cache, those of the same setup first, and that fall."""
    soaks = [s for s in reversed(place.review.summaries()) if s.kind == "soak"]
    ordered = sorted(soaks, key=lambda s: s.setup != place.setup)
    for run in place.review.with_series(ordered[:MAX_SOAKS]):
        if isinstance(run, SoakRun) and _same_drive(run, place, facts):
            yield from ((run, fall) for fall in events(run.trace()) if fall.cause == "write cache")
