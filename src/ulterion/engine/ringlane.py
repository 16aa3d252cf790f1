"""The timed loop over a ring: many requests in flight from one thread.

Each slot is a request with its own buffer.  A batch of completions is taken, each slot gets its next offset and all are
submitted again in one system call.  Small batches go request by request over memoryviews; from `MANY` on, a few array
operations for the whole batch cost less.  The time of a request runs from just before the system call that submits it
to just after the one that brings its completion.
"""

from __future__ import annotations

import ctypes
import errno
import os
import threading
import time
from array import array
from collections.abc import Callable

import numpy as np

from ulterion.core.errors import TargetFailed
from ulterion.core.passes import Tick
from ulterion.core.workload import Workload
from ulterion.engine import uring
from ulterion.engine.data import SCATTERED
from ulterion.engine.lane import BATCH, COUNT_EVERY_NS, Recorder, StopSign, failed
from ulterion.engine.slots import Batch, SlotData, feed_of

MANY = 10  # completions from which array operations are the cheaper way
WORD = 0xFFFFFFFF
LOOK = 0.5  # seconds after which a wait without completions looks round
DRAIN = 5.0  # seconds that requests in flight get after one has failed
KEPT: list[object] = []
"""Buffers that the kernel may still write to, because a device never answered: kept for ever."""


class Mixer:
    """Turns each slot into a read or a write before it is submitted again, with a given share of writes."""

    def __init__(self, lane: RingLane, fd: int, share: float, seed: int) -> None:
        self._rng, self._share = np.random.Generator(np.random.SFC64(seed)), share
        self._data = SlotData(lane.block, lane.slots, seed, writes=True)
        places = np.arange(lane.slots, dtype=np.int64) * lane.block
        self._addresses = np.stack([lane.data.address + places, self._data.address + places])
        codes = (uring.OP_READ, uring.OP_WRITE)
        self._heads = np.array([uring.head_word(code, fd, fixed_file=False) for code in codes], dtype=np.int64)
        words = np.frombuffer(lane.ring.entries, dtype=np.int64)
        self._head, self._address = words[0::8], words[2::8]

    def turn(self, slots: Batch | int) -> None:
        """Draw the kind of the slots' next requests and describe them."""
        slots = np.atleast_1d(slots)
        drawn = (self._rng.random(slots.size) < self._share).astype(np.int64)
        self._data.renew(slots)
        self._head[slots] = self._heads[drawn]
        self._address[slots] = self._addresses[drawn, slots]


