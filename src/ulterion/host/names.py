"""Names of vendors and products from the system's identifier databases, where they are installed."""

from __future__ import annotations

import functools
from collections.abc import Iterable
from pathlib import Path

PLACES = ("usr/share/hwdata", "usr/share/misc", "var/lib/usbutils")


@functools.lru_cache(maxsize=512)
def name_of(database: str, vendor: str, product: str, root: Path = Path("/")) -> str | None:
    """Return 'Vendor Product' for two four-digit hexadecimal numbers, the vendor alone, or None.

    `database` is 'usb' or 'pci'.  Both have a line 'vvvv  Vendor' and below it lines 'TABpppp  Product'.
    """
    for place in PLACES:
        path = root / place / f"{database}.ids"
        try:
            with path.open(encoding="utf-8", errors="replace") as lines:
                return _search(lines, vendor.lower(), product.lower())
        except OSError:
            continue
    return None


def _search(lines: Iterable[str], vendor: str, product: str) -> str | None:
    inside: str | None = None
    for line in lines:
        if inside is None:
            if line.startswith(f"{vendor}  "):
                inside = line[6:].strip()
        elif line.startswith(f"\t{product}  "):
            return f"{inside} {line[7:].strip()}"
        elif line[:1] not in ("\t", "#", "\n"):
            break
    return inside
