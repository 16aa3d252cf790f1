"""An article as one HTML page: nothing is fetched from anywhere, everything is escaped, and what it rests on is in it.

The page is the same, byte for byte, whenever it is made by the same version from the same files; that is what `verify` rests on.
"""

from __future__ import annotations

import base64
import colorsys
import hashlib
import json
import re
from collections.abc import Mapping, MutableMapping
from functools import cache
from importlib import resources
from types import CodeType

import jinja2
from markdown_it import MarkdownIt
from markupsafe import Markup

from ulterion.core.patterns import pattern
from ulterion.core.records import dataclass
from ulterion.core.text import visible
from ulterion.core.version import __version__
from ulterion.features.page.article import (
    MEASURES,
    AnswerTable,
    Article,
    Drawing,
    Limits,
    Measure,
    PageBlock,
    Photograph,
    Section,
    Words,
    YourCase,
)
from ulterion.features.page.card import CARD
from ulterion.features.page.drawn import case_table, course
from ulterion.features.page.subjects import plain_name
from ulterion.model.reportsettings import ReportSettings
from ulterion.show.blocks import Text
from ulterion.show.charts import titled
from ulterion.show.looks import DARK, LIGHT, Palette
from ulterion.show.web.bars import LEVELS, bar
from ulterion.show.web.figure import figure

LIGHT_GROUND, DARK_GROUND = "#ffffff", "#16181b"
CONTRAST = 4.5  # of text against its ground, at least: WCAG 2.2, 1.4.3 (AA)
LOGOS = {"png": "image/png", "jpg": "image/jpeg", "jpeg": "image/jpeg", "svg": "image/svg+xml"}


_COMMANDS = pattern(
    r"(?<![^.;])\s?[^.;]*\bulterion (?:capacity|claims|clock|compare|copy|estimate|measure|note|plan|soak|survey|versus)\b[^;]*?(?:[.;](?= |$)|$)"
)
"""A clause that tells what to type: it is for who measures, and not for who reads.  It is looked for only where a clause begins."""


@dataclass(frozen=True)
class Published:
    """What a page rests on and how it looks.

    Attributes:
        files: of the review, by their names; `sums` their SHA-256.
        runs: their archive in base64, as it stands in the page.
        unit: of rates.
        settings: the reviewer's own for the page.
    """

    files: Mapping[str, bytes]
    sums: Mapping[str, str]
    runs: str
    unit: str
    settings: ReportSettings


def page(article: Article, published: Published, *, fragment: bool = False) -> str:
    """Return an article as a page; as a `fragment` what goes into another page, in a shadow tree, so that neither's styles and names touch the other's, and without the runs."""
    environment = _environment(article, published.files)
    style, script = _style(published.settings, fragment=fragment), _data("script.js")
    told = {
        "version": __version__,
        "files": dict(published.sums),
        "archive": hashlib.sha256(published.runs.encode()).hexdigest(),
    }
    return environment.get_template("fragment.html.j2" if fragment else "page.html.j2").render(
        article=article,
        blocks=environment.get_template("blocks.html.j2").module,
        body=environment.get_template("body.html.j2").module,
        version=__version__,
        unit=published.unit,
        style=style,
        script=script,
        style_hash=_hash(style),
        script_hash=_hash(script),
        logo=_logo(published.files),
        card=f"{published.settings.address}{CARD}",
        sums=in_script(told),
        runs=Markup(published.runs),
    )


class _Templates(jinja2.BaseLoader):
    """Loads the templates, and compiles each once for all pages that a process makes."""

    def load(
        self, environment: jinja2.Environment, name: str, globals: MutableMapping[str, object] | None = None
    ) -> jinja2.Template:
        return environment.template_class.from_code(environment, self._code(name), globals or {})

    @staticmethod
    @cache
    def _code(name: str) -> CodeType:
        return _blank_environment().compile(_data(name), name)


def _blank_environment() -> jinja2.Environment:
    """Return how all our templates are compiled."""
    return jinja2.Environment(
        loader=_Templates(),
        autoescape=True,
        undefined=jinja2.StrictUndefined,
        finalize=_shown,
        trim_blocks=True,
        lstrip_blocks=True,
    )


