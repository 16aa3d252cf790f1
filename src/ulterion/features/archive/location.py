"""Where the archive is, and a review put into it after each run where the personal defaults ask for that."""

from __future__ import annotations

import argparse
import os
from pathlib import Path
from typing import TYPE_CHECKING

from ulterion.terminal import options
from ulterion.terminal.environment import Environment

if TYPE_CHECKING:
    from sqlalchemy.engine import Engine

WHERE = "ULTERION_ARCHIVE"


def opened_archive(named: str | None, env: Environment, *, reads: bool = False) -> Engine:
    """Open the archive named, or that of the environment, or that of the personal data folder; raise UsageError.

    `reads`: for reading alone; nothing is made where there is none.
    """
    from ulterion.features.archive.opening import opened, opened_to_read

    where = named or os.environ.get(WHERE) or _default()
    place = where if "://" in where else env.folder / where
    return opened_to_read(place) if reads else opened(place)


def _default() -> str:
    import platformdirs

    from ulterion.features.archive.schema import FILE

    return str(Path(platformdirs.user_data_dir("ulterion", appauthor=False)) / FILE)


def add_if_set(arguments: argparse.Namespace, env: Environment) -> None:
    """Add the review to the archive after a command saved a run, if the personal defaults ask for it.

    The run is already saved, so an error here is only a warning.
    """
    from ulterion.terminal.defaults import personal

    told = personal()
    if not told.get("archive_each_run"):
        return
    from ulterion.core.errors import UlterionError
    from ulterion.features.archive.adding import Added, add_review

    try:
        folder = options.review_for(arguments, env.folder, lambda sentence: None)
        archive = told.get("archive")
        engine = opened_archive(archive if isinstance(archive, str) else None, env)
        try:
            added = add_review(engine, folder)
        finally:
            engine.dispose()
    except UlterionError as error:
        env.tell(f"not put into the archive: {error}")
        return
    if added != Added(known=added.known) and not getattr(arguments, "json", False):
        env.show([f"in the archive: {added.new} new, {added.changed} changed"])
