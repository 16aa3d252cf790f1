"""What must be plugged in where."""

from __future__ import annotations

from typing import ClassVar

from ulterion.core.documents.fields import Field
from ulterion.core.documents.written import Written
from ulterion.model.quantities import KnownLink


class Expect(Written):
    """What must be plugged in where, before a setup is used."""

    tells_given: ClassVar[bool] = True

    serial: str | None = Field(default=None, min_length=1, description="serial number of the drive")
    link: KnownLink | None = Field(default=None, description="the link it runs at, or more")
    driver: str | None = Field(default=None, min_length=1, description="kernel driver: uas, usb-storage, nvme, ...")
    port: str | None = Field(
        default=None, min_length=1, description="where it is plugged in, as 'ulterion survey' shows it"
    )
