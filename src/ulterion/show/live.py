"""What stands in a live view: blocks for a Rich console, on which text is only ever text."""

from __future__ import annotations

from collections.abc import Iterable
from typing import IO

from rich.console import Console, ConsoleOptions, RenderableType, RenderResult
from rich.segment import Segment
from rich.text import Text
from rich.theme import Theme

from ulterion.core.text import visible
from ulterion.show.blocks import Shown
from ulterion.show.setting import set_block
from ulterion.show.width import columns

THEME = Theme(
    {
        "good": "green",
        "bad": "red",
        "open": "yellow",
        "muted": "dim",
        "head": "bold",
        "name": "cyan",
        "warning": "yellow",
    }
)


class Screen(Console):
    """A console on which no name or remark is taken for markup or obeyed by the terminal."""

    def render(self, renderable: RenderableType, options: ConsoleOptions | None = None) -> Iterable[Segment]:
        """Yield the segments of a renderable with what is not printable written out."""
        for segment in super().render(renderable, options):
            clean = segment.control or visible(segment.text) == segment.text
            yield segment if clean else Segment(visible(segment.text), segment.style)


def console(stream: IO[str]) -> Console:
    """Return a console on a stream, as wide as COLUMNS says, or as the terminal is; elsewhere lines are as long as they are, in plain text."""
    return Screen(
        file=stream, width=columns(stream), theme=THEME, markup=False, highlight=False, emoji=False, soft_wrap=False
    )


class Lines:
    """A block among what a live view shows."""

    def __init__(self, block: Shown) -> None:
        self._block = block

    def __rich_console__(self, console: Console, options: ConsoleOptions) -> RenderResult:
        for line in set_block(self._block, options.max_width):
            text = Text(no_wrap=True, overflow="ignore")
            for span in line:
                text.append(span.text, style=span.style)
            yield text
