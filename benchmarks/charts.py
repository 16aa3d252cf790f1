"""Every chart of the demo and of its matrix in every size, light and dark: what is wrong with any, and how long each takes to draw.

Run: python -m benchmarks.charts [--sheets DIR].  With --sheets the charts are also written side by side, as two pictures.
"""

from __future__ import annotations

import argparse
import io
import subprocess
import sys
import tempfile
import time
from collections.abc import Sequence
from pathlib import Path

from PIL import Image
from tests.chart_checks import faults
from tests.features.test_charts import LOOKS, charts_of, charts_of_plan

from ulterion.model.store import ReviewFolder
from ulterion.show.charts import Chart
from ulterion.show.draw import draw
from ulterion.show.figure_files import drawn_bytes
from ulterion.show.looks import look_of

MOST_SECONDS = 0.5  # of the processor, to draw one once the libraries are loaded
COLUMN = 620  # pixels of a chart in a sheet
GAP = 14


def main() -> int:
    """Draw, check, print; return 1 where anything is wrong."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--sheets", type=Path, metavar="DIR")
    arguments = parser.parse_args()
    with tempfile.TemporaryDirectory() as place:
        charts = [*charts_of(_demo(place, "a")), *charts_of_plan(_demo(place, "b", "--plan"))]
    wrong, slow = 0, 0
    for chart in charts:
        draw(chart)  # fonts and the like are loaded once
        taken = []
        for dark, size in LOOKS:
            look = look_of(dark=dark, size=size)
            begun = time.process_time()
            picture = draw(chart, look)
            taken.append(time.process_time() - begun)
            for fault in faults(picture, look.palette):
                wrong += 1
                print(f"{chart.caption.title} ({size or 'free'}, {'dark' if dark else 'light'}): {fault}")
        middle = sorted(taken)[len(taken) // 2]
        slow += middle > MOST_SECONDS
        print(f"{middle:5.2f} s  {chart.caption.title}")
    print(f"{len(charts)} charts in {len(LOOKS)} looks: {wrong} faults; {slow} take more than {MOST_SECONDS} s")
    if arguments.sheets:
        arguments.sheets.mkdir(parents=True, exist_ok=True)
        for dark in (False, True):
            _sheet(charts, dark=dark).save(arguments.sheets / f"charts{'-dark' if dark else ''}.png", optimize=True)
    return 1 if wrong else 0


def _demo(place: str, name: str, *options: str) -> ReviewFolder:
    """Make the demo in a folder of its own, and return its review."""
    folder = Path(place) / name
    subprocess.run(
        [sys.executable, "-m", "ulterion", "demo", str(folder), "--quiet", *options],
        check=True,
        stdout=subprocess.DEVNULL,
    )
    return ReviewFolder.open(folder)


def _sheet(charts: Sequence[Chart], *, dark: bool) -> Image.Image:
    """Return all charts in two columns, each as wide as a column."""
    pictures, heights = [], [0, 0]
    for chart in charts:
        picture = Image.open(io.BytesIO(drawn_bytes(draw(chart, look_of(dark=dark)), "png"))).convert("RGB")
        small = picture.resize((COLUMN, round(picture.height * COLUMN / picture.width)), Image.Resampling.LANCZOS)
        column = heights.index(min(heights))
        pictures.append((small, (GAP + column * (COLUMN + GAP), GAP + heights[column])))
        heights[column] += small.height + GAP
    sheet = Image.new("RGB", (2 * COLUMN + 3 * GAP, max(heights) + GAP), "#2a2d31" if dark else "#d9d9d4")
    for small, at in pictures:
        sheet.paste(small, at)
    return sheet.quantize(128)


if __name__ == "__main__":
    sys.exit(main())
