"""An article as one HTML page: nothing is fetched from anywhere, everything is escaped, and what it rests on is in it.

The page is the same, byte for byte, whenever it is made by the same version from the same files; that is what `verify` rests on.
"""

from __future__ import annotations

import base64
import colorsys
import hashlib
import json
import re
from collections.abc import Mapping
from dataclasses import dataclass
from importlib import resources

import jinja2
import matplotlib as mpl
from markdown_it import MarkdownIt
from markupsafe import Markup

from ulterion.core.text import visible
from ulterion.core.version import __version__
from ulterion.features.page.pictures import pictures_of
from ulterion.model.bundle import sums
from ulterion.show.blocks import Article, Block, ChosenFigures, Drawing, Section, Text, Words
from ulterion.show.looks import DARK, LIGHT, Palette

LIGHT_GROUND, DARK_GROUND = "#ffffff", "#16181b"
SHOWN = ("soaks", "work", "plan")  # sections that are shown at once
CONTRAST = 4.5  # of text against its ground, at least: WCAG 2.2, 1.4.3 (AA)
LOGOS = {"png": "image/png", "jpg": "image/jpeg", "jpeg": "image/jpeg", "svg": "image/svg+xml"}


_COMMANDS = re.compile(
    r"\s?[^.;]*\bulterion (?:capacity|claims|clock|compare|copy|estimate|measure|note|plan|soak|survey|versus)\b[^;]*?(?:[.;](?= |$)|$)"
)
"""A clause that tells what to type: it is for who measures, and not for who reads."""


@dataclass(frozen=True)
class Made:
    """A page, and its figures as files.

    Attributes:
        html: the page.
        pictures: of each figure by name: an SVG that is light or dark as the page is.
    """

    html: str
    pictures: dict[str, bytes]


def page(article: Article, files: Mapping[str, bytes], runs: str, accent: str, unit: str) -> Made:
    """Return the page of an article that rests on files; `runs` is their archive in base64, as it stands in the page."""
    pictures = pictures_of(article)
    style, script = _data("style.css"), _data("script.js")
    style = style.replace("PRODUCTS-LIGHT", _products(LIGHT)).replace("PRODUCTS-DARK", _products(DARK))
    style = style.replace("ACCENT-LIGHT", readable(accent, LIGHT_GROUND)).replace(
        "ACCENT-DARK", readable(accent, DARK_GROUND)
    )
    environment = jinja2.Environment(
        loader=jinja2.FunctionLoader(_data), autoescape=True, undefined=jinja2.StrictUndefined, finalize=_shown
    )
    environment.tests["is_shown"] = _is_shown
    environment.globals.update(
        plain=_plain,
        opened=_opened,
        folded=lambda section: [b for b in section.blocks if b not in _opened(section)],
        kind_of=lambda block: type(block).__name__,
        picture_of=lambda drawing: f"data:image/svg+xml;base64,{base64.b64encode(pictures[drawing.name]).decode()}",
        chart_data=_chart_data,
        markdown=markdown,
    )
    told = {
        "version": __version__,
        "drawn": mpl.__version__,
        "files": sums(dict(files)),
        "archive": hashlib.sha256(runs.encode()).hexdigest(),
    }
    html = environment.get_template("page.html.j2").render(
        article=article,
        blocks=environment.get_template("blocks.html.j2").module,
        version=__version__,
        unit=unit,
        style=style,
        script=script,
        style_hash=_hash(style),
        script_hash=_hash(script),
        logo=_logo(files),
        sums=in_script(told),
        runs=Markup(runs),
    )
    return Made(html, pictures)


def _shown(value: object) -> object:
    """Return text as it is printed: what is not printable is written out, as on a terminal, and what to type next is left out."""
    if not isinstance(value, str) or isinstance(value, Markup):
        return value
    return visible(_COMMANDS.sub("", value) if "ulterion " in value else value)


