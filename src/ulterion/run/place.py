"""Which target is meant: named on the command line, or by a setup of the review; located here and nowhere else."""

from __future__ import annotations

import datetime
from pathlib import Path

from ulterion.core.errors import UsageError
from ulterion.core.records import dataclass
from ulterion.model.review import Setup
from ulterion.model.store import ReviewFolder

SIM, NET = "sim:", "net:"


@dataclass(frozen=True)
class Place:
    """Where something is to be done.

    Attributes:
        review: the review it belongs to.
        folder: the working folder, from which a target on the command line is meant.
        target: folder, file, device, 'sim:FILE' or 'net:HOST' given on the command line, or None for the setup's.
        setup: name of the setup, or None.
    """

    review: ReviewFolder
    folder: Path
    target: str | None = None
    setup: str | None = None

    @property
    def entry(self) -> Setup | None:
        """What the review says of the setup; raises UsageError for an unknown one."""
        return self.review.review.setup(self.setup) if self.setup else None

    @property
    def chain(self) -> list[str]:
        """The setup's chain, empty without one."""
        return list(self.entry.chain) if self.entry else []

    @property
    def where(self) -> str | None:
        """What is named, or None when neither command line nor setup names a target."""
        return self.target or (self.entry.target if self.entry else None)

    @property
    def simulated(self) -> bool:
        """Whether it is on the simulated bench."""
        return self.where is not None and self.where.startswith(SIM)

    @property
    def network(self) -> bool:
        """Whether it is a peer, and the network to it."""
        return self.where is not None and self.where.startswith(NET)

    @property
    def over_network(self) -> bool:
        """Whether what is measured is a network, real or simulated: at the end of its chain stands a peer."""
        return self.network or (self.entry is not None and self.review.review.is_peer(self.entry.medium))

    @property
    def bench_file(self) -> Path:
        """The file of the simulated bench."""
        return self.review.path / (self.where or "").removeprefix(SIM)

    @property
    def levels(self) -> dict[str, str]:
        """The setup's levels of a plan's factors."""
        return self.entry.levels if self.entry else {}

    @property
    def simulated_ends(self) -> list[datetime.datetime]:
        """When the simulated runs of the review were over: what the bench's clock goes on from."""
        return [s.ended for s in self.review.summaries() if s.simulated and s.ended is not None]

    @property
    def path(self) -> Path | None:
        """The folder, file or device, or None where nothing real is named.  Raises UsageError for a user without a home."""
        if self.where is None or self.simulated or self.network:
            return None
        try:
            return (self.folder if self.target else self.review.path) / Path(self.where).expanduser()
        except RuntimeError as error:
            raise UsageError(f"{self.where}: there is no such user here; write the path out") from error

    def with_target(self, target: str) -> Place:
        """Return the place of another target in the same review."""
        return Place(self.review, self.folder, target)

    def with_setup(self, setup: str) -> Place:
        """Return the place of another setup of the same review."""
        return Place(self.review, self.folder, None, setup)
