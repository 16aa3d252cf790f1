"""notes.json in the review folder: what was noted on a setup that has no run, such as that it was not recognised."""

from __future__ import annotations

import datetime
import json
from typing import Literal

from ulterion.core.documents.fields import Field
from ulterion.core.documents.plain import plain
from ulterion.core.documents.written import Written
from ulterion.core.errors import UsageError
from ulterion.core.text import json_bytes
from ulterion.model.quantities import Moment
from ulterion.model.reading import parse_json
from ulterion.model.runs.notes import Note, Reading

FILE_NAME = "notes.json"
VERSION = 2
RENAMED = {"hookup": "setup"}  # fields of version 1


class NewerNotesError(UsageError):
    """Notes of a later format: sound, but not for this version."""


class NotebookSchema(Written):
    """Which format this is."""

    name: Literal["ulterion-notes"] = "ulterion-notes"
    version: Literal[2] = 2


class SetupNote(Written):
    """A note on a setup."""

    setup: str
    noted: Moment = Field(description="when it was written down, UTC")
    note: Note | None = None
    reading: Reading | None = None

    @property
    def record(self) -> Note | Reading:
        """The note or the reading."""
        record = self.note or self.reading
        assert record is not None
        return record

    @classmethod
    def of(cls, setup: str, record: Note | Reading, noted: datetime.datetime) -> SetupNote:
        """Return a record as it is noted on a setup."""
        if isinstance(record, Reading):
            return cls(setup=setup, noted=noted, reading=record)
        return cls(setup=setup, noted=record.noted, note=record)

    def check_whole(self) -> None:
        """Raise ValueError unless it holds a note or a reading."""
        if (self.note is None) == (self.reading is None):
            raise ValueError("must hold either a note or a reading")


class Notebook(Written):
    """The whole file."""

    schema_: NotebookSchema = Field(default=NotebookSchema(), key="schema")
    notes: list[SetupNote] = []

    def with_note(self, note: SetupNote) -> Notebook:
        """Return the notes with one more."""
        return self.changed(notes=[*self.notes, note])

    def with_changed(self, index: int, note: SetupNote) -> Notebook:
        """Return the notes with one of them replaced."""
        return self.changed(notes=[note if at == index else n for at, n in enumerate(self.notes)])

    def to_bytes(self) -> bytes:
        """Return the notes as they stand in their file."""
        return json_bytes(json.dumps(plain(self), indent=2, ensure_ascii=False) + "\n")


def parse_notebook(data: bytes, name: str) -> Notebook:
    """Read notes; `name` is for messages.  Raises UsageError when they are damaged, NewerNotesError of a later version."""
    data_read = parse_json(data, name)
    schema = data_read.get("schema") if isinstance(data_read, dict) else None
    version = schema.get("version") if isinstance(schema, dict) else None
    if isinstance(version, int) and version > VERSION:
        raise NewerNotesError(
            f"{name} was written by a newer Ulterion (notes format {str(version)[:20]}); update to read it"
        )
    if version == 1:
        data_read = _to_two(data_read)
    try:
        return Notebook.from_data(data_read)
    except (ValueError, RecursionError) as error:
        raise UsageError(f"{name} is not valid: {str(error).splitlines()[0]}") from error


def _to_two(data: dict[str, object]) -> dict[str, object]:
    """Version 1 called a setup `hookup`."""
    notes = data.get("notes")
    if not isinstance(notes, list):
        return data
    renamed = [{RENAMED.get(k, k): v for k, v in n.items()} if isinstance(n, dict) else n for n in notes]
    return data | {"schema": {"name": "ulterion-notes", "version": VERSION}, "notes": renamed}
