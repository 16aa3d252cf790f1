"""Quantities: how they are held, read and shown.

Held, everywhere in the program: bytes (int), seconds, bytes per second, degrees Celsius, watts, and ratios (0.03 for
3%).  A bit is written `b`, a byte `B`; k, M, G, T, P are powers of 1000 and Ki, Mi, Gi, Ti, Pi powers of 1024 (IEC
80000-13).  What could mean two things is refused with both.
"""

from __future__ import annotations

import math
import re

from ulterion.core.errors import UnitError
from ulterion.core.patterns import pattern
from ulterion.core.records import dataclass

DECIMAL = {"": 1, "k": 10**3, "M": 10**6, "G": 10**9, "T": 10**12, "P": 10**15}
BINARY = {"Ki": 2**10, "Mi": 2**20, "Gi": 2**30, "Ti": 2**40, "Pi": 2**50}
PREFIXES = DECIMAL | BINARY
MAX_SIZE = 2**63 - 1  # the largest file offset of the operating systems we run on
MAX_RATE = 1e15  # bytes per second; a slip of the hand, not a device, lies above it
MAX_SECONDS = 366 * 86400.0  # seconds; a year of measuring is a slip of the hand

_QUANTITY = pattern(r"([+-]?(?:\d{1,3}(?:,\d{3})+(?:\.\d*)?|\d+(?:\.\d*)?|\.\d+)(?:[eE][+-]?\d+)?)(.*)", re.DOTALL)
MAX_TEXT = 200  # characters; what is longer is no quantity, and is not searched for one
_DURATION_PART = pattern(r"(\d+(?:\.\d+)?)\s*([a-zA-Zµμ]*)\s*")
_SECONDS = {
    "ns": 1e-9,
    "us": 1e-6,
    "µs": 1e-6,  # the micro sign
    "μs": 1e-6,  # the Greek letter
    "ms": 1e-3,
    "s": 1.0,
    "sec": 1.0,
    "second": 1.0,
    "seconds": 1.0,
    "m": 60.0,
    "min": 60.0,
    "minute": 60.0,
    "minutes": 60.0,
    "h": 3600.0,
    "hour": 3600.0,
    "hours": 3600.0,
    "d": 86400.0,
    "day": 86400.0,
    "days": 86400.0,
}

RATE_UNITS = {"MB/s": 1e6, "MiB/s": float(2**20), "Gb/s": 1e9 / 8}
"""Bytes per second in one of each unit that a rate can be shown in."""


SIGNS = {"EUR": "€", "USD": "$", "GBP": "£", "JPY": "¥", "INR": "₹", "KRW": "₩"}


@dataclass(frozen=True)
class Money:
    """An amount in a currency, named by its three-letter code (ISO 4217)."""

    amount: float
    currency: str

    def __str__(self) -> str:
        return f"{self.amount:.2f} {self.currency}".replace(".00 ", " ")

    @property
    def short(self) -> str:
        """With the sign of its currency, where that has one: '€34'."""
        sign = SIGNS.get(self.currency)
        return str(self) if sign is None else f"{sign}{self.amount:,.2f}".removesuffix(".00")


def _split(text: str, what: str, example: str) -> tuple[float, str]:
    match = _QUANTITY.fullmatch(bounded(text, what, example))
    if match is None:
        raise UnitError(f"'{text}' is not a {what}; write it like '{example}'")
    value = float(match[1].replace(",", ""))
    if not math.isfinite(value):
        raise UnitError(f"'{text}' is too large for a {what}; write it like '{example}'")
    return value, match[2].strip()


def bounded(text: str, what: str, example: str, most: int = MAX_TEXT) -> str:
    """Return a text without spaces around it; raise UnitError for one that is too long to be a quantity, or a few.

    Patterns are only tried on what has passed here: some take minutes on tens of thousands of characters.
    """
    if len(text) > most:
        raise UnitError(f"'{text[:20]}...' has {len(text)} characters and is not a {what}; write it like '{example}'")
    return text.strip().replace("−", "-").replace("\N{NO-BREAK SPACE}", " ")


