"""Field types for quantities that people write with a unit, held in base units (`ulterion.core.units`)."""

from __future__ import annotations

import datetime
from collections.abc import Mapping
from typing import Annotated, Self

from pydantic import BaseModel, BeforeValidator, ConfigDict, Field, PlainSerializer, PlainValidator

from ulterion.core import units
from ulterion.core.links.standards import Link, find_link
from ulterion.core.text import spoken


def _text(value: object, example: str) -> str:
    if not isinstance(value, str):
        raise ValueError(f'{value!r} has no unit; write it in quotes with its unit, like "{example}"')
    return value


Size = Annotated[int, BeforeValidator(lambda v: units.parse_size(_text(v, "512 GB")))]
Rate = Annotated[float, BeforeValidator(lambda v: units.parse_rate(_text(v, "500 MB/s")))]
Iops = Annotated[float, BeforeValidator(lambda v: units.parse_iops(_text(v, "650000 IOPS")))]
Duration = Annotated[float, BeforeValidator(lambda v: units.parse_duration(_text(v, "90 s")))]
Temperature = Annotated[float, BeforeValidator(lambda v: units.parse_temperature(_text(v, "21 C")))]
Power = Annotated[float, BeforeValidator(lambda v: units.parse_power(_text(v, "15 W")))]
HeatCapacity = Annotated[float, BeforeValidator(lambda v: units.parse_in(_text(v, "12 J/K"), "J/K", "heat capacity"))]
HeatResistance = Annotated[
    float, BeforeValidator(lambda v: units.parse_in(_text(v, "8 K/W"), "K/W", "thermal resistance"))
]
Share = Annotated[float, BeforeValidator(lambda v: units.parse_ratio(_text(v, "3%")))]
Price = Annotated[units.Money, BeforeValidator(lambda v: units.parse_money(_text(v, "118 EUR")))]
UNKNOWN_LINKS = ("", "unknown", "usb", "?")  # what people write of a port whose link they want to find out
KnownLink = Annotated[Link, PlainValidator(lambda v: find_link(_text(v, "USB 10 Gb/s")))]

PortLink = Annotated[
    Link | None,
    PlainValidator(
        lambda v: None if v is None or str(v).casefold() in UNKNOWN_LINKS else find_link(_text(v, "USB 10 Gb/s"))
    ),
]
"""A port's link, None for one that is not known: 'unknown', or just 'USB'."""

MAX_COUNT = 2**63 - 1  # of anything counted in a document: bytes, requests
MAX_SECONDS = 1e9  # seconds in a document: thirty years
FIRST_YEAR, LAST_YEAR = 1970, 9000  # of a moment in a document; beyond it the arithmetic of time zones overflows


def moment_of(value: object) -> datetime.datetime:
    """Read a moment with its time zone, in UTC; raise ValueError."""
    moment = datetime.datetime.fromisoformat(value) if isinstance(value, str) else value
    if not isinstance(moment, datetime.datetime) or moment.tzinfo is None or not FIRST_YEAR <= moment.year <= LAST_YEAR:
        raise ValueError("is not a moment with its time zone, such as 2026-03-02T09:00:00Z")
    return moment.astimezone(datetime.UTC)


def moment_text(moment: datetime.datetime) -> str:
    """Return a moment as RFC 3339 in UTC, to the millisecond."""
    return moment.astimezone(datetime.UTC).isoformat(timespec="milliseconds").replace("+00:00", "Z")


def now_utc() -> datetime.datetime:
    """Return the present moment in UTC, to the second."""
    return datetime.datetime.now(datetime.UTC).replace(microsecond=0)


def _spoken(value: object) -> object:
    return spoken(value) if isinstance(value, str) else value


Spoken = Annotated[str, BeforeValidator(_spoken)]
"""A sentence or a name that may hold parts of the names of files."""

Count = Annotated[int, Field(ge=0, le=MAX_COUNT)]
Seconds = Annotated[float, Field(ge=0, le=MAX_SECONDS)]
Moment = Annotated[datetime.datetime, BeforeValidator(moment_of), PlainSerializer(moment_text, return_type=str)]
"""A moment, in UTC."""


class Written(BaseModel):
    """Base of everything read from a file by hand or by program: fixed once read, unknown keys refused."""

    model_config = ConfigDict(extra="forbid", frozen=True, populate_by_name=True, allow_inf_nan=False, defer_build=True)

    def model_copy(self, *, update: Mapping[str, object] | None = None, deep: bool = False) -> Self:
        """Return a copy with changed fields; raise AttributeError for a name that is no field, which pydantic would take."""
        strange = set(update or ()) - type(self).model_fields.keys()
        if strange:
            raise AttributeError(f"{type(self).__name__} has no field {', '.join(sorted(strange))}")
        return super().model_copy(update=update, deep=deep)
