"""Files of a review that cannot be read: set aside untouched, so that they block no other."""

from __future__ import annotations

from pathlib import Path

RUNS, ASIDE = "runs", "set-aside"


def moved_aside(path: Path, review: Path) -> str:
    """Move a file of a review folder aside where that can be; return what became of it, in words.

    Where a link leads out of the review folder nothing is moved: what is there may be anybody's.
    """
    folder = review / RUNS / ASIDE
    try:
        if not folder.resolve().is_relative_to(review.resolve()):
            return "left out"
        folder.mkdir(parents=True, exist_ok=True)
        path.rename(_free_name(folder, path.name))
    except (OSError, RuntimeError):
        return "left out"
    return f"moved to {RUNS}/{ASIDE}"


def _free_name(folder: Path, name: str) -> Path:
    """Return a path in a folder that does not exist yet: the name, or with a number behind it."""
    number, path = 1, folder / name
    while path.exists() or path.is_symlink():
        number += 1
        path = folder / f"{name}.{number}"
    return path
