"""The picture that is shown where a page is shared, drawn by a process of its own while the page is made."""

from __future__ import annotations

import pickle
import subprocess
import sys
from pathlib import Path

from ulterion.core.errors import UlterionError
from ulterion.features.page.article import Article, Drawing, Headline
from ulterion.show.charts import Chart, titled

CARD = "report-card.png"


class CardProcess:
    """A process that loads what it draws with, and draws once it is given a chart."""

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
        """End the process where it was not given anything to draw."""
        if self._process.returncode is None:
            self._process.kill()
            self._process.communicate()

    def draw(self, article: Article) -> None:
        """Give the process the first figure of an article, under its headline."""
        chart = card_chart(article)
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


def card_chart(article: Article) -> Chart | None:
    """Return the chart that stands for an article: its claims, else its first figure, titled by its headline; None without any."""
    every = [b for s in article.every for b in s.blocks if isinstance(b, Drawing)]
    first = next((d for d in every if d.name == "claims"), next(iter(every), None))
    if first is None:
        return None
    top = next((b.words for b in article.answer if isinstance(b, Headline)), "")
    return titled(first.chart, top or None)


def main() -> int:
    """Draw the chart that comes in, into the file that is named; 0 when it is written or nothing came."""
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
