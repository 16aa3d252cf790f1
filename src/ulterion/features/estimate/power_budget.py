"""From labels, from what devices state, and from meters to loads on a port or a supply."""

from __future__ import annotations

from collections.abc import Sequence

from ulterion.core.errors import UsageError, unknown
from ulterion.core.estimates.power import PORTS, VOLTS, Load
from ulterion.core.records import dataclass
from ulterion.features.estimate.energy import power_logged
from ulterion.model.review import Review
from ulterion.model.runs.document import AnyRun

POWER = "power"


@dataclass(frozen=True)
class Supply:
    """What gives power: W, at how many volts, and where that is known from."""

    name: str
    gives: float
    source: str
    volts: float = VOLTS


def supply_of(review: Review, name: str) -> Supply:
    """Return what a port, hub or charger gives to what hangs on it; raise UsageError where nothing says that."""
    if name in review.ports:
        port = review.ports[name].link
        link = port.name if port is not None else "an unknown link"
        if link not in PORTS:
            raise UsageError(
                f"what a port of {link} supplies is not known here; enter the part that supplies the power"
            )
        watts, source = PORTS[link]
        return Supply(name, watts, source)
    if name not in review.parts:
        raise UsageError(unknown("port or part", name, [*review.ports, *review.parts]))
    part = review.parts[name]
    told = part.power.supplies if part.power.supplies is not None else part.claims.power
    if told is None:
        raise UsageError(f'nothing says what {part.name} supplies; add power = {{ supplies = "15 W" }} to parts.{name}')
    own = part.power.draws or 0.0
    return Supply(
        part.name,
        told - own,
        "its label" + (f", less {own:g} W that it draws itself" if own else ""),
        part.power.volts or VOLTS,
    )


def load_of(review: Review, runs: Sequence[AnyRun], name: str) -> Load:
    """Return what a part draws: as metered, else as its label says, else as it asked of its port; raise UsageError."""
    if name not in review.parts:
        raise UsageError(unknown("part", name, review.parts))
    part = review.parts[name]
    metered = [
        reading.value
        for run in runs
        if name in run.chain and not run.excluded
        for reading in run.standing_readings
        if reading.what == POWER and reading.unit == "W"
    ]
    logged = [watts for run in runs if name in run.chain and (watts := power_logged(run)) is not None]
    asked = [
        s.asks
        for run in runs
        if name in run.chain
        for s in run.target.steps
        if s.role in ("bridge", "drive") and s.asks
    ]
    if logged:
        draws, peak = (max(values) for values in zip(*logged, strict=True))
        return Load(part.name, draws, max(part.power.peak or 0.0, peak), "a meter that was logged")
    if metered:
        return Load(part.name, max(metered), max(part.power.peak or 0.0, *metered), "a meter")
    if part.power.draws is not None:
        return Load(part.name, part.power.draws, part.power.peak or part.power.draws, "its label")
    if asked:
        return Load(part.name, max(asked), part.power.peak or max(asked), "what it asks of its port")
    raise UsageError(
        f"nothing says what {part.name} draws; add power = {{ draws = \"4.5 W\" }} to parts.{name}, or note it: ulterion note 'power 4.2 W'"
    )
