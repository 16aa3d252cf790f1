"""Run documents that are written all or none: into one file first, from which an interrupted writing is completed.

Both functions are called with the runs folder locked.
"""

from __future__ import annotations

import json
from collections.abc import Callable, Sequence
from pathlib import Path

from ulterion.core.errors import UsageError
from ulterion.model.files import write_atomically
from ulterion.model.reading import NoSuchFile, parse_json, read_bytes
from ulterion.model.runs.document import AnyRun, parse_run

SUFFIX = ".together"


def write(stem: Path, documents: Sequence[tuple[Path, AnyRun]]) -> list[Path]:
    """Write documents to their paths; `stem` is the path of the file they are written into first, without its ending.

    Raises UsageError where one of them cannot be written; then none is there.
    """
    first = stem.with_name(stem.name + SUFFIX)
    write_atomically(first, json.dumps([run.to_bytes().decode() for _, run in documents]))
    try:
        for path, run in documents:
            write_atomically(path, run.to_bytes())
    except UsageError:
        for path in (*(p for p, _ in documents), first):
            path.unlink(missing_ok=True)
        raise
    first.unlink(missing_ok=True)
    return [path for path, _ in documents]


def complete(first: Path, path_of: Callable[[AnyRun], Path]) -> None:
    """Write the documents of a file that an interrupted writing left, where they are not there yet; raise UsageError, OSError."""
    try:
        texts = parse_json(read_bytes(first), first.name)
    except NoSuchFile:
        return  # another command was faster
    if not isinstance(texts, list) or not all(isinstance(t, str) for t in texts):
        raise UsageError(f"{first.name} is damaged")
    for text in texts:
        run = parse_run(text.encode(), first.name)
        if not path_of(run).exists():
            write_atomically(path_of(run), run.to_bytes())
    first.unlink()
