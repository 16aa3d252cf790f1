"""The simulated-bench file: what each port and part really does.  Described in docs/formats.md."""

from __future__ import annotations

from pathlib import Path
from typing import Literal

from pydantic import AwareDatetime, Field

from ulterion.core.errors import UsageError, unknown
from ulterion.model import tomlfile
from ulterion.model.quantities import Duration, KnownLink, Rate, Share, Size, Temperature, Written


class SimPart(Written):
    """A port or part of the simulated bench, with its true behaviour."""

    link: KnownLink | None = Field(None, description="the link it trains towards the host")
    inside: KnownLink | None = Field(None, description="the link it trains towards the medium")
    transport: str | None = None
    driver: str | None = None
    read: Rate | None = Field(None, description="most it moves when reading")
    write: Rate | None = Field(None, description="most it moves when writing")
    overhead: Duration | None = Field(None, description="time added to every request")
    queue: int | None = Field(None, ge=1, description="requests it lets be in flight; unlimited when left out")
    model: str | None = None
    serial: str | None = None
    capacity: Size | None = None
    read_wait: Duration | None = Field(None, description="wait of a random read before data flow")
    write_wait: Duration | None = Field(None, description="wait of a random write before data flow")
    flush: Duration | None = Field(None, description="time to put what it holds in its cache on the medium")
    parallel: int = Field(1, ge=1, description="random requests it works on at once")
    noise: Share = Field(0.0, description="pass-to-pass spread of large requests")
    small_noise: Share = Field(0.0, description="pass-to-pass spread of small random requests")
    latency_spread: float = Field(0.15, gt=0, lt=3, description="standard deviation of the logs of latencies")
    temperature: Temperature | None = None


class Fault(Written):
    """Something that goes wrong on order."""

    part: str
    what: Literal["not recognised", "pulled out", "I/O error"]
    after: Duration | None = Field(None, description="virtual time since the start of the run")
    hookup: str | None = Field(None, description="only on this hookup")


class About(Written):
    """The bench itself."""

    host: str
    system: str | None = None
    seed: int = Field(1, ge=0)
    epoch: AwareDatetime = Field(description="when its virtual time begins")
    room: Temperature | None = None


class SimBench(Written):
    """The whole file."""

    format_version: Literal[1] = Field(1, alias="schema")
    bench: About
    ports: dict[str, SimPart] = {}
    parts: dict[str, SimPart] = {}
    faults: list[Fault] = []

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
    return bench
