"""What makers print on the box, and what labels say of power."""

from __future__ import annotations

from typing import Literal

from pydantic import Field

from ulterion.model.quantities import Iops, KnownLink, Power, Rate, Size, Temperature, Written


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
