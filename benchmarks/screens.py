"""How much each command shows on the demo at 100 columns, and where its answer stands.  Run: python -m benchmarks.screens."""

from __future__ import annotations

import os
import re
import shlex
import subprocess
import sys
import tempfile
from dataclasses import dataclass
from pathlib import Path

WIDTH = 100


@dataclass(frozen=True)
class Screen:
    """What a command may show.

    Attributes:
        words: the command line.
        begins: a pattern of the line with the answer.
        most: lines that it may have.
        plan: whether it is asked in the demo of the plan.
        before: lines that it had at first, and the line of its answer, where these were counted.
    """

    words: tuple[str, ...]
    begins: str
    most: int
    plan: bool = False
    before: tuple[int, int | None] | None = None


SCREENS = (
    Screen(("compare",), r"With Tarnfell Reed 1 TB, desk:m2 is fastest ", 40, before=(306, 17)),
    Screen(("compare", "pod"), r"Brindlewick Pod reads at 1,046 MB/s, 21% of desk:m2", 24),
    Screen(("compare", "--soaks", "pod", "draught"), r"Quillmere Draught runs 1\d\.\d °C cooler than", 24),
    Screen(("compare", "--soaks", "slip"), r"Hollowbeck Slip wrote 428 GB in 30 minutes: 370 MB/s at the start", 24),
    Screen(("claims",), r"8 of 26 claims missed, 1 partly met, 5 undecided", 40, before=(87, None)),
    Screen(("claims", "pod"), r"2 of 5 claims met", 24),
    Screen(("estimate", "write", "200 GB"), r"200 GB written in one go: 1m51s on desk:m2, 1h14m on", 24),
    Screen(("estimate", "record", "400 Mb/s"), r"Fast enough for a recording of 400 Mb/s", 24),
    Screen(("estimate", "value", "200 GB"), r"Most speed for the money: Tarnfell Reed 1 TB", 24),
    Screen(("estimate", "power", "h4", "--part", "pod"), r"Sallowmere H4 supplies 13\.1 W", 24),
    Screen(("estimate", "--for", "a laptop with USB 5 Gb/s, 200 GB a week"), r"On USB 5 Gb/s, .* reads fastest", 40),
    Screen(("race", "pod", "draught"), r"1\.81 TB on one clock: Quillmere Draught finished in 23m02s", 6),
    Screen(("survey", "--simulated", "pod"), r"desk, simulated bench", 12),
    Screen(("soak", "--setup", "pod", "--for", "20m"), r"Brindlewick Pod wrote 1\.21 TB in 20 minutes: steady", 24),
    Screen(("measure", "--setup", "pod"), r"workload ", 24),
    Screen(("plan",), r"32 of 32 cells measured, 6 of 6 checks", 24, plan=True, before=(70, 1)),
    Screen(("plan", "effects"), r"Sequential-read: the enclosure matters most", 40, plan=True, before=(61, None)),
    Screen(("plan", "ranks"), r"Sequential-read: Brindlewick Pod is fastest", 24, plan=True, before=(25, 23)),
    Screen(("plan", "grid"), r"Sequential-read: fastest is Brindlewick Pod", 40, plan=True, before=(79, None)),
    Screen(("plan", "compatibility"), r"Starts the computer: not noted yet", 24, plan=True, before=(34, None)),
    Screen(("plan", "ports"), r"Fastest is desk:m2, reading at", 24, plan=True, before=(9, None)),
    Screen(("compare",), r"With Tarnfell Reed 1 TB, desk:m2 is fastest ", 40, plan=True, before=(509, None)),
)
"""What the main commands show."""
DEMOS = {False: (440, 40), True: (237, 42)}
"""Lines of `demo` and of `demo --plan`: before, and at most."""


def lines_of(words: tuple[str, ...], folder: Path, width: int = WIDTH) -> list[str]:
    """Return the lines that the installed program prints, as wide as asked."""
    program = str(Path(sys.executable).with_name("ulterion"))
    environment = os.environ | {"COLUMNS": str(width), "NO_COLOR": "1"}
    done = subprocess.run([program, *words], cwd=folder, env=environment, capture_output=True, text=True, check=True)
    return done.stdout.splitlines()


def main() -> None:
    """Print a table in Markdown."""
    print(
        "| command | lines | words | answer in line | before: lines | before: answer in line |\n|---|---|---|---|---|---|"
    )
    with tempfile.TemporaryDirectory() as place:
        folders = {}
        for plan, name in ((False, "demo"), (True, "plan")):
            folders[plan] = Path(place) / name
            shown = lines_of(("demo", name, *(["--plan"] if plan else [])), Path(place))
            _row(f"ulterion demo{' --plan' if plan else ''}", shown, 1, (DEMOS[plan][0], None))
        for screen in SCREENS:
            shown = lines_of(screen.words, folders[screen.plan])
            at = next((n for n, line in enumerate(shown, 1) if re.match(screen.begins, line)), 0)
            where = ", plan demo" if screen.plan and screen.words[0] != "plan" else ""
            _row(f"ulterion {shlex.join(screen.words)}{where}", shown, at, screen.before)


def _row(name: str, shown: list[str], at: int, before: tuple[int, int | None] | None) -> None:
    words = sum(len(line.split()) for line in shown)
    earlier = ("", "") if before is None else (str(before[0]), str(before[1] or "none"))
    print(f"| `{name}` | {len(shown)} | {words} | {at} | {' | '.join(earlier)} |")


if __name__ == "__main__":
    main()
