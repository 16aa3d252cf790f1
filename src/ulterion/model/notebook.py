"""notes.json in the review folder: what was noted on a hookup that has no run, such as that it was not recognised."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Literal

from pydantic import Field, ValidationError

from ulterion.core.errors import UsageError
from ulterion.model.quantities import Written
from ulterion.model.run import Note, Reading
from ulterion.model.store import write_atomically

FILE_NAME = "notes.json"


class NotebookSchema(Written):
    """Which format this is."""

    name: Literal["ulterion-notes"] = "ulterion-notes"
    version: Literal[1] = 1


class HookupNote(Written):
    """A note on a hookup."""

    hookup: str
    noted: str = Field(description="when it was written down, UTC")
    note: Note | None = None
    reading: Reading | None = None


class Notebook(Written):
    """The whole file."""

    schema_: NotebookSchema = Field(NotebookSchema(), alias="schema")
    notes: list[HookupNote] = []


def read_notebook(folder: Path) -> Notebook:
    """Return the notes of a review folder, empty when there are none; raise UsageError when the file is damaged."""
    path = folder / FILE_NAME
    if not path.exists():
        return Notebook()
    try:
        return Notebook.model_validate(json.loads(path.read_text(encoding="utf-8")))
    except (OSError, UnicodeDecodeError, json.JSONDecodeError, ValidationError) as error:
        why = str(error).splitlines()[0]
        raise UsageError(f"{path} cannot be read: {why}; mend it, or move it away to begin a new one") from error


def add_note(folder: Path, note: HookupNote) -> Path:
    """Add a note to a review folder; return the file."""
    kept = read_notebook(folder)
    grown = kept.model_copy(update={"notes": [*kept.notes, note]})
    text = json.dumps(grown.model_dump(mode="json", by_alias=True, exclude_none=True), indent=2, ensure_ascii=False)
    write_atomically(folder / FILE_NAME, text + "\n")
    return folder / FILE_NAME
