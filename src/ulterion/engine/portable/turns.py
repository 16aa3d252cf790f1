"""One request at a time, in Python: what `ulterion.engine.requests.loops.one_at_a_time` does, on a file with calls of its own."""

from __future__ import annotations

import threading
from dataclasses import replace
from functools import partial

from ulterion.core.errors import TargetFailed
from ulterion.engine.portable.files import MediumFile
from ulterion.engine.requests import loops
from ulterion.engine.requests.buffers import Buffers
from ulterion.engine.requests.calls import clock
from ulterion.engine.requests.compiler import Words
from ulterion.engine.requests.io_methods import WorkerTask
from ulterion.engine.requests.loops import (
    AT,
    BEGAN,
    BLOCK,
    DEADLINE,
    ENDING,
    MIXED,
    NOW,
    PENDING,
    SLOT,
    SLOTS,
    UNTIL,
    WRITE_FROM,
    WRITES,
)
from ulterion.engine.requests.request_loop import Feeding, RequestLoop, RequestRecorder, StopSign


def on(job: WorkerTask, file: MediumFile) -> WorkerTask:
    """Return a job on a file with the system's own calls."""
    return replace(job, file=file, make_loop=partial(FileLoop, file))


class FileLoop(RequestLoop):
    """Requests one at a time on a file with the system's own calls."""

    def __init__(
        self,
        file: MediumFile,
        feed: Feeding,
        recorder: RequestRecorder,
        stop: StopSign | None = None,
        *,
        reads: Buffers | None = None,
        writes: Buffers | None = None,
    ) -> None:
        super().__init__(-1, feed, recorder, stop or threading.Event(), reads=reads, writes=writes)
        self.file = file

    def _turn(self) -> int:
        """Go on until the loop comes back; raise TargetFailed with the offset."""
        counted, work, file = self.recorder.counted, self.feed.work, self.file
        state, room = counted.state, counted.room
        block, read_to = int(state[BLOCK]), int(state[loops.READ_TO])
        while True:
            if state[PENDING]:
                state[PENDING] = 0
                loops.timed(counted, state[NOW] - state[BEGAN])
                loops.tally(counted, state[NOW], 1)
            if state[ENDING] or state[NOW] >= state[DEADLINE]:
                return loops.OVER
            at = state[AT]
            if at == len(work.offsets):
                return loops.DRY
            offset = int(work.offsets[at])
            writes = work.kinds[at] if state[MIXED] else state[WRITES]
            call, address = (file.write, next_slot(state, work.words)) if writes else (file.read, read_to)
            began = clock(room)
            try:
                moved = call(address, block, offset)
            except OSError as error:
                raise TargetFailed.of_request(error, offset, self.recorder.bytes) from error
            now = clock(room)
            if moved != block:
                state[loops.FAILURES], state[loops.FAILED_AT], state[loops.FAILED_WITH] = 1, offset, moved
                return loops.FAILED
            state[AT] = at + 1
            state[BEGAN], state[NOW], state[PENDING] = began, now, 1
            if now >= state[UNTIL]:
                return loops.SLICE


def next_slot(state: Words, words: Words) -> int:
    """Move on to the next slot of the write data, its stamps moved on; return its address."""
    slot = state[SLOT]
    loops.stamp(state, words, slot)
    state[SLOT] = 0 if slot + 1 == state[SLOTS] else slot + 1
    return int(state[WRITE_FROM] + slot * state[BLOCK])
