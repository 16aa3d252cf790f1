"""What a reviewer asks for: a value of its own for each kind of run."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import field

from ulterion.core.records import dataclass
from ulterion.core.workloads.workload import Workload
from ulterion.engine.runner import PrecisionRule, StopRule
from ulterion.engine.targets.base import LayingLimit
from ulterion.engine.targets.load import FileSizes
from ulterion.engine.workers.worker_pool import STALL
from ulterion.host.sensors import Sensor
from ulterion.model.expect import Expect
from ulterion.model.runs.header import CellRecord
from ulterion.model.runs.soak import SoakPlan, SoakRun
from ulterion.run.overwrite_guard import Overwrite
from ulterion.run.place import Place


@dataclass(frozen=True)
class TargetOptions:
    """How a target may be used.

    Attributes:
        span_bytes: stretch of the medium, or None for the default.
        seed: of offsets, data and simulated noise; None to draw one.
        workers: worker processes, each with the workload's depth; None for as many as are needed to share it.
        stall: seconds without an answer after which a device counts as stalled.
        overwrite: the permit to write to a raw device.
        accept: go on with a drive, port or link other than the setup expects.
        expect: what must hold besides what the setup expects.
        unplugged: the connection (see `TargetFacts.attachment`) that it must not be any more, or None.
        waited: virtual seconds that were waited for a simulated setup to be plugged in.
        code: what a peer lets this bench in by, or None for that of the environment.
        laying: how long the test file may take to be laid down, or None for as long as its span takes.
    """

    span_bytes: int | None = None
    seed: int | None = None
    workers: int | None = None
    stall: float = STALL
    overwrite: Overwrite = field(default_factory=Overwrite)
    accept: bool = False
    expect: Sequence[Expect] = ()
    unplugged: str | None = None
    waited: float = 0.0
    code: str | None = None
    laying: LayingLimit | None = None


@dataclass(frozen=True)
class RepetitionPolicy:
    """How passes are repeated.

    Attributes:
        warm_up: run a first round that is not counted.
        rest: seconds between passes.
        cool_to: temperature (C) to wait for between passes, or None.
        sure: repeat until sure, or None.
        until: another reason to stop repeating, that goes before `sure`; `max_passes` is what it gives up after.
        start_at: temperature (C) that the drive is waited for to have before the first pass, or None.
        fresh: whether its write cache is waited for to be empty.
        longest: seconds that are waited for both at most.
    """

    warm_up: bool = False
    rest: float = 0.0
    cool_to: float | None = None
    sure: PrecisionRule | None = None
    until: StopRule | None = None
    max_passes: int | None = None
    start_at: float | None = None
    fresh: bool = False
    longest: float = 900.0


@dataclass(frozen=True)
class MeasureRequest:
    """A suite of transfer tests.

    Attributes:
        place: on what.
        suite: name of the suite the workloads come from, 'ad hoc' or 'sweep'.
        workloads: what to run.
        passes: repetitions of each.
        seconds: length of a pass.
        access: how the target may be used.
        extras: warm-up, rests, and passes until sure.
        cell: the cell of a plan that it is, with what was shown to hold, or None.
    """

    place: Place
    suite: str
    workloads: Sequence[Workload]
    passes: int
    seconds: float
    access: TargetOptions = field(default_factory=TargetOptions)
    extras: RepetitionPolicy = field(default_factory=RepetitionPolicy)
    cell: CellRecord | None = None


@dataclass(frozen=True)
class SoakRequest:
    """A long load.

    Attributes:
        place: on what.
        workload: the load.
        plan: phases and when they end.
        access: how the target may be used.
        files: sizes of the files of a write-delete load, or None for a load on one file.
        sensors: further sensors, tried already.
        pace: virtual seconds for each real one on the simulated bench; None: as fast as it goes.
        previous: a soak that was cut off and is taken up again, or None.
    """

    place: Place
    workload: Workload
    plan: SoakPlan
    access: TargetOptions = field(default_factory=TargetOptions)
    files: FileSizes | None = None
    sensors: Sequence[Sensor] = ()
    pace: float | None = None
    previous: SoakRun | None = None
