"""The picture that is shown where a page is shared, drawn by a process of its own while the page is made."""

from __future__ import annotations

import pickle
import subprocess
import sys
from collections.abc import Sequence
from pathlib import Path

from ulterion.core.errors import UlterionError
from ulterion.features.page.article import AnswerTable, Headline, PageBlock
from ulterion.show.charts import BarChart, Caption, Chart, Panel

CARD = "report-card.png"


class CardProcess:
    """A process that loads Matplotlib at once and draws when it gets its chart."""

    def __init__(self, page: Path) -> None:
        """Start the process for a page that is to be written."""
        self.path = page.with_name(CARD)
        command = [sys.executable, "-m", "ulterion.features.page.card", str(self.path)]
        self._process = subprocess.Popen(
            command, stdin=subprocess.PIPE, stdout=subprocess.DEVNULL, stderr=subprocess.PIPE
        )

    def __enter__(self) -> CardProcess:
        """Return the process."""
        return self

    def __exit__(self, *exception: object) -> None:
        """End the process if the page failed."""
        if self._process.returncode is None:
            self._process.kill()
            self._process.communicate()

    def draw(self, answer: Sequence[PageBlock]) -> None:
        """Give the process the chart that stands for a first screen."""
        chart = card_chart(answer)
        assert self._process.stdin is not None
        try:
            if chart is not None:
                self._process.stdin.write(pickle.dumps(chart))
            self._process.stdin.close()
        except OSError:  # it ended already; what it said is told below
            pass
        self._process.stdin = None

    def ended(self) -> str:
        """Wait until the picture is written; return why it was not, '' where it was, or where there was nothing to draw."""
        _, said = self._process.communicate()
        if self._process.returncode == 0:
            return ""
        return said.decode("utf-8", "replace").strip().rpartition("\n")[2] or f"{CARD} was not drawn"


def card_chart(answer: Sequence[PageBlock]) -> Chart | None:
    """Return the chart that stands for a first screen: the bars of its first table, titled by its headline; None without any."""
    top = next((b for b in answer if isinstance(b, Headline)), Headline("", ""))
    for table in (b for b in answer if isinstance(b, AnswerTable)):
        view = table.views[0]
        bars = tuple(row.bar for row in view.rows if row.bar is not None)
        if bars:
            caption = Caption(top.words or view.title or table.kind, f"{table.kind}: {view.what}", top.line)
            return BarChart(caption, (Panel("", bars, view.measure),), "claimed" if any(b.mark for b in bars) else "")
    return None


def main() -> int:
    """Draw the chart from standard input into the file named as argument; return 0, or 2 after an error."""
    from ulterion.show.draw import draw
    from ulterion.show.figure_files import save_picture
    from ulterion.show.looks import look_of

    data = sys.stdin.buffer.read()
    if not data:
        return 0
    try:
        save_picture(draw(pickle.loads(data), look_of(size="card")), Path(sys.argv[1]))
    except UlterionError as error:
        sys.stderr.write(f"{error}\n")
        return 2
    return 0


if __name__ == "__main__":
    sys.exit(main())
