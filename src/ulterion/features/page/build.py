"""From a review folder to its article, and to the page."""

from __future__ import annotations

import base64
from collections.abc import Mapping, Sequence
from dataclasses import replace

from ulterion.features.page import background_sections, sections
from ulterion.features.page.answer_table import first_screen
from ulterion.features.page.html import Made, page
from ulterion.features.page.inputs import ReportInputs
from ulterion.features.page.more_figures import more_figures
from ulterion.model import bundle
from ulterion.model.store import ReviewFolder
from ulterion.show.blocks import Article, Section, Words

PARTS = (
    sections.in_short,
    sections.tested,
    sections.compared,
    sections.claimed,
    sections.soaked,
    sections.worked,
    sections.priced,
    sections.planned,
    background_sections.by_files,
    background_sections.noted,
    background_sections.method,
    background_sections.bench,
)
"""The sections, in their order."""
INTRO = "intro"  # the remarks that stand before all sections


def article_of(inputs: ReportInputs, remarks: Mapping[str, str]) -> tuple[Article, list[str]]:
    """Return the article, with the reviewer's words in their places, and the names of remarks that have none."""
    made = [section for part in PARTS for section in part(inputs)]
    placed = [_with_words(s, remarks) for s in made]
    names = {s.name for s in made} | {INTRO}
    lead = (Words(remarks[INTRO]),) if INTRO in remarks else ()
    title = inputs.review.review.title or "A review"
    return Article(title, tuple(placed), lead, tuple(first_screen(inputs)), inputs.review.report.titles), sorted(
        set(remarks) - names
    )


def _with_words(section: Section, remarks: Mapping[str, str]) -> Section:
    if section.name not in remarks:
        return section
    return replace(section, blocks=(Words(remarks[section.name]), *section.blocks))


def remarks_of(files: Mapping[str, bytes]) -> dict[str, str]:
    """Return the reviewer's words by the section they belong to."""
    start = f"{bundle.REMARKS}/"
    return {
        n.removeprefix(start).removesuffix(".md"): d.decode("utf-8", "replace")
        for n, d in files.items()
        if n.startswith(start)
    }


def made_page(
    folder: ReviewFolder, outcomes: Mapping[str, Sequence[str]], unit: str
) -> tuple[Made, Article, list[str]]:
    """Return the page of a review, its article, and the names of remarks without a section.  Raises UsageError."""
    files = bundle.contents(folder)
    article, unplaced = article_of(ReportInputs(folder, outcomes, unit), remarks_of(files))
    runs = base64.b64encode(bundle.packed(files)).decode()
    return page(article, files, runs, folder.review.report.accent, unit), article, unplaced


def article_with_every_figure(folder: ReviewFolder, outcomes: Mapping[str, Sequence[str]], unit: str) -> Article:
    """Return the article of a review with every figure, for the figures alone."""
    inputs = ReportInputs(folder, outcomes, unit)
    return replace(article_of(inputs, {})[0], beside=tuple(more_figures(inputs)))


def with_figures_beside(
    folder: ReviewFolder, article: Article, outcomes: Mapping[str, Sequence[str]], unit: str
) -> Article:
    """Return an article with the figures that stand in no section of it."""
    return replace(article, beside=tuple(more_figures(ReportInputs(folder, outcomes, unit))))