class RingLane:
    """One worker with `depth` requests in flight on a ring of its own."""

    def __init__(
        self,
        fd: int,
        workload: Workload,
        seed: int,
        lane: int = 0,
        lanes: int = 1,
        stop: StopSign | None = None,
        recorder: Recorder | None = None,
    ) -> None:
        self.recorder = recorder or Recorder(workload.block_bytes)
        self.stop: StopSign = stop or threading.Event()
        self.slots = workload.depth
        self.block = workload.block_bytes
        self.feed = feed_of(workload, seed, lane, lanes)
        own_seed = seed * 1009 + lane
        self.data = SlotData(self.block, self.slots, own_seed, writes=workload.direction == "write")
        self.turn = self.data.renew if workload.direction == "write" else None
        self.many = MANY
        self.ring = uring.Ring(self.slots)
        self.begun = array("q", bytes(8 * self.slots))
        self.error: TargetFailed | None = None
        self.in_flight = 0
        self._tail = 0
        self._describe(fd, write=workload.direction == "write")
        if workload.direction == "mixed":
            self.turn = Mixer(self, fd, workload.write_share or 0.0, own_seed).turn
            self.turn(np.arange(self.slots))
            self.many = 1  # drawing kinds is an array operation anyway

    def _describe(self, fd: int, *, write: bool) -> None:
        """Register file and buffers where the kernel takes them, and describe every slot.

        Large buffers are not registered where the kernel would hand them down page by page and the device split them.
        """
        fixed_file = self.ring.register(uring.REGISTER_FILES, (ctypes.c_int32 * 1)(fd), 1)
        table = (ctypes.c_int64 * 2)(
            self.data.address, self.block * self.slots
        )  # one buffer, of which each slot is a part
        fixed = (self.block < SCATTERED or uring.joins_pages()) and self.ring.register(uring.REGISTER_BUFFERS, table, 1)
        opcode = {
            (False, False): uring.OP_READ,
            (False, True): uring.OP_WRITE,
            (True, False): uring.OP_READ_FIXED,
            (True, True): uring.OP_WRITE_FIXED,
        }[fixed, write]
        head = uring.head_word(opcode, 0 if fixed_file else fd, fixed_file=fixed_file)
        for slot in range(self.slots):
            self.ring.describe(slot, head, self.data.address_of(slot), self.block)

    def run(self, start_ns: int, deadline_ns: int, tick: Tick | None = None) -> None:
        """Keep all slots busy until the deadline (`perf_counter_ns` clock), then wait for what is in flight."""
        self.recorder.start_ns = start_ns
        try:
            self._loop(deadline_ns, tick)
        except OSError as error:  # of the ring itself: a request that fails says so in its completion
            words = f"the kernel's ring failed: {error.strerror or error}"
            raise TargetFailed(words, moved=self.recorder.bytes) from error
        finally:
            if self.in_flight:
                KEPT.append(self.data)
            else:
                self.ring.let_go_of_files()
            self.ring.close()
        if self.error is not None:
            self.error.moved = self.recorder.bytes
            raise self.error

    def _loop(self, deadline_ns: int, tick: Tick | None) -> None:
        ring, recorder, clock = self.ring, self.recorder, time.perf_counter_ns
        cq, cq_head, cq_tail, sq, sq_head = ring.cq, ring.cq_head, ring.cq_tail, ring.sq, ring.sq_head
        take_few, take_many = self._taker(), self._batch_taker()
        used, head, ending, drain_until = 0, 0, False, 0
        self._prime(clock())
        count_at = clock() + COUNT_EVERY_NS
        while self.in_flight:
            ring.enter((self._tail - sq[sq_head]) & WORD, 1, LOOK)
            now = clock()
            tail = cq[cq_tail]
            count = (tail - head) & WORD
            ending = ending or now >= deadline_ns
            if count:
                ring.fence()
                take = take_many if count >= self.many and not ending else take_few
                used = take(head, count, used, now, ending)
                head = tail
                cq[cq_head] = head
            if now >= count_at or used > BATCH - self.slots:
                recorder.count(used)
                used, count_at = 0, now + COUNT_EVERY_NS
                ending = ending or self.stop.is_set() or self.error is not None
                if tick is not None:
                    tick((now - recorder.start_ns) / 1e9, recorder.bytes)
            if self.error is not None:
                ending, drain_until = True, drain_until or now + int(DRAIN * 1e9)
                if now > drain_until:
                    break
        recorder.count(used)

    def _prime(self, now: int) -> None:
        """Put every slot into the submission ring."""
        ring = self.ring
        for slot in range(self.slots):
            ring.entries[slot * 8 + 1] = self.feed.one()
            ring.index[slot & ring.index_mask] = slot
            self.begun[slot] = now
        self._tail = self.in_flight = self.slots
        ring.sq[ring.sq_tail] = self._tail

    def _taker(self) -> Callable[[int, int, int, int, bool], int]:
        """Return the function that takes completions one by one (arguments: head, count, used, now, ending)."""
        ring, block, next_offset, turn = self.ring, self.block, self.feed.one, self.turn
        data, result, cq_mask = ring.done_data, ring.done_result, ring.cq_mask
        entries, index, index_mask, sq, sq_tail = ring.entries, ring.index, ring.index_mask, ring.sq, ring.sq_tail
        begun, begins, ends = self.begun, self.recorder.begins, self.recorder.ends
        clock = time.perf_counter_ns
        batch = array("i", bytes(4 * self.slots))

        def take(head: int, count: int, used: int, now: int, ending: bool) -> int:
            again = 0
            tail = self._tail
            for i in range(head, head + count):
                at = i & cq_mask
                slot = data[at * 2]
                if result[at * 4 + 2] != block:
                    self._fail(slot, result[at * 4 + 2])
                    self.in_flight -= 1
                    continue
                begins[used] = begun[slot]
                ends[used] = now
                used += 1
                if ending or self.error is not None:
                    self.in_flight -= 1
                    continue
                entries[slot * 8 + 1] = next_offset()
                if turn is not None:
                    turn(slot)
                index[(tail + again) & index_mask] = slot
                batch[again] = slot
                again += 1
            if again:
                submitted = clock()
                for i in range(again):
                    begun[batch[i]] = submitted
                self._tail = (tail + again) & WORD
                sq[sq_tail] = self._tail
            return used

        return take

    def _batch_taker(self) -> Callable[[int, int, int, int, bool], int]:
        """Return the function that takes a whole batch by array operations; the same, for many at a time."""
        ring, block, next_offsets, few = self.ring, self.block, self.feed.many, self._taker()
        data = np.frombuffer(ring.done_data, dtype=np.int64)[::2]
        result = np.frombuffer(ring.done_result, dtype=np.int32)[2::4]
        places = np.frombuffer(ring.entries, dtype=np.int64)[1::8]
        index = np.frombuffer(ring.index, dtype=np.uint32)
        begun = np.frombuffer(self.begun, dtype=np.int64)
        begins, ends = (np.frombuffer(a, dtype=np.int64) for a in (self.recorder.begins, self.recorder.ends))
        turn, clock = self.turn, time.perf_counter_ns
        cq_mask, index_mask, count_nonzero = ring.cq_mask, ring.index_mask, np.count_nonzero

        def take(head: int, count: int, used: int, now: int, ending: bool) -> int:
            at, to = head & cq_mask, self._tail & index_mask
            if at + count > cq_mask + 1 or to + count > index_mask + 1:  # a batch that wraps round is taken in two
                part = min(cq_mask + 1 - at, index_mask + 1 - to)
                if part < count:
                    used = take(head, part, used, now, ending)
                    return take(head + part, count - part, used, now, ending)
            if count_nonzero(result[at : at + count] == block) != count or self.error is not None:
                return few(head, count, used, now, ending)
            slots = data[at : at + count]
            end = used + count
            begins[used:end] = begun[slots]
            ends[used:end] = now
            places[slots] = next_offsets(count)
            if turn is not None:
                turn(slots)
            index[to : to + count] = slots
            begun[slots] = clock()
            self._tail = (self._tail + count) & WORD
            ring.sq[ring.sq_tail] = self._tail
            return end

        return take

    def _fail(self, slot: int, result: int) -> None:
        """Keep the first error, with the offset of its request."""
        if self.error is None:
            number = -result if result < 0 else errno.EIO
            reason = os.strerror(number) if result < 0 else f"moved {result} of {self.block} bytes"
            self.error = failed(OSError(number, reason), self.ring.entries[slot * 8 + 1], 0)
