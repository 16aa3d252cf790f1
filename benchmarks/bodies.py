"""Does the end of a temperature hold, where heat passes through bodies one after the other to the sensor?

    python -m benchmarks.bodies [NUMBER] [--seed N]

Two to four bodies in a row from where the heat arises to the room (a chip, a board, a case, what the case stands on), each with a heat capacity and with a
resistance to the next, and a leak of its own to the room in some.  The sensor sits on any of them: on the first its rise is a sum of lags, on the others it begins late.
Heat is a constant part and one that follows the rate, which is even, noisy, or falls to a lower level once.  The network is solved exactly, second by second;
none of it is the program's.  Printed is, for loads of 10 to 60 minutes: how often the interval holds the true end, on which side it misses, how
often a temperature is called settled of those within 1 °C of their end, and how often that was right.
"""

from __future__ import annotations

import argparse
from collections import Counter
from dataclasses import dataclass

import numpy as np
from scipy.linalg import expm

from ulterion.core.soak.settling import Course, settle

REST = 120  # seconds before the load
LOADS = (600, 1200, 2400, 3600)
NEAR = 1.0


@dataclass(frozen=True)
class Case:
    """A course as a sensor shows it, the true end, the sensor's body (0: where the heat arises), and its true temperature last."""

    course: Course
    end: float
    body: int
    last: float


def made(rng: np.random.Generator, load: int) -> Case:
    """Return a random case."""
    count = int(rng.integers(2, 5))
    resistance = np.exp(rng.normal(np.log(rng.choice([3.0, 8.0])), 0.5, count))  # K/W to the next, the last to the room
    capacity = np.cumprod(np.exp(rng.normal([2.2, *[1.1] * (count - 1)], 0.4)))  # J/K, from the chip outwards
    leak = np.where(rng.random(count) < 0.3, 1 / rng.uniform(20, 80, count), 0.0)  # W/K straight to the room
    flow = np.zeros((count, count))
    for i in range(count):
        flow[i, i] -= 1 / resistance[i] + leak[i]
        if i + 1 < count:
            flow[i + 1, i + 1] -= 1 / resistance[i]
            flow[i, i + 1] += 1 / resistance[i]
            flow[i + 1, i] += 1 / resistance[i]
    system = flow / capacity[:, None]
    watts = rng.uniform(0.5, 2.5), rng.uniform(0.3, 2.0)
    rate = np.full(load, 1.0) * np.exp(rng.normal(0, rng.choice([0, 0.02, 0.1]), load))
    if rng.random() < 0.3:
        rate[int(load * rng.uniform(0.05, 0.7)) :] *= rng.uniform(0.4, 0.8)
    body = int(rng.integers(0, count))
    heat = np.concatenate([np.zeros(REST), watts[0] + watts[1] * rate])
    rise = solved(system, 1 / capacity[0], heat)[:, body]
    end_heat = watts[0] + watts[1] * float(rate[-60:].mean())
    end = float(np.linalg.solve(-system, np.eye(count)[:, 0] * end_heat / capacity[0])[body])
    room, step, noise = rng.uniform(18, 28), rng.choice([0.05, 0.1, 0.5, 1.0]), rng.choice([0.0, 0.05, 0.2])
    shown = room + rise + rng.normal(0, noise, rise.size)
    shown = (
        np.round(shown / step + rng.uniform(-0.5, 0.5)) * step if rng.random() < 0.5 else np.round(shown / step) * step
    )
    bytes_rate = np.concatenate([np.zeros(REST), rate * 1e9])
    at = np.arange(REST + load, dtype=float)
    return Case(Course(at, 1.0, bytes_rate, shown, float(REST)), room + end, body, room + float(rise[-1]))


def solved(system: np.ndarray, gain: float, heat: np.ndarray) -> np.ndarray:
    """Return the rise of every body in every second, heat going into the first and constant within a second."""
    step = expm(system)
    push = np.linalg.solve(system, (step - np.eye(len(system)))[:, 0] * gain)
    rise = np.zeros((heat.size, len(system)))
    now = np.zeros(len(system))
    for number, watts in enumerate(heat):
        now = step @ now + push * watts
        rise[number] = now
    return rise


def main() -> None:
    """Print it."""
    parser = argparse.ArgumentParser()
    parser.add_argument("number", nargs="?", type=int, default=100)
    parser.add_argument("--seed", type=int, default=1)
    asked = parser.parse_args()
    for load in LOADS:
        told: Counter[str] = Counter()
        for number in range(asked.number):
            case = made(np.random.default_rng([asked.seed, load, number]), load)
            found = settle(case.course)
            if found is None:
                continue
            where = "heated body" if case.body == 0 else "another body"
            told[where] += 1
            told[f"{where} held"] += found.low <= case.end <= found.high
            told["above"] += case.end > found.high
            told["below"] += case.end < found.low
            told["near"] += abs(case.end - case.last) <= NEAR
            told["near and called settled"] += abs(case.end - case.last) <= NEAR and found.sure
            told["settled"] += found.sure
            told["settled rightly"] += found.sure and abs(found.end - case.end) <= NEAR
        print(f"{load // 60} min: held {told['heated body held']} of {told['heated body']} on the heated body, {told['another body held']} of "
              f"{told['another body']} on others (truth above {told['above']}, below {told['below']}); called settled {told['near and called settled']} "
              f"of {told['near']} that were, {told['settled rightly']} of {told['settled']} rightly", flush=True)  # fmt: skip


if __name__ == "__main__":
    main()
