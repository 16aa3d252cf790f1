"""Field types for quantities that people write with a unit, held in base units (`ulterion.core.units`)."""

from __future__ import annotations

import datetime
from typing import Annotated

from ulterion.core import units
from ulterion.core.documents.fields import Before, Instead, Limits
from ulterion.core.documents.moments import moment_of
from ulterion.core.links.standards import Link, find_link
from ulterion.core.text import spoken


def _text(value: object, example: str) -> str:
    if not isinstance(value, str):
        raise ValueError(f'{value!r} has no unit; write it in quotes with its unit, like "{example}"')
    return value


Size = Annotated[int, Before(lambda v: units.parse_size(_text(v, "512 GB")))]
Rate = Annotated[float, Before(lambda v: units.parse_rate(_text(v, "500 MB/s")))]
Iops = Annotated[float, Before(lambda v: units.parse_iops(_text(v, "650000 IOPS")))]
Duration = Annotated[float, Before(lambda v: units.parse_duration(_text(v, "90 s")))]
Temperature = Annotated[float, Before(lambda v: units.parse_temperature(_text(v, "21 C")))]
Power = Annotated[float, Before(lambda v: units.parse_power(_text(v, "15 W")))]
HeatCapacity = Annotated[float, Before(lambda v: units.parse_in(_text(v, "12 J/K"), "J/K", "heat capacity"))]
HeatResistance = Annotated[float, Before(lambda v: units.parse_in(_text(v, "8 K/W"), "K/W", "thermal resistance"))]
Share = Annotated[float, Before(lambda v: units.parse_ratio(_text(v, "3%")))]
Price = Annotated[units.Money, Instead(lambda v: units.parse_money(_text(v, "118 EUR")))]
UNKNOWN_LINKS = ("", "unknown", "usb", "?")  # what people write of a port whose link they want to find out
KnownLink = Annotated[Link, Instead(lambda v: find_link(_text(v, "USB 10 Gb/s")))]

PortLink = Annotated[
    Link | None,
    Instead(lambda v: None if v is None or str(v).casefold() in UNKNOWN_LINKS else find_link(_text(v, "USB 10 Gb/s"))),
]
"""A port's link, None for one that is not known: 'unknown', or just 'USB'."""

MAX_COUNT = 2**63 - 1  # of anything counted in a document: bytes, requests
MAX_SECONDS = 1e9  # seconds in a document: thirty years


def now_utc() -> datetime.datetime:
    """Return the present moment in UTC, to the second."""
    return datetime.datetime.now(datetime.UTC).replace(microsecond=0)


def _spoken(value: object) -> object:
    return spoken(value) if isinstance(value, str) else value


Spoken = Annotated[str, Before(_spoken)]
"""A sentence or a name that may hold parts of the names of files."""

Count = Annotated[int, Limits(ge=0, le=MAX_COUNT)]
Seconds = Annotated[float, Limits(ge=0, le=MAX_SECONDS)]
Moment = Annotated[datetime.datetime, Instead(moment_of)]
"""A moment, in UTC."""
