"""What is to be copied."""

from __future__ import annotations

from pathlib import Path

from ulterion.core.records import dataclass
from ulterion.model.store import ReviewFolder

WORKERS = 2  # that copy at the same time, unless told otherwise


@dataclass(frozen=True)
class MadeSet:
    """A set of files to be made: its name, bytes in all (None: the usual), seed."""

    name: str
    total: int | None
    seed: int


@dataclass(frozen=True)
class CopyRequest:
    """What is to be copied where.

    Attributes:
        review: where it is kept.
        sources: files and folders; of a made set the folder it is made in.
        target: the folder it is copied to.
        from_setup, to_setup: what the two ends are, or None.
        made: the set to make, or None.
        passes: how often.
        at_once: files that are copied at the same time.
        rest: seconds between a copy's removal and the next, beside what its device needs to be quiet.
        plain: whether bytes go through our memory also where the kernel could copy them itself.
        ends: whether each end is timed alone as well.
        prove: whether every copy is read back.
        keep: whether the last copy stays.
        manifest: where the manifest is to be kept, or None.
        opener: a command of the reviewer's that is run on each file of a copy, with its path last; empty for none.
        stall: seconds without a byte after which the device counts as silent.
    """

    review: ReviewFolder
    sources: tuple[Path, ...]
    target: Path
    from_setup: str | None = None
    to_setup: str | None = None
    made: MadeSet | None = None
    task: str | None = None
    passes: int = 3
    at_once: int = WORKERS
    rest: float = 0.0
    plain: bool = False
    ends: bool = True
    prove: bool = True
    keep: bool = False
    manifest: Path | None = None
    opener: tuple[str, ...] = ()
    stall: float = 60.0
