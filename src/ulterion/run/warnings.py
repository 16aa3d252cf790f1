"""The sentences that go into a run's document: what is to be kept in mind beside its figures."""

from __future__ import annotations

import math
from collections.abc import Iterator

from ulterion.core.soak.cache_fill import Fill
from ulterion.core.units import show_duration, show_size
from ulterion.core.workloads.overhead import request_overhead
from ulterion.core.workloads.pass_states import AFTER, THROTTLED
from ulterion.core.workloads.sanity_limits import sinking
from ulterion.engine.workers.worker_count import SHALLOW
from ulterion.model.runs.measure import MeasureRun, WorkloadRecord
from ulterion.model.runs.passes import PassRecord


def not_fresh(soak: str | None, fill: Fill) -> str:
    """Say that a write cache cannot be fresh, and how much of it must be in use."""
    return (
        f"the write cache of {show_size(round(fill.size))} (soak {soak}) cannot be fresh: at least {show_size(round(fill.used))} of it "
        f"are in use, from what was written lately; rest {show_duration(math.ceil(fill.used / fill.empties))} or more for a fresh one"
    )


def on_run(run: MeasureRun) -> list[str]:
    """Return what is to be kept in mind, a sentence each."""
    return [f"{r.workload.name}: {words}" for r in run.workloads for words in _on(run, r)]


def _on(run: MeasureRun, record: WorkloadRecord) -> Iterator[str]:
    if record.suspect:
        yield record.suspect
    yield from _own_part(run, record)
    states = {p.state for p in record.counted} - {None}
    if THROTTLED in states:
        yield _heat_words(record)
    elif states:
        yield _cache_words(run, record) if AFTER in states or "cached" in states else _slow_words(run, record)
    elif sinking([p.rate for p in record.counted]) and record.workload.writes:
        yield (
            "later passes were slower, from a full write cache or heat; use --rest or shorter passes, "
            "and investigate with 'ulterion soak'"
        )


def _own_part(run: MeasureRun, record: WorkloadRecord) -> list[str]:
    """Return the sentence on our own share in a figure, where it is large enough to matter."""
    if not record.counted or record.counted[0].workers is None:
        return []
    cost = run.bench.request_cost if record.workload.depth == 1 else run.bench.request_cost_deep
    workers = max(p.workers or 1 for p in record.counted)
    busy = sorted(p.busy or 0.0 for p in record.counted)[len(record.counted) // 2]
    seconds = sum(p.seconds - (p.flush_seconds or 0.0) for p in record.counted)
    own = request_overhead(cost, busy, seconds, sum(p.requests for p in record.counted), workers)
    words = []
    if own.is_limit:
        words.append(
            _limit_words(busy, workers, fixed=run.settings.workers is not None and record.workload.depth > SHALLOW)
        )
    if own.is_large:
        words.append(f"up to {(own.share or 0) * 100:.0f}% of the time of a request is spent in this program")
    return words


def _limit_words(busy: float, workers: int, *, fixed: bool) -> str:
    """Say that the workers were the limit; `fixed` when their number was asked for and could be left to the program."""
    who = "one worker was" if workers == 1 else f"its {workers} workers were"
    if fixed and workers == 1:
        return f"{who} the limit, busy {busy * 100:.0f}% of the time: try --workers auto"
    return f"{who} busy {busy * 100:.0f}% of the time: the processor was the limit, not the drive"


def _heat_words(record: WorkloadRecord) -> str:
    """Say that heat slowed passes, how warm the drive was, and how to have one state alone."""
    slow = [p for p in record.counted if p.state == THROTTLED]
    cool = [p for p in record.counted if p.state is None]
    warm = max((p.temperature for p in slow if p.temperature is not None), default=None)
    how = f" at {warm:.0f} °C" if warm is not None else ""
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
    return "TEMP or " if warmest is None else f"'{warmest:.0f} °C' or "


def _slow_words(run: MeasureRun, record: WorkloadRecord) -> str:
    """Say that passes were not of one state, and what may be the cause."""
    slow = [p for p in record.counted if p.state == "mixed"]
    used_up = any(p.state == AFTER for r, p in run.in_turn if r is not record)
    if used_up and record.workload.writes and not any(p.hot for p in slow):
        return (
            f"{len(slow)} of {len(record.counted)} passes, taken while this run was filling the write cache, did not go "
            "into the cache alone and are not counted"
        )
    counted = sum(p.throttled_seconds or 0.0 for p in slow)
    why = "housekeeping, another program, or heat"
    if counted:
        why = f"the drive counted {show_duration(counted)} of throttling meanwhile"
    elif any(p.hot for p in slow):
        why = "the drive was hot, in the fast ones too, so heat or a used-up write cache"
    elif len(slow) == len(record.counted) and record.workload.writes:
        why = "a write cache that fills again between them and is used up, housekeeping, or heat"
    return f"{len(slow)} of {len(record.counted)} passes slowed down for a while and do not count: {why}; see 'ulterion soak'"


def _cache_words(run: MeasureRun, record: WorkloadRecord) -> str:
    """Say that the write cache was used up, after how much, and how to get one state alone."""
    passes = {state: [p for p in record.counted if p.state == state] for state in ("cached", AFTER, "mixed")}
    if not passes["cached"] and passes["mixed"]:
        return (
            f"{len(passes['mixed'])} of {len(record.counted)} passes filled the write cache and count for neither state; "
            "the result is the rate after the cache"
        )
    if not passes["cached"]:
        return "this is the rate after the write cache is full"
    mixed = (
        f"; {len(passes['mixed'])} of {len(record.counted)} passes saw both states and count for neither"
        if passes["mixed"]
        else ""
    )
    return (
        f"the write cache was full after about {show_size(run.cache_lasted)} of this run, so there are two figures{mixed}; "
        f"for the cached one alone {_advice(run, record)}"
    )


def _advice(run: MeasureRun, record: WorkloadRecord) -> str:
    """Return how to stay within the cache: rests long enough, or so much less.

    A cache is emptied into what the drive writes to after it, at about that rate: so long a rest empties what a pass writes.
    """
    cached = [p for p in record.counted if p.state == "cached"]
    slow = [p.shape.rate for p in record.counted if p.state == AFTER] or [p.shape.rate for p in record.counted]
    written = sum(p.bytes * r.workload.writes for r, p in run.in_turn) + (
        run.before.prefilled_bytes if run.before else 0
    )
    rest = show_duration(math.ceil(max(p.bytes for p in cached) / min(slow)))
    less = show_size(max(0, round(written) - run.cache_lasted))
    return f"use --rest {rest} between passes, or write {less} less (fewer or shorter passes, or a smaller --span)"
