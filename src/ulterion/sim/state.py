"""What changes in a simulated chain while time passes: heat, the write cache, throttling, tidying, the place on a disk.

Heat follows two bodies, the inside of the drive and the case it sits in:

    capacity_inside x dT/dt = power of the drive - (T - T_case) / to_case
    capacity_case x dT_case/dt = (T - T_case) / to_case + power of the case - (T_case - T_room) / to_room

solved in small steps (explicit; a step is at most a fifth of the smaller time constant).  The drive draws `idle`, while
it works `awake` on top, and `writing` or `reading` in proportion to its rate.  A stepwise throttle works at `throttled`
from `throttles_at` until it has cooled to `resumes_at`, and draws less than half of `awake` meanwhile; a gradual one
gives way, and draws less, in proportion over the `GRADUAL` degrees from `throttles_at` on.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import field, replace

from ulterion.core.errors import UsageError
from ulterion.core.records import dataclass
from ulterion.core.soak.trace import CASE, DRIVE
from ulterion.core.workloads.workload import DriveWorkload, NetworkWorkload, Workload, on_drive
from ulterion.sim.bench import CaseHeat, SimPart
from ulterion.sim.network import network_truth
from ulterion.sim.physics import Truth, truth

GRADUAL = 6.0  # degrees over which a gradual throttle gives way
THROTTLED_AWAKE = 0.35  # share of `awake` drawn while throttled: it pauses between requests
ZONES = 64  # of a spinning medium
FINEST = 1.0  # seconds; longest stretch taken for constant
BARE_CASE = CaseHeat.made_of(capacity=25.0, to_room=12.0, own=0.0, probe=False)
MAX_AFTERMATH = 7200.0  # seconds; after that nothing of a run is left
ROOM = 21.0  # degrees, where the bench names none


@dataclass(frozen=True)
class Left:
    """What stays with a medium from one run to the next: its heat (C), bytes in its cache, bytes written, whether it throttles."""

    inside: float
    cached: float
    written: float
    hot: bool


@dataclass
class State:
    """A chain as time passes over it.

    Attributes:
        chain: from the port to the medium.
        room: temperature of the room, C.
        elapsed: virtual seconds since the run began.
        inside, case: temperatures, C.
        cached: bytes in the write cache.
        hot: whether a stepwise throttle is on; `throttlings`, `throttled_seconds` count it.
        written, moved: bytes since the run began.
        travelled: bytes since the stretch that is covered was begun at its start (a pass, or a soak's load, does).
        allotted: what its hubs leave it while others work too, bytes per second.
    """

    chain: Sequence[SimPart]
    room: float = ROOM
    allotted: float = math.inf
    elapsed: float = 0.0
    inside: float = field(init=False)
    case: float = field(init=False)
    cached: float = 0.0
    hot: bool = False
    throttlings: int = 0
    throttled_seconds: float = 0.0
    written: float = 0.0
    moved: float = 0.0
    travelled: float = 0.0
    _truths: dict[tuple[float, float], Truth] = field(default_factory=dict, init=False)
    _workload: Workload | None = field(default=None, init=False)

    def __post_init__(self) -> None:
        self.medium = self.chain[-1]
        self.heat = self.medium.heat
        # the case nearest to the drive counts; a drive alone in a port has the port's slot around it
        self.shell = next((p.case for p in reversed(self.chain) if p.case is not None), BARE_CASE)
        idle = self.heat.idle if self.heat else 0.0
        self.case = self.room + (idle + self.shell.own) * self.shell.to_room
        self.inside = self.case + (idle * self.heat.to_case if self.heat else 0.0)

    def left(self) -> Left:
        """Return what stays with the medium when it is unplugged."""
        return Left(self.inside, self.cached, self.written, self.hot)

    def take_up(self, left: Left, seconds: float) -> None:
        """Go on with a medium that was left so, `seconds` ago; it rested meanwhile in what it is plugged into now."""
        self.inside, self.cached, self.written, self.hot = left.inside, left.cached, left.written, left.hot
        before = self.elapsed
        self.rest(min(seconds, MAX_AFTERMATH))
        self.elapsed, self.throttled_seconds, self.throttlings = before, 0.0, 0

    def truth(self, workload: Workload) -> Truth:
        """Return what the chain does under a workload in its present state."""
        if isinstance(workload, NetworkWorkload):
            return self._limited(network_truth(self.chain, workload), workload)
        workload = on_drive(workload)
        writes = workload.direction != "read"
        own = self._own_rate("write" if writes else "read", self._place(workload))
        if workload is not self._workload:
            self._workload, self._truths = workload, {}
        key = (own, self.allotted)
        if key not in self._truths:
            name = "write" if writes else "read"
            parts = [*self.chain[:-1], self.medium.changed(**{name: own})]
            true = self._limited(truth(parts, workload), workload)
            if len(self._truths) > 256:
                self._truths.clear()
            self._truths[key] = true
        return self._truths[key]

    def _limited(self, true: Truth, workload: Workload) -> Truth:
        """Return a truth within what hubs let through, and what others that work too leave."""
        most = min([p.shared for p in self.chain if p.shared is not None] + [self.allotted])
        if true.rate <= most:
            return true
        return replace(true, rate=most, latency=workload.depth * workload.block_bytes / most)

    def _place(self, workload: DriveWorkload) -> float:
        """Return where on the medium a workload is at work, 0 (its start) to 1; scattered requests are everywhere in their span.

        In 64 zones, as disks have them, so that few different rates come up.
        """
        capacity = self.medium.capacity
        if not capacity:
            return 0.0
        span = workload.span_bytes or capacity
        within = span / 2 if workload.pattern == "random" else self.travelled % span
        return math.floor((workload.origin_bytes + within) / capacity * ZONES) / ZONES

    def _own_rate(self, direction: str, place: float) -> float:
        """Return the most that the medium moves now, bytes per second; infinite when the bench does not say."""
        medium = self.medium
        outer = medium.write if direction == "write" else medium.read
        inner = medium.inner_write if direction == "write" else medium.inner_read
        rate = math.inf if outer is None else outer
        if inner is not None and outer is not None:
            rate = outer + (inner - outer) * place
        if direction == "write" and medium.cache is not None and self.cached >= medium.cache:
            rate = min(rate, medium.after_cache or rate)
        if direction == "write" and self._tidying():
            rate = min(rate, medium.floor or rate)
        return min(rate, self._throttled_rate(rate))

    def _tidying(self) -> bool:
        medium = self.medium
        if not medium.tidy_every or not medium.tidy:
            return False
        return self.written % (medium.tidy_every + medium.tidy) >= medium.tidy_every - 0.5

    def _throttled_rate(self, rate: float) -> float:
        heat = self.heat
        if heat is None or heat.throttles_at is None or heat.throttled is None:
            return math.inf
        if heat.gradual:
            give = self._give()
            return rate - (rate - heat.throttled) * give if give and rate > heat.throttled else math.inf
        return heat.throttled if self.hot else math.inf

    def _give(self) -> float:
        """Return how far a throttle gives way, 0 to 1; a gradual one in hundredths, so that few different rates come up."""
        heat = self.heat
        if heat is None or heat.throttles_at is None or not heat.gradual:
            return float(self.hot)
        return math.floor(min(max((self.inside - heat.throttles_at) / GRADUAL, 0.0), 1.0) * 100) / 100

    def work(self, workload: Workload, seconds: float, noise: float = 1.0) -> float:
        """Let `seconds` pass under a workload, its rate times `noise`; return the bytes moved."""
        moved, left = 0.0, seconds
        writes = workload.writes
        while left > 1e-9:
            rate = self.truth(workload).rate * noise
            step = min(left, FINEST, self._next_event(rate * writes))
            self._warm(step, rate, writes)
            bytes_now = rate * step
            moved += bytes_now
            self.moved += bytes_now
            self.travelled += bytes_now
            self.written += bytes_now * writes
            if self.medium.cache is not None and writes:
                # an event's step ends at the edge to the last byte, so that the next starts beyond it
                self.cached = min(self.medium.cache, self.cached + bytes_now * writes)
                if self.medium.cache - self.cached < 1.0:
                    self.cached = float(self.medium.cache)
            elif self.medium.fold:
                self.cached = max(0.0, self.cached - self.medium.fold * step)
            left -= step
        return moved

    def rest(self, seconds: float) -> None:
        """Let `seconds` pass without work."""
        left = seconds
        while left > 1e-9:
            step = min(left, FINEST)
            self._warm(step, 0.0, 0.0)
            if self.medium.fold:
                self.cached = max(0.0, self.cached - self.medium.fold * step)
            left -= step

    def _next_event(self, write_rate: float) -> float:
        """Return the seconds until the cache is used up or a tidying begins or ends at this rate of writing."""
        if write_rate <= 0:
            return math.inf
        waits = [math.inf]
        medium = self.medium
        if medium.cache is not None and self.cached < medium.cache:
            waits.append((medium.cache - self.cached) / write_rate)
        if medium.tidy_every and medium.tidy:
            place = self.written % (medium.tidy_every + medium.tidy)
            edge = medium.tidy_every if place < medium.tidy_every - 0.5 else medium.tidy_every + medium.tidy
            waits.append((edge - place) / write_rate)
        return max(min(waits), 1e-6)

    def _warm(self, seconds: float, rate: float, writes: float) -> None:
        """Let heat flow for `seconds` under a rate, and switch the throttle."""
        self.elapsed += seconds
        heat, shell = self.heat, self.shell
        if heat is None:
            return
        power = heat.idle
        if rate > 0:
            power += heat.awake * (1 - (1 - THROTTLED_AWAKE) * self._give())
            power += heat.writing * writes * rate / (self.medium.write or rate)
            power += heat.reading * (1 - writes) * rate / (self.medium.read or rate)
        parts = max(1, math.ceil(seconds / (min(heat.capacity * heat.to_case, shell.capacity * shell.to_room) / 5)))
        for _ in range(parts):
            flow = (self.inside - self.case) / heat.to_case
            self.inside += (power - flow) / heat.capacity * seconds / parts
            self.case += (flow + shell.own - (self.case - self.room) / shell.to_room) / shell.capacity * seconds / parts
        if self._slowed():
            self.throttled_seconds += seconds
        self._switch()

    def _slowed(self) -> bool:
        heat = self.heat
        if heat is None or heat.throttles_at is None:
            return False
        return self.inside > heat.throttles_at if heat.gradual else self.hot

    def _switch(self) -> None:
        heat = self.heat
        if heat is None or heat.throttles_at is None or heat.gradual or heat.resumes_at is None:
            return
        if not self.hot and self.inside >= heat.throttles_at:
            self.hot = True
            self.throttlings += 1
        elif self.hot and self.inside <= heat.resumes_at:
            self.hot = False

    def sensors(self) -> dict[str, float]:
        """Return what the sensors of the chain show now: the drive's, and a probe's where one is taped on."""
        if self.heat is None:
            return {}
        step = self.heat.step
        shown = {DRIVE: round(self.inside / step) * step if step else self.inside}
        return shown | ({CASE: round(self.case, 1)} if self.shell.probe else {})

    def settled_temperature(self, rate: float, writes: float = 1.0) -> float:
        """Return where the inside settles for ever at a rate, unthrottled: the truth that a fit should find."""
        if self.heat is None:
            raise UsageError("the medium has no heat to settle")
        heat, shell = self.heat, self.shell
        power = heat.idle + heat.awake + heat.writing * writes * rate / (self.medium.write or rate)
        power += heat.reading * (1 - writes) * rate / (self.medium.read or rate)
        return self.room + (power + shell.own) * shell.to_room + power * heat.to_case
