"""The answers of `ulterion estimate`."""

from __future__ import annotations

import math
from collections.abc import Sequence

from ulterion.core.estimates.power import Budget, Cable, Load, Most
from ulterion.core.estimates.readers import Reader
from ulterion.core.estimates.transfer_time import Part
from ulterion.core.records import dataclass
from ulterion.features.estimate.energy import Energy
from ulterion.features.estimate.other_port import Suggestion, There
from ulterion.features.estimate.power_budget import Supply
from ulterion.features.estimate.recordings import Recorded
from ulterion.features.estimate.transfer_time import TransferTimeRow
from ulterion.features.estimate.value import Value
from ulterion.show.answers import Answer


@dataclass(frozen=True)
class WorkData(Answer):
    """A piece of work on a setup, or between two; `low` and `high`: 90%; `naive`: by the best rate alone; `beyond`: bytes never moved in one go."""

    setup: str
    naive: float | None
    runs: tuple[str, ...]
    why: str | None
    seconds: float | None = None
    low: float | None = None
    high: float | None = None
    parts: tuple[Part, ...] = ()
    files_seconds: float | None = None
    check_seconds: float | None = None
    beyond: float | None = None

    @classmethod
    def by(cls, row: TransferTimeRow) -> WorkData:
        """Return one piece of work."""
        return cls.of(row.work, setup=row.setup, naive=row.naive, runs=row.runs, why=row.why)


@dataclass(frozen=True)
class WorksData(Answer):
    """`ulterion estimate read`, `write` and `copy`; `size` null where each medium's own capacity was moved."""

    size: float | None
    what: str
    works: tuple[WorkData, ...]


@dataclass(frozen=True)
class RecordingData(Answer):
    """Whether a stream is taken on a setup; `keeps` null where it was not soaked; `until`: seconds until it stops.

    `average`: bytes per second written where it was not soaked; `below`: whether that is surely less than the stream.
    """

    setup: str
    speed_class: int | None
    media: int | None
    emptying_seconds: float | None
    average: float | None
    below: bool
    keeps: bool | None = None
    until: float | None = None
    lowest: float | None = None

    @classmethod
    def by(cls, one: Recorded) -> RecordingData:
        """Return one recording."""
        return cls.of(
            one.recording,
            setup=one.setup,
            speed_class=one.speed_class,
            average=one.average,
            below=one.below,
            media=one.media,
            emptying_seconds=one.emptying.seconds if one.emptying else None,
        )


@dataclass(frozen=True)
class RecordingsData(Answer):
    """`ulterion estimate record`; `size` bytes where it has a length: how many media it fills, and how long they take to be emptied."""

    stream: float
    size: float | None
    setups: tuple[RecordingData, ...]


@dataclass(frozen=True)
class UnitsData(Answer):
    """`ulterion estimate units`."""

    kind: str
    quantities: dict[str, str]
    links: dict[str, str]


@dataclass(frozen=True)
class ValueData(Answer):
    """A product and what it costs: price per MB/s of what was measured, and per GB of what it holds."""

    part: str
    setup: str | None
    price: float
    currency: str
    price_date: str | None
    rate: float | None
    per_rate: float | None
    per_size: float | None
    meets: bool | None


@dataclass(frozen=True)
class ValuesData(Answer):
    """`ulterion estimate value`."""

    values: tuple[ValueData, ...]
    cheapest: tuple[str, ...]


@dataclass(frozen=True)
class MostData(Answer):
    """How many of one part a supply runs: started one after the other, and all at their peak at once."""

    name: str
    one_by_one: int
    at_once: int


@dataclass(frozen=True)
class PowerData(Answer):
    """`ulterion estimate power`: W; `lost` in the cable, `far_volts` at its far end; null where what is drawn cannot come through."""

    supply: str
    gives: float
    source: str
    volts: float
    lost: float | None
    far_volts: float | None
    loads: tuple[Load, ...]
    left: float
    left_at_peaks: float
    left_one_by_one: float
    starts: int
    most: MostData | None


@dataclass(frozen=True)
class ThereData(Answer):
    """One direction on another port: between which rates, and times for the size asked for; `basis` says where it is known from."""

    low: float
    high: float
    basis: str
    seconds_low: float | None
    seconds_high: float | None

    @classmethod
    def known(cls, there: There | None) -> ThereData | None:
        """Return a direction that may not be known."""
        if there is None:
            return None
        return cls.of(
            there,
            seconds_low=there.quick.low if there.quick else None,
            seconds_high=there.slow.high if there.slow else None,
        )


@dataclass(frozen=True)
class SuggestionData(Answer):
    """A chain on a reader's port; `read` and `write` null where it does not fit or was not measured."""

    parts: tuple[str, ...]
    port: str
    negotiated: str | None
    read: ThereData | None
    write: ThereData | None
    setup: str | None
    runs: tuple[str, ...]
    why: str | None


@dataclass(frozen=True)
class ReaderData(Answer):
    """`ulterion estimate --for`."""

    ports: tuple[str, ...]
    size: float | None
    period: str | None
    suggestions: tuple[SuggestionData, ...]


@dataclass(frozen=True)
class EnergyData(Answer):
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


@dataclass(frozen=True)
class EnergiesData(Answer):
    """`ulterion estimate energy`."""

    size: float | None
    energies: tuple[EnergyData, ...]


def works_answer(rows: Sequence[TransferTimeRow], size: float | None, what: str) -> WorksData:
    """Return pieces of work."""
    return WorksData(size, what, tuple(map(WorkData.by, rows)))


def recordings_answer(found: Sequence[Recorded], stream: float, size: float | None) -> RecordingsData:
    """Return recordings."""
    return RecordingsData(stream, size, tuple(map(RecordingData.by, found)))


def power_answer(supply: Supply, cable: Cable | None, found: Budget, most: Most | None = None) -> PowerData:
    """Return a budget of power."""
    drawn = math.fsum(p.draws for p in found.loads)
    return PowerData.of(
        found,
        supply=supply.name,
        gives=supply.gives,
        source=supply.source,
        volts=supply.volts,
        lost=0.0 if cable is None else cable.lost(drawn),
        far_volts=supply.volts if cable is None else cable.far_volts(drawn),
        most=None if most is None else MostData(most.load.name, most.one_by_one, most.at_once),
    )


def values_answer(found: Sequence[Value], best: Sequence[Value]) -> ValuesData:
    """Return what money buys."""
    values = [
        ValueData.of(
            v,
            price=v.price.amount,
            currency=v.price.currency,
            price_date=v.seen.isoformat() if v.seen else None,
        )
        for v in found
    ]
    return ValuesData(tuple(values), tuple(v.part for v in best))


def reader_answer(reader: Reader, found: Sequence[Suggestion]) -> ReaderData:
    """Return what tested products give on a reader's port."""
    suggestions = [
        SuggestionData.of(
            s,
            port=s.link.name,
            negotiated=s.negotiated.name if s.negotiated else None,
            read=ThereData.known(s.ways.get("read")),
            write=ThereData.known(s.ways.get("write")),
        )
        for s in found
    ]
    return ReaderData.of(reader, ports=tuple(k.name for k in reader.links), suggestions=tuple(suggestions))


def energies_answer(found: Sequence[Energy], size: int | None) -> EnergiesData:
    """Return what moving bytes draws."""
    energies = [EnergyData.of(e, joules_for_size=None if size is None else e.per_gigabyte * size / 1e9) for e in found]
    return EnergiesData(size, tuple(energies))
