"""Machines: what every drive on a machine gives against the machine's own inner drive, and its ports."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from ulterion.core.errors import UsageError
from ulterion.core.links.standards import known_link
from ulterion.core.outcomes import Outcome
from ulterion.core.records import dataclass
from ulterion.model.review import Review
from ulterion.model.runs.document import AnyRun
from ulterion.results.comparison import Group, GroupBuilder
from ulterion.results.measurement import Measurement, best_of
from ulterion.results.pooling import pooled_results
from ulterion.results.ports import PortRow, ports

INNER = ("PCIe", "SATA")  # families of links by which a drive hangs inside a machine


@dataclass(frozen=True)
class Machine:
    """One machine.

    Attributes:
        host: its name.
        inner: the setup of its inner drive, or None where none was measured.
        group: every drive measured on it, against the inner one; None without that.
        ports: what was measured of them.
    """

    host: str
    inner: str | None
    group: Group | None
    ports: tuple[PortRow, ...]


def machines(
    review: Review,
    runs: Sequence[AnyRun],
    margin: float,
    *,
    setups: Sequence[str] = (),
    outcomes: Mapping[str, Mapping[str, Outcome]] | None = None,
) -> list[Machine]:
    """Return each machine that something was measured on; drives unlike each other are compared, for that is asked.

    `setups` restricts what is shown; the inner drive of a machine always is.  Raises UsageError where nothing was measured.
    """
    by_host: dict[str, dict[str, dict[str, Measurement]]] = {}
    for name, figures in pooled_results(runs).items():
        if name in review.setups and not review.is_peer(review.setups[name].medium):
            host = list(figures.values())[-1].run.bench.host
            by_host.setdefault(host, {})[name] = figures
    if not by_host:
        raise UsageError("no drive was measured yet; begin with: ulterion measure FOLDER --as 'inner drive'")
    every = ports(review, runs, outcomes)
    found = []
    for host, mine in by_host.items():
        if not setups or set(setups) & set(mine):
            inner = inner_drive(review, mine)
            group = _against(review, inner, mine, margin, setups) if inner is not None else None
            found.append(Machine(host, inner, group, tuple(p for p in every if p.host == host)))
    return found


def _against(
    review: Review, inner: str, mine: dict[str, dict[str, Measurement]], margin: float, setups: Sequence[str]
) -> Group:
    """Return every drive of a machine against the inner one."""
    known = review.changed(setups={n: s for n, s in review.setups.items() if n in mine})
    return GroupBuilder(review=known, measured=mine, medium=None, against=inner, wanted=setups, own=known).build(
        margin, {}
    )


def inner_drive(review: Review, mine: Mapping[str, Mapping[str, Measurement]]) -> str | None:
    """Return the setup of a machine's inner drive: the one its system runs from, else one in a slot by PCIe or SATA and nothing between.

    Of several the one that is marked as a baseline, then the fastest reader.
    """

    def worth(name: str) -> tuple[bool, bool, float]:
        read = best_of(list(mine[name].values()), "read", "sequential")
        runs_system = any(m.run.target.system_disk for m in mine[name].values())
        return runs_system, review.setups[name].baseline, read.estimate.rate if read else 0.0

    return max((n for n in mine if _is_inner(review, n, mine[n])), key=worth, default=None)


def _is_inner(review: Review, name: str, figures: Mapping[str, Measurement]) -> bool:
    target = list(figures.values())[-1].run.target
    link = known_link(target.link)
    direct = len(review.setups[name].chain) == 2
    return bool(target.system_disk) or (direct and link is not None and link.family in INNER)
