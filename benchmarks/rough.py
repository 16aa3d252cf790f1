"""Soaks of drives that are not ours: python -m benchmarks.rough [DRIVES] [--minutes 5 15 20 30] [--seed N] [-v].

A generator unlike the simulated bench in every respect that a soak's findings rest on, played in steps of a quarter of a second:

    heat       three bodies in a row; power with a part that comes and goes; a fan that starts at some temperature of the case; a room
               that drifts; a sensor that lags behind and moves in whole degrees or tenths, or is missing
    noise      correlated from second to second, heavy-tailed, with stalls of whole seconds and dips of housekeeping
    caches     none, one, two levels, or one that is refilled while it is written past, in bursts
    heat slows in steps with hysteresis, by degrees, or in pauses between requests; counters are right, stand at zero, or are missing;
               a stated limit is right, a little high, or missing
    others     disks that are gone round and round, known to the kernel as such or not; reads; bridges that slow down while the drive is cool

Counted are causes named that were not there, causes that the evidence allows and that were named, sizes of caches, and temperatures.
"""

from __future__ import annotations

import argparse
import math
from collections import Counter
from dataclasses import dataclass, field

import numpy as np

from ulterion.core.soak.findings import Findings, analyse
from ulterion.core.soak.trace import DRIVE, IDLE, LOAD, ROOM, Counters, Phase, Trace

STEP = 0.25  # seconds
IDLE_SECONDS = 60
MATERIAL = 15.0  # seconds of a rate lowered by a fifth or more that a reader would see


@dataclass
class Truth:
    """What really happened.

    Attributes:
        causes: with seconds for which each slowed the load by a fifth or more.
        cache: bytes written when it was first used up, or None.
        settles: where the sensor would end, C, at this load for ever; in the room of then; None where it throttles.
        shown: causes for which the trace holds evidence.
    """

    causes: Counter[str] = field(default_factory=Counter)
    cache: float | None = None
    settles: float | None = None
    shown: set[str] = field(default_factory=set)


