"""What the simulated bench shows of a chain: as much as a survey of real hardware would, and no more."""

from __future__ import annotations

from collections.abc import Sequence

from ulterion.core.facts.devices import Drive
from ulterion.core.links.chain import Step, ceilings, faults
from ulterion.core.links.negotiated import both_can
from ulterion.core.links.standards import Link
from ulterion.sim.bench import SimPart


def seen_link(chain: Sequence[SimPart]) -> tuple[SimPart, Link | None]:
    """Return the device that the host would show (the bridge, or a medium plugged in alone) and its trained link.

    Two ends of one family, and a cable between them, train at the slowest of all.
    """
    if chain[-1].peer:  # the adapter is what the host shows, not what is beyond the network
        device = next((p for p in reversed(chain[1:-1]) if p.driver is not None), chain[-2])
        return device, None if device is chain[0] else trained(chain, device)
    device = next((p for p in reversed(chain[1:]) if p.driver is not None), chain[-1])
    return device, trained(chain, device)


def _alike(one: Link | None, other: Link | None) -> bool:
    return one is not None and other is not None and one.name.split()[0] == other.name.split()[0]


def trained(chain: Sequence[SimPart], part: SimPart) -> Link | None:
    """Return the link that a part trains: the slowest of its own and of those of the same family between it and the host."""
    if part.link is None:
        return None
    family = part.link.name.split()[0]
    upstream = chain[: chain.index(part) + 1]
    same = [p.link for p in upstream if p.link is not None and p.link.name.split()[0] == family]
    return min(same, key=lambda link: link.payload)


def shown_drive(name: str, names: Sequence[str], chain: Sequence[SimPart], temperature: float | None = None) -> Drive:
    """Return the drive at the end of a chain, with the steps that lead to it and what is wrong with them."""
    device, link = seen_link(chain)
    roles = {id(device): "bridge", id(chain[0]): "controller", id(chain[-1]): "drive"}
    steps = []
    for key, part in zip(names, chain, strict=True):
        if part.unseen:
            continue
        role, runs = roles.get(id(part), "hub"), trained(chain, part)
        # a device says what it can do by itself, and its port is what the chain begins with
        port = chain[0].link if part is device and _alike(chain[0].link, part.link) else None
        alone = part.link if port is not None else None
        capable = both_can(alone, port)
        steps.append(
            Step(
                role=role,
                name=key,
                title=part.model,
                driver=part.driver,
                link=runs,
                capable=capable,
                port_capable=port,
                alone=alone,
            )
        )
    medium = chain[-1]
    return Drive(
        name=name,
        transport=device.transport or chain[0].transport,
        model=medium.model,
        serial=medium.serial,
        port=names[0],
        link=link.name if link else None,
        driver=device.driver or chain[0].driver,
        steps=tuple(steps),
        faults=tuple(faults(steps)),
        ceilings=tuple(ceilings(steps)),
        size=medium.capacity,
        rotational=medium.inner_read is not None,
        temperature=temperature,
    )
