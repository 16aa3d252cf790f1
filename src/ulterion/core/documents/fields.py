"""What a field of a record may hold beside its type, and what is said of it."""

from __future__ import annotations

import dataclasses
import math
import re
import sys
from collections.abc import Callable
from typing import Any, cast

from ulterion.core.records import dataclass

Hint = Any  # a type, or what `typing` makes of types, which has no type of its own
Reader = Callable[[object], object]
"""Makes a value of plain data.  Raises ValueError."""


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
        """Raise ValueError where a value is outside them.  None is in all of them."""
        if isinstance(value, int | float):
            if not self.hold(value, value):
                raise ValueError(f"is {str(value)[:30]}; it must be {self.words}")
        elif isinstance(value, str | list) and len(value) < self.min_length:
            raise ValueError("is empty; fill it in, or leave it out")
        elif isinstance(value, str) and self.pattern is not None and not re.search(self.pattern, value):
            raise ValueError(f"is '{value[:60]}', which does not fit {self.pattern}")

    def ends(self, kind: type) -> tuple[float, float]:
        """Return the least and the greatest number of a kind, int or float, that is inside."""
        most = sys.float_info.max if kind is float else math.inf
        low = -most if self.ge is None else self.ge
        high = most if self.le is None else self.le
        if self.gt is not None:
            low = max(low, math.nextafter(self.gt, math.inf) if kind is float else math.floor(self.gt) + 1)
        if self.lt is not None:
            high = min(high, math.nextafter(self.lt, -math.inf) if kind is float else math.ceil(self.lt) - 1)
        return low, high

    def hold(self, least: float, most: float) -> bool:
        """Return whether numbers from `least` to `most` are all inside."""
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
    """What is done to plain data before its type is looked at.  Raises ValueError."""

    function: Callable[[object], object]


@dataclass(frozen=True)
class After:
    """What looks at a value that was read, and returns it.  Raises ValueError."""

    function: Callable[..., object]


@dataclass(frozen=True)
class Instead:
    """What reads plain data in the place of the type.  Raises ValueError."""

    function: Callable[[object], object]


@dataclass(frozen=True)
class ToldBy:
    """Which of several records there is, told by the value of a field that each has its own values of."""

    field: str
    kinds: tuple[type, ...]


def Field(  # noqa: N802 - it stands in the place of a value, as `dataclasses.field` does
    *, default: Any = dataclasses.MISSING, key: str | None = None, description: str = "", **limits: Hint
) -> Any:
    """Return the field of a record.

    Args:
        default: its value where a document has none; without it the document must have one.
        key: what it is called in documents, where that is no name in Python.
        description: what is said of it in the published schema.
        limits: fields of `Limits`.
    """
    metadata = {"key": key, "description": description, "limits": Limits(**limits) if limits else None}
    return cast("Any", dataclasses.field)(**_default(default), metadata=metadata)


def _default(default: object) -> dict[str, object]:
    """Return how `dataclasses.field` is told of a default; of a list or a table each record has its own."""
    return {"default_factory": default.copy} if isinstance(default, list | dict) else {"default": default}


def optional() -> Any:
    """Return a field that is left out of an answer, rather than null, where there is nothing to say."""
    return dataclasses.field(default=None, metadata={"optional": True})


def key_of(field: dataclasses.Field[object]) -> str:
    """Return what a field is called in documents."""
    return field.metadata.get("key") or field.name


def has_default(field: dataclasses.Field[object]) -> bool:
    """Return whether a document may leave a field out."""
    return field.default is not dataclasses.MISSING or field.default_factory is not dataclasses.MISSING
