"""One worker with many requests in flight on a ring of its own.

Each slot is a request with its own buffer.  The loop (`ulterion.engine.requests.loops`) takes what has completed, gives each slot its next
offset and submits all of them in one system call.
"""

from __future__ import annotations

import ctypes
import os
import threading

from ulterion.core.errors import TargetFailed
from ulterion.core.workloads.passes import Tick
from ulterion.core.workloads.workload import DriveWorkload
from ulterion.engine.requests import loops, uring
from ulterion.engine.requests.buffers import SCATTERED, Buffers
from ulterion.engine.requests.compiler import words_of
from ulterion.engine.requests.offsets import Feed, chunks_of
from ulterion.engine.requests.request_loop import RequestRecorder, StopSign, drive, failure

DRAIN_NS = 5_000_000_000  # that requests in flight get after one has failed
KEPT: list[object] = []
"""Buffers that the kernel may still write to, because a device never answered: kept for ever."""


class RingLoop:
    """`depth` requests in flight from one thread."""

    def __init__(
        self,
        fd: int,
        workload: DriveWorkload,
        seed: int,
        worker: int = 0,
        workers: int = 1,
        *,
        stop: StopSign | None = None,
        recorder: RequestRecorder | None = None,
        nothing: bool = False,
    ) -> None:
        """Prepare a loop for a settled workload on an open file; with `nothing` its requests do nothing, for calibration."""
        self.recorder = recorder or RequestRecorder(workload.block_bytes)
        self.stop: StopSign = stop or threading.Event()
        self.slots, self.block = workload.depth, workload.block_bytes
        own_seed = seed * 1009 + worker
        writes, mixed = workload.direction == "write", workload.direction == "mixed"
        self.data = Buffers(self.block, self.slots, own_seed, writes=writes)
        self.written = Buffers(self.block, self.slots, own_seed, writes=True) if mixed else self.data
        self.feed = Feed(
            chunks_of(workload, own_seed, worker, workers),
            self.written.memory,
            workload.write_share if mixed else None,
            own_seed,
        )
        self.ring = uring.Ring(self.slots)
        self._set_up(writes=writes, mixed=mixed)
        self.parts = self._parts(fd)
        self._describe(fd, writes=writes, nothing=nothing)
        self._drain_until = 0

    def _set_up(self, *, writes: bool, mixed: bool) -> None:
        """Record what the loop must know of the ring and of the data."""
        ring, state = self.ring, self.recorder.state
        state[loops.WRITES], state[loops.MIXED] = writes, mixed
        state[loops.STAMPS], state[loops.STEP] = self.written.stamps, self.written.step
        state[loops.RING] = ring.fd
        state[loops.FLAGS], state[loops.ARGUMENT], state[loops.ARGUMENT_BYTES] = ring.waiting
        state[loops.SQ_HEAD], state[loops.SQ_TAIL], state[loops.SQ_MASK] = ring.sq_head, ring.sq_tail, ring.index_mask
        state[loops.CQ_HEAD], state[loops.CQ_TAIL], state[loops.CQ_MASK] = ring.cq_head, ring.cq_tail, ring.cq_mask

    def _parts(self, fd: int) -> loops.Rings:
        ring = self.ring
        kinds = words_of(memoryview(bytearray(8 * 4)), "q")
        for at, (code, data) in enumerate(((uring.OP_READ, self.data), (uring.OP_WRITE, self.written))):
            kinds[2 * at], kinds[2 * at + 1] = uring.head_word(code, fd, fixed_file=False), data.address
        begun, batch = (words_of(memoryview(bytearray(8 * self.slots)), "q") for _ in range(2))
        return loops.Rings(
            sq=words_of(ring.sq, "I"),
            cq=words_of(ring.cq, "I"),
            entries=words_of(ring.entries, "q"),
            order=words_of(ring.index, "I"),
            done=words_of(ring.done, "q"),
            results=words_of(ring.done, "i"),
            begun=begun,
            batch=batch,
            kinds=kinds,
        )

    def _describe(self, fd: int, *, writes: bool, nothing: bool) -> None:
        """Register file and buffers where the kernel takes them, and describe every slot.

        Large buffers are not registered where the kernel would hand them down page by page and the device split them.
        """
        ring = self.ring
        fixed_file = not nothing and ring.register(uring.REGISTER_FILES, (ctypes.c_int32 * 1)(fd), 1)
        table = (ctypes.c_int64 * 2)(self.data.address, self.block * self.slots)  # one, of which each slot is a part
        fixed = (self.block < SCATTERED or uring.joins_pages()) and ring.register(uring.REGISTER_BUFFERS, table, 1)
        opcode = {
            (False, False): uring.OP_READ,
            (False, True): uring.OP_WRITE,
            (True, False): uring.OP_READ_FIXED,
            (True, True): uring.OP_WRITE_FIXED,
        }[fixed, writes]
        if nothing:
            opcode, self.recorder.state[loops.EXPECTED] = uring.OP_NOTHING, 0
        head = uring.head_word(opcode, 0 if fixed_file else fd, fixed_file=fixed_file)
        for slot in range(self.slots):
            ring.describe(slot, head, self.data.address_of(slot), self.block)

    def run(self, start_ns: int, deadline_ns: int, tick: Tick | None = None) -> None:
        """Keep all slots busy until the deadline (`perf_counter_ns` clock), then wait for what is in flight."""
        recorder, state = self.recorder, self.recorder.state
        recorder.begin(start_ns, deadline_ns)
        try:
            self._prime()
            why = drive(recorder, self.feed, self._turn, stop=self.stop, tick=tick, give_up=self._gives_up)
        finally:
            if state[loops.IN_FLIGHT]:
                KEPT.append((self.data, self.written))
            else:
                self.ring.let_go_of_files()
            self.ring.close()
        if why == loops.BROKEN:  # of the ring itself: a request that fails says so in its completion
            words = f"the kernel's ring failed: {os.strerror(-int(state[loops.FAILED_WITH]))}"
            raise TargetFailed(words, moved=recorder.bytes)
        if state[loops.FAILURES]:
            raise failure(recorder)

    def _turn(self) -> int:
        return loops.on_a_ring(self.recorder.counted, self.parts, self.feed.work)

    def _prime(self) -> None:
        """Put every slot into the submission ring."""
        loops.prime(self.recorder.counted, self.parts, self.feed.work, self.slots)

    def _gives_up(self) -> bool:
        """Return whether the requests in flight have had their time since one failed."""
        state = self.recorder.state
        if not state[loops.FAILURES]:
            return False
        self._drain_until = self._drain_until or int(state[loops.NOW]) + DRAIN_NS
        return bool(state[loops.NOW] > self._drain_until)
