"""What all charts share when they are drawn: the sheet with its title, subtitle and foot, margins, type, and the frame of a panel."""

from __future__ import annotations

from matplotlib.axes import Axes
from matplotlib.backends.backend_agg import FigureCanvasAgg
from matplotlib.figure import Figure

from ulterion.core.records import dataclass
from ulterion.show.charts import Caption
from ulterion.show.looks import Look

MARGIN = 28.0  # pixels around everything
DOTS = 100.0  # pixels to the inch of a sheet; a picture has `SCALE` times as many
SCALE = 2.0
TITLE, SUBTITLE, LABEL, SMALL = 21.0, 14.5, 13.5, 12.5  # pixels of letters
LINE = 1.32  # of the size of letters, from one line to the next
HATCHES = ("", "///", "...", "xx")
MARKERS = ("o", "s", "^", "D", "v", "P")
DASHES = ("-", (0, (5, 2)), (0, (1.5, 1.5)), (0, (6, 2, 1.5, 2)))


@dataclass(frozen=True)
class Picture:
    """A chart that is drawn: with its words, which go into the file."""

    figure: Figure
    caption: Caption
    alternative: str


@dataclass(frozen=True)
class Sheet:
    """A figure with its words in place, and how it looks.

    Attributes:
        figure: what is drawn on; its panels are laid out between title and foot.
        look: colours and size.
    """

    figure: Figure
    look: Look

    def points(self, pixels: float) -> float:
        """Return the points of letters of so many pixels, at this sheet's size of type."""
        return pixels * self.look.size.type * 72 / DOTS


def head_height(caption: Caption, look: Look) -> float:
    """Return the pixels that title, subtitle and foot take, margins included."""
    size = look.size
    width = size.width - 2 * MARGIN
    return (
        2 * MARGIN
        + len(wrapped(caption.title, TITLE * size.type, width, bold=True)) * TITLE * size.type * LINE
        + len(wrapped(caption.subtitle, SUBTITLE * size.type, width)) * SUBTITLE * size.type * LINE
        + len(wrapped(caption.foot, SMALL * size.type, width)) * SMALL * size.type * LINE
        + 26 * size.type
    )


def begin(caption: Caption, look: Look, height: float) -> Sheet:
    """Return a sheet with its words; `height` in pixels is what the panels would like, where the size leaves it open."""
    size, palette = look.size, look.palette
    taken = head_height(caption, look)
    tall = size.height or round(taken + height)
    figure = Figure(figsize=(size.width / DOTS, tall / DOTS), dpi=DOTS * SCALE, facecolor=palette.background)
    FigureCanvasAgg(figure)
    down = MARGIN
    for words, pixels, colour, bold in (
        (caption.title, TITLE, palette.ink, True),
        (caption.subtitle, SUBTITLE, palette.quiet, False),
    ):
        for line in wrapped(words, pixels * size.type, size.width - 2 * MARGIN, bold=bold):
            _write(figure, line, (down, pixels * size.type), colour, bold=bold)
            down += pixels * size.type * LINE
    up = MARGIN
    for line in reversed(wrapped(caption.foot, SMALL * size.type, size.width - 2 * MARGIN)):
        _write(figure, line, (tall - up - SMALL * size.type, SMALL * size.type), palette.quiet)
        up += SMALL * size.type * LINE
    top, bottom = down + 10 * size.type, up + 10 * size.type
    rect = (MARGIN / size.width, bottom / tall, 1 - 2 * MARGIN / size.width, 1 - (top + bottom) / tall)
    figure.set_layout_engine("constrained", rect=rect, w_pad=0.02, h_pad=0.02, wspace=0.04, hspace=0.05)
    return Sheet(figure, look)


def _write(figure: Figure, line: str, place: tuple[float, float], colour: str, *, bold: bool = False) -> None:
    """Write a line of a sheet's words so many pixels from its top."""
    width, tall = (v * DOTS for v in figure.get_size_inches())
    down, pixels = place
    figure.text(
        MARGIN / width,
        1 - down / tall,
        line,
        va="top",
        fontsize=pixels * 72 / DOTS,
        color=colour,
        fontweight="bold" if bold else "normal",
        in_layout=False,
    )


_WIDE = {True: 0.66, False: 0.57}  # of the size of letters, the mean width of one in our font


def wrapped(words: str, pixels: float, width: float, *, bold: bool = False, most: int = 3) -> list[str]:
    """Return words in lines that fit a width, by the mean width of our font's letters; what would be more lines than `most` is one long one."""
    if not words:
        return []
    lines = _lines(words, max(8, int(width / (pixels * _WIDE[bold]))))
    return [*lines[: most - 1], " ".join(lines[most - 1 :])] if len(lines) > most else lines


def _lines(words: str, width: int) -> list[str]:
    from textwrap import wrap

    return wrap(words, width, break_long_words=False, break_on_hyphens=False)


def in_lines(label: str, width: int) -> str:
    """Return a label in lines of at most so many characters, broken at spaces; nothing of it is cut."""
    return "\n".join(_lines(label, width))


def lay_out(figure: Figure) -> None:
    """Give panels their places, so that widths and heights can be asked for."""
    engine = figure.get_layout_engine()
    if engine is not None:
        engine.execute(figure)


def frame(axes: Axes, sheet: Sheet, *, bare: bool = False) -> None:
    """Give a panel its background and quiet frame; a `bare` one has no line on its left."""
    palette = sheet.look.palette
    axes.set_facecolor(palette.background)
    for side in ("top", "right", *(["left"] if bare else [])):
        axes.spines[side].set_visible(False)
    for side in ("bottom", "left"):
        axes.spines[side].set_color(palette.quiet)
    axes.tick_params(colors=palette.ink, labelsize=sheet.points(SMALL), color=palette.quiet)


def heading(axes: Axes, words: str, sheet: Sheet) -> None:
    """Write what a panel is above it."""
    axes.set_title(
        words, fontsize=sheet.points(LABEL), loc="left", color=sheet.look.palette.ink, fontweight="bold", y=1.0
    )
