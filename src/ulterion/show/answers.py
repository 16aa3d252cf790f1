"""Answers as data: frozen dataclasses, of which JSON and the published schema are made by one adapter.

Sizes are bytes, times seconds, rates bytes per second, temperatures C; unknown values are null.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import fields
from typing import Self, cast

from ulterion.core.documents.fields import Hint
from ulterion.core.documents.plain import Plain, plain

NAME, VERSION = "ulterion-answer", 3
"""Which format; the version changes when a reader of an older one would be misled (see `ulterion.cli.answer_schema`)."""


class Answer:
    """Base of the dataclasses that answer.  One takes what it can from a result by name, and is given the rest."""

    @classmethod
    def of(cls, result: object, **given: object) -> Self:
        """Return an answer with the fields of a result that have the names of its own, and those that are given."""
        names = [f.name for f in fields(cast(Hint, cls))]
        taken = {n: getattr(result, n) for n in names if n not in given and hasattr(result, n)}
        return cls(**taken, **given)


def as_json(answer: object) -> Plain:
    """Return an answer as plain data for JSON; a mapping is plain already."""
    if isinstance(answer, Mapping):
        return dict(answer)
    data: Plain = plain(answer, nulls=True)
    return data
