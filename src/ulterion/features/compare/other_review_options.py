"""Setups of other reviews, named on a command line as REVIEW:SETUP: by folder, or by title out of the archive."""

from __future__ import annotations

import argparse
from collections.abc import Sequence
from pathlib import Path
from typing import TYPE_CHECKING

from ulterion.core.errors import UsageError
from ulterion.terminal.environment import Environment

if TYPE_CHECKING:
    from ulterion.model.review import Review
    from ulterion.model.runs.document import AnyRun
    from ulterion.results.other_reviews import OtherReview


def add_also(parser: argparse.ArgumentParser) -> None:
    """Add the option that takes setups of other reviews."""
    parser.add_argument(
        "--also",
        action="append",
        default=[],
        metavar="REVIEW:SETUP",
        help="also a setup of another review, by its folder or its title in the archive; may be repeated",
    )


def with_guests(
    named: Sequence[str], env: Environment, review: Review, runs: list[AnyRun]
) -> tuple[Review, list[AnyRun]]:
    """Return a review and its runs with the setups named among them; raise UsageError for one that is not to be found."""
    from ulterion.results.other_reviews import joined

    for guest in guests_of(named, env):
        review, runs = joined(review, runs, guest)
    return review, runs


def guests_of(named: Sequence[str], env: Environment) -> list[OtherReview]:
    """Return the setups named; raise UsageError for one that is not to be found."""
    from ulterion.results.other_reviews import OtherReview
    from ulterion.results.pooling import runs_for_results
    from ulterion.run.review_folders import open_review

    guests = []
    for text in named:
        where, colon, setup = text.rpartition(":")
        if not (colon and where and setup):
            raise UsageError(f"'{text}' names no setup of another review; write REVIEW:SETUP, such as ../last-year:pod")
        path = env.folder / where
        folder = open_review(
            path if (path / "review.toml").is_file() else _in_the_archive(where, env), env.folder, env.tell
        )
        guests.append(OtherReview(Path(where).name, folder.review, runs_for_results(folder), setup, folder.path))
    return guests


def _in_the_archive(title: str, env: Environment) -> Path:
    """Return the folder of the one review in the archive that is called so."""
    from ulterion.features.archive.location import opened_archive
    from ulterion.features.archive.opening import NoArchiveError
    from ulterion.features.archive.query import places_of
    from ulterion.terminal.defaults import personal

    archive = personal().get("archive")
    try:
        engine = opened_archive(archive if isinstance(archive, str) else None, env, reads=True)
    except NoArchiveError as error:
        raise UsageError(f"'{title}' is not a review folder, and there is no archive to look it up in") from error
    try:
        places = [Path(place) for place in places_of(engine, title)]
    finally:
        engine.dispose()
    there = [place for place in places if (place / "review.toml").is_file()]
    if len(there) == 1:
        return there[0]
    if there:
        raise UsageError(f"several reviews are called '{title}': {', '.join(map(str, there))}; name the folder")
    gone = f"; it was in {places[0]}, and is no longer" if places else ", and no review in the archive has that title"
    raise UsageError(f"'{title}' is not a review folder{gone}")
