"""Readers of single values, and the faults they report.

Types are strict: `1.0` is accepted as a whole number, `true` and `"1"` are not.
"""

from __future__ import annotations

import datetime
import math
from collections.abc import Mapping, Sequence
from types import NoneType
from typing import Any, Literal

from ulterion.core.documents.fields import Hint, Reader
from ulterion.core.records import dataclass
from ulterion.core.text import has_surrogates

Place = tuple[int | str, ...]


@dataclass(frozen=True)
class Fault:
    """One fault in plain data: where it is (keys and list positions), its kind, and a message."""

    place: Place
    kind: Literal["unknown", "missing", "wrong"]
    why: str


class InvalidError(ValueError):
    """Plain data do not match their type.

    Attributes:
        faults: every fault found.
    """

    def __init__(self, faults: Sequence[Fault]) -> None:
        first = faults[0]
        super().__init__(f"{'.'.join(map(str, first.place))}: {first.why}" if first.place else first.why)
        self.faults = faults


def faults_inside(step: int | str, error: ValueError) -> list[Fault]:
    """Return the faults of an error one level down, with this level's key or position in front."""
    if isinstance(error, InvalidError):
        return [Fault((step, *f.place), f.kind, f.why) for f in error.faults]
    return [Fault((step,), "wrong", str(error))]


def wrong(value: object, wanted: str) -> ValueError:
    """Return an error that says what a value is, and what it should be."""
    told = {dict: "a table", list: "a list", bool: str(value).lower(), NoneType: "null"}
    return ValueError(f"is {told.get(type(value), repr(value)[:60])}, not {wanted}")


def _text(value: object) -> str:
    if type(value) is str and value.isascii():
        return value
    if not isinstance(value, str):
        raise wrong(value, "text")
    if has_surrogates(value):
        raise ValueError("holds bytes that are not UTF-8")
    return value


def _whole_number(value: object) -> int:
    if type(value) is int:
        return value
    if isinstance(value, float) and value.is_integer():
        return int(value)
    raise wrong(value, "a whole number")


def _number(value: object) -> float:
    if isinstance(value, bool) or not isinstance(value, int | float):
        raise wrong(value, "a number")
    try:
        number = float(value)
    except OverflowError as error:
        raise ValueError("is too large a number") from error
    if not math.isfinite(number):
        raise ValueError(f"is {number}, not a finite number")
    return number


def _yes_or_no(value: object) -> bool:
    if not isinstance(value, bool):
        raise wrong(value, "true or false")
    return value


def _nothing(value: object) -> None:
    if value is not None:
        raise wrong(value, "null")


def _date(value: object) -> datetime.date:
    if isinstance(value, str):
        try:
            return datetime.date.fromisoformat(value)
        except ValueError:
            pass
    if type(value) is not datetime.date:
        raise wrong(value, "a date, such as 2026-03-02")
    return value


SIMPLE: Mapping[Hint, Reader] = {
    str: _text,
    int: _whole_number,
    float: _number,
    bool: _yes_or_no,
    None: _nothing,
    NoneType: _nothing,
    datetime.date: _date,
    object: lambda value: value,
    Any: lambda value: value,
}
