"""How long the page of the demo's review takes, as a ratio to loading the libraries it is made with.  Run: python -m benchmarks.pages."""

from __future__ import annotations

import statistics
import subprocess
import sys
import tempfile
from pathlib import Path

from benchmarks.startup import seconds

ROUNDS = 5
LIBRARIES = "import matplotlib.figure, pydantic, scipy.ndimage, scipy.optimize, jinja2, markdown_it"
LIMIT = 5.0  # seconds, on a machine at rest


def main() -> None:
    """Print the median times and the median of the paired ratios."""
    program = str(Path(sys.executable).with_name("ulterion"))
    with tempfile.TemporaryDirectory() as folder:
        demo = Path(folder) / "demo"
        subprocess.run([program, "demo", str(demo), "--no-report"], check=True, stdout=subprocess.DEVNULL)
        page = demo / "report.html"
        make = [program, "report", str(page), "--review", str(demo)]
        pairs = [(seconds(make), seconds([sys.executable, "-c", LIBRARIES])) for _ in range(ROUNDS + 1)][1:]
        size = page.stat().st_size
    ours, theirs = (statistics.median(side) for side in zip(*pairs, strict=True))
    print(f"ulterion report      {ours:6.2f} s  (wanted: at most {LIMIT}, on a machine at rest)")
    print(f"loading libraries    {theirs:6.2f} s")
    print(f"ratio                {statistics.median(a / b for a, b in pairs):6.2f}  (median of {ROUNDS} pairs)")
    print(f"the page             {size / 1e6:6.2f} MB")


if __name__ == "__main__":
    main()
