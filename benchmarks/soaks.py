"""How often the analysis of a soak is right, on random simulated drives whose truth is known.

    python -m benchmarks.soaks [DRIVES]

Each drive has a random rate, noise, write cache or none, heat, and throttling or none; the default length of a soak is
simulated and analysed.  Prints the table of docs/engineering/definitions.md, and fails when a promise is not kept.
"""

from __future__ import annotations

import datetime
import sys
from collections import Counter
from dataclasses import dataclass

import numpy as np

from ulterion.core.soak.drops import FOR_GOOD
from ulterion.core.soak.findings import Findings, analyse
from ulterion.core.soak.trace import IDLE, LOAD, Counters, Phase, Trace, trace_of
from ulterion.core.workloads.workload import parse_workload
from ulterion.sim.bench import SimBench
from ulterion.sim.target import SimTarget

DRIVES = 300
IDLE_SECONDS, LOAD_SECONDS = 120, 1200
WRITING = parse_workload("sequential write 1 MiB depth 4")
MATERIAL = 10  # seconds of a rate lowered by more than 15% that count as throttling a reader would see


@dataclass(frozen=True)
class Truth:
    """What really happened to a drive: bytes that fitted the cache, whether heat was seen, where it settles."""

    cache: float | None
    throttled: bool
    settled: float | None
    steady: bool


def random_bench(seed: int) -> SimBench:
    """Return a bench with one random drive."""
    rng = np.random.default_rng(seed)
    rate = float(np.exp(rng.uniform(np.log(200), np.log(4500))))
    drive: dict[str, object] = {
        "capacity": "4 TB", "read": f"{rate} MB/s", "write": f"{rate} MB/s",
        "noise": f"{rng.uniform(0.2, 4.0)}%",
    }  # fmt: skip
    after = rate
    if rng.random() < 0.6:
        after = rate * rng.uniform(0.12, 0.75)
        seconds = float(np.exp(rng.uniform(np.log(5), np.log(900))))
        drive |= {"cache": f"{rate * seconds} MB", "after_cache": f"{after} MB/s", "fold": f"{after} MB/s"}
    to_case, to_room = rng.uniform(2, 6), rng.uniform(3, 14)
    idle, room = rng.uniform(0.3, 1.2), 21.0
    hottest = rng.uniform(40, 115) - room - idle * (to_case + to_room)
    draws = max(0.3, hottest / (to_case + to_room))
    heat: dict[str, object] = {
        "idle": f"{idle} W", "awake": f"{draws * 0.4} W", "writing": f"{draws * 0.6} W",
        "capacity": f"{rng.uniform(4, 18)} J/K", "to_case": f"{to_case} K/W",
        "step": float(rng.choice([0.1, 1.0])),
    }  # fmt: skip
    at = rng.uniform(68, 86)
    if rng.random() < 0.6:
        heat |= {"throttles_at": f"{at} °C", "resumes_at": f"{at - rng.uniform(3, 9)} °C",
                 "throttled": f"{after * rng.uniform(0.1, 0.6)} MB/s",
                 "gradual": bool(rng.random() < 0.3)}  # fmt: skip
    if rng.random() < 0.85:
        heat["limit"] = f"{at + rng.uniform(0, 2)} °C"
    heat["counters"] = bool(rng.random() < 0.5)
    drive["heat"] = heat
    drive["case"] = {"capacity": f"{rng.uniform(60, 600) / to_room} J/K", "to_room": f"{to_room} K/W"}
    about = {"host": "random", "seed": seed, "epoch": datetime.datetime(2026, 1, 1, tzinfo=datetime.UTC)}
    return SimBench.from_data({"bench": about, "ports": {"port": {}}, "parts": {"drive": drive}})


