"""Estimates as plain data for JSON: seconds, bytes per second."""

from __future__ import annotations

import math
from collections.abc import Sequence

from typing_extensions import TypedDict

from ulterion.core.estimates.conversions import Told
from ulterion.core.estimates.power import Budget, Cable
from ulterion.features.estimate.power_budget import Supply
from ulterion.features.estimate.recordings import Recorded
from ulterion.features.estimate.transfer_time import TransferTimeRow
from ulterion.features.estimate.value import Value


class PartData(TypedDict):
    """A stretch of the work at one pace."""

    bytes: float
    seconds: float
    rate: float
    end: str
    why: str


class WorkData(TypedDict):
    """A piece of work on a setup, or between two; `low` and `high`: 90 %; `naive`: by the best rate alone; `beyond`: bytes never moved in one go."""

    setup: str
    seconds: float | None
    low: float | None
    high: float | None
    naive: float | None
    parts: list[PartData]
    files_seconds: float | None
    check_seconds: float | None
    beyond: float | None
    runs: list[str]
    why: str | None


class WorksData(TypedDict):
    """`ulterion estimate read`, `write` and `copy`."""

    size: float
    what: str
    works: list[WorkData]


class RecordingData(TypedDict):
    """Whether a stream is taken on a setup; `keeps` null where nothing long was run; `until`: seconds until it stops."""

    setup: str
    keeps: bool | None
    until: float | None
    lowest: float | None
    speed_class: int | None
    media: int | None
    emptying_seconds: float | None


class RecordingsData(TypedDict):
    """`ulterion estimate record`; `size` bytes where it has a length: how many media it fills, and how long they take to be emptied."""

    stream: float
    size: float | None
    setups: list[RecordingData]


class UnitsData(TypedDict):
    """`ulterion estimate units`."""

    kind: str
    quantities: dict[str, str]
    links: dict[str, str]


class ValueData(TypedDict):
    """A product and what it costs: price per MB/s of what was measured, and per GB of what is stated."""

    part: str
    setup: str | None
    price: float
    currency: str
    price_date: str | None
    rate: float | None
    per_rate: float | None
    per_size: float | None
    meets: bool | None


class LoadData(TypedDict):
    """What a part draws, W."""

    name: str
    draws: float
    peak: float
    source: str


class PowerData(TypedDict):
    """`ulterion estimate power`: W; `lost` in the cable, `far_volts` at its far end; None where what is drawn cannot come through."""

    supply: str
    gives: float
    source: str
    volts: float
    lost: float | None
    far_volts: float | None
    loads: list[LoadData]
    left: float
    left_at_peaks: float
    left_one_by_one: float
    starts: int


class ValuesData(TypedDict):
    """`ulterion estimate value`."""

    values: list[ValueData]
    cheapest: list[str]


def works_as_data(rows: Sequence[TransferTimeRow], size: float, what: str) -> WorksData:
    """Return pieces of work."""
    return {"size": size, "what": what, "works": [_work(r) for r in rows]}


def _work(row: TransferTimeRow) -> WorkData:
    one = row.work
    return {
        "setup": row.setup,
        "seconds": one.seconds if one else None,
        "low": one.low if one else None,
        "high": one.high if one else None,
        "naive": row.naive,
        "parts": [
            {"bytes": p.bytes, "seconds": p.seconds, "rate": p.rate, "end": p.end, "why": p.why} for p in one.parts
        ]
        if one
        else [],
        "files_seconds": one.files if one else None,
        "check_seconds": one.check if one else None,
        "beyond": one.beyond if one else None,
        "runs": list(row.runs),
        "why": row.why,
    }


def recordings_as_data(found: Sequence[Recorded], stream: float, size: float | None) -> RecordingsData:
    """Return recordings."""
    return {"stream": stream, "size": size, "setups": [_recorded(one) for one in found]}


def _recorded(one: Recorded) -> RecordingData:
    told = one.recording
    return {
        "setup": one.setup,
        "keeps": told.keeps if told else None,
        "until": told.until if told else None,
        "lowest": told.lowest if told else None,
        "speed_class": one.speed_class,
        "media": one.media,
        "emptying_seconds": one.emptying.seconds if one.emptying else None,
    }


def units_as_data(kind: str, told: Told, links: Told) -> UnitsData:
    """Return a quantity in other units."""
    return {"kind": kind, "quantities": dict(told), "links": dict(links)}


def power_as_data(supply: Supply, cable: Cable | None, found: Budget) -> PowerData:
    """Return a budget of power."""
    drawn = math.fsum(p.draws for p in found.loads)
    return {
        "supply": supply.name,
        "gives": supply.gives,
        "source": supply.source,
        "volts": supply.volts,
        "lost": 0.0 if cable is None else cable.lost(drawn),
        "far_volts": supply.volts if cable is None else cable.far_volts(drawn),
        "loads": [{"name": p.name, "draws": p.draws, "peak": p.peak, "source": p.source} for p in found.loads],
        "left": found.left,
        "left_at_peaks": found.left_at_peaks,
        "left_one_by_one": found.left_one_by_one,
        "starts": found.starts,
    }


def values_as_data(found: Sequence[Value], best: Sequence[Value]) -> ValuesData:
    """Return what money buys."""
    return {
        "values": [
            {
                "part": v.part,
                "setup": v.setup,
                "price": v.price.amount,
                "currency": v.price.currency,
                "price_date": v.seen.isoformat() if v.seen else None,
                "rate": v.rate,
                "per_rate": v.per_rate,
                "per_size": v.per_size,
                "meets": v.meets,
            }
            for v in found
        ],
        "cheapest": [v.part for v in best],
    }
