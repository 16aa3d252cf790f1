"""Readers of whole lists: numbers, text, and short tuples of them.

A series has thousands of values, nearly always valid.  They are checked together, and one by one only if that fails.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from types import NoneType, UnionType
from typing import Annotated, Any, Union, get_args, get_origin

from ulterion.core.documents.fields import Hint, Limits

Values = Sequence[Any]
Bulk = Callable[[Values], list[object] | None]
"""Reads a whole list, or returns None if its values must be read one by one."""


def bulk_reader_of(kind: Hint) -> Bulk | None:
    """Return a reader of whole lists of numbers, text or short tuples of them; None for other types."""
    if kind in (int, float):
        return _bulk_numbers(kind, Limits())
    if kind is str:
        return lambda values: list(values) if set(map(type, values)) <= {str} and "".join(values).isascii() else None
    origin: Hint = get_origin(kind)
    arguments = get_args(kind)
    if (
        origin is Annotated
        and arguments[0] in (int, float)
        and len(arguments) == 2
        and isinstance(arguments[1], Limits)
    ):
        return _bulk_numbers(arguments[0], arguments[1])
    if origin in (Union, UnionType) and NoneType in arguments and len(arguments) == 2:
        return _bulk_nullable(bulk_reader_of(next(a for a in arguments if a is not NoneType)))
    if origin is tuple and Ellipsis not in arguments:
        return _bulk_tuples([bulk_reader_of(a) for a in arguments])
    return None


def _bulk_numbers(kind: type, limits: Limits) -> Bulk:
    known = {int} if kind is int else {int, float}

    def read_numbers(values: Values) -> list[object] | None:
        found = set(map(type, values))
        if not found <= known or (values and not limits.hold(min(values), max(values))):
            return None
        if kind is int:
            return list(values)
        try:
            numbers = list(map(float, values)) if int in found else list(values)
        except OverflowError:
            return None
        return numbers if math.isfinite(sum(numbers)) else None

    return read_numbers


def _bulk_nullable(bulk: Bulk | None) -> Bulk | None:
    if bulk is None:
        return None

    def read_nullable(values: Values) -> list[object] | None:
        known = [v for v in values if v is not None]
        got = bulk(known)
        if got is None or len(known) == len(values):
            return got
        rest = iter(got)
        return [None if v is None else next(rest) for v in values]

    return read_nullable


def _bulk_tuples(bulks: Sequence[Bulk | None]) -> Bulk | None:
    if None in bulks:
        return None

    def read_tuples(values: Values) -> list[object] | None:
        if not set(map(type, values)) <= {list, tuple} or not set(map(len, values)) <= {len(bulks)}:
            return None
        columns = [bulk(column) for bulk, column in zip(bulks, zip(*values, strict=True), strict=False) if bulk]
        return None if None in columns else list(zip(*columns, strict=True))

    return read_tuples
