"""Is progress what reached the device?  python -m benchmarks.arrivals [COPIES] [--seed N].

A copy is played against a made-up memory and a made-up device, none of it the program's: the copy fills memory at a rate of its own that changes, memory takes up to a
limit of dirty bytes (a copy above it waits), the device takes what is there at its own, changing rate, writes of others and of the file system's journal count in its
counter too, and the flush at the end waits for the rest.  Half of the devices have no counter.  Counted is how far ahead of the truth the kept progress
ever is, as a share of the copy, on average over its course and at most; with a counter it may be ahead by what others wrote, without one by nothing that is known.
"""

from __future__ import annotations

import argparse
from dataclasses import dataclass, field

import numpy as np

from ulterion.engine.copies.batches import ProgressMeter
from ulterion.model.runs.copied import CopyPass

STEP = 0.05  # seconds


@dataclass
class Played:
    """A copy under way: the clock, what was moved into memory, what the counter shows, and both over time."""

    seconds: float = 0.0
    moved: int = 0
    counted: int = 0
    arrived: float = 0.0
    course: list[tuple[float, float]] = field(default_factory=list)

    def now(self) -> float:
        """Return the time."""
        return self.seconds

    def run(self, *_: object) -> None:
        """Do nothing: whoever plays moves it on."""


def played(rng: np.random.Generator, *, counter: bool) -> tuple[CopyPass, list[tuple[float, float]]]:
    """Return the pass that is kept of a copy, and the truth: by when which share had arrived."""
    size = float(rng.uniform(1e9, 2e10))
    into, out = rng.uniform(3e8, 3e9), rng.uniform(6e6, 1.5e9)
    limit, others = rng.choice([2e8, 1e9, 4e9]), rng.choice([0.0, 0.02])
    began = float(rng.choice([0.0, 3.0]))  # seconds before the device is given anything: memory waits for more
    copy = Played()
    pulse = ProgressMeter(copy, lambda *_: None, (lambda: copy.counted) if counter else None)  # type: ignore[arg-type]
    flush_from = None
    while copy.arrived < size:
        copy.seconds += STEP
        dirty = copy.moved - copy.arrived
        fits = min(size - copy.moved, max(0.0, limit - dirty), into * STEP * rng.uniform(0.5, 1.5))
        copy.moved += int(np.ceil(fits))
        flushing = copy.moved >= size
        if flushing and flush_from is None:
            flush_from = copy.seconds
        if copy.seconds > began or dirty >= limit * 0.5 or flushing:
            step = min(copy.moved - copy.arrived, out * STEP * rng.uniform(0.3, 1.7))
            copy.arrived += step
            copy.counted += int(step * (1 + others))
        copy.course.append((copy.seconds, min(1.0, copy.arrived / size)))
        pulse()
    moved = pulse.end()
    flush = copy.seconds - (flush_from or copy.seconds)
    return (
        CopyPass(
            number=1,
            files=1,
            bytes=int(size),
            seconds=copy.seconds,
            flush_seconds=min(flush, copy.seconds),
            interval=1.0,
            moved=moved,
            arrived=pulse.arrived,
        ),
        copy.course,
    )


def ahead(kept: CopyPass, truth: list[tuple[float, float]]) -> tuple[float, float]:
    """Return by how much the kept progress is ahead of the truth, in the middle of its course and at most."""
    moments, shares = (np.array(v) for v in zip(*truth, strict=True))
    at = np.minimum(kept.seconds, np.arange(1, len(kept.progress) + 1) * kept.interval)
    early = np.array(kept.progress) / kept.bytes - np.interp(at, moments, shares)
    early = early[at < kept.seconds]
    return (float(np.mean(np.maximum(early, 0))), float(early.max())) if early.size else (0.0, 0.0)


def sourced(rng: np.random.Generator) -> tuple[CopyPass, float]:
    """Return the pass of a copy whose source was partly in memory, and which share of it was.

    The device reads ahead of what is asked for, up to 2 MB a file, and others read from it as well.
    """
    files = int(rng.integers(1, 2000))
    size = float(rng.uniform(1e8, 1e10))
    share = float(rng.choice([0.0, 0.0, rng.uniform(0, 1)]))
    ahead_of = files * rng.uniform(0, 2e6) * (1 - share) * rng.random()
    read = int(size * (1 - share) + ahead_of + size * rng.choice([0.0, 0.01]))
    done = CopyPass(
        number=1,
        seconds=size / 1e8,
        flush_seconds=0.0,
        files=files,
        bytes=int(size),
        from_memory_bytes=max(0, int(size) - read),
    )
    return done, share


def main() -> None:
    """Print it."""
    parser = argparse.ArgumentParser()
    parser.add_argument("copies", nargs="?", type=int, default=200)
    parser.add_argument("--seed", type=int, default=1)
    asked = parser.parse_args()
    for counter in (True, False):
        found = [
            ahead(*played(np.random.default_rng([asked.seed, number]), counter=counter))
            for number in range(asked.copies)
        ]
        means, most = (np.array(v) for v in zip(*found, strict=True))
        print(f"{'with' if counter else 'without'} a counter: ahead of the device by {100 * means.mean():.1f}% on average, "
              f"{100 * np.quantile(most, 0.95):.1f}% at some moment in 95% of copies, {100 * most.max():.1f}% at most")  # fmt: skip

    marked = [
        (done.from_memory, share)
        for done, share in (sourced(np.random.default_rng([asked.seed, 1, n])) for n in range(asked.copies))
    ]
    whole = [m for m, share in marked if share == 0]
    partly = [m for m, share in marked if share > 0.1]
    print(f"sources: {sum(whole)} of {len(whole)} that were read from the device are marked as from memory, {sum(partly)} of {len(partly)} of "
          "which more than a tenth was in memory")  # fmt: skip


if __name__ == "__main__":
    main()
