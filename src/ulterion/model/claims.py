"""What makers print on the box, and what labels say of power."""

from __future__ import annotations

import datetime
from collections.abc import Sequence
from dataclasses import fields
from typing import Literal

from ulterion.core.documents.fields import Field
from ulterion.core.documents.values import InvalidError
from ulterion.core.documents.written import Written
from ulterion.core.errors import unknown
from ulterion.core.patterns import pattern
from ulterion.core.units import MAX_TEXT
from ulterion.model.quantities import Iops, KnownLink, Power, Rate, Size, Temperature

_AT_VOLTS = pattern(r"\bat\s+(\d{1,3}(?:\.\d+)?)\s*V\s*$")


class Claims(Written):
    """What a maker prints on the box, each an 'up to'."""

    read: Rate | None = Field(default=None, description="large sequential reads")
    write: Rate | None = Field(default=None, description="large sequential writes")
    random_read: Iops | None = Field(default=None, description="small random reads, many at once")
    random_write: Iops | None = Field(default=None, description="small random writes, many at once")
    link: KnownLink | None = Field(default=None, description="the link it is sold as")
    capacity: Size | None = None
    power: Power | None = None
    temperature: Temperature | None = Field(default=None, description="highest the maker promises")
    speed_class: Literal["V6", "V10", "V30", "V60", "V90"] | None = Field(
        default=None, description="video speed class: sustained writing never below so many MB/s"
    )


CLAIMS = tuple(f.name for f in fields(Claims))
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
    date: datetime.date | None = Field(default=None, description="when it was seen there")
    up_to: bool = Field(default=False, description="whether it says 'up to'")

    def check_whole(self) -> None:
        """Raise ValueError where the claim is not known, or its value cannot be read."""
        if self.claim not in CLAIMS:
            raise ValueError(unknown("claim", self.claim, CLAIMS))
        self.amount  # noqa: B018 - raises where it cannot be read

    @property
    def amount(self) -> object:
        """The value in base units."""
        try:
            return getattr(Claims.from_data({self.claim: self.value}), self.claim)
        except InvalidError as error:
            raise ValueError(str(error)) from error


def with_said(claims: Claims, said: Sequence[Said]) -> Claims:
    """Return claims with what is only noted as said somewhere: of several numbers the boldest, else the first."""
    missing: dict[str, object] = {}
    for name in dict.fromkeys(s.claim for s in said):
        amounts = [s.amount for s in said if s.claim == name]
        if getattr(claims, name) is None:
            numbers = [a for a in amounts if name in NUMBERS and isinstance(a, int | float)]
            missing[name] = max(numbers) if numbers else amounts[0]
    return claims.changed(**missing) if missing else claims


class Faster(Written):
    """A claim to be so many times as fast as another part."""

    than: str = Field(description="name of the other part")
    times: float = Field(gt=0, le=1000)
    workload: str | None = Field(
        default=None, min_length=1, description="what it is about: read, write, or a workload; all when left out"
    )
    source: str = Field(default="", description="where it is said: box, shop page, maker's page; and when")


class PowerFacts(Written):
    """What a label, or a meter of the reviewer's, says of power."""

    draws: Power | None = Field(default=None, description="at work")
    peak: Power | None = Field(default=None, description="at its peak: spinning up, writing hardest")
    supplies: Power | None = Field(default=None, description="a hub's or charger's, to all that hangs on it")
    volts: float | None = Field(
        default=None, gt=0, le=400, description="at which it supplies; 5 unless it is said here, or with a current"
    )

    @classmethod
    def as_now(cls, data: object) -> object:
        """Return what is told with the volts that a supply of '2 A at 12 V' says."""
        told = data.get("supplies") if isinstance(data, dict) and "volts" not in data else None
        match = _AT_VOLTS.search(told) if isinstance(told, str) and len(told) <= MAX_TEXT else None
        return {**data, "volts": float(match[1])} if match is not None and isinstance(data, dict) else data
