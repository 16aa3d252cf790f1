"""Field types for quantities that people write with a unit, held in base units (`ulterion.core.units`)."""

from __future__ import annotations

from typing import Annotated, Any

from pydantic import BaseModel, BeforeValidator, ConfigDict

from ulterion.core import units
from ulterion.core.links import Link, find_link


def _text(value: Any, example: str) -> str:
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
Share = Annotated[float, BeforeValidator(lambda v: units.parse_ratio(_text(v, "3 %")))]
Price = Annotated[units.Money, BeforeValidator(lambda v: units.parse_money(_text(v, "118 EUR")))]
KnownLink = Annotated[Link, BeforeValidator(lambda v: find_link(_text(v, "USB 10 Gb/s")))]


class Written(BaseModel):
    """Base of everything read from a file by hand or by program: fixed once read, unknown keys refused."""

    model_config = ConfigDict(extra="forbid", frozen=True, populate_by_name=True)
