"""Elements of a page: text in them is escaped, and what cannot be printed is written out."""

from __future__ import annotations

from markupsafe import Markup, escape

from ulterion.core.text import visible
from ulterion.show.charts import NEUTRAL

SHADES = 6  # colours of products
VOID = ("rect", "line", "circle", "polyline", "input", "col", "img", "polygon")
"""Elements that hold nothing."""


def element(name: str, *children: object, **attributes: object) -> Markup:
    """Return an element.  `class_` is written as class, `font_size` as font-size; None and False leave an attribute out."""
    start = f"<{name}"
    for key, value in attributes.items():
        if value is not None and value is not False:
            title = key.rstrip("_").replace("_", "-")
            start += f" {title}" if value is True else f' {title}="{_escaped(value)}"'
    if name in VOID:
        return Markup(start + (">" if name in ("input", "col", "img") else "/>"))
    return Markup(f"{start}>{''.join(map(_escaped, children))}</{name}>")


def together(*children: object) -> Markup:
    """Return elements and texts one after the other."""
    return Markup("".join(map(_escaped, children)))


def _escaped(value: object) -> str:
    return str(escape(_shown(value)))


def _shown(value: object) -> object:
    return visible(value) if isinstance(value, str) and not isinstance(value, Markup) else value


def percent(share: float) -> str:
    """Return a place along a scale, 0 to 1, as an attribute."""
    return f"{100 * min(max(share, -0.02), 1.02):.2f}".rstrip("0").rstrip(".") + "%"


def shade_class(place: int, kind: str = "p") -> str:
    """Return the class of a product's colour: to fill with ('p'), or to draw with ('l').  After the last colour they begin again, hatched or dashed."""
    if place == NEUTRAL:
        return f"{kind}n"
    again = f" again{place // SHADES}" if place >= SHADES else ""
    return f"{kind}{place % SHADES}{again}"


def points(pairs: list[tuple[float, float]]) -> str:
    """Return points of a line, in whole units; those that add nothing to a straight stretch are left out."""
    kept: list[tuple[int, int]] = []
    for x, y in pairs:
        here = (round(x), round(y))
        if len(kept) >= 2 and kept[-2][1] == kept[-1][1] == here[1]:
            kept[-1] = here
        elif not kept or kept[-1] != here:
            kept.append(here)
    return " ".join(f"{x},{y}" for x, y in kept)
