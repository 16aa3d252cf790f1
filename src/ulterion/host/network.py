"""Network adapters: what each negotiated, which one leads to an address, and what the kernel counts of it."""

from __future__ import annotations

import contextlib
import ipaddress
import os
import socket
import struct
from pathlib import Path

from ulterion.core.facts.devices import Adapter
from ulterion.core.facts.target import NetworkEnd
from ulterion.core.links.chain import cable_questions, faults
from ulterion.core.records import dataclass
from ulterion.core.workloads.network import ethernet
from ulterion.host import chains, tree

LIVE = Path("/")
IFF_UP = 1  # of an adapter's flags (include/uapi/linux/if.h)
FAULTS = ("rx_errors", "tx_errors", "collisions")
DROPS = ("rx_dropped", "tx_dropped", "rx_missed_errors")
"""Counters of testing/sysfs-class-net-statistics."""
_GET_ADDRESSES, _DUMP = 22, 0x301  # RTM_GETADDR; NLM_F_REQUEST | NLM_F_DUMP (linux/rtnetlink.h, netlink.h)
_NEW_ADDRESS, _DONE = 20, 3  # RTM_NEWADDR, NLMSG_DONE
_ADDRESS, _LOCAL = 1, 2  # IFA_ADDRESS, IFA_LOCAL (linux/if_addr.h)
_HEADER, _BODY, _PART = struct.Struct("=IHHII"), struct.Struct("=BBBBI"), struct.Struct("=HH")


def adapters(root: Path = LIVE) -> list[Adapter]:
    """Return the network adapters that are hardware."""
    folders = sorted((root / "sys/class/net").glob("*"))
    return [adapter(f, root) for f in folders if (f / "device").exists()]


def adapter(folder: Path, root: Path = LIVE) -> Adapter:
    """Return what a folder below /sys/class/net shows."""
    link = ethernet(tree.number(folder / "speed"))
    device = folder / "device"
    steps = chains.steps_of(device, root) if device.exists() else ()
    return Adapter(
        name=folder.name,
        link=link.name if link else None,
        driver=tree.name_of_link(device / "driver"),
        state=_state(folder),
        steps=steps,
        radio=_is_radio(folder),
        half=tree.text(folder / "duplex") == "half",
        faults=(*faults(steps), *cable_questions(steps)),
    )


def _is_radio(folder: Path) -> bool:
    return (folder / "wireless").exists() or (folder / "phy80211").exists()


def _state(folder: Path) -> str | None:
    """Return how an adapter is: up, switched off (its flag IFF_UP is not set), or without a carrier (testing/sysfs-class-net)."""
    flags, state = tree.number(folder / "flags"), tree.text(folder / "operstate")
    if state == "up":
        return "up"
    if flags is not None and not flags & IFF_UP:
        return "switched off"
    return "no carrier" if tree.number(folder / "carrier") == 0 or state == "down" else None


def end_at(address: str, root: Path = LIVE) -> NetworkEnd:
    """Return this machine's end of a network in which it has an address; what cannot be read stays None."""
    name = _adapter_with(address)
    bare = _plain(address)
    if name is None:
        return NetworkEnd(host=socket.gethostname(), address=bare)
    folder = root / "sys/class/net" / name
    shown, duplex = adapter(folder, root), tree.text(folder / "duplex")
    return NetworkEnd(
        host=socket.gethostname(),
        address=bare,
        adapter=name,
        driver=shown.driver,
        link=shown.link if (folder / "device").exists() else None,
        duplex=duplex if duplex in ("full", "half") else None,
        mtu=tree.number(folder / "mtu"),
        radio=shown.radio,
        made_up=not (folder / "device").exists(),
    )


@dataclass(frozen=True)
class AdapterCounts:
    """Packets that an adapter counted as faulty, and as dropped, since it came up."""

    errors: int
    drops: int


def counted(name: str | None, root: Path = LIVE) -> AdapterCounts | None:
    """Return an adapter's counters, or None where they cannot be read."""
    if name is None:
        return None
    folder = root / "sys/class/net" / name / "statistics"
    values = [[tree.number(folder / n) for n in names] for names in (FAULTS, DROPS)]
    if any(all(v is None for v in group) for group in values):
        return None
    return AdapterCounts(*(sum(v or 0 for v in group) for group in values))


def machine_seconds(root: Path = LIVE) -> float | None:
    """Return the processor time that the whole machine has spent, in seconds: all of /proc/stat but idle, waiting and guests."""
    line = (tree.text(root / "proc/stat") or "").split("\n")[0].split()
    if len(line) < 9 or line[0] != "cpu":
        return None
    user, nice, system, _, _, irq, softirq, steal = (int(v) for v in line[1:9])
    return (user + nice + system + irq + softirq + steal) / os.sysconf("SC_CLK_TCK")


def _plain(address: str) -> str:
    """Return an address without a zone, and as IPv4 where it is one that is written as IPv6."""
    with contextlib.suppress(ValueError):
        parsed = ipaddress.ip_address(address.partition("%")[0])
        mapped = parsed.ipv4_mapped if isinstance(parsed, ipaddress.IPv6Address) else None
        return str(mapped or parsed)
    return address


def _adapter_with(address: str) -> str | None:
    """Return the kernel's name of the adapter that has an address of this machine, as rtnetlink(7) lists them."""
    wanted = _plain(address)
    with contextlib.suppress(OSError, AttributeError, ValueError, struct.error):
        for index, shown in _addresses():
            if _plain(shown) == wanted:
                return socket.if_indextoname(index)
    return None


def _addresses() -> list[tuple[int, str]]:
    """Return every address of this machine with the number of its adapter; raise OSError."""
    found = []
    with socket.socket(socket.AF_NETLINK, socket.SOCK_RAW, socket.NETLINK_ROUTE) as sock:
        sock.settimeout(2.0)
        sock.send(_HEADER.pack(_HEADER.size + _BODY.size, _GET_ADDRESSES, _DUMP, 1, 0) + _BODY.pack(0, 0, 0, 0, 0))
        while True:
            data = sock.recv(65536)
            while len(data) >= _HEADER.size:
                length, kind, *_ = _HEADER.unpack_from(data)
                if kind == _NEW_ADDRESS:
                    found += _address_in(data[_HEADER.size : length])
                elif kind == _DONE or length < _HEADER.size:
                    return found
                data = data[(length + 3) & ~3 :]


def _address_in(body: bytes) -> list[tuple[int, str]]:
    family, _, _, _, index = _BODY.unpack_from(body)
    parts, at = dict[int, bytes](), _BODY.size
    while at + _PART.size <= len(body):
        length, kind = _PART.unpack_from(body, at)
        if length < _PART.size:
            break
        parts[kind] = body[at + _PART.size : at + length]
        at += (length + 3) & ~3
    data = parts.get(_LOCAL) or parts.get(_ADDRESS)
    return [(index, socket.inet_ntop(family, data))] if data and family in (socket.AF_INET, socket.AF_INET6) else []
