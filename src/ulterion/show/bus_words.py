"""Which bus a port is, in a sentence."""

from __future__ import annotations

from collections.abc import Callable

from ulterion.core.links.bus import BusFinding
from ulterion.core.units import show_rate
from ulterion.show.sentences import listed


def bus_sentence(finding: BusFinding, label: Callable[[str], str], unit: str = "MB/s") -> str:
    """Return what the rates of a drive say of the bus behind a setup; `label` gives a setup's name as readers know it."""
    slow, fast = label(finding.setup), label(finding.other)
    rate, more = show_rate(finding.rate, unit), show_rate(finding.other_rate, unit, with_unit=False)
    if finding.seen:
        other = f", {fast} at {finding.other_link.name}" if finding.other_link is not None else ""
        why = f": that explains {rate} where {fast} gives {more}" if finding.explains else ""
        return f"{slow} is linked at {finding.link.name}{other}{why}"
    beyond = f"; {fast} is faster than that bus allows" if finding.rules_out is not None else ""
    where = f"{slow}: {rate} where the same drive reaches {more} on {fast}"
    if finding.is_likely:
        return f"{where}. That is what a {finding.link.name} link gives, and {listed(finding.evidence)}{beyond}"
    if finding.rivals:
        return f"{where}. It could be a {finding.link.name} link, or {listed(finding.rivals)} itself{beyond}"
    return f"{where}. It fits a {finding.link.name} link{beyond}"
