"""How long short answers take, as ratios to the bare interpreter or to loading a library.  Run: python -m benchmarks.startup [--all].

Each command is timed in turn with its reference, so that what else the machine does falls on both; the median of the paired ratios counts.
Without --all only `ulterion --help` is timed.
"""

from __future__ import annotations

import os
import statistics
import subprocess
import sys
import tempfile
import time
from dataclasses import dataclass
from pathlib import Path

ROUNDS, FEW = 25, 7
KEEPING = {
    k: v for k, v in os.environ.items() if k != "PYTHONDONTWRITEBYTECODE"
}  # an installed program keeps its bytecode
PROGRAM = str(Path(sys.executable).with_name("ulterion"))


@dataclass(frozen=True)
class Timed:
    """A command, what it is held against ('pass' or 'import NAME'), the ratio that is wanted, and whether it is run on the demo of a plan.

    `{}` in a word is the number of the round, where each needs a name of its own.
    """

    words: tuple[str, ...]
    reference: str
    wanted: float
    on_plan: bool = False


HELP = Timed(("--help",), "pass", 2.5)
EVERY = (
    HELP,
    Timed(("estimate", "units", "10 Gb/s"), "pass", 6.0),
    Timed(("completion", "bash"), "pass", 6.0),
    Timed(("note", "it hums"), "import numpy", 1.4),
    Timed(("new", "review-{}"), "import numpy", 1.4),
    Timed(("add", "part", "part-{}", "--name", "Part {}", "--kind", "drive"), "import numpy", 1.4),
    Timed(("survey",), "import numpy", 1.4),
    Timed(("clock", "pod: 4.2 GB in 1m12s"), "import numpy", 1.4),
    Timed(("compare",), "import numpy", 3.0),
    Timed(("claims",), "import numpy", 3.0),
    Timed(("estimate", "write", "200 GB"), "import numpy", 3.0),
    Timed(("race", "pod", "draught"), "import numpy", 3.0),
    Timed(("plan",), "import numpy", 3.0, on_plan=True),
    Timed(("compare", "--soaks", "pod", "slip"), "import scipy.special", 1.6),
    Timed(("plan", "effects"), "import scipy.special", 1.6, on_plan=True),
)


def seconds(command: list[str], folder: Path | None = None) -> float:
    """Return the wall time of one command."""
    begin = time.perf_counter()
    done = subprocess.run(command, check=False, stdout=subprocess.DEVNULL, env=KEEPING, cwd=folder)
    if done.returncode not in (0, 4):  # 4: a claim was missed
        raise SystemExit(f"{' '.join(command)} ended with {done.returncode}")
    return time.perf_counter() - begin


def show(one: Timed, rounds: int, folder: Path | None = None) -> None:
    """Time a command with its reference by turns, and print what that comes to."""
    reference = [sys.executable, "-c", one.reference]
    commands = [[PROGRAM, *(word.format(at) for word in one.words)] for at in range(rounds + 1)]
    pairs = [(seconds(command, folder), seconds(reference)) for command in commands][1:]  # the first warms the files
    ours, theirs = (statistics.median(side) * 1e3 for side in zip(*pairs, strict=True))
    ratio = statistics.median(a / b for a, b in pairs)
    name = f"ulterion {' '.join(one.words)}"
    print(
        f"{name:38} {ours:7.1f} ms   {one.reference:22} {theirs:6.1f} ms   ratio {ratio:5.2f} (wanted: at most {one.wanted:g})"
    )


def main() -> None:
    """Print times and ratios."""
    if sys.argv[1:] != ["--all"]:
        show(HELP, ROUNDS)
        return
    with tempfile.TemporaryDirectory() as scratch:
        demo, plan = Path(scratch) / "demo", Path(scratch) / "plan"
        subprocess.run([PROGRAM, "demo", str(demo), "--no-report"], check=True, stdout=subprocess.DEVNULL)
        subprocess.run([PROGRAM, "demo", "--plan", str(plan)], check=True, stdout=subprocess.DEVNULL)
        for one in EVERY:
            show(one, ROUNDS if one.reference == "pass" else FEW, plan if one.on_plan else demo)


if __name__ == "__main__":
    main()
