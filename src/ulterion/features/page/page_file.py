"""A page as a file: written whole or not at all, and never over what is not ours."""

from __future__ import annotations

import os
from pathlib import Path

from ulterion.core.errors import UsageError
from ulterion.model.files import write_atomically

MARKS = (b'<meta name="generator" content="Ulterion ', b'<div class="ulterion" data-made-by="Ulterion ')
HEAD = 4096  # bytes of a page in which its maker stands


def check_page_path(path: Path) -> None:
    """Raise UsageError where a page cannot be written under this name; an older page of ours is replaced."""
    if path.suffix.lower() not in (".html", ".htm"):
        raise UsageError(f"{path} does not end in .html; give the page that ending")
    if not path.parent.is_dir():
        raise UsageError(f"{path.parent} is not a folder; make it first, or choose another")
    if os.path.lexists(path) and (
        not path.is_file() or path.is_symlink() or not any(mark in _head(path) for mark in MARKS)
    ):
        raise UsageError(
            f"{path} exists and is not a page made by Ulterion, so it is left as it is; choose another name"
        )


def _head(path: Path) -> bytes:
    try:
        with path.open("rb") as source:
            return source.read(HEAD)
    except OSError:
        return b""


def write_page(path: Path, html: str) -> None:
    """Write a page whole; raise UsageError."""
    write_atomically(path, html.encode("utf-8"))
