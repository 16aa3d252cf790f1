"""The figures of an article as files."""

from __future__ import annotations

from dataclasses import replace

import matplotlib as mpl

from ulterion.features.page.article import Article, Drawing
from ulterion.show.charts import titled
from ulterion.show.draw import draw
from ulterion.show.figure_files import drawn_bytes, drawn_files
from ulterion.show.looks import Look

SALT = "ulterion"  # of the ids within an SVG, so that they are the same each time


def drawings(article: Article) -> list[Drawing]:
    """Return every figure of an article."""
    every = [*article.lead, *(b for s in article.every for b in s.blocks)]
    return [_titled(b, article) for b in every if isinstance(b, Drawing)]


def every_drawing(article: Article) -> list[Drawing]:
    """Return every figure of an article, and those that are only written beside it."""
    return [*drawings(article), *(_titled(one, article) for one in article.beside)]


def _titled(one: Drawing, article: Article) -> Drawing:
    return replace(one, chart=titled(one.chart, article.titles.get(one.name)))


def svg_of(drawing: Drawing, look: Look) -> bytes:
    """Return a figure as SVG, the same each time it is drawn."""
    with mpl.rc_context({"svg.hashsalt": SALT}):
        return drawn_bytes(draw(drawing.chart, look), "svg")


def files_of(drawing: Drawing, look: Look) -> dict[str, bytes]:
    """Return a figure as SVG and PNG, by these names."""
    with mpl.rc_context({"svg.hashsalt": SALT}):
        return drawn_files(draw(drawing.chart, look), ["png", "svg"])
