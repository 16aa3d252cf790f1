"""Which review folder a command works in."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from ulterion.core.errors import UsageError
from ulterion.model.review import FILE_NAME
from ulterion.model.store import ReviewFolder, find_review, new_review

Tell = Callable[[str], None]
"""Told what was recovered or set aside."""


def open_review(named: Path | None, start: Path, tell: Tell) -> ReviewFolder:
    """Open the review folder named, or the one found from `start` upwards; raise UsageError when there is none."""
    folder = named if named is not None else find_review(start)
    if folder is None:
        raise UsageError(
            f"no {FILE_NAME} in {start} or above; start a review with 'ulterion new DIR', or use --review DIR"
        )
    return ReviewFolder.open(folder, tell)


def default_folder() -> Path:
    """Return the personal review that keeps measurements taken outside any review."""
    import platformdirs

    return Path(platformdirs.user_data_dir("ulterion", appauthor=False)) / "first-tries"


def open_default_review(tell: Tell) -> ReviewFolder:
    """Open the personal default review, starting it when it is not there."""
    folder = default_folder()
    if not (folder / FILE_NAME).is_file():
        new_review(folder, "First tries, outside any review", examples=False)
    return ReviewFolder.open(folder, tell)
