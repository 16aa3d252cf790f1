"""Records as plain data, fit for JSON."""

from __future__ import annotations

import datetime
from collections.abc import Mapping, Sequence
from dataclasses import fields
from functools import cache
from types import NoneType
from typing import Any

from ulterion.core.documents.fields import Hint, key_of
from ulterion.core.documents.moments import moment_text

Plain = dict[str, Any]
"""A table of plain data."""
_SIMPLE = {str, int, float, bool, NoneType}


def plain(value: object, *, nulls: bool = False) -> Any:
    """Return a value as plain data: records and tables as dicts, sequences as lists, moments as text.

    A field that is None is left out; with `nulls` it is null, unless it is an `optional` one.  Raises TypeError.
    """
    kind: Hint = type(value)
    if kind in _SIMPLE:
        return value
    if isinstance(value, list | tuple):
        return list(value) if set(map(type, value)) <= _SIMPLE else [plain(v, nulls=nulls) for v in value]
    if hasattr(value, "to_document"):
        return value.to_document()
    if hasattr(kind, "__dataclass_fields__"):
        return _record(value, _keys(kind), nulls=nulls)
    if isinstance(value, Mapping):
        return {k: plain(v, nulls=nulls) for k, v in value.items()}
    if isinstance(value, datetime.datetime):
        return moment_text(value)
    if isinstance(value, datetime.date):
        return value.isoformat()
    if isinstance(value, str | int | float):  # subclasses, such as names of files
        return value
    raise TypeError(f"a {kind.__name__} cannot stand in a document")


def _record(record: object, keys: Sequence[tuple[str, str, bool]], *, nulls: bool) -> Plain:
    told: Plain = {}
    for name, key, optional in keys:
        value = getattr(record, name)
        if value is not None:
            told[key] = plain(value, nulls=nulls)
        elif nulls and not optional:
            told[key] = None
    return told


@cache
def _keys(kind: Hint) -> Sequence[tuple[str, str, bool]]:
    return [(f.name, key_of(f), bool(f.metadata.get("optional"))) for f in fields(kind)]
