"""Readings, outcomes and remarks: what the reviewer sees and no sensor does, put where it belongs."""

from __future__ import annotations

import re
from typing import Literal

from ulterion.core.errors import UnitError, UsageError
from ulterion.core.outcomes import read_outcome
from ulterion.core.patterns import pattern
from ulterion.core.units import parse_power, parse_rate, parse_temperature
from ulterion.model.quantities import now_utc
from ulterion.model.runs.notes import Note, Reading

WARM_THINGS = (
    "case",
    "room",
    "skin",
    "drive",
    "surface",
    "air",
    "ambient",
    "bridge",
    "hub",
    "reader",
    "cable",
    "plug",
    "card",
)
"""What a bare number beside it is degrees Celsius of."""
_VALUE = r"[+-]?\d+(?:\.\d+)?"
_QUANTITY = rf"{_VALUE}\s*(?:°?[CF]|mW|W|[kMG]i?B/s|[MG]b/s)"
_READING = pattern(rf"([A-Za-z][\w .-]*?)\s*[=:]?\s+({_QUANTITY})(?:[\s,;]+(.*))?")
_REVERSED = pattern(rf"({_QUANTITY})\s+([A-Za-z]\w*)()")
_BARE = pattern(rf"({'|'.join(WARM_THINGS)})\s*[=:]?\s+({_VALUE})()", re.IGNORECASE)
_DEGREES = pattern(
    rf"({_VALUE})\s*(?:degrees?\s+|deg\.?\s*)?(celsius|centigrade|fahrenheit)\b|({_VALUE})\s*(?:degrees?|deg\.?)\s*([CF])\b",
    re.IGNORECASE,
)
_UNCLEAR = pattern(rf"(?:{'|'.join(WARM_THINGS)})\s*[=:]?\s*{_VALUE}\s*(?:degrees?|deg\.?|°)(?:\s|$)", re.IGNORECASE)


def parse_note(text: str, at_seconds: float | None = None) -> Reading | Note:
    """Read what a reviewer writes down: 'case 38 C' is a reading, a known outcome an outcome, the rest a remark.

    '38 C case' and 'case 38' say the same; 'rate 117 MB/s' is a reading too, and what follows a value is its remark.
    Raises UsageError for an empty text or a temperature that cannot be.
    """
    text = " ".join(text.split())
    if not text:
        raise UsageError("nothing to note; write a reading like 'case 38 C', an outcome, or a remark")
    text = _DEGREES.sub(_in_letters, text)
    match = _READING.fullmatch(text)
    parts = (match[1], match[2], match[3]) if match is not None else _other_order(text)
    if parts is not None:
        value, unit = _quantity(parts[1])
        return Reading(what=parts[0].strip(), value=value, unit=unit, at_seconds=at_seconds, remark=parts[2] or "")
    if _UNCLEAR.match(text):
        raise UsageError(f"'{text}': Celsius or Fahrenheit? Write 'case 38 C' or 'case 100 F'")
    kind: Literal["outcome", "remark"] = "outcome" if read_outcome(text) is not None else "remark"
    return Note(kind=kind, text=text, at_seconds=at_seconds, noted=now_utc())


def _in_letters(match: re.Match[str]) -> str:
    """Return a temperature whose scale is written out as '38 C' or '100 F'."""
    value, scale = match[1] or match[3], (match[2] or match[4])[0].upper()
    return f"{value} {scale}"


def _other_order(text: str) -> tuple[str, str, str] | None:
    """Return what, quantity and remark of a reading with its value first, or without its unit; None of anything else."""
    reversed_, bare = _REVERSED.fullmatch(text), _BARE.fullmatch(text)
    if reversed_ is not None:
        return reversed_[2], reversed_[1], ""
    return (bare[1], f"{bare[2]} °C", "") if bare is not None else None


def _quantity(text: str) -> tuple[float, str]:
    """Return a value in degrees Celsius, watts or MB/s, and its unit."""
    try:
        if text.rstrip().endswith("/s"):
            return round(parse_rate(text) / 1e6, 6), "MB/s"
        if text.rstrip().endswith("W"):
            return parse_power(text), "W"
        return round(parse_temperature(text), 2), "C"
    except UnitError as error:
        raise UsageError(f"{error}; write a reading like 'case 38 C' or 'power 4.2 W'") from error
