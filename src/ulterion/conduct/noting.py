"""Readings, outcomes and remarks: what the reviewer sees and no sensor does, put where it belongs."""

from __future__ import annotations

import datetime
import re

from ulterion.core.errors import UnitError, UsageError
from ulterion.core.units import parse_power, parse_temperature
from ulterion.model.runs.noted import Note, Reading

OUTCOMES = {
    "not recognised": "the system does not see it",
    "needs external power": "it works only with a supply of its own",
    "disconnected under load": "it went away while it worked",
    "stopped": "it ended before its time",
    "port lacks power": "the port does not feed it",
}
_READING = re.compile(r"([A-Za-z][\w .-]*?)\s*[=:]?\s+([+-]?\d+(?:\.\d+)?\s*(?:°?[CF]|mW|W))(?:\s+(.*))?")


def now_utc() -> datetime.datetime:
    """Return the present moment in UTC, to the second."""
    return datetime.datetime.now(datetime.UTC).replace(microsecond=0)


def parse_note(text: str, at_seconds: float | None = None) -> Reading | Note:
    """Read what a reviewer writes down: 'case 38 C' is a reading, a known outcome an outcome, the rest a remark.

    Raises UsageError for an empty text or a temperature that cannot be.
    """
    text = " ".join(text.split())
    if not text:
        raise UsageError("nothing to note; write a reading like 'case 38 C', an outcome, or a remark")
    match = _READING.fullmatch(text)
    if match is not None:
        value, unit = _quantity(match[2])
        return Reading(what=match[1].strip(), value=value, unit=unit, at_seconds=at_seconds, remark=match[3] or "")
    kind = next((o for o in OUTCOMES if text.casefold().startswith(o)), None)
    return Note(kind="outcome" if kind else "remark", text=text, at_seconds=at_seconds, noted=now_utc())


def _quantity(text: str) -> tuple[float, str]:
    """Return a value in degrees Celsius or watts, and its unit."""
    try:
        if text.rstrip().endswith("W"):
            return parse_power(text), "W"
        return round(parse_temperature(text), 2), "C"
    except UnitError as error:
        raise UsageError(f"{error}; write a reading like 'case 38 C' or 'power 4.2 W'") from error
