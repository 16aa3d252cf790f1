"""Pages of reviews: how long the demo's takes to make, as a ratio to loading the libraries it is made with, and what checkers find in them.

Run: python -m benchmarks.pages [PAGE.html ...]   (default: the demo's page and that of its matrix).
"""

from __future__ import annotations

import statistics
import subprocess
import sys
import tempfile
from pathlib import Path

from benchmarks.page_checks import check_all
from benchmarks.startup import seconds

ROUNDS = 5
PROGRAM = str(Path(sys.executable).with_name("ulterion"))
LIBRARIES = "import numpy, scipy.ndimage, scipy.optimize, jinja2, markdown_it"
LIMIT = 3.0  # seconds, on two cores at rest


def made(folder: Path, name: str, *options: str) -> Path:
    """Return the page of a demo, made in a folder."""
    demo = folder / name
    subprocess.run([PROGRAM, "demo", str(demo), "--no-report", *options], check=True, stdout=subprocess.DEVNULL)
    page = demo / "report.html"
    subprocess.run([PROGRAM, "report", str(page), "--review", str(demo)], check=True, stdout=subprocess.DEVNULL)
    return page


def show_times(page: Path) -> None:
    """Print the median times of making a page anew and the median of the paired ratios."""
    make, libraries = [PROGRAM, "report", str(page), "--review", str(page.parent)], [sys.executable, "-c", LIBRARIES]
    pairs = [(seconds(make), seconds(libraries)) for _ in range(ROUNDS + 1)][1:]
    ours, theirs = (statistics.median(side) for side in zip(*pairs, strict=True))
    print(f"ulterion report      {ours:6.2f} s  (wanted: at most {LIMIT:g}, on two cores at rest)")
    print(f"loading libraries    {theirs:6.2f} s")
    print(f"ratio                {statistics.median(a / b for a, b in pairs):6.2f}  (median of {ROUNDS} pairs)")


def main() -> None:
    """Time the demo's page, and check it and the matrix's; or check the pages that are named."""
    named = [Path(p).resolve() for p in sys.argv[1:]]
    with tempfile.TemporaryDirectory() as scratch:
        pages = named or [made(Path(scratch), "demo"), made(Path(scratch), "matrix", "--plan")]
        if not named:
            show_times(pages[0])
        faults = check_all(pages)
    if faults is None:
        print("not checked: this needs Chromium and Node.js")
    sys.exit(bool(faults))


if __name__ == "__main__":
    main()
