"""How charts look: colours light and dark, and sizes.  Nothing here draws."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import field

from ulterion.core.records import dataclass
from ulterion.model.review import Review
from ulterion.show.charts import NEUTRAL
from ulterion.show.sentences import with_article


@dataclass(frozen=True)
class Palette:
    """Colours of a chart: its background, text, quiet text, grid, rests, the baseline's bars, what is good, bad and open, and products.

    Products have six colours, which differ by at least 15 (CIEDE2000) from each other and from the baseline's grey, for normal and for the
    three kinds of dichromatic sight; beyond six a pattern, dash or marker is added.  `ramp` shades the cells of a map from least to most.
    """

    background: str
    ink: str
    quiet: str
    grid: str
    rest: str
    neutral: str
    good: str
    bad: str
    open: str
    ramp: tuple[str, str]
    products: tuple[str, ...]


LIGHT = Palette(
    background="#ffffff", ink="#1b1b1b", quiet="#65656a", grid="#e6e6e2", rest="#f1f1ed", neutral="#8a8f96",
    good="#d5ecdf", bad="#f6d5d0", open="#f5e8c6", ramp=("#f4f6fb", "#9db4f0"),
    products=("#433cb8", "#bb8e00", "#d93767", "#507ef4", "#7d074c", "#555c04"),
)  # fmt: skip
DARK = Palette(
    background="#16181b", ink="#ececea", quiet="#a0a0a4", grid="#2c2f33", rest="#1e2125", neutral="#8d929a",
    good="#1d4632", bad="#5a2521", open="#54451a", ramp=("#1c2029", "#3a55a4"),
    products=("#5e77e0", "#b29410", "#d83c6e", "#e6bffb", "#2debba", "#d0eb54"),
)  # fmt: skip


@dataclass(frozen=True)
class Size:
    """A size in CSS pixels, `height` None where it follows from the content; `type` multiplies the size of letters."""

    width: int = 1280
    height: int | None = None
    type: float = 1.0


FREE = Size()
SIZES = {
    "card": Size(1200, 630, 1.15),
    "wide": Size(1600, 900, 1.3),
    "square": Size(1080, 1080, 1.2),
    "column": Size(640, None, 1.1),
}
"""Sizes by name: for a card that is shared, a full page, a square, and the column of an article."""


@dataclass(frozen=True)
class Look:
    """Colours and size of a chart."""

    palette: Palette = LIGHT
    size: Size = FREE

    def shade(self, place: int) -> str:
        """Return the colour of a product's place; after the last it begins again, with a pattern beside it."""
        return self.palette.neutral if place == NEUTRAL else self.palette.products[place % len(self.palette.products)]

    def round(self, place: int) -> int:
        """Return how often the colours have begun again at a place."""
        return 0 if place == NEUTRAL else place // len(self.palette.products)


def look_of(*, dark: bool = False, size: str | None = None) -> Look:
    """Return a look by whether it is dark, and the name of a size."""
    return Look(DARK if dark else LIGHT, FREE if size is None else SIZES[size])


@dataclass(frozen=True)
class Cast:
    """How the setups and products of a review are called in charts, and the place of each among the colours, the same in all charts.

    Attributes:
        names: of setups beside others of their medium; `long_names` beside those of other media; `media` which each has.
        shades: places of setups; `parts` those of products.
    """

    names: Mapping[str, str] = field(default_factory=dict)
    long_names: Mapping[str, str] = field(default_factory=dict)
    media: Mapping[str, str] = field(default_factory=dict)
    shades: Mapping[str, int] = field(default_factory=dict)
    parts: Mapping[str, int] = field(default_factory=dict)

    @classmethod
    def of(cls, review: Review) -> Cast:
        """Return the cast of a review."""
        places: dict[str, int] = {}
        shades = {name: places.setdefault(product_of(review, name), len(places)) for name in review.setups}
        for key in review.parts:
            places.setdefault(key, len(places))
        names = {name: review.setup_label(name) for name in review.setups}
        long_names = _unlike({name: _with_medium(review, name) for name in review.setups})
        media = {name: setup.medium for name, setup in review.setups.items()}
        return cls(names, long_names, media, shades, {key: places[key] for key in review.parts})

    def name(self, setup: str) -> str:
        """Return what readers know a setup as."""
        return self.names.get(setup, setup)

    def named(self, setups: Iterable[str]) -> dict[str, str]:
        """Return what several setups are called beside each other, none as another: with their media where these differ."""
        known = list(dict.fromkeys(setups))
        names = {s: self.name(s) for s in known}
        unlike = len(set(names.values())) == len(names) and len({self.media.get(s) for s in known}) < 2
        return names if unlike else {s: self.long_names.get(s, s) for s in known}

    def shade(self, setup: str | None, otherwise: int = 0) -> int:
        """Return a setup's place among the colours; `otherwise` for one that the review does not have."""
        return otherwise if setup is None else self.shades.get(setup, otherwise)


def in_sentence(review: Review, setup: str) -> str:
    """Return what a setup is called in a sentence: 'the front port', 'Brindlewick Pod'."""
    return with_article(review.setup_label(setup))


def product_of(review: Review, setup: str) -> str:
    """Return the product that a setup puts to the test: the first part between port and medium, else its port where the medium is in several, else the medium."""
    mine = review.setups[setup]
    if len(mine.chain) > 2:
        return mine.chain[1]
    ports = [s for s in review.setups.values() if s.medium == mine.medium and len(s.chain) <= 2]
    return mine.chain[0] if len(ports) > 1 and not mine.baseline else mine.medium


def _with_medium(review: Review, setup: str) -> str:
    """Return how a setup is called beside those of other media: its medium and port, or its products and the medium."""
    chain, medium = review.setups[setup].chain, review.label(review.setups[setup].medium)
    name = review.setup_label(setup)
    return f"{medium} ({name})" if len(chain) <= 2 else f"{name}, {medium}"


def _unlike(names: Mapping[str, str]) -> dict[str, str]:
    every = list(names.values())
    return {key: name if every.count(name) == 1 else f"{name} ({key})" for key, name in names.items()}


def unlike_shades(wanted: Sequence[int]) -> list[int]:
    """Return places of which no two are the same: the wanted ones, and for what has one that is taken the next that is free."""
    found = list[int]()
    for place in wanted:
        while place in found:
            place += 1
        found.append(place)
    return found