def soak(bench: SimBench, seed: int) -> tuple[Trace, Truth]:
    """Play idle and load; return what was seen and what was true."""
    target = SimTarget(bench, ["port", "drive"], "h", "sim:none", WRITING.block_bytes * 1024)
    rng = np.random.default_rng([seed, 1])
    state, rows, starts = target.state, [], []
    cache, slowed, plain = None, 0, 0.0
    for second in range(IDLE_SECONDS + LOAD_SECONDS):
        starts.append(float(second))
        if second < IDLE_SECONDS:
            rows.append(target.soak_row(None, 1.0, rng))
            continue
        rows.append(target.soak_row(WRITING, 1.0, rng))
        medium = state.medium
        full = medium.cache is not None and state.cached >= medium.cache
        if full and cache is None:
            cache = float(medium.cache or 0)
        plain = (medium.after_cache if full else medium.write) or 0.0
        slowed += state.truth(WRITING).rate < FOR_GOOD * plain
    counted = target.counters()
    counters = Counters(int(counted["throttlings"]), counted["throttled_seconds"]) if counted else Counters()
    end = float(IDLE_SECONDS + LOAD_SECONDS)
    heat = state.medium.heat
    trace = trace_of(rows, starts, [Phase(IDLE, 0.0, IDLE_SECONDS), Phase(LOAD, IDLE_SECONDS, end)],
                     limit=heat.limit if heat else None, counters=counters)  # fmt: skip
    throttled = slowed >= MATERIAL
    settled = None if state.throttled_seconds else state.settled_temperature(plain)
    return trace, Truth(cache, throttled, settled, not throttled and state.throttled_seconds == 0)


def verdict(found: Findings, truth: Truth) -> dict[str, bool | None]:
    """Hold the findings against the truth; None where a question does not arise."""
    cache = found.fall("write cache")
    causes = {f.cause for f in found.falls}
    right = None
    if truth.cache or truth.throttled:
        right = (cache is not None) == bool(truth.cache) and ("throttling" in causes) == truth.throttled
    settling = found.drive.settling if found.drive else None
    sure = settling if settling is not None and settling.sure else None
    error = None if truth.settled is None or sure is None else abs(sure.end - truth.settled)
    return {
        "the write cache named": None if not truth.cache or truth.throttled else cache is not None,
        "its size within 5%, where named": None if not truth.cache or cache is None else
        abs(cache.written / truth.cache - 1) <= 0.05,
        "no cache found where there is none": None if truth.cache else cache is None,
        "throttling told from cache": right,
        "a wrong cause named": None if right is None else
        (cache is not None and not truth.cache) or ("throttling" in causes and not truth.throttled),
        "settled temperature given": None if truth.settled is None else sure is not None,
        "settled temperature within 1 °C": None if error is None else error <= 1.0,
        "its interval holds the truth": None if truth.settled is None or settling is None else
        settling.low <= truth.settled <= settling.high,
        "steady state found when steady": None if not truth.steady else found.steady is not None,
    }  # fmt: skip


PROMISES = {"the write cache named": 0.85, "its size within 5%, where named": 0.95, "no cache found where there is none": 0.98,
            "throttling told from cache": 0.85, "settled temperature within 1 °C": 0.95,
            "steady state found when steady": 0.95}  # fmt: skip


def main() -> int:
    """Analyse many drives, print the table, return 1 when a promise is broken."""
    wanted = int(sys.argv[1]) if len(sys.argv) > 1 else DRIVES
    asked, right, bad = Counter[str](), Counter[str](), []
    for seed in range(wanted):
        trace, truth = soak(random_bench(seed), seed)
        found = analyse(trace)
        assert found is not None
        for question, answer in verdict(found, truth).items():
            if answer is not None:
                asked[question] += 1
                right[question] += answer
                if not answer and question in PROMISES:
                    bad.append((seed, question, truth, found))
    print("| question | drives | yes |\n|---|---:|---:|")
    for question, count in asked.items():
        print(f"| {question} | {count} | {right[question] / count:.1%} |")
    if "-v" in sys.argv:
        for seed, question, truth, found in bad:
            print(seed, question, truth, [(f.cause, round(f.at), round(f.written / 1e9, 2), f.times, f.evidence)
                                          for f in found.falls], found.drive and found.drive.settling)  # fmt: skip
    broken = [q for q, least in PROMISES.items() if asked[q] and right[q] / asked[q] < least]
    for question in broken:
        print(f"promised {PROMISES[question]:.0%}: {question}", file=sys.stderr)
    return 1 if broken else 0


if __name__ == "__main__":
    sys.exit(main())
