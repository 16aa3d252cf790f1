"""The timed loops, compiled: requests one at a time, and many in flight on a ring.

Both work on arrays and a row of words, and come back after a slice of time, when they need further offsets, and when a
request has failed.  A latency runs from just before the call that submits a request to just after the one that brings its
completion; it is counted at once into the histogram, between two requests.  What ends a slice is taken with its own time at the
beginning of the next, so that nothing done in between is part of a request, and an interval holds what ended in it.
"""

from __future__ import annotations

import math
from typing import NamedTuple

from ulterion.core.workloads.histogram import BUCKETS, GROWTH, MIN_NS
from ulterion.core.workloads.series import MAX_INTERVALS
from ulterion.engine.requests.calls import acquire, clock, read_at, release, system, write_at
from ulterion.engine.requests.compiler import Words, compiled, compiled_within

_LOG_GROWTH = math.log(GROWTH)
WORD = 0xFFFFFFFF
SYS_ENTER = 426  # io_uring_enter, on every 64-bit architecture
QUIET = (-4, -62, -11, -16)  # EINTR, ETIME, EAGAIN, EBUSY: a wait that ended without a completion
SLICE, DRY, FAILED, OVER, BROKEN = range(5)
"""Why a loop comes back: time for a look round, no offsets left, a request failed, all done, the ring itself failed."""

(BLOCK, EXPECTED, START, UNTIL, DEADLINE, ENDING, PENDING, NOW, BEGAN, AT, REQUESTS, LEAST, GREATEST, TOTAL, LAST, WORST, INTERVAL,
 USED, FAILURES, FAILED_AT, FAILED_WITH, MIXED, WRITES, STAMPS, STEP, SLOT, SLOTS, FILE, READ_TO, WRITE_FROM, RING, FLAGS, ARGUMENT,
 ARGUMENT_BYTES, SQ_HEAD, SQ_TAIL, CQ_HEAD, CQ_TAIL, HEAD, TAIL, IN_FLIGHT, SQ_MASK, CQ_MASK, STATE_WORDS) = range(44)  # fmt: skip
"""Places in the row of words, `state`: times in ns on the monotonic clock, sizes in bytes.

BLOCK of a request and EXPECTED result; START of the pass, UNTIL of this slice, DEADLINE of the last request; ENDING once no
more are to be issued; PENDING when NOW (and BEGAN) are of what ended the last slice; AT in the offsets; REQUESTS counted, LEAST,
GREATEST, TOTAL latency, LAST completion, WORST since someone set it to 0; INTERVAL of the series and how much of it is USED;
FAILURES, FAILED_AT the offset and FAILED_WITH the result of the first.  MIXED kinds or all WRITES; STAMPS in a block
and the STEP that each moves on.  One at a time: SLOT of SLOTS, FILE, addresses.  Ring: its descriptor and the rest of its call,
places of heads and tails, our own HEAD and TAIL, IN_FLIGHT, masks.
"""
STAMP_WORDS = 512  # words between two stamps: one in each 4 KiB


class Counted(NamedTuple):
    """A loop's counters: the row of words, the histogram, the bytes of each interval, and two words for the clock."""

    state: Words
    counts: Words
    series: Words
    room: Words


class Work(NamedTuple):
    """The work ahead: offsets, kinds (1 writes) where they are mixed, and the write data as words."""

    offsets: Words
    kinds: Words
    words: Words


class Rings(NamedTuple):
    """A ring: both rings' heads and tails, entries, the index array (`order`), completions as 64- and 32-bit words; begins and batch of slots.

    `kinds` holds, for mixed work, the first word of an entry and the buffers' address, for a read and then for a write.
    """

    sq: Words
    cq: Words
    entries: Words
    order: Words
    done: Words
    results: Words
    begun: Words
    batch: Words
    kinds: Words


@compiled
def bucket_of(latency: int) -> int:
    """Return the bucket of a latency in ns, as `ulterion.core.workloads.histogram.buckets_of`."""
    if latency <= MIN_NS:
        return 0
    return min(int(math.log(latency / MIN_NS) / _LOG_GROWTH), BUCKETS - 1)


@compiled
def timed(c: Counted, latency: int) -> None:
    """Count how long a request took, ns."""
    state = c.state
    c.counts[bucket_of(latency)] += 1
    state[TOTAL] += latency
    state[LEAST] = min(state[LEAST], latency)
    state[GREATEST] = max(state[GREATEST], latency)
    state[WORST] = max(state[WORST], latency)


