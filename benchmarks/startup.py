"""How long `ulterion --help` takes, as a ratio to the bare interpreter.  Run: python -m benchmarks.startup."""

from __future__ import annotations

import os
import statistics
import subprocess
import sys
import time
from pathlib import Path

ROUNDS = 25
LIMIT = 2.5
KEEPING = {
    k: v for k, v in os.environ.items() if k != "PYTHONDONTWRITEBYTECODE"
}  # an installed program keeps its bytecode


def seconds(command: list[str]) -> float:
    """Return the wall time of one command."""
    begin = time.perf_counter()
    subprocess.run(command, check=True, stdout=subprocess.DEVNULL, env=KEEPING)
    return time.perf_counter() - begin


def main() -> None:
    """Print the median times and the median of the paired ratios."""
    bare = [sys.executable, "-c", "pass"]
    helped = [str(Path(sys.executable).with_name("ulterion")), "--help"]
    pairs = [(seconds(helped), seconds(bare)) for _ in range(ROUNDS + 1)][1:]  # the first pair warms the file cache
    ours, theirs = (statistics.median(side) * 1e3 for side in zip(*pairs, strict=True))
    ratio = statistics.median(a / b for a, b in pairs)
    print(f"ulterion --help   {ours:6.1f} ms")
    print(f"python -c pass    {theirs:6.1f} ms")
    print(f"ratio             {ratio:6.2f}  (median of {ROUNDS} pairs; wanted: at most {LIMIT})")


if __name__ == "__main__":
    main()
