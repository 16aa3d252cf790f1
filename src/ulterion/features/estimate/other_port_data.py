"""A reader's own port, and energy, as plain data for JSON: bytes per second, seconds, W, J."""

from __future__ import annotations

from collections.abc import Sequence

from typing_extensions import TypedDict

from ulterion.core.estimates.readers import Reader
from ulterion.features.estimate.energy import Energy
from ulterion.features.estimate.other_port import Suggestion, There


class ThereData(TypedDict):
    """One direction on that port: between which rates, and times for the size asked for; `basis` says where it is known from."""

    low: float
    high: float
    basis: str
    seconds_low: float | None
    seconds_high: float | None


class SuggestionData(TypedDict):
    """A chain on a reader's port; `read` and `write` null where it does not fit or was not measured."""

    parts: list[str]
    port: str
    negotiated: str | None
    read: ThereData | None
    write: ThereData | None
    setup: str | None
    runs: list[str]
    why: str | None


class ReaderData(TypedDict):
    """`ulterion estimate --for`."""

    ports: list[str]
    size: float | None
    period: str | None
    suggestions: list[SuggestionData]


class EnergyData(TypedDict):
    """What a soak's load drew."""

    setup: str
    run: str
    direction: str
    watts: float
    peak: float
    idle: float | None
    per_gigabyte: float
    above_rest: float | None
    joules_for_size: float | None


class EnergiesData(TypedDict):
    """`ulterion estimate energy`."""

    size: float | None
    energies: list[EnergyData]


def reader_as_data(reader: Reader, found: Sequence[Suggestion]) -> ReaderData:
    """Return what tested products give on a reader's port."""
    return {
        "ports": [k.name for k in reader.links],
        "size": reader.size,
        "period": reader.period,
        "suggestions": [
            {
                "parts": list(s.parts),
                "port": s.link.name,
                "negotiated": s.negotiated.name if s.negotiated else None,
                "read": _there(s.ways.get("read")),
                "write": _there(s.ways.get("write")),
                "setup": s.setup,
                "runs": list(s.runs),
                "why": s.why,
            }
            for s in found
        ],
    }


def _there(way: There | None) -> ThereData | None:
    if way is None:
        return None
    return {
        "low": way.low,
        "high": way.high,
        "basis": way.basis,
        "seconds_low": way.quick.low if way.quick else None,
        "seconds_high": way.slow.high if way.slow else None,
    }


def energies_as_data(found: Sequence[Energy], size: int | None) -> EnergiesData:
    """Return what moving bytes draws."""
    return {
        "size": size,
        "energies": [
            {
                "setup": e.setup,
                "run": e.run,
                "direction": e.direction,
                "watts": e.watts,
                "peak": e.peak,
                "idle": e.idle,
                "per_gigabyte": e.per_gigabyte,
                "above_rest": e.above_rest,
                "joules_for_size": None if size is None else e.per_gigabyte * size / 1e9,
            }
            for e in found
        ],
    }
