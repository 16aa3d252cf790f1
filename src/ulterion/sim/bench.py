"""The simulated-bench file: what each port and part really does.  Described in docs/reference/files.md."""

from __future__ import annotations

import datetime
import itertools
from collections.abc import Mapping
from pathlib import Path
from typing import ClassVar, Literal

from ulterion.core.documents.fields import Field
from ulterion.core.documents.written import Written
from ulterion.core.errors import UsageError, unknown
from ulterion.model import tomlfile
from ulterion.model.older import bench_of_one, checked_version
from ulterion.model.quantities import (
    Duration,
    HeatCapacity,
    HeatResistance,
    KnownLink,
    Moment,
    Power,
    Rate,
    Share,
    Size,
    Temperature,
)

SCHEMA = 2
EPOCH = datetime.datetime(2026, 1, 1, 9, 0, tzinfo=datetime.UTC)


class DriveHeat(Written):
    """How a drive turns work into heat, and what it does when hot."""

    idle: Power = Field(description="drawn at rest")
    awake: Power = Field(default=0.0, description="drawn on top while it works, whatever the rate")
    writing: Power = Field(default=0.0, description="on top when writing at its own full rate")
    reading: Power = Field(default=0.0, description="on top when reading at its own full rate")
    capacity: HeatCapacity = Field(description="of the inside, where its sensor sits")
    to_case: HeatResistance
    throttles_at: Temperature | None = None
    resumes_at: Temperature | None = Field(default=None, description="needed for stepwise throttling")
    throttled: Rate | None = Field(default=None, description="most it moves when throttled")
    gradual: bool = Field(default=False, description="gives way degree by degree instead of in one step")
    limit: Temperature | None = Field(default=None, description="the limit it states")
    counters: bool = Field(default=False, description="whether it counts its throttling")
    step: float = Field(default=1.0, ge=0.0, description="degrees that its sensor resolves")


class CaseHeat(Written):
    """How a case, or a slot, passes heat on to the room."""

    capacity: HeatCapacity
    to_room: HeatResistance = Field(description="to the room; a fan makes it small")
    own: Power = Field(default=0.0, description="drawn by the bridge in it, or lost by what is near it")
    probe: bool = Field(default=False, description="whether a probe is taped to it")


class BadArea(Written):
    """A stretch of a medium that gives back something else than was written."""

    at: Size
    size: Size


class SimPart(Written):
    """A port or part of the simulated bench, with its true behaviour."""

    tells_given: ClassVar[bool] = True

    link: KnownLink | None = Field(default=None, description="the link it trains towards the host")
    inside: KnownLink | None = Field(default=None, description="the link it trains towards the medium")
    unseen: bool = Field(default=False, description="a cable: no host shows it")
    transport: str | None = None
    driver: str | None = None
    read: Rate | None = Field(default=None, description="most it moves when reading")
    write: Rate | None = Field(default=None, description="most it moves when writing")
    overhead: Duration | None = Field(default=None, description="time added to every request")
    queue: int | None = Field(default=None, ge=1, description="requests it lets be in flight; unlimited when left out")
    model: str | None = None
    serial: str | None = None
    capacity: Size | None = None
    read_wait: Duration | None = Field(default=None, description="wait of a random read before data flow")
    write_wait: Duration | None = Field(default=None, description="wait of a random write before data flow")
    flush: Duration | None = Field(default=None, description="time to put what it holds in its cache on the medium")
    parallel: int = Field(default=1, ge=1, description="random requests it works on at once")
    noise: Share = Field(default=0.0, description="pass-to-pass spread of large requests")
    small_noise: Share = Field(default=0.0, description="pass-to-pass spread of small random requests")
    latency_spread: float = Field(default=0.15, gt=0, lt=3, description="standard deviation of the logs of latencies")
    temperature: Temperature | None = None
    cache: Size | None = Field(default=None, description="bytes written fast before it has to work at `after_cache`")
    after_cache: Rate | None = Field(default=None, description="writes once the cache is used up")
    fold: Rate | None = Field(default=None, description="how fast it empties its cache while nothing is written")
    inner_read: Rate | None = Field(
        default=None, description="reads at the end of the medium; `read` holds at its start"
    )
    inner_write: Rate | None = Field(default=None, description="writes at the end of the medium")
    floor: Rate | None = Field(default=None, description="writes while it tidies up")
    tidy_every: Size | None = Field(default=None, description="bytes written between two tidyings")
    tidy: Size | None = Field(default=None, description="bytes written at the floor each time")
    shared: Rate | None = Field(default=None, description="most that all ports of a hub move together")
    peer: bool = Field(default=False, description="another bench, reached over a network; it ends a chain")
    lost: float = Field(default=0.0, ge=0, lt=1, description="share of datagrams that it loses")
    real_capacity: Size | None = Field(default=None, description="where it wraps round and writes over its beginning")
    swallows: bool = Field(default=False, description="what is written beyond its real capacity is lost instead")
    bad_areas: list[BadArea] = Field(default=[], description="where it keeps nothing as it was, and says nothing")
    heat: DriveHeat | None = None
    case: CaseHeat | None = None


