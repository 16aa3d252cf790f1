"""The sentences that go into a run's document: what is to be kept in mind beside its figures."""

from __future__ import annotations

import math
from collections.abc import Iterator

from ulterion.core.ownshare import own_share
from ulterion.core.passstates import AFTER, THROTTLED
from ulterion.core.plausible import sinking
from ulterion.core.units import show_duration, show_size
from ulterion.engine.lanes import SHALLOW
from ulterion.model.runs.measure import Before, MeasureRun, WorkloadRecord
from ulterion.model.runs.passes import PassRecord

LEAST_SPAN = 2**30  # bytes; a smaller span than this is not worth proposing


def not_fresh(before: Before, written: int) -> str | None:
    """Return that a write cache cannot be fresh, `written` bytes of the run's passes included; None where that is not known."""
    total = before.recent_bytes + before.laid_bytes + written
    if before.cache_bytes is None or total < before.cache_bytes:
        return None
    return (
        f"the write cache of {show_size(before.cache_bytes)} (soak {before.cache_run}) cannot be fresh: "
        f"{show_size(total)} were written within ten minutes or by this run"
    )


def on_run(run: MeasureRun) -> list[str]:
    """Return what is to be kept in mind, a sentence each."""
    first = next((i for i, r in enumerate(run.workloads) if r.workload.writes and r.counted), None)
    known = None if run.before is None or first is None else not_fresh(run.before, 0)
    return [*([known] if known else []), *(f"{r.workload.name}: {w}" for r in run.workloads for w in _on(run, r))]


def _on(run: MeasureRun, record: WorkloadRecord) -> Iterator[str]:
    if record.suspect:
        yield record.suspect
    yield from _own_part(run, record)
    states = {p.state for p in record.counted} - {None}
    if THROTTLED in states:
        yield _heat_words(record)
    elif states:
        yield _cache_words(run, record) if AFTER in states or "cached" in states else _slow_words(record)
    elif sinking([p.rate for p in record.counted]) and record.workload.writes:
        yield (
            "later passes were slower: a write cache ran out, or heat; use --rest or shorter passes, "
            "and look at it with 'ulterion soak'"
        )


def _own_part(run: MeasureRun, record: WorkloadRecord) -> list[str]:
    """Return what is ours in a figure, where it is worth knowing."""
    if not record.counted or record.counted[0].lanes is None:
        return []
    cost = run.bench.request_cost if record.workload.depth == 1 else run.bench.request_cost_deep
    lanes = max(p.lanes or 1 for p in record.counted)
    busy = sorted(p.busy or 0.0 for p in record.counted)[len(record.counted) // 2]
    seconds = sum(p.seconds - (p.flush_seconds or 0.0) for p in record.counted)
    own = own_share(cost, busy, seconds, sum(p.requests for p in record.counted), lanes)
    words = []
    if own.is_limit:
        words.append(
            _limit_words(busy, lanes, fixed=run.settings.lanes is not None and record.workload.depth > SHALLOW)
        )
    if own.is_large:
        words.append(f"up to {(own.share or 0) * 100:.0f} % of the time of a request is the program's own")
    return words


def _limit_words(busy: float, lanes: int, *, fixed: bool) -> str:
    """Say that the workers were the limit; `fixed` when their number was asked for and could be left to the program."""
    who = "one worker was" if lanes == 1 else f"its {lanes} workers were"
    if fixed and lanes == 1:
        return f"{who} the limit, busy {busy * 100:.0f} % of the time: try --lanes auto"
    return f"{who} busy {busy * 100:.0f} % of the time: the processor was the limit, not the drive"


def _heat_words(record: WorkloadRecord) -> str:
    """Say that heat slowed passes, how warm the drive was, and how to have one state alone."""
    slow = [p for p in record.counted if p.state == THROTTLED]
    cool = [p for p in record.counted if p.state is None]
    warm = max((p.temperature for p in slow if p.temperature is not None), default=None)
    how = f" at {warm:.0f} C" if warm is not None else ""
    counted = sum(p.throttled_seconds or 0.0 for p in slow)
    evidence = f", and counted {show_duration(counted)} of throttling" if counted else ""
    if not cool:
        return f"the drive throttled in every pass{how}{evidence}: let it cool first, or use --cool-to"
    return (
        f"the drive throttled in {len(slow)} of {len(record.counted)} passes{how}{evidence}, so there are two figures; "
        f"for the cool one alone use --cool-to {_cool_enough(cool)}--rest TIME between passes"
    )


def _cool_enough(cool: list[PassRecord]) -> str:
    warmest = max((p.temperature for p in cool if p.temperature is not None), default=None)
    return "TEMP or " if warmest is None else f"'{warmest:.0f} C' or "


def _slow_words(record: WorkloadRecord) -> str:
    count = sum(p.state == "mixed" for p in record.counted)
    passes = f"{count} of {len(record.counted)} passes"
    why = "housekeeping, another program, or heat"
    if any(p.hot for p in record.counted):
        why = "the drive was hot, before and meanwhile, so heat or a used-up write cache"
    return f"{passes} were slow for a while and count for nothing: {why}; see 'ulterion soak'"


def _cache_words(run: MeasureRun, record: WorkloadRecord) -> str:
    """Say that the write cache was used up, after how much, and how to get one state alone."""
    index = run.workloads.index(record)
    passes = {state: [p for p in record.counted if p.state == state] for state in ("cached", AFTER, "mixed")}
    first_slow = min(p.number for p in record.counted if p.state != "cached")
    before = run.written_before(index, first_slow)
    if not passes["cached"]:
        return f"after {show_size(before)} its rate is the one that a used-up write cache leaves: this is the figure after the cache"
    mixed = (
        f"; {len(passes['mixed'])} of {len(record.counted)} passes saw both, and count for neither"
        if passes["mixed"]
        else ""
    )
    size = "about" if before else "less than"
    used = before or passes["mixed"][0].bytes
    return (
        f"the write cache was used up after {size} {show_size(used)}, so there are two figures{mixed}; "
        f"for the cached one alone {_advice(run, record, passes[AFTER] or passes['mixed'], used)}"
    )


def _advice(run: MeasureRun, record: WorkloadRecord, slow: list[PassRecord], cache: int) -> str:
    """Return how to stay within the cache: rests long enough, or so much less.

    A cache is emptied into what the drive writes to after it, at about that rate: so long a rest empties what a pass writes.
    """
    cached = [p for p in record.counted if p.state == "cached"]
    written = run.written_before(len(run.workloads), max(p.number for p in record.counted) + 1)
    over = max(0, written - cache)
    rest = max(p.bytes for p in cached) / min(p.shape.rate for p in slow) if cached else 0.0
    less = f"write {show_size(over)} less (fewer or shorter passes, or a smaller --span)"
    return f"use --rest {show_duration(math.ceil(rest))} between passes, or {less}"
