"""What all figures share: their colours, the name and colour of each setup, and the line at their foot."""

from __future__ import annotations

import datetime
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field

from matplotlib.axes import Axes
from matplotlib.backends.backend_agg import FigureCanvasAgg
from matplotlib.figure import Figure

from ulterion.model.review import Review

WIDTH = 12.8  # inches, at 100 dots each


@dataclass(frozen=True)
class Palette:
    """Colours of a figure: of its background, text, quiet lines, grid, phases, and of the lines in order.

    The colours of lines differ in lightness as well as in hue; the first six are told apart without colour vision.
    """

    background: str
    ink: str
    quiet: str
    grid: str
    rest: str
    lines: tuple[str, ...]


LIGHT = Palette(background="#ffffff", ink="#1b1b1b", quiet="#77777a", grid="#e6e6e2", rest="#f1f1ed",
               lines=("#1f4e79", "#c8553d", "#3f8f6b", "#a67c00", "#6d4a8a", "#3d3d3d",
                "#4f8a8b", "#a23b72", "#9c6644", "#5f7fbf", "#8ab17d", "#b5838d"))  # fmt: skip
DARK = Palette(background="#16181b", ink="#ececea", quiet="#9a9a9e", grid="#2c2f33", rest="#1e2125",
              lines=("#7fb2e5", "#f08a6b", "#7fd1a8", "#e3c05a", "#c3a0e0", "#d0d0d0",
               "#7cc6c7", "#e58bbd", "#cfa27f", "#a9bdf0", "#b9dbab", "#e0b8c0"))  # fmt: skip


def palette_of(*, dark: bool) -> Palette:
    """Return the palette for a light or a dark page."""
    return DARK if dark else LIGHT


@dataclass(frozen=True)
class SetupStyles:
    """How the setups of a review are called in figures, and which colour each has in all of them.

    Attributes:
        names: by the setup's name.
        places: likewise its place among the colours: its place among the setups of its medium, which are shown together.
    """

    names: Mapping[str, str] = field(default_factory=dict)
    places: Mapping[str, int] = field(default_factory=dict)

    @classmethod
    def of(cls, review: Review) -> SetupStyles:
        """Return the cast of a review."""
        media: dict[str, list[str]] = {}
        for name, setup in review.setups.items():
            media.setdefault(setup.medium, []).append(name)
        places = {name: place for names in media.values() for place, name in enumerate(names)}
        return cls({name: review.setup_label(name) for name in review.setups}, places)

    @classmethod
    def among(cls, review: Review, setups: Sequence[str]) -> SetupStyles:
        """Return the cast of a figure of these setups: where they have several media, each name has its medium, and each its own colour."""
        known = [h for h in dict.fromkeys(setups) if h in review.setups]
        if len({review.setups[h].medium for h in known}) < 2:
            return cls.of(review)
        names = {h: f"{review.setup_label(h)}, {review.label(review.setups[h].medium)}" for h in known}
        every = list(names.values())
        names = {h: name if every.count(name) == 1 else f"{name} ({h})" for h, name in names.items()}
        return cls(names, {h: place for place, h in enumerate(known)})

    def name(self, setup: str) -> str:
        """Return what readers know a setup as."""
        return self.names.get(setup, setup)

    def place(self, setup: str | None, otherwise: int) -> int:
        """Return a setup's place among the colours; `otherwise` for one that the review does not have."""
        return otherwise if setup is None else self.places.get(setup, otherwise)


def colour(palette: Palette, place: int) -> str:
    """Return the colour of a place; after the last it begins again."""
    return palette.lines[place % len(palette.lines)]


def begin(title: str, height: float, palette: Palette) -> Figure:
    """Return an empty figure of the usual width with its title, drawn without a display."""
    figure = Figure(figsize=(WIDTH, height), dpi=100, layout="constrained", facecolor=palette.background)
    FigureCanvasAgg(figure)
    figure.suptitle(title, color=palette.ink, fontsize=14, x=0.01, ha="left")
    return figure


def style(axes: Axes, palette: Palette, *, bare: bool = False) -> None:
    """Give a panel its background and quiet frame; a `bare` one has no line on its left."""
    axes.set_facecolor(palette.background)
    for side in ("top", "right", *(["left"] if bare else [])):
        axes.spines[side].set_visible(False)
    for side in ("bottom", "left"):
        axes.spines[side].set_color(palette.quiet)
    axes.tick_params(colors=palette.ink, labelsize=10.5)


def foot(figure: Figure, words: Sequence[str], palette: Palette) -> None:
    """Write at the foot when and where a figure was measured, and how sure it is."""
    text = "; ".join(w for w in words if w)
    figure.supxlabel(text, color=palette.quiet, fontsize=9.5, x=0.01, ha="left")


def measured_on(hosts: Sequence[str], moments: Sequence[datetime.datetime]) -> str:
    """Return in words on which benches and days something was measured."""
    days = sorted({f"{m:%Y-%m-%d}" for m in moments})
    when = "" if not days else f" on {days[0]}" if len(days) == 1 else f" from {days[0]} to {days[-1]}"
    where = ", ".join(dict.fromkeys(hosts))
    return f"measured{f' at {where}' if where else ''}{when}"
