"""From a review folder to its article, and to the page."""

from __future__ import annotations

import base64
from collections.abc import Callable, Iterable, Mapping, Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import field, replace

from ulterion.core.records import dataclass
from ulterion.features.page import background_sections, sections
from ulterion.features.page.answer_table import first_screen
from ulterion.features.page.article import Article, PageBlock, Section, Words
from ulterion.features.page.case import your_case
from ulterion.features.page.chapters import chapters
from ulterion.features.page.html import Published, page
from ulterion.features.page.inputs import ReportInputs
from ulterion.features.page.limits import what_limits
from ulterion.features.page.more_figures import more_figures
from ulterion.model import bundle
from ulterion.model.photographs import FOLDER as PHOTOS
from ulterion.model.store import ReviewFolder

SHOWN = (sections.planned, sections.soaked, your_case, what_limits)
"""The sections that are shown at once, in their order."""
FOLDED = (
    sections.tested,
    sections.claimed,
    sections.compared,
    sections.worked,
    sections.priced,
    background_sections.by_files,
    background_sections.noted,
    background_sections.method,
    background_sections.bench,
)
"""The sections below the products, which a reader unfolds."""
INTRO = "intro"  # the remarks that stand before all sections
CHAPTER = "product-"
AtOnce = Callable[[Sequence[PageBlock]], None]


@dataclass(frozen=True)
class Composed:
    """An article and what it is made of.

    Attributes:
        article: itself.
        files: of the review, by their names; `runs` their archive in base64, '' where it is not to be published, and `sums` their SHA-256.
        unplaced, unknown: names of the reviewer's that no section has: of remarks, and in [report].
    """

    article: Article
    files: Mapping[str, bytes]
    unplaced: tuple[str, ...]
    unknown: tuple[str, ...]
    runs: str = ""
    sums: Mapping[str, str] = field(default_factory=dict)


def composed(inputs: ReportInputs, files: Mapping[str, bytes], at_once: AtOnce | None = None) -> Composed:
    """Return the article of a review, with the reviewer's words and photographs in their places; `at_once` gets the first screen before the rest."""
    answer = tuple(first_screen(inputs))
    if at_once is not None:
        at_once(answer)
    remarks, photos = remarks_of(files), [n for n in files if n.startswith(f"{PHOTOS}/")]
    settings = inputs.review.report
    shown = _worded((s for part in SHOWN for s in part(inputs)), remarks)
    told = _worded(chapters(inputs, photos), remarks)
    folded = _worded((s for part in FOLDED for s in part(inputs)), remarks)
    names = {s.name for s in (*shown, *told, *folded)}
    first = [s for name in settings.order for s in (*shown, *told, *folded) if s.name == name]
    left_out = {*settings.without, *(f"{CHAPTER}{n}" for n in settings.without)}

    def kept(every: Iterable[Section], *, but: Sequence[Section] = ()) -> tuple[Section, ...]:
        return tuple(s for s in every if s.name not in left_out and s not in but)

    article = Article(
        title=inputs.review.review.title or "A review",
        sections=kept([*first, *(s for s in shown if s not in first)]),
        chapters=kept(told, but=first),
        details=kept(folded, but=first),
        lead=(Words(remarks[INTRO]),) if INTRO in remarks else (),
        answer=answer,
        titles=settings.titles,
    )
    known = {*names, *(n.removeprefix(CHAPTER) for n in names), INTRO}
    unknown = {*settings.order, *settings.without} - known
    return Composed(article, files, tuple(sorted(set(remarks) - known)), tuple(sorted(unknown)))


def _worded(every: Iterable[Section], remarks: Mapping[str, str]) -> list[Section]:
    """Return sections, each with the reviewer's own words before what was found; a chapter is named as its product too."""
    placed = []
    for section in every:
        words = remarks.get(section.name, remarks.get(section.name.removeprefix(CHAPTER)))
        placed.append(section if words is None else replace(section, blocks=(Words(words), *section.blocks)))
    return placed


def remarks_of(files: Mapping[str, bytes]) -> dict[str, str]:
    """Return the reviewer's words by the section they belong to."""
    start = f"{bundle.REMARKS}/"
    return {
        n.removeprefix(start).removesuffix(".md"): d.decode("utf-8", "replace")
        for n, d in files.items()
        if n.startswith(start)
    }


def composed_of(
    folder: ReviewFolder, outcomes: Mapping[str, Sequence[str]], unit: str, at_once: AtOnce | None = None
) -> Composed:
    """Return the article of a review folder, and the archive of its files.  Raises UsageError."""
    files = bundle.contents(folder)
    with ThreadPoolExecutor(2) as beside:  # compressing and hashing leave the processor to the article
        packed, sums = beside.submit(bundle.packed, files), beside.submit(bundle.sums, files)
        made = composed(ReportInputs(folder, outcomes, unit), files, at_once)
        return replace(made, runs=base64.b64encode(packed.result()).decode(), sums=sums.result())


def page_of(folder: ReviewFolder, made: Composed, unit: str, *, fragment: bool = False) -> str:
    """Return the page of a review, or what of it goes into a page of someone else's."""
    return page(made.article, published(folder, made, unit), fragment=fragment)


def published(folder: ReviewFolder, made: Composed, unit: str) -> Published:
    """Return what a page rests on and how it looks."""
    return Published(made.files, made.sums, made.runs, unit, folder.review.report)


def with_figures_beside(
    folder: ReviewFolder, article: Article, outcomes: Mapping[str, Sequence[str]], unit: str
) -> Article:
    """Return an article with the figures that stand in no section of it."""
    return replace(article, beside=tuple(more_figures(ReportInputs(folder, outcomes, unit))))


def article_with_every_figure(folder: ReviewFolder, outcomes: Mapping[str, Sequence[str]], unit: str) -> Article:
    """Return the article of a review with every figure, for the figures alone."""
    return with_figures_beside(folder, composed(ReportInputs(folder, outcomes, unit), {}).article, outcomes, unit)