class Drive:
    """A random drive at work."""

    def __init__(self, rng: np.random.Generator) -> None:
        self.rng = rng
        self.kind = str(rng.choice(["ssd", "ssd", "ssd", "ssd", "disk", "read", "bridge"]))
        self.base = float(np.exp(rng.uniform(np.log(120), np.log(5000)))) * 1e6
        self._make_cache()
        self._make_heat()
        self._make_noise()
        self.written = self.moved = 0.0

    def _make_cache(self) -> None:
        rng = self.rng
        self.cache = (
            str(rng.choice(["none", "one", "one", "two", "bursts"])) if self.kind in ("ssd", "bridge") else "none"
        )
        seconds = float(np.exp(rng.uniform(np.log(8), np.log(400))))
        self.sizes = [self.base * seconds, self.base * seconds * rng.uniform(1.6, 3)]
        first = rng.uniform(0.15, 0.7)
        self.shares = [1.0, first, first * rng.uniform(0.3, 0.7) if self.cache == "two" else first]
        self.burst_every, self.burst = rng.uniform(20, 60), rng.uniform(1, 3)

    def _make_heat(self) -> None:
        rng = self.rng
        self.room = float(rng.uniform(17, 28))
        self.drift = float(rng.uniform(-3, 3)) / 3600 if rng.random() < 0.4 else 0.0
        self.bodies = np.full(3, self.room)
        self.heat = np.array([rng.uniform(1, 5), rng.uniform(5, 25), rng.uniform(30, 250)])  # J/K
        self.resist = np.array([rng.uniform(0.5, 3), rng.uniform(1, 4), rng.uniform(2, 9)])  # K/W
        self.idle, self.awake = rng.uniform(0.3, 1.5), rng.uniform(0.5, 3)
        hottest = rng.uniform(38, 135)
        self.work = max(0.3, (hottest - self.room) / self.resist.sum() - self.idle - self.awake)
        self.fan = float(rng.uniform(35, 55)) if rng.random() < 0.2 else math.inf
        self.lag, self.sensor = rng.uniform(1, 20), self.room
        self.resolution = float(rng.choice([1.0, 1.0, 0.1]))
        self.at = float(rng.uniform(68, 90)) if self.kind != "bridge" else float(rng.uniform(40, 60))
        self.slows = (
            str(rng.choice(["step", "degrees", "pauses"])) if rng.random() < 0.7 and self.kind != "disk" else "never"
        )
        self.back = self.at - rng.uniform(2, 10)
        self.depth = rng.uniform(0.1, 0.6)
        self.hot, self.counted = False, 0.0
        stated = self.at if self.kind != "bridge" else float(rng.uniform(70, 85))
        self.limit = None if rng.random() < 0.3 else stated + float(rng.choice([0.0, 1.0, 5.0, 8.0]))
        self.counter = str(rng.choice(["right", "zero", "missing", "missing"]))
        bodies = self.resist.sum() * self.idle + self.room
        self.bodies = np.array(
            [bodies, self.room + self.idle * self.resist[1:].sum(), self.room + self.idle * self.resist[2]]
        )
        self.sensor = float(self.bodies[0])

    def _make_noise(self) -> None:
        rng = self.rng
        self.spread, self.follow = rng.uniform(0.002, 0.04), rng.uniform(0, 0.9)
        self.swing = 0.0
        self.stalls = rng.uniform(1 / 600, 1 / 90) if rng.random() < 0.3 else 0.0
        self.dips = rng.uniform(1 / 240, 1 / 60) if rng.random() < 0.3 else 0.0
        self.stalled = self.dipping = 0.0

    def rate(self, second: float) -> float:
        """Return the rate now, before noise and heat."""
        rate = self.base
        if self.kind == "disk":
            span = 0.25 * self.base * 600  # gone round about every ten minutes
            return rate * (1 - 0.5 * (self.moved % span) / span)
        if self.cache != "none" and self.written >= self.sizes[0]:
            rate = self.base * self.shares[1]
            if self.cache == "two" and self.written >= self.sizes[1]:
                rate = self.base * self.shares[2]
            if self.cache == "bursts" and second % self.burst_every < self.burst:
                rate = self.base
        return rate

    def slow_by_heat(self) -> float:
        """Return the share of its rate that heat leaves."""
        warm = float(self.bodies[1] if self.kind == "bridge" else self.bodies[0])
        if self.slows == "never":
            return 1.0
        if self.slows == "degrees":
            return float(1 - (1 - self.depth) * min(max((warm - self.at) / 5, 0.0), 1.0))
        self.hot = warm >= self.at or (self.hot and warm > self.back)
        if not self.hot:
            return 1.0
        if self.slows == "pauses":
            return 1.0 if self.rng.random() < self.depth else 0.02
        return float(self.depth)

    def warm(self, rate: float) -> None:
        """Let heat flow for a step."""
        power = self.idle + ((self.awake + self.work * rate / self.base) if rate else 0.0)
        self.room += self.drift * STEP
        resist = self.resist * np.array([1, 1, 0.45 if self.bodies[2] > self.fan else 1])
        outer = np.array([self.bodies[1], self.bodies[2], self.room])
        for _ in range(2):
            flow = np.asarray((self.bodies - outer) / resist)
            into = np.array([power, flow[0], flow[1]], dtype=np.float64)
            self.bodies = self.bodies + (into - flow) / self.heat * STEP / 2
            outer = np.array([self.bodies[1], self.bodies[2], self.room])
        self.sensor += (self.bodies[0] - self.sensor) * min(1.0, STEP / self.lag)

    def noisy(self) -> float:
        """Return the factor of the noise for a second."""
        rng = self.rng
        self.swing = self.follow * self.swing + math.sqrt(1 - self.follow**2) * float(rng.standard_t(4)) / math.sqrt(2)
        factor = math.exp(self.spread * self.swing)
        self.stalled = max(0.0, self.stalled - 1)
        self.dipping = max(0.0, self.dipping - 1)
        if rng.random() < self.stalls:
            self.stalled = float(rng.integers(1, 3))
        if rng.random() < self.dips:
            self.dipping = float(rng.integers(2, 9))
        return factor * (0.01 if self.stalled else 0.5 if self.dipping else 1.0)

    def settles(self) -> float | None:
        """Return where the sensor ends at the rate of the end, C."""
        if self.kind == "disk" or self.cache == "bursts" or self.dips or self.stalls:
            return None
        rate = self.base * (self.shares[1] if self.cache != "none" and self.written >= self.sizes[0] else 1.0)
        if self.cache == "two" and self.written >= self.sizes[1]:
            rate = self.base * self.shares[2]
        power = self.idle + self.awake + self.work * rate / self.base
        end = self.room + power * self.resist.sum()
        case = self.room + power * self.resist[2]
        if case > self.fan:
            cooled = self.room + power * (self.resist.sum() - 0.55 * self.resist[2])
            return float(cooled) if self.room + power * self.resist[2] * 0.45 > self.fan else None
        return float(end)


