"""Windows: several requests in flight from one thread, on a completion port."""

from __future__ import annotations

import ctypes
import errno
import time

from ulterion.core.errors import TargetFailed
from ulterion.core.workloads.passes import Tick
from ulterion.engine.portable import kernel32 as w
from ulterion.engine.portable.windows import WindowsFile
from ulterion.engine.requests import loops
from ulterion.engine.requests.buffers import Buffers
from ulterion.engine.requests.io_methods import WorkerCounts, WorkerTask
from ulterion.engine.requests.loops import AT, DEADLINE, ENDING, MIXED, NOW, UNTIL, WRITES
from ulterion.engine.requests.offsets import Feed, chunks_of
from ulterion.engine.requests.request_loop import Feeding, RequestRecorder, StopSign, drive

WAIT = 100  # ms for a completion, between two looks at the stop sign
DRAINING = 30.0  # seconds that requests which were cancelled may take to come back


class _Request:
    """A request that can be in flight: what Windows knows it by, its memory, its offset and its start."""

    def __init__(self, read_to: int, write_from: int) -> None:
        self.overlapped = w.Overlapped()
        self.place = ctypes.addressof(self.overlapped)
        self.read_to, self.write_from = read_to, write_from
        self.offset = self.began = 0


class PortLoop:
    """Keeps a number of requests in flight on one file; each uses its own piece of memory again and again."""

    def __init__(
        self,
        file: WindowsFile,
        feed: Feeding,
        recorder: RequestRecorder,
        stop: StopSign,
        depth: int,
        *,
        reads: Buffers | None,
        writes: Buffers | None,
    ) -> None:
        self.file, self.feed, self.recorder, self.stop = file, feed, recorder, stop
        self._kept, state = (reads, writes), recorder.state
        state[MIXED], state[WRITES] = reads is not None and writes is not None, writes is not None
        if writes is not None:
            state[loops.STAMPS], state[loops.STEP] = writes.stamps, writes.step
        self._requests = [
            _Request(reads.address_of(i) if reads else 0, writes.address_of(i) if writes else 0) for i in range(depth)
        ]
        self._by_place = {r.place: (i, r) for i, r in enumerate(self._requests)}
        self._idle, self._in_flight = list(range(depth)), 0

    def run(self, start_ns: int, deadline_ns: int, tick: Tick | None = None) -> None:
        """Issue requests until the deadline and wait for all; raise TargetFailed with the offset of the first that failed."""
        port = self.file.port()
        try:
            self.recorder.begin(start_ns, deadline_ns)
            drive(self.recorder, self.feed, lambda: self._turn(port), self.stop, tick)
        finally:
            self._drain(port)

    def _turn(self, port: int) -> int:
        """Go on until the slice ends, no offsets are left, or all is done; raise TargetFailed."""
        state, work = self.recorder.state, self.feed.work
        while True:
            ending = state[ENDING] or state[NOW] >= state[DEADLINE]
            if ending and not self._in_flight:
                return loops.OVER
            while self._idle and not ending:
                if state[AT] == len(work.offsets):
                    return loops.DRY
                self._issue(self._idle.pop(), work)
            self._take_one(port)
            state[NOW] = time.perf_counter_ns()
            if state[NOW] >= state[UNTIL]:
                return loops.SLICE

    def _issue(self, slot: int, work: loops.Work) -> None:
        state, request, kernel = self.recorder.state, self._requests[slot], self.file.kernel
        at = state[AT]
        request.offset = int(work.offsets[at])
        writes = work.kinds[at] if state[MIXED] else state[WRITES]
        if writes:
            loops.stamp(state, work.words, slot)
        call, address = (kernel.WriteFile, request.write_from) if writes else (kernel.ReadFile, request.read_to)
        state[AT] = at + 1
        request.overlapped.aim(request.offset)
        request.began = time.perf_counter_ns()
        if not call(self.file.handle, address, self.recorder.block_bytes, None, request.overlapped):
            code = kernel.code
            if code != w.ERROR_IO_PENDING:
                self._idle.append(slot)
                raise self._failed(kernel.error(code), request)
        self._in_flight += 1  # one that is over at once is told to the port as well

    def _take_one(self, port: int) -> None:
        """Take one completion, if one comes within a moment."""
        kernel, size, key, place = self.file.kernel, w.DWORD(0), w.ULONG_PTR(0), w.PLACE(None)
        good = kernel.GetQueuedCompletionStatus(port, size, key, place, WAIT)
        now, code = time.perf_counter_ns(), 0 if good else kernel.code
        if place.value is None:
            if code != w.WAIT_TIMEOUT:
                raise TargetFailed(
                    f"the completion port failed: {kernel.error(code).strerror}", moved=self.recorder.bytes
                )
            return
        slot, request = self._by_place[place.value]
        self._in_flight -= 1
        self._idle.append(slot)
        if not good and code != w.ERROR_HANDLE_EOF:
            raise self._failed(kernel.error(code), request)
        if size.value != self.recorder.block_bytes:
            words = f"moved {size.value} of {self.recorder.block_bytes} bytes"
            raise self._failed(OSError(errno.EIO, words), request)
        loops.timed(self.recorder.counted, now - request.began)
        loops.tally(self.recorder.counted, now, 1)

    def _failed(self, error: OSError, request: _Request) -> TargetFailed:
        return TargetFailed.of_request(error, request.offset, self.recorder.bytes)

    def _drain(self, port: int) -> None:
        """Cancel what is still in flight and wait for it: the memory is the system's until then."""
        kernel, until = self.file.kernel, time.monotonic() + DRAINING
        if self._in_flight:
            kernel.CancelIoEx(self.file.handle, None)
        while self._in_flight and time.monotonic() < until:
            size, key, place = w.DWORD(0), w.ULONG_PTR(0), w.PLACE(None)
            kernel.GetQueuedCompletionStatus(port, size, key, place, WAIT)
            self._in_flight -= place.value is not None


class Ports:
    """Several requests in flight on a completion port."""

    name = "completion port"
    why = "Windows tells the end of requests to a port"

    def move(self, job: WorkerTask) -> WorkerCounts:
        """Run the workload from this thread; raise TargetFailed."""
        assert isinstance(job.file, WindowsFile)
        workload, depth = job.workload, job.workload.depth
        reads = (
            Buffers(workload.block_bytes, depth, job.own_seed, writes=False) if workload.direction != "write" else None
        )
        writes = (
            Buffers(workload.block_bytes, depth, job.own_seed, writes=True) if workload.direction != "read" else None
        )
        share = workload.write_share if reads and writes else None
        chunks = chunks_of(workload, job.own_seed, job.worker, job.workers)
        feed = Feed(chunks, writes.memory if writes else None, share, job.own_seed)
        loop = PortLoop(job.file, feed, job.recorder(), job.stop, depth, reads=reads, writes=writes)
        start = job.wait_for_start()
        loop.run(start, job.deadline(start), job.tick)
        return WorkerCounts([loop.recorder], start)
