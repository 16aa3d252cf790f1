"""What must be plugged in where."""

from __future__ import annotations

from pydantic import Field

from ulterion.model.quantities import KnownLink, Written


class Expect(Written):
    """What must be plugged in where, before a setup is used."""

    serial: str | None = Field(None, min_length=1, description="serial number of the drive")
    link: KnownLink | None = Field(None, description="the link it runs at, or more")
    driver: str | None = Field(None, min_length=1, description="kernel driver: uas, usb-storage, nvme, ...")
    port: str | None = Field(None, min_length=1, description="where it is plugged in, as 'ulterion survey' shows it")
