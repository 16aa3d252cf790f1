"""Constraints on the fields of records beyond their types, and their descriptions."""

from __future__ import annotations

import dataclasses
import math
import re
import sys
from collections.abc import Callable
from typing import Any, cast

from ulterion.core.records import dataclass

Hint = Any  # a type annotation, for which `typing` has no type
Reader = Callable[[object], object]
"""Turns plain data into a value.  Raises ValueError."""


@dataclass(frozen=True)
class Limits:
    """Bounds of a number, the least length of a text or list, or the pattern of a text."""

    ge: float | None = None
    gt: float | None = None
    le: float | None = None
    lt: float | None = None
    min_length: int = 0
    pattern: str | None = None

    def check(self, value: object) -> None:
        """Raise ValueError if a value is outside the limits.  None is always inside."""
        if isinstance(value, int | float):
            if not self.hold(value, value):
                raise ValueError(f"is {str(value)[:30]}; it must be {self.words}")
        elif isinstance(value, str | list) and len(value) < self.min_length:
            raise ValueError("is empty; fill it in, or leave it out")
        elif isinstance(value, str) and self.pattern is not None and not re.search(self.pattern, value):
            raise ValueError(f"is '{value[:60]}', which does not fit {self.pattern}")

    def ends(self, kind: type) -> tuple[float, float]:
        """Return the smallest and largest int, or float, inside the limits."""
        most = sys.float_info.max if kind is float else math.inf
        low = -most if self.ge is None else self.ge
        high = most if self.le is None else self.le
        if self.gt is not None:
            low = max(low, math.nextafter(self.gt, math.inf) if kind is float else math.floor(self.gt) + 1)
        if self.lt is not None:
            high = min(high, math.nextafter(self.lt, -math.inf) if kind is float else math.ceil(self.lt) - 1)
        return low, high

    def hold(self, least: float, most: float) -> bool:
        """Return whether all numbers from `least` to `most` are inside the limits."""
        return (
            (self.ge is None or least >= self.ge)
            and (self.gt is None or least > self.gt)
            and (self.le is None or most <= self.le)
            and (self.lt is None or most < self.lt)
        )

    @property
    def words(self) -> str:
        """The bounds of a number in words."""
        bounds = {"at least": self.ge, "more than": self.gt, "at most": self.le, "less than": self.lt}
        return " and ".join(f"{word} {bound:g}" for word, bound in bounds.items() if bound is not None)


@dataclass(frozen=True)
class Before:
    """A function applied to plain data before its type is checked.  It may raise ValueError."""

    function: Callable[[object], object]


@dataclass(frozen=True)
class After:
    """A function applied to a value once it is read, which returns the value.  It may raise ValueError."""

    function: Callable[..., object]


@dataclass(frozen=True)
class Instead:
    """A function that reads plain data instead of the type's own reader.  It may raise ValueError."""

    function: Callable[[object], object]


@dataclass(frozen=True)
class ToldBy:
    """A choice between record types by the value of one field; each type has its own values for it."""

    field: str
    kinds: tuple[type, ...]


def Field(  # noqa: N802 - capitalised because it stands for a field, not for a value
    *, default: Any = dataclasses.MISSING, key: str | None = None, description: str = "", **limits: Hint
) -> Any:
    """Return the field of a record.

    Args:
        default: the value if a document leaves the field out; without a default the field is required.
        key: its name in documents, if that is not a valid name in Python.
        description: its description in the published schema.
        limits: arguments of `Limits`.
    """
    metadata = {"key": key, "description": description, "limits": Limits(**limits) if limits else None}
    return cast("Any", dataclasses.field)(**_default(default), metadata=metadata)


def _default(default: object) -> dict[str, object]:
    """Return the argument of `dataclasses.field` for a default; each record gets its own copy of a list or dict."""
    return {"default_factory": default.copy} if isinstance(default, list | dict) else {"default": default}


def optional() -> Any:
    """Return a field of an answer that is left out when it is None, instead of being null."""
    return dataclasses.field(default=None, metadata={"optional": True})


def key_of(field: dataclasses.Field[object]) -> str:
    """Return the name of a field in documents."""
    return field.metadata.get("key") or field.name


def has_default(field: dataclasses.Field[object]) -> bool:
    """Return whether a document may leave a field out."""
    return field.default is not dataclasses.MISSING or field.default_factory is not dataclasses.MISSING