def _environment(article: Article, files: Mapping[str, bytes]) -> jinja2.Environment:
    environment = _blank_environment()
    addresses = Addresses()
    environment.globals.update(
        plain=_plain,
        opened=_opened,
        folded=lambda section: [b for b in section.blocks if b not in _opened(section)],
        kind_of=lambda block: type(block).__name__,
        figure_of=lambda drawing: figure(drawing.name, titled(drawing.chart, article.titles.get(drawing.name))),
        photo_of=lambda photo: base64.b64encode(files[photo.file]).decode(),
        bar_of=bar,
        course_of=course,
        case_of=case_table,
        address_of=addresses.of,
        measures=_measures(article),
        markdown=markdown,
    )
    return environment


def _style(settings: ReportSettings, *, fragment: bool) -> str:
    """Return the styles of a page, or of a fragment: there they hold only within it."""
    style = _data("style.css")
    for name, colour in (
        ("PRODUCTS-LIGHT", _products(LIGHT)),
        ("PRODUCTS-DARK", _products(DARK)),
        ("ACCENT-LIGHT", readable(settings.accent, LIGHT_GROUND)),
        ("ACCENT-DARK", readable(settings.accent, DARK_GROUND)),
        ("FONT", settings.font or "system-ui,sans-serif"),
    ):
        style = style.replace(name, colour)
    if fragment:
        return ":host{all:initial}" + re.sub(r"(?<![\w-])body(?![\w-])", ".page", style.replace(":root", ":host"))
    return style


class Addresses:
    """Gives tables addresses of their own: their captions as names, a number behind one that is there already."""

    def __init__(self) -> None:
        self._taken: dict[str, int] = {}

    def of(self, caption: str) -> str:
        """Return the address of the next table with a caption."""
        name = f"table-{plain_name(caption)}"
        self._taken[name] = count = self._taken.get(name, 0) + 1
        return name if count == 1 else f"{name}-{count}"


def _measures(article: Article) -> list[tuple[Measure, str]]:
    """Return what the reader can switch between; nothing where there is one measure alone."""
    views = {v.measure for block in article.answer if isinstance(block, AnswerTable) for v in block.views}
    ways = {e.way for s in article.sections for b in s.blocks if isinstance(b, YourCase) for e in b.ends}
    found = [(m, words) for m, words in MEASURES.items() if m in views | ways]
    return found if len(found) > 1 else []


def _shown(value: object) -> object:
    """Return text as it is printed: what is not printable is written out, as on a terminal, and what to type next is left out."""
    if not isinstance(value, str) or isinstance(value, Markup):
        return value
    return visible(_COMMANDS.sub("", value) if "ulterion " in value else value)


def _products(palette: Palette) -> str:
    """Return the rules of the products' colours and of the shades of maps, the same as in the figures."""
    names = [*((str(n), c) for n, c in enumerate(palette.products)), ("n", palette.neutral)]
    rules = [f".p{name}{{fill:{c}}}.l{name}{{stroke:{c}}}" for name, c in names]
    low, high = (tuple(int(c[i : i + 2], 16) for i in (1, 3, 5)) for c in palette.ramp)
    for level in range(LEVELS + 1):
        mixed = (round(a + (b - a) * level / LEVELS) for a, b in zip(low, high, strict=True))
        rules.append(f".v{level}{{background:#{''.join(f'{v:02x}' for v in mixed)}}}")
    tones = {"good": palette.good, "bad": palette.bad, "open": palette.open, "none": palette.rest}
    rules += [f".t-{tone}{{background:{c}}}" for tone, c in tones.items()]
    strong = {
        "good": palette.products[0],
        "bad": palette.products[2],
        "open": palette.products[1],
        "none": palette.rest,
    }
    rules += [f".s-{tone}{{fill:{c}}}" for tone, c in strong.items()]
    return "".join(rules)


def _opened(section: Section) -> list[PageBlock]:
    """Return what of a section is shown at once: what the reviewer wrote, photographs, what a reader can try, and the first figure; the rest is folded."""
    first = next((b for b in section.blocks if isinstance(b, Drawing)), None)
    return [b for b in section.blocks if isinstance(b, Words | Photograph | YourCase | Limits) or b is first]


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


__all__ = ["contrast", "in_script", "markdown", "page", "readable"]