class Fault(Written):
    """Something that goes wrong on order."""

    part: str
    what: Literal["not recognised", "pulled out", "I/O error"]
    after: Duration | None = Field(default=None, description="virtual time since the start of the run")
    setup: str | None = Field(default=None, description="only on this setup")


class BenchEvent(Written):
    """What a hand does on the bench; a setup that has events is there between its plugging in and its unplugging.

    One whose first event is its unplugging is there from the beginning.
    """

    at: Duration = Field(description="virtual time since the bench's epoch")
    setup: str
    what: Literal["plugged in", "unplugged"]


class Setting(Written):
    """What a level of a plan's factor changes on the bench: another driver, a charger, a cable's quality."""

    factor: str
    level: str
    parts: dict[str, SimPart] = Field(
        description="of a part or port what is then otherwise; nothing else of it changes"
    )


class About(Written):
    """The bench itself."""

    host: str
    system: str | None = None
    seed: int = Field(default=1, ge=0)
    epoch: Moment = Field(default=EPOCH, description="when its virtual time begins")
    room: Temperature | None = None


class SimBench(Written):
    """The whole file."""

    format_version: Literal[2] = Field(default=2, key="schema")
    bench: About
    ports: dict[str, SimPart] = {}
    parts: dict[str, SimPart] = {}
    faults: list[Fault] = []
    events: list[BenchEvent] = []
    settings: list[Setting] = []

    @classmethod
    def as_now(cls, data: object) -> object:
        """Return a file of an earlier version as it would be written now.  Raises ValueError of one that is not known."""
        return bench_of_one(data) if checked_version(data, SCHEMA) == 1 and isinstance(data, dict) else data

    def set_to(self, levels: Mapping[str, str]) -> SimBench:
        """Return the bench with what these levels change."""
        ports, parts = dict(self.ports), dict(self.parts)
        for setting in self.settings:
            if levels.get(setting.factor) == setting.level:
                for name, other in setting.parts.items():
                    changes = {field: getattr(other, field) for field in other.given}
                    known = parts if name in parts else ports
                    known[name] = known[name].changed(**changes)
        return self.changed(ports=ports, parts=parts)

    def plugged_in(self, setup: str | None, at: float) -> bool:
        """Return whether a setup is plugged in, `at` seconds after the epoch."""
        mine = [m for m in self.events if m.setup == setup]
        before = [m for m in mine if m.at <= at]
        if before:
            return before[-1].what == "plugged in"
        return not mine or mine[0].what == "unplugged"

    def next_event(self, setup: str | None, what: str, at: float) -> float | None:
        """Return when, after `at`, a setup is next plugged in or unplugged, seconds after the epoch; None when it is not."""
        return next((m.at for m in self.events if m.setup == setup and m.what == what and m.at > at), None)

    def chain(self, names: list[str], path: Path) -> list[SimPart]:
        """Return the parts of a chain; raise UsageError for a name the bench does not have."""
        known = self.ports | self.parts
        for name in names:
            if name not in known:
                raise UsageError(
                    f"{path}: the simulated bench has no such thing: {unknown('part or port', name, known)}"
                )
        return [known[name] for name in names]


def load_bench(path: Path) -> SimBench:
    """Read a simulated-bench file; raise UsageError."""
    bench = tomlfile.read(path, SimBench)
    for fault in bench.faults:
        if fault.part not in bench.ports | bench.parts:
            raise UsageError(f"{path}: faults: {unknown('part or port', fault.part, bench.ports | bench.parts)}")
        if fault.what != "not recognised" and fault.after is None:
            raise UsageError(f"{path}: faults: '{fault.what}' needs the time it happens; add after = \"30 s\"")
    for setting in bench.settings:
        for name in setting.parts:
            if name not in bench.ports | bench.parts:
                raise UsageError(f"{path}: settings: {unknown('part or port', name, bench.ports | bench.parts)}")
    if any(late.at < early.at for early, late in itertools.pairwise(bench.events)):
        raise UsageError(f"{path}: events: they are not in order of time; sort them by 'at'")
    for name, part in bench.parts.items():
        _check_whole(part, f"{path}: parts.{name}")
    return bench


def _check_whole(part: SimPart, place: str) -> None:
    """Refuse settings of which one is of no use without the other."""
    pairs = [("cache", "after_cache"), ("floor", "tidy_every"), ("floor", "tidy")]
    for one, other in pairs:
        if (getattr(part, one) is None) != (getattr(part, other) is None):
            raise UsageError(f"{place}: '{one}' and '{other}' go together; give both or neither")
    if part.swallows and part.real_capacity is None:
        raise UsageError(f"{place}: 'swallows' needs 'real_capacity', beyond which it does")
    heat = part.heat
    if heat is not None and heat.throttles_at is not None and heat.throttled is None:
        raise UsageError(f"{place}.heat: 'throttles_at' needs 'throttled', the rate it falls to")
    if heat is not None and heat.throttles_at is not None and not heat.gradual and heat.resumes_at is None:
        raise UsageError(f"{place}.heat: stepwise throttling needs 'resumes_at'")
