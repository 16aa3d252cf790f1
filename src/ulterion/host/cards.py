"""Card slots and soldered memory as the kernel's card driver shows them: the bus mode that runs, and what card and slot could do.

The mode, its width and what the slot can do stand under debugfs, which root may read: `ios`, `caps` and `caps2` (drivers/mmc/core/debugfs.c; numbers
in include/linux/mmc/host.h), and what soldered memory can do in `ext_csd` (JESD84-B51, DEVICE_TYPE).  A card says it is for UHS-I by its
UHS speed grade in `ssr`, its SD status (SD Physical Layer Specification 6.00, 4.10.2), which anybody may read.
"""

from __future__ import annotations

import re
from pathlib import Path

from ulterion.core.links.chain import Step
from ulterion.core.links.negotiated import both_can
from ulterion.core.links.standards import Link, higher, known_link
from ulterion.core.patterns import pattern
from ulterion.host import tree

DEBUG = "sys/kernel/debug"
CARD = pattern(r"mmc\d+:[0-9a-f]+")
SLOT = pattern(r"mmc\d+")
TIMINGS = {
    "2": "SD high speed",
    "3": "SD UHS-I SDR12",
    "4": "SD UHS-I SDR25",
    "5": "SD UHS-I SDR50",
    "6": "SD UHS-I SDR104",
    "7": "SD UHS-I DDR50",
    "1": "eMMC HS52",
    "8": "eMMC DDR52",
    "9": "eMMC HS200",
    "10": "eMMC HS400",
    "13": "SD UHS-II FD78",
    "14": "SD UHS-II HD156",
    "15": "SD UHS-II FD156",
    "16": "SD UHS-II HD312",
}
"""Timing numbers and the link each stands for; 0 is the mode that a card begins in."""
FIRST = {False: "SD default speed", True: "eMMC legacy"}
SLOT_CAN = (
    (19, "SD UHS-I SDR104"),
    (18, "SD UHS-I SDR50"),
    (20, "SD UHS-I DDR50"),
    (17, "SD UHS-I SDR25"),
    (2, "SD high speed"),
)
"""Bits of a slot's `caps` and the mode of SD cards each stands for."""
MEMORY_CAN = ((0xC0, "eMMC HS400"), (0x30, "eMMC HS200"), (0x0C, "eMMC DDR52"), (0x02, "eMMC HS52"))
"""Bits of DEVICE_TYPE of soldered memory."""
SLOT_CAN_MEMORY = (
    ("caps2", 0x18000, "eMMC HS400"),
    ("caps2", 0x60, "eMMC HS200"),
    ("caps", 0x3800, "eMMC DDR52"),
    ("caps", 0x2, "eMMC HS52"),
)
EIGHT_BITS = 0x40  # of `caps`
DEVICE_TYPE = 196  # byte of ext_csd
UHS_GRADE = 14  # byte of the SD status whose upper half is the UHS speed grade


def slot_step(slot: Path, root: Path) -> Step | None:
    """Return the slot of a card with its bus mode, or None where the folder is not a slot."""
    if not SLOT.fullmatch(slot.name) or slot.parent.name != "mmc_host":
        return None
    card = next((p for p in sorted(slot.glob("mmc*:*")) if CARD.fullmatch(p.name)), None)
    memory = card is not None and tree.text(card / "type") == "MMC"
    debug = root / DEBUG / slot.name
    running, port = _running(debug, memory=memory), _slot_can(debug, memory=memory)
    alone = _card_can(card, debug, memory=memory) if card is not None else None
    alone = higher(alone, running) if alone is not None else None
    port = higher(port, running) if port is not None else None  # `caps` has no bit for UHS-II
    return Step(
        role="slot",
        name=slot.name,
        title="card slot",
        driver=None,
        link=running,
        capable=both_can(alone, port),
        port_capable=port,
        alone=alone,
    )


def card_step(card: Path) -> Step | None:
    """Return the card itself, or None where the folder is not a card."""
    return Step("drive", card.name, tree.text(card / "name"), "mmcblk") if CARD.fullmatch(card.name) else None


def empty_slots(root: Path) -> list[str]:
    """Return the slots that hold nothing."""
    slots = sorted((root / "sys/class/mmc_host").glob("mmc[0-9]*"))
    return [p.name for p in slots if SLOT.fullmatch(p.name) and not any(p.resolve().glob("mmc*:*"))]


def _running(debug: Path, *, memory: bool) -> Link | None:
    """Return the bus mode; over fewer lines than usual it is a link of its own."""
    ios = tree.text(debug / "ios") or ""
    timing, width = re.search(r"timing spec:\s+(\d+)", ios), re.search(r"bus width:\s+(\d+)", ios)
    if timing is None:
        return None
    name = FIRST[memory] if timing[1] == "0" else TIMINGS.get(timing[1])
    return known_link(_over(name, 2 ** min(int(width[1]), 3) if width else None))


def _over(name: str | None, lines: int | None) -> str | None:
    usual = 8 if (name or "").startswith("eMMC") else 4
    if name is None or lines is None or lines >= usual or "UHS-II " in name:
        return name
    return f"{name} ({lines} bit)"


def _slot_can(debug: Path, *, memory: bool) -> Link | None:
    """Return the best mode of the slot for such a card, None where the kernel does not show it."""
    caps, caps2 = (_hex(debug / n) for n in ("caps", "caps2"))
    if caps is None:
        return None
    if not memory:
        return known_link(next((name for bit, name in SLOT_CAN if caps >> bit & 1), "SD default speed"))
    having = {"caps": caps, "caps2": caps2 or 0}
    best = next((name for where, bits, name in SLOT_CAN_MEMORY if having[where] & bits), "eMMC legacy")
    return known_link(_over(best, 8 if caps & EIGHT_BITS else 4))


def _card_can(card: Path, debug: Path, *, memory: bool) -> Link | None:
    """Return the best mode that a card says it can do, the least of it where it says only of which kind it is."""
    if memory:
        data = tree.text(debug / card.name / "ext_csd") or ""
        kind = _byte(data, DEVICE_TYPE)
        return known_link(next((name for bits, name in MEMORY_CAN if kind & bits), None)) if kind else None
    grade = _byte(tree.text(card / "ssr") or "", UHS_GRADE) >> 4
    return known_link("SD UHS-I SDR50") if grade else None


def _byte(data: str, place: int) -> int:
    try:
        return int(data[2 * place : 2 * place + 2] or "0", 16)
    except ValueError:
        return 0


def _hex(path: Path) -> int | None:
    try:
        return int((tree.text(path) or "").split()[0], 16)
    except (ValueError, IndexError):
        return None