def _is_shown(section: Section) -> bool:
    """Return whether a section is shown at once: the long run, times of work, the matrix, and where the reviewer has written; the rest is folded."""
    return section.name in SHOWN or any(isinstance(block, Words) for block in section.blocks)


def _products(palette: Palette) -> str:
    """Return the rules of the products' colours, the same as in the figures."""
    rules = [f".p{n}{{fill:{c}}}.l{n}{{stroke:{c}}}" for n, c in enumerate(palette.products)]
    return "".join(rules)


def _opened(section: Section) -> list[Block]:
    """Return what of a section is shown at once: what the reviewer wrote, and the first figure; the rest is folded."""
    first = next((b for b in section.blocks if isinstance(b, Drawing)), None)
    return [b for b in section.blocks if isinstance(b, Words) or b is first]


def _plain(text: Text | str) -> str:
    """Return the words of a line or a cell."""
    return (text if isinstance(text, str) else text.text + text.after).strip()


def _data(name: str) -> str:
    return resources.files("ulterion.features.page").joinpath("web", name).read_text(encoding="utf-8")


def _hash(text: str) -> str:
    return base64.b64encode(hashlib.sha256(text.encode()).digest()).decode()


def in_script(data: object) -> Markup:
    """Return data as JSON that can stand within a script element: no tag can end it."""
    text = json.dumps(data, ensure_ascii=True, separators=(",", ":"), sort_keys=True)
    return Markup(text.replace("<", "\\u003c").replace(">", "\\u003e").replace("&", "\\u0026"))


def _chart_data(chart: ChosenFigures) -> Markup:
    return in_script({"caption": chart.caption, "unit": chart.unit, "rows": [list(r) for r in chart.rows]})


def _logo(files: Mapping[str, bytes]) -> str | None:
    name = next((n for n in files if n.startswith("logo.")), None)
    if name is None:
        return None
    return f"data:{LOGOS[name.rpartition('.')[2]]};base64,{base64.b64encode(files[name]).decode()}"


def markdown(text: str) -> Markup:
    """Return the reviewer's words as HTML: tags in them are text, links lead to the web or into the page, pictures are left out."""
    reader = MarkdownIt("commonmark", {"html": False}).enable("table").disable("image")
    setattr(reader, "validateLink", _may_be_followed)  # noqa: B010 - the reader asks this of itself for every link
    text = "\n".join(visible(line) for line in text.splitlines())
    return Markup(reader.render(text))


def _may_be_followed(url: str) -> bool:
    return url.casefold().startswith(("https://", "http://", "mailto:", "#"))


def luminance(colour: str) -> float:
    """Return the relative luminance of '#rrggbb' (WCAG 2.2, relative luminance)."""
    parts = [int(colour[i : i + 2], 16) / 255 for i in (1, 3, 5)]
    linear = [p / 12.92 if p <= 0.04045 else ((p + 0.055) / 1.055) ** 2.4 for p in parts]
    return 0.2126 * linear[0] + 0.7152 * linear[1] + 0.0722 * linear[2]


def contrast(one: str, other: str) -> float:
    """Return the contrast ratio of two colours, 1 to 21 (WCAG 2.2)."""
    high, low = sorted((luminance(one), luminance(other)), reverse=True)
    return (high + 0.05) / (low + 0.05)


def readable(colour: str, ground: str) -> str:
    """Return a colour with enough contrast against a ground: itself, or the same hue lighter or darker."""
    hue, light, saturation = colorsys.rgb_to_hls(*(int(colour[i : i + 2], 16) / 255 for i in (1, 3, 5)))
    step = -0.01 if luminance(ground) > 0.5 else 0.01
    while contrast(colour, ground) < CONTRAST and 0 < light + step < 1:
        light += step
        colour = "#" + "".join(f"{round(v * 255):02x}" for v in colorsys.hls_to_rgb(hue, light, saturation))
    return colour


__all__ = ["Made", "contrast", "in_script", "markdown", "page", "readable"]
