"""One rate, size or time in all units that are sold, and what share of each link's line it is."""

from __future__ import annotations

from ulterion.core.errors import UnitError, UsageError
from ulterion.core.links.standards import LINKS, Link
from ulterion.core.records import dataclass
from ulterion.core.units import (
    parse_duration,
    parse_rate,
    parse_size,
    show_duration,
    show_percent,
    show_rate,
    show_size_both,
    significant,
)

HOUR = 3600.0
RATES = (30e6, 100e6, 400e6, 1e9, 3e9)  # bytes per second, from a slow card to a quick drive


@dataclass(frozen=True)
class Conversion:
    """A quantity in other units.

    Attributes:
        kind: 'rate', 'size' or 'time'.
        quantities: the same quantity in other units, by unit or by what it would be used for.
        links: of a rate its share of each link's practical ceiling, by the link's name.
        carriers: of each kind of link the slowest that carries the rate in practice, by name.
    """

    kind: str
    quantities: dict[str, str]
    links: dict[str, str]
    carriers: tuple[str, ...] = ()


def converted(text: str) -> Conversion:
    """Return a quantity in other units.

    Raises UsageError for what is none of them, with what a rate, which is the likeliest, would have to look like.
    """
    for kind, parse, tell in (("size", parse_size, _size), ("time", parse_duration, _time)):
        try:
            return Conversion(kind, tell(float(parse(text))), {})
        except UnitError:
            continue
    try:
        rate = parse_rate(text)
    except UnitError as error:
        raise UsageError(f"{error}; or a size like '128 GB', or a time like '1h30m'") from error
    return Conversion("rate", _rate(rate), _links(rate), _carriers(rate))


def _rate(rate: float) -> dict[str, str]:
    return {
        "a second": f"{show_rate(rate)}, {show_rate(rate, 'MiB/s')}, {show_rate(rate, 'Gb/s')}",
        "a minute": show_size_both(rate * 60),
        "an hour": show_size_both(rate * HOUR),
        "1 GB takes": show_duration(1e9 / rate),
        "1 TB takes": show_duration(1e12 / rate),
        "requests of 4 KiB": f"{significant(rate / 4096)} IOPS",
    }


def _size(size: float) -> dict[str, str]:
    return {
        "both ways": show_size_both(size),
        "bytes": f"{size:,.0f}",
        "bits": f"{significant(size * 8 / 1e9)} Gb",
    } | {f"at {show_rate(rate)}": show_duration(size / rate) for rate in RATES}


def _time(seconds: float) -> dict[str, str]:
    moved = {f"at {show_rate(rate)}": show_size_both(rate * seconds) for rate in RATES}
    return {"seconds": significant(seconds)} | moved


def _carriers(rate: float) -> tuple[str, ...]:
    able: dict[str, Link] = {}
    for link in LINKS:
        best = able.get(link.family)
        if link.practical_high >= rate and (best is None or link.practical_high < best.practical_high):
            able[link.family] = link
    return tuple(link.name for link in able.values())


def _links(rate: float) -> dict[str, str]:
    return {
        link.name: f"{show_percent(rate / link.practical_high)} of {show_rate(link.practical_high)}"
        for link in LINKS
        if 0.02 < rate / link.practical_high < 1.5
    }