def soak(seed: int, minutes: float) -> tuple[Trace, Truth, Drive]:
    """Play idle and load of a random drive; return what was seen, and what was true."""
    rng = np.random.default_rng([seed, 77])
    drive, truth = Drive(rng), Truth()
    seconds = round(minutes * 60)
    rates, warmth, rooms = [], [], []
    for _ in range(IDLE_SECONDS):
        for _ in range(round(1 / STEP)):
            drive.warm(0.0)
        rates.append(0.0)
        warmth.append(drive.sensor)
        rooms.append(drive.room)
    for second in range(seconds):
        factor, moved, plain, left = drive.noisy(), 0.0, 0.0, 0.0
        for _ in range(round(1 / STEP)):
            own, heat = drive.rate(second), drive.slow_by_heat()
            rate = own * heat * factor
            drive.warm(rate)
            moved += rate * STEP
            plain += own * STEP
            left += own * heat * STEP
            drive.moved += rate * STEP
            drive.written += rate * STEP if drive.kind in ("ssd", "bridge") else 0.0
        if drive.cache != "none" and truth.cache is None and drive.written >= drive.sizes[0]:
            truth.cache = drive.sizes[0]
        if left < 0.8 * plain:
            truth.causes["throttling"] += 1
            drive.counted += 1
        if truth.cache is not None and plain < 0.8 * drive.base:
            truth.causes["write cache"] += 1
        rates.append(moved)
        warmth.append(drive.sensor)
        rooms.append(drive.room)
    values = np.array(warmth)
    shown = np.floor(values / drive.resolution + rng.uniform(0, 1)) * drive.resolution
    has_sensor = rng.random() < 0.85
    count = IDLE_SECONDS + seconds
    counters = Counters()
    if drive.counter != "missing":
        alive = drive.counter == "right" and (drive.counted > 0 or rng.random() < 0.6)
        counters = Counters(0, drive.counted if drive.counter == "right" else 0.0, alive=alive)
    if drive.kind == "disk":
        truth.causes["zones"] += seconds
    if "throttling" not in truth.causes and drive.kind != "bridge":
        truth.settles = drive.settles()
    truth.shown = _evidence(drive, truth, has_sensor)
    trace = Trace(
        np.arange(count, dtype=np.float64), np.ones(count), np.array(rates),
        ({DRIVE: shown} if has_sensor else {}) | _room_probe(drive, rooms, seed),
        (Phase(IDLE, 0.0, IDLE_SECONDS), Phase(LOAD, IDLE_SECONDS, count)),
        writes=1.0 if drive.kind in ("ssd", "bridge") else 0.0,
        limit=drive.limit if has_sensor else None, counters=counters, rotational=drive.kind == "disk" and rng.random() < 0.5,
        bridged=drive.kind == "bridge", span=0.25 * drive.base * 600 if drive.kind == "disk" else 4 * 2**30,
    )  # fmt: skip
    return trace, truth, drive


