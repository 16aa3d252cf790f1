"""What makers print on the box, and what labels say of power."""

from __future__ import annotations

import datetime
import re
from collections.abc import Sequence
from typing import Literal

from pydantic import Field, ValidationError, model_validator

from ulterion.core.errors import unknown
from ulterion.core.units import MAX_TEXT
from ulterion.model.quantities import Iops, KnownLink, Power, Rate, Size, Temperature, Written

_AT_VOLTS = re.compile(r"\bat\s+(\d{1,3}(?:\.\d+)?)\s*V\s*$")


class Claims(Written):
    """What a maker prints on the box, each an 'up to'."""

    read: Rate | None = Field(None, description="large sequential reads")
    write: Rate | None = Field(None, description="large sequential writes")
    random_read: Iops | None = Field(None, description="small random reads, many at once")
    random_write: Iops | None = Field(None, description="small random writes, many at once")
    link: KnownLink | None = Field(None, description="the link it is sold as")
    capacity: Size | None = None
    power: Power | None = None
    temperature: Temperature | None = Field(None, description="highest the maker promises")
    speed_class: Literal["V6", "V10", "V30", "V60", "V90"] | None = Field(
        None, description="video speed class: sustained writing never below so many MB/s"
    )


CLAIMS = tuple(Claims.model_fields)
NUMBERS = (
    "read",
    "write",
    "random_read",
    "random_write",
    "capacity",
    "power",
    "temperature",
)  # of which the largest is the boldest


class Said(Written):
    """Who says a claim, where and when."""

    claim: str = Field(description="which claim: " + ", ".join(CLAIMS))
    value: str = Field(min_length=1, description="as it stands there, with its unit")
    where: str = Field(min_length=1, description="box, a shop's page, the maker's page, an advertisement, ...")
    date: datetime.date | None = Field(None, description="when it was seen there")
    up_to: bool = Field(False, description="whether it says 'up to'")

    @model_validator(mode="after")
    def _can_be_read(self) -> Said:
        if self.claim not in CLAIMS:
            raise ValueError(unknown("claim", self.claim, CLAIMS))
        self.amount  # noqa: B018 - raises where it cannot be read
        return self

    @property
    def amount(self) -> object:
        """The value in base units."""
        try:
            return getattr(Claims.model_validate({self.claim: self.value}), self.claim)
        except ValidationError as error:
            raise ValueError(f"{self.claim}: {error.errors()[0]['msg']}") from error


def with_said(claims: Claims, said: Sequence[Said]) -> Claims:
    """Return claims with what is only noted as said somewhere: of several numbers the boldest, else the first."""
    missing: dict[str, object] = {}
    for name in dict.fromkeys(s.claim for s in said):
        amounts = [s.amount for s in said if s.claim == name]
        if getattr(claims, name) is None:
            numbers = [a for a in amounts if name in NUMBERS and isinstance(a, int | float)]
            missing[name] = max(numbers) if numbers else amounts[0]
    return claims.model_copy(update=missing) if missing else claims


class Faster(Written):
    """A claim to be so many times as fast as another part."""

    than: str = Field(description="name of the other part")
    times: float = Field(gt=0, le=1000)
    workload: str | None = Field(
        None, min_length=1, description="what it is about: read, write, or a workload; all when left out"
    )
    source: str = Field("", description="where it is said: box, shop page, maker's page; and when")


class PowerFacts(Written):
    """What a label, or a meter of the reviewer's, says of power."""

    draws: Power | None = Field(None, description="at work")
    peak: Power | None = Field(None, description="at its peak: spinning up, writing hardest")
    supplies: Power | None = Field(None, description="a hub's or charger's, to all that hangs on it")
    volts: float | None = Field(
        None, gt=0, le=400, description="at which it supplies; 5 unless it is said here, or with a current"
    )

    @model_validator(mode="before")
    @classmethod
    def _volts_of_a_current(cls, data: object) -> object:
        """A supply of '2 A at 12 V' says its volts."""
        told = data.get("supplies") if isinstance(data, dict) and "volts" not in data else None
        match = _AT_VOLTS.search(told) if isinstance(told, str) and len(told) <= MAX_TEXT else None
        return {**data, "volts": float(match[1])} if match is not None and isinstance(data, dict) else data
