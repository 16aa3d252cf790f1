"""What every chart must hold, whatever it shows: nothing overlaps or touches the edge, text stands out, ticks are in order, colours differ."""

from __future__ import annotations

import itertools
from typing import Any, cast

import numpy as np
import numpy.typing as npt
from matplotlib.axes import Axes
from matplotlib.axis import Tick, XAxis, YAxis
from matplotlib.colors import to_rgb
from matplotlib.figure import Figure
from matplotlib.text import Text
from matplotlib.transforms import Bbox
from matplotlib.typing import ColorType

from ulterion.show.drawing import SCALE, Picture
from ulterion.show.looks import Palette

EDGE = 24.0  # pixels that stay free around everything
CONTRAST = 4.5  # of text (WCAG 2.2, 1.4.3)
APART = 15.0  # CIEDE2000 between the colours of two products
Floats = npt.NDArray[np.float64]


def faults(picture: Picture, palette: Palette) -> list[str]:
    """Return what is wrong with a drawn chart, in sentences; nothing where all is well."""
    figure = picture.figure
    figure.draw_without_rendering()
    shown = [(t, t.get_window_extent()) for t in _texts(figure)]
    return [*_edges(figure, shown), *_overlaps(shown), *_faint(shown, palette), *_ticks(figure), *_words(picture)]


def _texts(figure: Figure) -> list[Text]:
    found = [*figure.texts]
    for axes in figure.axes:
        titles = [axes.title, axes._left_title, axes._right_title]  # type: ignore[attr-defined]
        found += [*axes.texts, *titles]
        for axis in (axes.xaxis, axes.yaxis):
            if axis.get_visible():
                ticks = _drawn_ticks(axis)
                found += [axis.label, *(t.label1 for t in ticks), *(t.label2 for t in ticks)]
    return [t for t in found if t.get_visible() and t.get_text().strip()]


def _drawn_ticks(axis: XAxis | YAxis) -> list[Tick]:
    """Return the ticks within the view: an axis keeps others that it does not draw."""
    ticks: list[Tick] = cast("Any", axis)._update_ticks()
    return ticks


def _edges(figure: Figure, shown: list[tuple[Text, Bbox]]) -> list[str]:
    width, height = figure.bbox.width, figure.bbox.height
    edge = EDGE * SCALE
    return [
        f"'{t.get_text()}' is {min(b.x0, b.y0, width - b.x1, height - b.y1) / SCALE:.0f} px from the edge"
        for t, b in shown
        if min(b.x0, b.y0, width - b.x1, height - b.y1) < edge
    ]


def _overlaps(shown: list[tuple[Text, Bbox]]) -> list[str]:
    told = []
    for (one, a), (other, b) in itertools.combinations(shown, 2):
        across = min(a.x1, b.x1) - max(a.x0, b.x0)
        down = min(a.y1, b.y1) - max(a.y0, b.y0)
        if across > 2 * SCALE and down > 2.5 * SCALE:  # boxes hold room for descenders
            told.append(
                f"'{one.get_text()}' and '{other.get_text()}' overlap by {across / SCALE:.0f}x{down / SCALE:.0f} px"
            )
    return told


def _faint(shown: list[tuple[Text, Bbox]], palette: Palette) -> list[str]:
    told = []
    for text, box in shown:
        behind = _behind(text, box) or palette.background
        ratio = contrast(text.get_color(), behind)
        if ratio < CONTRAST:
            told.append(f"'{text.get_text()}' has a contrast of {ratio:.1f}")
    return told


def _behind(text: Text, box: Bbox) -> ColorType | None:
    """Return the colour of the cell that a text stands in, or None."""
    if not isinstance(text.axes, Axes):
        return None
    middle = ((box.x0 + box.x1) / 2, (box.y0 + box.y1) / 2)
    return next((p.get_facecolor() for p in text.axes.patches if p.get_window_extent().contains(*middle)), None)


def _ticks(figure: Figure) -> list[str]:
    told = []
    for axes in figure.axes:
        for axis in (axes.xaxis, axes.yaxis):
            numbers = [
                (t.get_loc(), t.label1.get_text().replace(",", "").replace("−", "-")) for t in _drawn_ticks(axis)
            ]
            values = [float(w) for _, w in sorted(numbers) if w.lstrip("-").replace(".", "", 1).isdigit()]
            if values != sorted(values):
                told.append(f"ticks out of order: {values}")
    return told