def _room_probe(drive: Drive, rooms: list[float], seed: int) -> dict[str, np.ndarray]:
    """Return what a thermometer in a drifting room reads: tenths, noise, and every tenth second nothing."""
    if not drive.drift:
        return {}
    rng = np.random.default_rng([seed, 78])
    read = np.round(np.array(rooms) + rng.normal(0, 0.1, len(rooms)), 1)
    read[rng.random(len(rooms)) < 0.1] = np.nan
    return {ROOM: read}


def _evidence(drive: Drive, truth: Truth, has_sensor: bool) -> set[str]:
    """Return the material causes that the trace can show: heat by a counter or a limit that is right, a cache by heat excluded."""
    shown = set()
    alone = drive.kind == "ssd"
    told_hot = drive.counter == "right" or (has_sensor and drive.limit is not None and drive.limit - drive.at <= 1.0)
    if alone and truth.causes["throttling"] >= MATERIAL and told_hot:
        shown.add("throttling")
    cool = has_sensor and max(drive.sensor, 0) < 55 and not truth.causes["throttling"]
    if alone and truth.causes["write cache"] >= 60 and cool:
        shown.add("write cache")
    return shown


def verdict(found: Findings, truth: Truth, drive: Drive) -> dict[str, bool | None]:
    """Hold the findings against the truth; None where a question does not arise."""
    named = {f.cause for f in found.falls} - {"unexplained"}
    real = {c for c, seconds in truth.causes.items() if seconds >= 1}
    cache = found.fall("write cache")
    settling = found.drive.settling if found.drive else None
    inside = None if settling is None or truth.settles is None else settling.low <= truth.settles <= settling.high
    return {
        "a wrong cause is named, of all": bool(named - real),
        "a wrong cause is named, of those that name one": bool(named - real) if named else None,
        "what the evidence allows is named": truth.shown <= named if truth.shown else None,
        "cache size within 5%, where named": None if cache is None or truth.cache is None else
        abs(cache.written / truth.cache - 1) <= 0.05,
        "settled temperature within 1 °C": None if settling is None or truth.settles is None or not settling.sure else
        abs(settling.end - truth.settles) <= 1.0,
        "the interval holds the truth, settled": inside if settling is not None and settling.sure else None,
        "the interval holds the truth, extrapolated": inside if settling is not None and not settling.sure else None,
        "a settled temperature is given, of those that settle": None if truth.settles is None or found.drive is None else
        settling is not None and settling.sure,
        "throttled, and a settled temperature given": None if truth.causes["throttling"] < MATERIAL else
        settling is not None and settling.sure,
    }  # fmt: skip


def main() -> None:
    """Analyse many drives at several lengths, print a table of shares."""
    parser = argparse.ArgumentParser()
    parser.add_argument("drives", nargs="?", type=int, default=400)
    parser.add_argument("--minutes", nargs="+", type=float, default=[5, 15, 20, 30])
    parser.add_argument("--seed", type=int, default=1)
    parser.add_argument("-v", action="store_true")
    options = parser.parse_args()
    columns: list[dict[str, str]] = []
    for minutes in options.minutes:
        asked, yes = Counter[str](), Counter[str]()
        for number in range(options.drives):
            seed = options.seed * 100_003 + number
            trace, truth, drive = soak(seed, minutes)
            found = analyse(trace)
            assert found is not None
            for question, answer in verdict(found, truth, drive).items():
                asked[question] += answer is not None
                yes[question] += bool(answer)
                if options.v and answer is question.startswith(("a wrong", "throttled")):
                    print(minutes, seed, question, drive.kind, drive.cache, drive.slows, dict(truth.causes), truth.settles,
                          [(f.cause, round(f.at), f.evidence) for f in found.falls], found.drive and found.drive.settling)  # fmt: skip
        columns.append({q: f"{yes[q] / asked[q]:.1%} of {asked[q]}" if asked[q] else "-" for q in asked})
    print("| question | " + " | ".join(f"{m:g} min" for m in options.minutes) + " |")
    print("|---|" + "---:|" * len(options.minutes))
    for question in columns[0]:
        print(f"| {question} | " + " | ".join(c.get(question, "-") for c in columns) + " |")


if __name__ == "__main__":
    main()