def _positive(value: float, text: str, what: str, largest: float = math.inf) -> float:
    if value <= 0:
        raise UnitError(f"'{text}' is not above zero; a {what} must be")
    if value > largest:
        raise UnitError(f"'{text}' is too large to be a {what}; check the number and its unit")
    return value


def _ambiguous(unit: str, stem: str) -> str | None:
    """Return the two things that a sloppy unit could mean, or None; `stem` is '' for sizes and '/s' for rates."""
    match = re.fullmatch(r"([kKmMgGtTpP])([bB]?)(ps|/s|)", unit)
    if match is None or (match[3] and not stem):
        return None
    prefix = "k" if match[1] in "kK" else match[1].upper()
    if not match[2]:
        return f"{prefix}B{stem} (bytes) or {prefix}b{stem} (bits, an eighth of it)"
    return f"{prefix}B{stem} (bytes) or {prefix}b{stem} (bits, an eighth of it)"


def parse_block(text: str) -> int:
    """Read the size of a request or of a span: as `parse_size` does, but '4k', '4 K' and '4 KB' are 4 KiB, as such sizes are."""
    value, unit = _split(text, "size", "4 KiB")
    short = re.fullmatch(r"([kKMGT])|(K)B", unit)
    return parse_size(f"{value} {(short[1] or short[2]).upper()}iB" if short is not None else text)


def parse_size(text: str) -> int:
    """Read a size such as '512 GB', '4KiB', '1.5 TB' or '200 G'; return bytes (int, above zero).

    A prefix alone stands for the bytes that capacities are sold in, powers of 1000.  What may be bits is refused.
    """
    value, unit = _split(text, "size", "200 GB")
    unit = {"K": "kB", "KB": "kB"}.get(unit, f"{unit}B" if unit in ("k", "M", "G", "T", "P") else unit)
    if re.fullmatch(r"[kMGTP]b", unit):
        raise UnitError(
            f"'{text}' is in bits; sizes are in bytes: write {value:g} {unit[0]}B or {value / 8:g} {unit[0]}B"
        )
    if not unit:
        raise UnitError(f"'{text}' has no unit; write '{text.strip()} GB' or '{text.strip()} MB'")
    if not unit.endswith("B") or unit[:-1] not in PREFIXES:
        meant = _ambiguous(unit, "")
        if meant:
            raise UnitError(f"'{text}' could mean {meant}; write the one you mean")
        raise UnitError(f"'{text}' is not a size; write it like '4 KiB' or '512 GB'")
    size = _positive(value * PREFIXES[unit[:-1]], text, "size", MAX_SIZE)
    if size < 1:
        raise UnitError(f"'{text}' is less than one byte")
    return round(size)


def parse_rate(text: str) -> float:
    """Read a rate such as '500 MB/s', '12 MiB/s' or '5 Gb/s'; return bytes per second (above zero)."""
    value, unit = _split(text, "rate", "500 MB/s")
    if not unit:
        raise UnitError(f"'{text}' has no unit; write '{text.strip()} MB/s' or '{text.strip()} Mb/s'")
    match = re.fullmatch(r"(Ki|Mi|Gi|Ti|Pi|k|M|G|T|P|)([bB])/s", unit)
    if match is None:
        meant = _ambiguous(unit, "/s")
        if meant:
            raise UnitError(f"'{text}' could mean {meant}; write the one you mean")
        raise UnitError(f"'{text}' is not a rate; write it like '500 MB/s' or '5 Gb/s'")
    scale = PREFIXES[match[1]] / (8 if match[2] == "b" else 1)
    return _positive(value * scale, text, "rate", MAX_RATE)


def parse_iops(text: str) -> float:
    """Read a number of requests per second such as '650000 IOPS' or '650 kIOPS'; return requests per second."""
    value, unit = _split(text, "number of IOPS", "650000 IOPS")
    if unit not in ("IOPS", "kIOPS", "MIOPS"):
        raise UnitError(f"'{text}' is not a number of IOPS; write it like '650000 IOPS'")
    return _positive(value * DECIMAL[unit[:-4]], text, "number of IOPS", 1e12)