@compiled
def tally(c: Counted, end: int, requests: int) -> None:
    """Count requests that ended at a moment; a series that grows too long is folded in pairs."""
    state, series = c.state, c.series
    at = (end - state[START]) // state[INTERVAL]
    while at >= MAX_INTERVALS:
        for i in range(MAX_INTERVALS // 2):
            series[i] = series[2 * i] + series[2 * i + 1]
        for i in range(MAX_INTERVALS // 2, MAX_INTERVALS):
            series[i] = 0
        state[USED] = (state[USED] + 1) // 2
        state[INTERVAL] *= 2
        at = (end - state[START]) // state[INTERVAL]
    series[at] += requests * state[BLOCK]
    state[USED] = max(state[USED], at + 1)
    state[REQUESTS] += requests
    state[LAST] = end


@compiled
def stamp(state: Words, words: Words, slot: int) -> None:
    """Move the stamps of a slot on, so that what it writes next was never written before."""
    at = slot * (state[BLOCK] // 8)
    for _ in range(state[STAMPS]):
        words[at] += state[STEP]
        at += STAMP_WORDS


@compiled
def one_at_a_time(c: Counted, work: Work) -> int:
    """Read or write at one offset after another; return why it stopped."""
    state, room = c.state, c.room
    block, file = state[BLOCK], state[FILE]
    while True:
        if state[PENDING]:
            timed(c, state[NOW] - state[BEGAN])
            tally(c, state[NOW], state[PENDING])
            state[PENDING] = 0
        if state[ENDING] or state[NOW] >= state[DEADLINE]:
            return OVER
        at = state[AT]
        if at == len(work.offsets):
            return DRY
        offset, writes = work.offsets[at], state[WRITES]
        if state[MIXED]:
            writes = work.kinds[at]
        if writes:
            slot = state[SLOT]
            stamp(state, work.words, slot)
            state[SLOT] = 0 if slot + 1 == state[SLOTS] else slot + 1
            address = state[WRITE_FROM] + slot * block
            began = clock(room)
            moved = write_at(file, address, block, offset)
        else:
            began = clock(room)
            moved = read_at(file, state[READ_TO], block, offset)
        now = clock(room)
        if moved != block:
            state[FAILURES], state[FAILED_AT], state[FAILED_WITH] = 1, offset, moved
            return FAILED
        state[AT] = at + 1
        state[BEGAN], state[NOW], state[PENDING] = began, now, 1
        if now >= state[UNTIL]:
            return SLICE


@compiled_within
def _again(state: Words, r: Rings, work: Work, slot: int) -> None:
    """Describe the next request of a slot."""
    at = state[AT]
    r.entries[slot * 8 + 1] = work.offsets[at]
    writes = state[WRITES]
    if state[MIXED]:
        writes = work.kinds[at]
        r.entries[slot * 8] = r.kinds[2 * writes]
        r.entries[slot * 8 + 2] = r.kinds[2 * writes + 1] + slot * state[BLOCK]
    if writes:
        stamp(state, work.words, slot)
    state[AT] = at + 1


@compiled_within
def _take(c: Counted, r: Rings, work: Work, count: int, ending: int) -> None:
    """Take a number of completions, and submit their slots again unless the loop is ending."""
    state = c.state
    now, head, tail = state[NOW], state[HEAD], state[TAIL]
    failures, again = state[FAILURES], 0
    for i in range(head, head + count):
        at = i & state[CQ_MASK]
        slot = r.done[at * 2]
        result = r.results[at * 4 + 2]
        if result != state[EXPECTED]:
            if not state[FAILURES]:
                state[FAILED_AT], state[FAILED_WITH] = r.entries[slot * 8 + 1], result
            state[FAILURES] += 1
            state[IN_FLIGHT] -= 1
            continue
        timed(c, now - r.begun[slot])
        if ending or state[FAILURES]:
            state[IN_FLIGHT] -= 1
            continue
        _again(state, r, work, slot)
        r.order[(tail + again) & state[SQ_MASK]] = slot
        r.batch[again] = slot
        again += 1
    state[HEAD] = (head + count) & WORD
    release(r.cq, state[CQ_HEAD], state[HEAD])
    good = count - (state[FAILURES] - failures)
    if good:
        tally(c, now, good)
    if again:
        submitted = clock(c.room)
        for i in range(again):
            r.begun[r.batch[i]] = submitted
        state[TAIL] = (tail + again) & WORD
        release(r.sq, state[SQ_TAIL], state[TAIL])


@compiled
def prime(c: Counted, r: Rings, work: Work, slots: int) -> None:
    """Put every slot into the submission ring."""
    state = c.state
    now = clock(c.room)
    for slot in range(slots):
        _again(state, r, work, slot)
        r.order[slot & state[SQ_MASK]] = slot
        r.begun[slot] = now
    state[TAIL] = state[IN_FLIGHT] = slots
    release(r.sq, state[SQ_TAIL], slots)


@compiled
def on_a_ring(c: Counted, r: Rings, work: Work) -> int:
    """Keep all slots of a ring busy, and at the end wait for the requests in flight; return why it stopped."""
    state = c.state
    while state[IN_FLIGHT]:
        if state[PENDING]:
            state[PENDING] = 0
        else:
            submit = (state[TAIL] - acquire(r.sq, state[SQ_HEAD])) & WORD
            result = system(SYS_ENTER, state[RING], submit, 1, state[FLAGS], state[ARGUMENT], state[ARGUMENT_BYTES])
            state[NOW] = clock(c.room)
            if result < 0 and result not in QUIET:
                state[FAILED_WITH] = result
                return BROKEN
            if state[NOW] >= state[UNTIL]:
                state[PENDING] = 1
                return SLICE
        count = (acquire(r.cq, state[CQ_TAIL]) - state[HEAD]) & WORD
        ending = state[ENDING] or state[FAILURES] or state[NOW] >= state[DEADLINE]
        if count and not ending and state[AT] + count > len(work.offsets):
            state[PENDING] = 1
            return DRY
        if count:
            _take(c, r, work, count, ending)
    return OVER


@compiled
def clock_cost(room: Words, times: int) -> int:
    """Return how long so many looks at the clock take, ns."""
    began = clock(room)
    for _ in range(times):
        clock(room)
    return clock(room) - began