def _words(picture: Picture) -> list[str]:
    title = picture.caption.title
    told = [f"title of {len(title)} characters"] if not 0 < len(title) <= 70 else []
    return told + (
        [] if picture.alternative.startswith(title) else ["the chart in words does not begin with its title"]
    )


def contrast(one: ColorType, other: ColorType) -> float:
    """Return the contrast of two colours (WCAG 2.2)."""
    light, dark = sorted((float(_linear(np.array(to_rgb(c))) @ _XYZ[1]) for c in (one, other)), reverse=True)
    return (light + 0.05) / (dark + 0.05)


_XYZ = np.array(
    [[0.4124564, 0.3575761, 0.1804375], [0.2126729, 0.7151522, 0.0721750], [0.0193339, 0.1191920, 0.9503041]]
)
_WHITE = np.array([0.95047, 1.0, 1.08883])
SIGHTS = {
    "normal": np.eye(3),
    "protan": np.array(
        [[0.152286, 1.052583, -0.204868], [0.114503, 0.786281, 0.099216], [-0.003882, -0.048116, 1.051998]]
    ),
    "deutan": np.array(
        [[0.367322, 0.860646, -0.227968], [0.280085, 0.672501, 0.047413], [-0.011820, 0.042940, 0.968881]]
    ),
    "tritan": np.array(
        [[1.255528, -0.076749, -0.178779], [-0.078411, 0.930809, 0.147602], [0.004733, 0.691367, 0.303900]]
    ),
}
"""How colours are seen, on linear RGB (G. M. Machado, M. M. Oliveira, L. A. F. Fernandes, 2009, severity 1)."""


def _linear(rgb: Floats) -> Floats:
    return np.where(rgb <= 0.04045, rgb / 12.92, ((rgb + 0.055) / 1.055) ** 2.4)


def seen(colour: str, sight: str) -> Floats:
    """Return a colour as CIELAB as it is seen."""
    ratio = np.clip(SIGHTS[sight] @ _linear(np.array(to_rgb(colour))), 0, 1) @ _XYZ.T / _WHITE
    f = np.where(ratio > 216 / 24389, np.cbrt(ratio), (24389 / 27 * ratio + 16) / 116)
    return np.array([116 * f[1] - 16, 500 * (f[0] - f[1]), 200 * (f[1] - f[2])])


def ciede2000(one: Floats, other: Floats) -> float:
    """Return the difference of two colours in CIELAB (G. Sharma, W. Wu, E. N. Dalal, 2005)."""
    mean = (np.hypot(*one[1:]) + np.hypot(*other[1:])) / 2
    g = 0.5 * (1 - np.sqrt(mean**7 / (mean**7 + 25.0**7)))
    (a1, a2), (b1, b2) = ((1 + g) * one[1], (1 + g) * other[1]), (one[2], other[2])
    c1, c2 = np.hypot(a1, b1), np.hypot(a2, b2)
    h1, h2 = np.degrees(np.arctan2(b1, a1)) % 360, np.degrees(np.arctan2(b2, a2)) % 360
    turn = (h2 - h1 + 180) % 360 - 180 if c1 * c2 else 0.0
    dl, dc, dh = other[0] - one[0], c2 - c1, 2 * np.sqrt(c1 * c2) * np.sin(np.radians(turn / 2))
    light, c = (one[0] + other[0]) / 2, (c1 + c2) / 2
    h = (h1 + h2) / 2 if abs(h1 - h2) <= 180 else (h1 + h2 + 360) / 2 % 360
    h = h if c1 * c2 else h1 + h2
    t = 1 - 0.17 * _cos(h - 30) + 0.24 * _cos(2 * h) + 0.32 * _cos(3 * h + 6) - 0.2 * _cos(4 * h - 63)
    sl = 1 + 0.015 * (light - 50) ** 2 / np.sqrt(20 + (light - 50) ** 2)
    sc, sh = 1 + 0.045 * c, 1 + 0.015 * c * t
    rt = -np.sin(np.radians(60 * np.exp(-(((h - 275) / 25) ** 2)))) * 2 * np.sqrt(c**7 / (c**7 + 25.0**7))
    return float(np.sqrt((dl / sl) ** 2 + (dc / sc) ** 2 + (dh / sh) ** 2 + rt * (dc / sc) * (dh / sh)))


def _cos(degrees: float) -> float:
    return float(np.cos(np.radians(degrees)))