def parse_duration(text: str) -> float:
    """Read a duration such as '2m30s', '90 s', '1.5 h' or '250ms'; return seconds (above zero)."""
    rest, total = bounded(text, "duration", "90 s"), 0.0
    while rest:
        match = _DURATION_PART.match(rest)
        if match is not None and not match[2]:
            raise UnitError(f"'{text}' has no unit; write '{match[1]} s' or '{match[1]} min'")
        if match is None or match[2] not in _SECONDS:
            raise UnitError(f"'{text}' is not a duration; write it like '90 s', '2m30s' or '1 h'")
        total += float(match[1]) * _SECONDS[match[2]]
        rest = rest[match.end() :]
    return _positive(total, text, "duration", MAX_SECONDS)


def parse_money(text: str) -> Money:
    """Read an amount such as '118 EUR' or '39.90 USD'; zero is allowed (a sample, a gift)."""
    value, unit = _split(text, "price", "118 EUR")
    if not re.fullmatch(r"[A-Z]{3}", unit) or value < 0 or value > 1e9:
        raise UnitError(f"'{text}' is not a price; write an amount and a currency code, like '118 EUR'")
    return Money(value, unit)


def parse_power(text: str) -> float:
    """Read a power such as '15 W', '900 mW' or '2.6 A at 5 V'; return watts (above zero)."""
    product = re.fullmatch(r"(\d+(?:\.\d+)?)\s*(m?A)\s+at\s+(\d+(?:\.\d+)?)\s*V", bounded(text, "power", "15 W"))
    if product:
        amperes = float(product[1]) * (1e-3 if product[2] == "mA" else 1.0)
        return _positive(amperes * float(product[3]), text, "power", 1e5)
    value, unit = _split(text, "power", "15 W")
    if unit not in ("W", "mW"):
        raise UnitError(f"'{text}' is not a power; write it like '15 W' or '2.6 A at 5 V'")
    return _positive(value * (1e-3 if unit == "mW" else 1.0), text, "power", 1e5)


def parse_temperature(text: str) -> float:
    """Read a temperature such as '21 C' or '70 F'; return degrees Celsius."""
    value, unit = _split(text, "temperature", "21 C")
    unit = unit.removeprefix("°")
    if unit not in ("C", "F"):
        raise UnitError(f"'{text}' is not a temperature; write it like '21 C'")
    celsius = value if unit == "C" else (value - 32.0) / 1.8
    if not -100.0 <= celsius <= 300.0:
        raise UnitError(f"'{text}' is not a temperature that a bench or a drive can have")
    return celsius


def parse_in(text: str, unit: str, what: str) -> float:
    """Read a number in the one unit a quantity is written in, such as '12 J/K'; return it (above zero)."""
    value, written = _split(text, what, f"12 {unit}")
    if written != unit:
        raise UnitError(f"'{text}' is not a {what}; write it like '12 {unit}'")
    return _positive(value, text, what, 1e9)


def parse_ratio(text: str) -> float:
    """Read a share such as '3%', '0.5 %' or '3'; return it as a ratio (0.03) from 0 up to, not including, 1."""
    value, unit = _split(text, "percentage", "3%")
    if not unit and 0 < value < 1:
        raise UnitError(f"'{text}' could mean {value * 100:g}% or {value:g}%; write the one you mean")
    if unit not in ("%", "") or not 0.0 <= value < 100.0:
        raise UnitError(f"'{text}' is not a percentage from 0 up to 100; write it like '3%'")
    return value / 100.0


def show_temperature(celsius: float, decimals: int = 0) -> str:
    """Show a temperature given in degrees Celsius: '71 °C'."""
    return f"{celsius:.{decimals}f} °C"


def significant(value: float, digits: int = 3) -> str:
    """Show a number with `digits` significant digits, or all its whole digits when it has more: '2.57', '1,046'."""
    if value == 0 or not math.isfinite(value):
        return "0" if value == 0 else "?"
    decimals = min(max(digits - 1 - math.floor(math.log10(abs(value))), 0), 9)
    # rounding may add a digit in front (9.996 -> 10.00): show that as 10.0
    if decimals and round(abs(value), decimals) >= 10 ** (digits - decimals):
        decimals -= 1
    return f"{value:,.{decimals}f}"


def show_rate(bytes_per_second: float, unit: str = "MB/s", *, with_unit: bool = True) -> str:
    """Show a rate given in bytes per second in one of `RATE_UNITS`."""
    number = significant(bytes_per_second / RATE_UNITS[unit])
    return f"{number} {unit}" if with_unit else number


def show_bit_rate(bytes_per_second: float) -> str:
    """Show a rate given in bytes per second in bits, as networks are sold: '95 Mb/s', '2.5 Gb/s'."""
    bits = bytes_per_second * 8
    scale, prefix = next(((n, p) for n, p in ((1e9, "G"), (1e6, "M"), (1e3, "k")) if bits >= n), (1.0, ""))
    return f"{bits / scale:.6g} {prefix}b/s"


def _scaled(value: float, table: dict[str, int]) -> str:
    prefix = max((p for p in table if table[p] <= max(value, 1)), key=lambda p: table[p], default="")
    return f"{significant(value / table.get(prefix, 1))} {prefix}B"


def show_size(size: float) -> str:
    """Show a size given in bytes in decimal units: '512 GB'."""
    return _scaled(size, DECIMAL)


def show_size_both(size: float) -> str:
    """Show a capacity given in bytes both ways: '512 GB (477 GiB)'."""
    return f"{_scaled(size, DECIMAL)} ({show_block(size)})"


def show_block(size: float) -> str:
    """Show a size given in bytes in binary units, as block sizes and spans are: '4 KiB', '1.5 GiB'."""
    if size < 1024:
        return f"{size:g} B"
    prefix = max((p for p in BINARY if BINARY[p] <= size), key=lambda p: BINARY[p])
    value = size / BINARY[prefix]
    return f"{value:g} {prefix}B" if value == round(value, 3) else f"{significant(value)} {prefix}B"


def show_duration(seconds: float) -> str:
    """Show a duration given in seconds: '250 µs', '4.0 s', '2m30s', '1h05m'."""
    for limit, scale, unit in ((1e-6, 1e9, "ns"), (1e-3, 1e6, "µs"), (1.0, 1e3, "ms")):
        if seconds < limit * 0.9995:
            return f"{significant(seconds * scale)} {unit}"
    if seconds < 59.95:
        return f"{seconds:.1f} s"
    whole = round(seconds)
    if whole < 3600:
        return f"{whole // 60}m{whole % 60:02d}s"
    if whole < 2 * 86400:
        return f"{whole // 3600}h{whole % 3600 // 60:02d}m"
    return f"{whole // 86400}d{whole % 86400 // 3600:02d}h"


def spell_duration(seconds: float) -> str:
    """Return a duration as a sentence has it: '30 minutes', '6 min 14 s'."""
    whole = round(seconds)
    if whole < 60:
        return show_duration(seconds)
    hours, minutes, rest = whole // 3600, whole % 3600 // 60, whole % 60
    if hours:
        return f"{hours} h {minutes:02d} min" if minutes else f"{hours} hour{'s' if hours > 1 else ''}"
    return f"{minutes} min {rest} s" if rest else f"{minutes} minute{'s' if minutes > 1 else ''}"


def show_iops(per_second: float) -> str:
    """Show requests per second with a thousands separator: '16,300'."""
    return f"{per_second:,.0f}" if per_second >= 100 else significant(per_second)


def show_percent(ratio: float) -> str:
    """Show a ratio as a percentage, finer below 10%: 0.957 -> '95.7%', 1.2 -> '120%'."""
    percent = ratio * 100.0
    return f"{percent:,.0f}%" if percent >= 99.95 else f"{significant(percent)}%"


def show_between(low: str, high: str) -> str:
    """Join the two ends of an interval as they are shown, the unit once: '21.3–28.8 µs', '−1.6 to −0.8%', '1m42s–1m59s'."""
    parts = [re.fullmatch(r"([+−-]?[\d.,]+)(\D*)", end) for end in (low, high)]
    first = parts[0][1] if parts[0] and parts[1] and parts[0][2] == parts[1][2] else low
    return f"{first} to {high}" if set("+−-") & {low[:1], high[:1]} else f"{first}–{high}"
